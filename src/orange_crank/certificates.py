"""The shop's own authority and its server's certificate, so that phones on the network may trust it.

The authority is made once and installed on each phone; server certificates are made under it, shorter lived,
and made again by themselves before they end. Keys stay in the data folder, readable by its owner only.
"""

import hashlib
import ipaddress
import os
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

from cryptography import x509
from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

from orange_crank.core.errors import CrankError
from orange_crank.core.messages import msg

AUTHORITY_FOR = timedelta(days=3650)
# Phones refuse server certificates that are good for longer than 398 days, anyone who signed them.
SERVER_FOR = timedelta(days=397)
RENEW_BEFORE = timedelta(days=45)
WARN_BEFORE = timedelta(days=30)
# Clocks of phones are not all right: a certificate is good from a little earlier on.
EARLIER = timedelta(days=1)


class CertificateTrouble(CrankError):
    """A certificate cannot be made, read or used."""

    title = msg("The certificate cannot be used")


@dataclass(frozen=True)
class Standing:
    """The state of a server's certificate."""

    names: tuple[str, ...]
    ends_at: datetime
    own: bool
    authority_print: str | None

    def warns(self, moment: datetime) -> bool:
        """Return whether it ends soon, or has ended."""
        return self.ends_at - moment < WARN_BEFORE


def folder_of(data_dir: Path) -> Path:
    """Return where a shop's certificates lie."""
    return data_dir / "tls"


def _write(path: Path, content: bytes, mode: int = 0o644) -> None:
    """Put a file in place whole, never readable by others for a moment when it is a key."""
    half = path.with_suffix(path.suffix + ".new")
    half.unlink(missing_ok=True)
    with os.fdopen(os.open(half, os.O_WRONLY | os.O_CREAT | os.O_EXCL, mode), "wb") as file:
        file.write(content)
        file.flush()
        os.fsync(file.fileno())
    half.replace(path)


def _private(key: ec.EllipticCurvePrivateKey) -> bytes:
    return key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )


def _name(words: str) -> x509.Name:
    return x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, words[:64])])


def _begun(
    subject: x509.Name, issuer: x509.Name, key: ec.EllipticCurvePublicKey, good_for: timedelta
) -> x509.CertificateBuilder:
    moment = datetime.now(UTC)
    return (
        x509.CertificateBuilder()
        .subject_name(subject)
        .issuer_name(issuer)
        .public_key(key)
        .serial_number(x509.random_serial_number())
        .not_valid_before(moment - EARLIER)
        .not_valid_after(moment + good_for)
    )


PRIVATE = (
    "10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "169.254.0.0/16", "127.0.0.0/8", "fc00::/7", "fe80::/10",
    "::1/128",
)  # fmt: skip


def _permitted(names: Sequence[str]) -> list[x509.GeneralName]:
    """Return what an authority may sign for: the shop's names, .local, and private addresses."""
    found: list[x509.GeneralName] = [x509.DNSName("localhost"), x509.DNSName("local")]
    found += [x509.IPAddress(ipaddress.ip_network(net)) for net in PRIVATE]
    for name in names:
        one = _alternative(name)
        found.append(x509.IPAddress(ipaddress.ip_network(name)) if isinstance(one, x509.IPAddress) else one)
    return found


def _refuse_beyond(authority: x509.Certificate, names: Sequence[str]) -> None:
    """Refuse names that phones would not believe under an authority.

    Raises
    ------
    CertificateTrouble : its constraints leave one of them out

    """
    try:
        bounds = authority.extensions.get_extension_for_class(x509.NameConstraints).value
    except x509.ExtensionNotFound:
        return
    for name in names:
        if not any(_covers(one, name) for one in bounds.permitted_subtrees or ()):
            raise CertificateTrouble(
                msg(
                    "The shop's authority signs for the names it was made with; {name} is not one of them.",
                    name=name,
                ),
                next_step=msg(
                    "Move authority.crt and authority.key away and make the certificate again. Let "
                    "each phone trust the new authority."
                ),
            )


