"""How the server is reached by others: its certificate, its names, and what a proxy says of a request."""

import re
import ssl
from datetime import UTC, datetime, timedelta
from ipaddress import ip_address
from pathlib import Path

import pytest
from cryptography import x509
from cryptography.x509 import DNSName, IPAddress
from cryptography.x509.verification import PolicyBuilder, Store, VerificationError
from fastapi.testclient import TestClient
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from orange_crank import certificates
from orange_crank.announcing import announced, name_of
from orange_crank.api.app import create_app
from orange_crank.api.install_page import FILE, install_app
from orange_crank.certificates import (
    CertificateTrouble,
    fingerprint,
    folder_of,
    make_authority,
    make_server_certificate,
    read_standing,
    refuse_name,
    renew_if_due,
)
from orange_crank.network import Network
from orange_crank.settings import Settings, SettingTrouble
from orange_crank.store.server import MariaDbServer
from tests.product import Line, running

label = st.from_regex(r"[a-z0-9]([a-z0-9-]{0,14}[a-z0-9])?", fullmatch=True)
names = st.one_of(
    st.lists(label, min_size=1, max_size=4).map(".".join).filter(lambda n: not n.replace(".", "").isdigit()),
    st.ip_addresses().map(str),
)


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    made = folder_of(tmp_path)
    make_authority(made, "Lark Hill Cooling")
    return made


@given(name=names)
def test_a_name_of_a_computer_is_taken_as_it_is_and_stays_so(name: str) -> None:
    assert refuse_name(f" {name.upper()} ") == refuse_name(name)
    assert refuse_name(refuse_name(name)) == refuse_name(name)


@pytest.mark.parametrize(
    "name",
    [
        "",
        " ",
        "a b",
        "-a",
        "a-",
        "a..b",
        "1.2.3",
        "300.1.1.1",
        "ä.example",
        "a_b",
        "x" * 64,
        "a/b",
        "*.a",
        "a:80",
    ],
)
def test_what_is_no_name_is_refused_in_words(name: str) -> None:
    with pytest.raises(CertificateTrouble, match="no name and no address") as refused:
        refuse_name(name)
    assert refused.value.next_step


@given(wanted=st.lists(names, min_size=1, max_size=5), other=names)
def test_a_phone_that_trusts_the_authority_takes_its_names_and_no_other(
    tmp_path_factory: pytest.TempPathFactory, wanted: list[str], other: str
) -> None:
    folder = tmp_path_factory.mktemp("tls")
    signed = make_authority(folder, "A shop", [refuse_name(n) for n in wanted])
    authority = x509.load_pem_x509_certificate(signed.read_bytes())
    leaf = x509.load_pem_x509_certificate(make_server_certificate(folder, wanted).read_bytes())
    standing = read_standing(folder / "server.crt", folder / "server.key", folder / "authority.crt")
    assert standing.own
    assert not standing.warns(datetime.now(UTC))
    known = {refuse_name(n) for n in wanted} | {"localhost", "127.0.0.1"}
    assert set(standing.names) == known

    def takes(name: str) -> bool:
        try:
            subject: IPAddress | DNSName = IPAddress(ip_address(name))
        except ValueError:
            subject = DNSName(name)
        try:
            PolicyBuilder().store(Store([authority])).build_server_verifier(subject).verify(leaf, [])
        except VerificationError:
            return False
        return True

    assert all(takes(n) for n in known)
    assert takes(refuse_name(other)) == (refuse_name(other) in known)


