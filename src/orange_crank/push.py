"""Messages to devices on which the program is closed: Web Push with the shop's own keys.

A browser gives an address of its maker's push service and two keys. A message is encrypted to those keys
(RFC 8291), so that the service in between reads none of it, and signed by the shop's own key (VAPID,
RFC 8292). The address is whatever a device sent: it is never followed into the shop's own network, nor
anywhere a redirect points.
"""

import base64
import binascii
import os
import secrets
import socket
import ssl
import time
from contextlib import suppress
from dataclasses import dataclass
from ipaddress import IPv4Address, IPv6Address, ip_address, ip_network
from pathlib import Path
from urllib.parse import urlsplit

import http_ece
import urllib3
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat
from py_vapid import Vapid02

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.messages import msg

LONGEST_ENDPOINT = 1_000
WITHIN_S = 8.0
SIGNED_FOR_S = 12 * 3600
# An IPv4 address wrapped in an IPv6 one: its own network decides, not its looks.
_WRAPPED = tuple(ip_network(n) for n in ("64:ff9b::/96", "64:ff9b:1::/48", "2002::/16", "2001::/32"))


@dataclass(frozen=True)
class Place:
    """Where a device gets its notices.

    Attributes
    ----------
    endpoint : address its push service gave it
    device_key, device_secret : its public key (P-256, uncompressed) and its secret, base64url

    """

    endpoint: str
    device_key: str
    device_secret: str


@dataclass(frozen=True)
class Outcome:
    """What became of a message.

    Attributes
    ----------
    sent : the push service took it
    gone : the subscription has ended; it is not tried again
    trouble : why it was not taken, in words
    wait_s : the pause the service asks for before the next message [s]

    """

    sent: bool
    gone: bool = False
    trouble: str | None = None
    wait_s: float | None = None


class NotThere(Exception):
    """An address that is not one of a push service."""


def _bytes_of(field: str, said: str, length: int) -> bytes:
    try:
        got = base64.urlsafe_b64decode(said + "=" * (-len(said) % 4))
    except (binascii.Error, ValueError):
        got = b""
    if len(got) != length:
        raise InputProblem(
            [
                FieldProblem(
                    field=field,
                    wanted=msg("{length} bytes in base64url, as the browser gives them", length=length),
                )
            ],
            next_step=msg("Turn reminders off on this device and on again."),
        )
    return got


def check_place(place: Place, near: frozenset[str]) -> None:
    """Refuse an address that cannot be a push service.

    ``near`` names hosts of this network that may be one, as host:port; any other speaks TLS.

    Raises
    ------
    InputProblem : an address or a key that is none

    """
    try:
        _parts(place.endpoint, near)
    except NotThere as why:
        raise InputProblem(
            [FieldProblem(field="endpoint", wanted=str(why))],
            next_step=msg("Turn reminders off on this device and on again."),
        ) from None
    key = _bytes_of("device_key", place.device_key, 65)
    try:
        ec.EllipticCurvePublicKey.from_encoded_point(ec.SECP256R1(), key)
    except ValueError:
        raise InputProblem(
            [FieldProblem(field="device_key", wanted=msg("a point of P-256"))],
            next_step=msg("Turn reminders off on this device and on again."),
        ) from None
    _bytes_of("device_secret", place.device_secret, 16)


def _parts(endpoint: str, near: frozenset[str]) -> tuple[str, str, int, bool]:
    """Return scheme, host, port of an address and whether it may be on this network."""
    if len(endpoint) > LONGEST_ENDPOINT or not endpoint.isascii() or not endpoint.isprintable():
        raise NotThere("an address of a push service")
    try:
        url = urlsplit(endpoint)
        port = url.port or (443 if url.scheme == "https" else 80)
    except ValueError:
        raise NotThere("an address of a push service") from None
    host = url.hostname or ""
    named = f"{host}:{port}" in near
    if not host or url.username or url.password or url.fragment:
        raise NotThere("an address of a push service")
    if not named and (url.scheme != "https" or port != 443):
        raise NotThere("an address that begins with https://, as the browser gives it")
    if url.scheme not in ("http", "https"):
        raise NotThere("an address that begins with https://, as the browser gives it")
    return url.scheme, host, port, named


def is_outside(address: IPv4Address | IPv6Address) -> bool:
    """Return whether an address is one of the open internet, whatever it is wrapped in.

    >>> [is_outside(ip_address(a)) for a in ("9.9.9.9", "127.0.0.1", "10.0.0.4", "169.254.1.1", "::1")]
    [True, False, False, False, False]
    >>> [is_outside(ip_address(a)) for a in ("::ffff:10.0.0.4", "64:ff9b::a00:4", "fe80::1", "2620:fe::fe")]
    [False, False, False, True]
    """
    if isinstance(address, IPv6Address):
        if address.ipv4_mapped is not None:
            return is_outside(address.ipv4_mapped)
        if any(address in wrapped for wrapped in _WRAPPED):
            return False
    return address.is_global and not address.is_multicast


def _address(host: str, port: int, named: bool) -> str:
    """Return the one address a host is spoken to at: looked up once, so that it cannot become another."""
    try:
        found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
    except (OSError, UnicodeError):
        raise NotThere(f"{host} cannot be found from the shop's computer") from None
    addresses = [ip_address(str(entry[4][0]).split("%")[0]) for entry in found]
    if not named and not all(is_outside(a) for a in addresses):
        raise NotThere(f"{host} is on the shop's own network, where no push service is")
    return str(addresses[0])