def _covers(permitted: x509.GeneralName, name: str) -> bool:
    if isinstance(permitted, x509.IPAddress):
        try:
            # Of another version it is in none.
            return ipaddress.ip_address(name) in ipaddress.ip_network(str(permitted.value))
        except (ValueError, TypeError):
            return False
    return name == permitted.value or name.endswith(f".{permitted.value}")


def make_authority(folder: Path, shop: str, names: Sequence[str] = ()) -> Path:
    """Make the shop's own authority, once, and return its certificate's file.

    Parameters
    ----------
    folder : where it goes
    shop : how it is named
    names : the shop's names and addresses: beside .local and private addresses, all it may ever sign for

    Raises
    ------
    CertificateTrouble : the folder cannot be written to

    """
    kept = folder / "authority.crt"
    if kept.exists() and (folder / "authority.key").exists():
        return kept
    try:
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        key = ec.generate_private_key(ec.SECP256R1())
        name = _name(f"{shop or 'Orange Crank'}: authority of its own")
        made = (
            _begun(name, name, key.public_key(), AUTHORITY_FOR)
            .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
            .add_extension(_usage(signs=True), critical=True)
            .add_extension(x509.NameConstraints(_permitted(names), None), critical=True)
            .add_extension(x509.SubjectKeyIdentifier.from_public_key(key.public_key()), critical=False)
            .sign(key, hashes.SHA256())
        )
        _write(folder / "authority.key", _private(key), 0o600)
        _write(kept, made.public_bytes(serialization.Encoding.PEM))
    except OSError as error:
        raise _unwritable(folder, error) from None
    return kept


def _unwritable(folder: Path, error: OSError) -> CertificateTrouble:
    return CertificateTrouble(
        msg("{folder} cannot be written to: {strerror}.", folder=folder, strerror=error.strerror),
        next_step=msg("Give write permission there, or set ORANGE_CRANK_DATA_DIR to another folder."),
    )


def _usage(*, signs: bool) -> x509.KeyUsage:
    return x509.KeyUsage(
        digital_signature=not signs,
        key_cert_sign=signs,
        crl_sign=signs,
        content_commitment=False,
        key_encipherment=False,
        data_encipherment=False,
        key_agreement=False,
        encipher_only=False,
        decipher_only=False,
    )


def refuse_name(name: str) -> str:
    """Return a name or address as a certificate carries it.

    Raises
    ------
    CertificateTrouble : it is neither

    >>> refuse_name("Shop.Example")
    'shop.example'
    """
    said = name.strip().lower().rstrip(".")
    try:
        return str(ipaddress.ip_address(said))
    except ValueError:
        pass
    labels = said.split(".")
    good = all(
        0 < len(one) < 64
        and one.isascii()
        and one.replace("-", "").isalnum()
        and "-" not in (one[0], one[-1])
        for one in labels
    )
    if not good or len(said) > 253 or said.replace(".", "").isdigit():
        raise CertificateTrouble(
            msg("{name!r} is no name and no address of a computer.", name=name),
            next_step=msg("Name it as phones will: 192.168.1.20, or cooling.example."),
        )
    return said


def _alternative(name: str) -> x509.GeneralName:
    try:
        return x509.IPAddress(ipaddress.ip_address(name))
    except ValueError:
        return x509.DNSName(name)