def test_the_authoritys_key_passes_for_no_other_site(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Refused here, and by phones where somebody with the key signs all the same."""
    folder = folder_of(tmp_path)
    kept = make_authority(folder, "A shop", ["cooling.example"])
    for name in ("10.1.2.3", "fd00::7", "counter.local", "cooling.example", "www.cooling.example"):
        make_server_certificate(folder, [name])
    for name in ("bank.example", "8.8.8.8", "notcooling.example"):
        with pytest.raises(CertificateTrouble, match="names it was made with"):
            make_server_certificate(folder, [name])
    monkeypatch.setattr(certificates, "_refuse_beyond", lambda *_: None)
    store = Store([x509.load_pem_x509_certificate(kept.read_bytes())])
    for name, passes in (("bank.example", False), ("cooling.example", True)):
        leaf = x509.load_pem_x509_certificate(make_server_certificate(folder, [name]).read_bytes())
        verifier = PolicyBuilder().store(store).build_server_verifier(DNSName(name))
        if passes:
            verifier.verify(leaf, [])
        else:
            with pytest.raises(VerificationError):
                verifier.verify(leaf, [])


def test_the_authority_is_made_once_and_a_certificate_anew_before_it_ends(folder: Path) -> None:
    before = fingerprint(make_authority(folder, "Another name"))
    assert before == fingerprint(folder / "authority.crt")
    make_server_certificate(folder, ["10.0.0.5"])
    files = folder / "server.crt", folder / "server.key"
    first = read_standing(*files, folder / "authority.crt")
    before_bytes = files[0].read_bytes()
    assert not renew_if_due(folder)
    assert not renew_if_due(folder, first.ends_at - timedelta(days=46))
    assert renew_if_due(folder, first.ends_at - timedelta(days=44))
    again = read_standing(*files, folder / "authority.crt")
    assert again.names == first.names
    assert (again.names[0], again.ends_at >= first.ends_at) == ("10.0.0.5", True)
    assert files[0].read_bytes() != before_bytes
    assert first.ends_at - datetime.now(UTC) <= timedelta(days=398), "phones refuse longer ones"
    assert first.warns(first.ends_at - timedelta(days=29))
    assert not first.warns(first.ends_at - timedelta(days=31))


def test_files_that_do_not_fit_are_named(folder: Path, tmp_path: Path) -> None:
    make_server_certificate(folder, ["10.0.0.5"])
    with pytest.raises(CertificateTrouble, match="is not the key of"):
        read_standing(folder / "server.crt", folder / "authority.key")
    (tmp_path / "nonsense").write_bytes(b"\x00\xff not PEM")
    with pytest.raises(CertificateTrouble, match="no certificate and key"):
        read_standing(tmp_path / "nonsense", folder / "server.key")
    with pytest.raises(CertificateTrouble, match="No authority"):
        make_server_certificate(tmp_path / "nowhere", ["10.0.0.5"])
    # Another's authority did not sign it.
    elsewhere = make_authority(tmp_path / "else", "Another")
    assert not read_standing(folder / "server.crt", folder / "server.key", elsewhere).own
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(folder / "server.crt", folder / "server.key")


def settings(data: Path, **more: object) -> Settings:
    return Settings(data_dir=data, **more)  # type: ignore[arg-type]


def test_nothing_is_said_plainly_where_others_could_listen(tmp_path: Path) -> None:
    for host in ("0.0.0.0", "192.168.1.20", "::", "shop.example"):
        with pytest.raises(ValidationError, match="could read what you send"):
            settings(tmp_path, host=host)
    with pytest.raises(ValidationError, match="belong together"):
        settings(tmp_path, tls_key=tmp_path / "x")
    for host in ("127.0.0.1", "localhost", "::1"):
        assert settings(tmp_path, host=host).tls is None
    folder = folder_of(tmp_path)
    make_authority(folder, "A shop", ["cooling.example"])
    make_server_certificate(folder, ["192.168.1.20", "cooling.example"])
    everywhere = settings(tmp_path, host="0.0.0.0")
    network = Network.of(everywhere)
    assert (network.address, network.alone) == ("https://192.168.1.20:8420", False)
    assert network.install_address == "http://192.168.1.20:8421"
    assert {"192.168.1.20", "cooling.example", "localhost"} <= set(network.hosts)
    assert "0.0.0.0" not in network.hosts
    assert Network.of(settings(tmp_path, host="0.0.0.0", install_port=0)).install_address is None
    assert network.warning() is None


def test_the_plain_page_shows_the_fingerprint_and_holds_no_script(folder: Path) -> None:
    make_server_certificate(folder, ["10.0.0.5"])
    network = Network.of(settings(folder.parent, host="10.0.0.5"))
    page = TestClient(install_app(network))
    shown = page.get("/")
    assert fingerprint(folder / "authority.crt") in shown.text
    assert "<script" not in shown.text
    assert "default-src 'none'" in shown.headers["content-security-policy"]
    assert page.get(f"/{FILE}").content == (folder / "authority.crt").read_bytes()
    for path in ("/server.key", "/authority.key", "/api/people"):
        led = page.get(path, follow_redirects=False)
        assert (led.status_code, led.headers["location"]) == (307, "https://10.0.0.5:8420")


def test_a_name_that_is_not_its_own_is_not_answered(records: MariaDbServer) -> None:
    del records
    client = TestClient(create_app(network=Network(alone=False, names=("cooling.example",))))
    for name, status in (("cooling.example", 200), ("127.0.0.1", 200), ("other.example", 400)):
        assert client.get("/api/live", headers={"host": name}).status_code == status


def test_a_proxy_is_believed_when_it_is_named_and_nobody_else(tmp_path: Path) -> None:
    """Behind one that holds the certificate the cookie is bound to TLS, and a phone's own address counts."""
    said = {"host": "cooling.example", "x-forwarded-proto": "https", "x-forwarded-for": "203.0.113.7"}
    entry = {"name": "Nobody", "passphrase": "not it at all"}
    own = {"proxies": "127.0.0.1", "names": "cooling.example"}
    with running(tmp_path / "behind", ("start",), **own) as behind:
        line = Line(behind)

        def ask(path: str, body: object = None, **heads: str) -> tuple[int, dict[str, str]]:
            told = line.send("POST" if body else "GET", path, body, heads=heads)
            return told.status, told.headers

        status, heads = ask("/api/live", **said)
        assert (status, "strict-transport-security" in heads) == (200, True)
        assert "strict-transport-security" not in ask("/api/live")[1]
        # A page of its own name is its own site; what a proxy forwards is not this machine's.
        assert ask("/api/session", entry, **said, origin="https://cooling.example")[0] == 401
        assert ask("/api/session", entry, **said, origin="https://other.example")[0] == 403
        assert ask("/api/reference", **said)[0] == 401
        # Thirty vain tries of one phone hold up that phone, not the shop.
        other = said | {"x-forwarded-for": "203.0.113.8"}
        told = [ask("/api/session", entry | {"name": f"N{i}"}, **said)[0] for i in range(33)]
        assert (told[0], told[-1]) == (401, 429)
        assert ask("/api/session", entry | {"name": "Another"}, **other)[0] == 401
    with running(tmp_path / "plain", ("start",)) as plain:
        line = Line(plain)
        spoofed = line.send("GET", "/api/live", heads={"x-forwarded-proto": "https"})
        assert "strict-transport-security" not in spoofed.headers


@given(name=st.text(max_size=70))
def test_a_name_to_be_found_by_is_one_or_is_refused_with_what_to_do(name: str) -> None:
    """Never told of a name that phones would not know, or that the certificate does not carry."""
    known = Network(alone=False, names=("cooling.local", f"{name}.local"))
    wanted = Settings().model_copy(update={"announce": name})
    if name and not re.fullmatch(r"[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?", name):
        with pytest.raises(SettingTrouble, match="no name") as refused:
            name_of(wanted, known)
        assert "ORANGE_CRANK_ANNOUNCE" in (refused.value.next_step or "")
        return
    found = name_of(wanted, known)
    assert found == (f"{name}.local" if name else None)
    assert found is None or len(found.encode("idna")) <= 69


@pytest.mark.parametrize(
    ("network", "wanted"),
    [
        (Network(alone=True, names=("cooling.local",)), "Set ORANGE_CRANK_HOST"),
        (Network(alone=False, names=("10.0.0.2",)), "orange-crank certificate cooling.local"),
    ],
)
def test_nothing_is_announced_that_cannot_be_reached(network: Network, wanted: str) -> None:
    settings = Settings().model_copy(update={"announce": "cooling"})
    with pytest.raises(SettingTrouble) as refused, announced(settings, network):
        pass
    assert wanted in (refused.value.next_step or "")