class ShopKey:
    """The shop's own key; made at its first use, the same for every process."""

    def __init__(self, path: Path) -> None:
        """Keep the key in a file that only its owner reads."""
        self.path = path
        self._key: Vapid02 | None = None

    @property
    def vapid(self) -> Vapid02:
        """The key.

        Raises
        ------
        OSError : it can be neither read nor made

        """
        if self._key is None:
            if not self.path.exists():
                self._make()
            key = Vapid02.from_pem(self.path.read_bytes())
            # Whom to turn to is looked at by the settings: here it may be an address with a port.
            key.conf["no-strict"] = True
            self._key = key
        return self._key

    def _make(self) -> None:
        made = Vapid02()
        made.generate_keys()
        self.path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        draft = self.path.with_name(f".{self.path.name}.{secrets.token_hex(6)}")
        try:
            with os.fdopen(os.open(draft, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
                file.write(made.private_pem())
            # Anyone who links first made it; of two processes that begin at once the other reads that one.
            with suppress(FileExistsError):
                os.link(draft, self.path)
        finally:
            draft.unlink(missing_ok=True)

    @property
    def public(self) -> str:
        """Its public half, in a browser's form: base64url of the uncompressed point.

        Raises
        ------
        OSError : the key can be neither read nor made

        """
        point = self.vapid.public_key.public_bytes(Encoding.X962, PublicFormat.UncompressedPoint)
        return base64.urlsafe_b64encode(point).decode().rstrip("=")


class Sender:
    """Sends messages to devices."""

    def __init__(self, key: ShopKey, contact: str, near: frozenset[str] = frozenset()) -> None:
        """Sign by the shop's key.

        ``contact`` is whom a push service may turn to, ``near`` as in ``check_place``.
        """
        self.key = key
        self.contact = contact
        self.near = near

    def send(self, place: Place, message: bytes, *, keep_s: int, topic: str, urgent: bool = False) -> Outcome:
        """Send one message of at most 3,000 bytes; the result is returned, never raised.

        ``keep_s`` is how long it is worth telling [s]; a later one of the same ``topic`` takes its place.
        """
        try:
            scheme, host, port, named = _parts(place.endpoint, self.near)
            address = _address(host, port, named)
            body, headers = self._sealed(place, message, f"{scheme}://{urlsplit(place.endpoint).netloc}")
        except NotThere as why:
            return Outcome(sent=False, trouble=f"{why}.")
        except OSError as error:
            return Outcome(sent=False, trouble=f"The shop's key cannot be read: {error.strerror}.")
        headers |= {
            "TTL": str(keep_s),
            "Topic": topic,
            "Urgency": "high" if urgent else "normal",
            "Host": urlsplit(place.endpoint).netloc,
        }
        pool = self._pool(scheme, address, host, port)
        path = place.endpoint.split("/", 3)
        try:
            answer = pool.request(
                "POST",
                "/" + (path[3] if len(path) > 3 else ""),
                body=body,
                headers=headers,
                redirect=False,
                retries=False,
                preload_content=False,
            )
            try:
                return _outcome(answer.status, answer.headers.get("Retry-After", ""))
            finally:
                answer.close()
        except (urllib3.exceptions.HTTPError, OSError):
            return Outcome(sent=False, trouble=f"{host} does not answer the shop's computer.")
        finally:
            pool.close()

    def _pool(self, scheme: str, address: str, host: str, port: int) -> urllib3.HTTPConnectionPool:
        within = urllib3.Timeout(connect=WITHIN_S / 2, read=WITHIN_S)
        if scheme == "http":
            return urllib3.HTTPConnectionPool(address, port, timeout=within)
        return urllib3.HTTPSConnectionPool(
            address,
            port,
            timeout=within,
            server_hostname=host,
            assert_hostname=host,
            ssl_context=ssl.create_default_context(),
        )

    def _sealed(self, place: Place, message: bytes, audience: str) -> tuple[bytes, dict[str, str]]:
        """Return a message as only the device reads it, and the headers that say who sends it."""
        body = http_ece.encrypt(
            message,
            private_key=ec.generate_private_key(ec.SECP256R1()),
            dh=_bytes_of("device_key", place.device_key, 65),
            auth_secret=_bytes_of("device_secret", place.device_secret, 16),
            version="aes128gcm",
        )
        claims = {"sub": self.contact, "aud": audience, "exp": int(time.time()) + SIGNED_FOR_S}
        signed = self.key.vapid.sign(claims)
        return bytes(body), {
            "Authorization": str(signed["Authorization"]),
            "Content-Encoding": "aes128gcm",
            "Content-Type": "application/octet-stream",
        }


def _outcome(status: int, retry_after: str) -> Outcome:
    if 200 <= status < 300:
        return Outcome(sent=True)
    if status in (404, 410):
        return Outcome(sent=False, gone=True, trouble="The browser of this device is told nothing any more.")
    wait = float(retry_after) if retry_after.isascii() and retry_after.isdigit() else None
    return Outcome(sent=False, trouble=f"The push service answered {status}.", wait_s=wait)