def make_server_certificate(folder: Path, names: list[str]) -> Path:
    """Make a certificate for the server under the shop's authority; return its file.

    Parameters
    ----------
    folder : where the authority lies
    names : what phones call the server: names and addresses; loopback's are added

    Raises
    ------
    CertificateTrouble : there is no authority, a name is none, or nothing can be written

    """
    wanted = list(dict.fromkeys([*(refuse_name(n) for n in names), "localhost", "127.0.0.1"]))
    try:
        authority = x509.load_pem_x509_certificate((folder / "authority.crt").read_bytes())
        signer = serialization.load_pem_private_key((folder / "authority.key").read_bytes(), None)
    except (OSError, ValueError):
        raise CertificateTrouble(
            msg("No authority lies in {folder}.", folder=folder),
            next_step=msg("Make one: orange-crank certificate NAME."),
        ) from None
    assert isinstance(signer, ec.EllipticCurvePrivateKey)
    _refuse_beyond(authority, wanted)
    key = ec.generate_private_key(ec.SECP256R1())
    usage = x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH])
    issued_by = x509.AuthorityKeyIdentifier.from_issuer_public_key(signer.public_key())
    made = (
        _begun(_name(wanted[0]), authority.subject, key.public_key(), SERVER_FOR)
        .add_extension(x509.SubjectAlternativeName([_alternative(n) for n in wanted]), critical=False)
        .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
        .add_extension(_usage(signs=False), critical=True)
        .add_extension(usage, critical=False)
        .add_extension(issued_by, critical=False)
        .add_extension(x509.SubjectKeyIdentifier.from_public_key(key.public_key()), critical=False)
        .sign(signer, hashes.SHA256())
    )
    try:
        _write(folder / "server.key", _private(key), 0o600)
        _write(folder / "server.crt", made.public_bytes(serialization.Encoding.PEM))
    except OSError as error:
        raise _unwritable(folder, error) from None
    return folder / "server.crt"


def read_standing(certificate: Path, key: Path, authority: Path | None = None) -> Standing:
    """Return the state of a server's certificate; with ``authority`` whether that signed it.

    Raises
    ------
    CertificateTrouble : it or its key cannot be read, or they do not belong together

    """
    try:
        found = x509.load_pem_x509_certificate(certificate.read_bytes())
        private = serialization.load_pem_private_key(key.read_bytes(), None)
    except (OSError, ValueError, TypeError) as error:
        raise CertificateTrouble(
            msg(
                "{certificate} and {key} are no certificate and key in PEM: {name}.",
                certificate=certificate,
                key=key,
                name=type(error).__name__,
            ),
            next_step=msg("Name the right files, or make them: orange-crank certificate NAME."),
        ) from None
    form = (serialization.Encoding.DER, serialization.PublicFormat.SubjectPublicKeyInfo)
    if private.public_key().public_bytes(*form) != found.public_key().public_bytes(*form):
        raise CertificateTrouble(
            msg("{key} is not the key of {certificate}.", key=key, certificate=certificate),
            next_step=msg("Name the two that belong together."),
        )
    try:
        named = found.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
        names = (
            *named.get_values_for_type(x509.DNSName),
            *map(str, named.get_values_for_type(x509.IPAddress)),
        )
    except x509.ExtensionNotFound:
        names = ()
    # What it was named first it is called by.
    first = [str(a.value) for a in found.subject.get_attributes_for_oid(NameOID.COMMON_NAME)]
    names = tuple(sorted(names, key=lambda name: name not in first))
    own, print_ = False, None
    if authority is not None and authority.exists():
        above = x509.load_pem_x509_certificate(authority.read_bytes())
        try:
            found.verify_directly_issued_by(above)
            own, print_ = True, fingerprint(authority)
        except (InvalidSignature, ValueError, TypeError):
            own = False
    return Standing(names=names, ends_at=found.not_valid_after_utc, own=own, authority_print=print_)


def fingerprint(certificate: Path) -> str:
    """Return a certificate's SHA-256 in groups of four, as phones show it."""
    made = x509.load_pem_x509_certificate(certificate.read_bytes())
    said = hashlib.sha256(made.public_bytes(serialization.Encoding.DER)).hexdigest().upper()
    return " ".join(said[i : i + 4] for i in range(0, len(said), 4))


def renew_if_due(folder: Path, moment: datetime | None = None) -> bool:
    """Make the shop's own server certificate again where it ends soon; return whether it was.

    Raises
    ------
    CertificateTrouble : it is due and cannot be made

    """
    certificate, key = folder / "server.crt", folder / "server.key"
    if not (folder / "authority.key").exists() or not certificate.exists():
        return False
    standing = read_standing(certificate, key, folder / "authority.crt")
    if not standing.own or standing.ends_at - (moment or datetime.now(UTC)) > RENEW_BEFORE:
        return False
    make_server_certificate(folder, list(standing.names))
    return True
