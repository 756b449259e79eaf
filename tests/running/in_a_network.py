"""Run within a network of its own by ``test_network.py``: a shop's server on another address than loopback.

Phones open it by TLS under the shop's own authority; its first lead comes by an invitation made there.
"""

import base64
import http.client
import json
import re
import socket
import ssl
import subprocess
import urllib.error
import urllib.request
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from playwright.sync_api import Browser, BrowserContext, Page, expect, sync_playwright
from scripts.screenshots import CHROMIUM, CHROMIUM_FLAGS, PHONE
from zeroconf import Zeroconf

from tests.product import Product

ADDRESS, NAME = "10.77.0.1", "cooling.test"
PASSPHRASE = "four plain words do well"


class Shop(Product):
    """A shop's own server, on the network."""

    def __init__(self, folder: Path) -> None:
        super().__init__(folder, ("start",), host=ADDRESS)
        self.folder.mkdir(parents=True)
        self.address = f"https://{ADDRESS}:{self.port}"
        self.plain = f"http://{ADDRESS}:{self.port + 1}"

    def trusting(self, authority: str | None) -> ssl.SSLContext:
        return ssl.create_default_context(cadata=authority)

    def answers(self) -> bool:
        with socket.socket() as probe:
            return probe.connect_ex((ADDRESS, self.port)) == 0


@pytest.fixture(scope="module")
def shop(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Shop]:
    made = Shop(tmp_path_factory.mktemp("shop") / "data")
    refused = made.run("start")
    assert refused.returncode == 1
    assert "orange-crank certificate" in refused.stderr
    assert "could read what you send" in refused.stderr
    nonsense = made.run("certificate", "no_such name")
    assert (nonsense.returncode, "is no name" in nonsense.stderr) == (1, True)
    told = made.run("certificate", ADDRESS, NAME)
    assert told.returncode == 0, told.stderr
    made.settings["announce"] = "cooling"
    unnamed = made.run("start")
    assert unnamed.returncode == 1
    assert "does not carry cooling.local" in unnamed.stderr
    assert f"orange-crank certificate {ADDRESS} {NAME} cooling.local" in unnamed.stderr
    told = made.run("certificate", ADDRESS, NAME, "cooling.local")
    assert told.returncode == 0, told.stderr
    assert f"http://{ADDRESS}:{made.port + 1}" in told.stdout
    demo = made.run("start", "--demo")
    assert "this machine alone" in demo.stderr
    process = subprocess.Popen(
        ["python", "-m", "orange_crank.cli", "start"], env=made.environment, stdout=subprocess.PIPE, text=True
    )
    assert process.stdout is not None
    for line in process.stdout:
        if "Ctrl-C" in line:
            break
    yield made
    process.terminate()
    process.communicate(timeout=40)


@pytest.fixture(scope="module")
def authority(shop: Shop) -> str:
    """What a phone downloads from the plain page, as text."""
    with urllib.request.urlopen(shop.plain) as answer:
        page = answer.read().decode()
    with urllib.request.urlopen(f"{shop.plain}/orange-crank-shop.crt") as answer:
        assert answer.headers["content-type"] == "application/x-x509-ca-cert"
        found: str = answer.read().decode()
    made = x509.load_pem_x509_certificate(found.encode())
    said = made.fingerprint(hashes.SHA256()).hex().upper()
    assert said in page.replace(" ", "")
    assert made.extensions.get_extension_for_class(x509.BasicConstraints).value.path_length == 0
    return found


@pytest.fixture(scope="module")
def browser(shop: Shop) -> Iterator[Browser]:
    """Chromium that takes this server's key for good, as a phone does once the authority is installed."""
    made = x509.load_pem_x509_certificate((shop.folder / "tls" / "server.crt").read_bytes())
    form = (serialization.Encoding.DER, serialization.PublicFormat.SubjectPublicKeyInfo)
    digest = hashes.Hash(hashes.SHA256())
    digest.update(made.public_key().public_bytes(*form))
    known = base64.b64encode(digest.finalize()).decode()
    flags = [
        *CHROMIUM_FLAGS,
        f"--ignore-certificate-errors-spki-list={known}",
        f"--host-resolver-rules=MAP {NAME} {ADDRESS}",
    ]
    with sync_playwright() as playwright:
        opened = playwright.chromium.launch(executable_path=CHROMIUM, args=flags)
        yield opened
        opened.close()


def test_it_is_found_by_name(shop: Shop, authority: str) -> None:
    """Another computer finds it by multicast DNS, and its certificate holds for that name."""
    with Zeroconf(interfaces=[ADDRESS]) as asking:
        found = asking.get_service_info(
            "_https._tcp.local.", "Orange Crank cooling._https._tcp.local.", 8_000
        )
        page = asking.get_service_info("_http._tcp.local.", "Orange Crank cooling._http._tcp.local.", 8_000)
        nobody = asking.get_service_info("_https._tcp.local.", "Orange Crank other._https._tcp.local.", 500)
    assert nobody is None
    assert found is not None
    assert page is not None
    assert (found.server, found.port, page.port) == ("cooling.local.", shop.port, shop.port + 1)
    assert found.parsed_addresses() == [ADDRESS]
    with (
        socket.create_connection((found.parsed_addresses()[0], found.port)) as plain,
        shop.trusting(authority).wrap_socket(plain, server_hostname="cooling.local") as sealed,
    ):
        assert sealed.version() in ("TLSv1.2", "TLSv1.3")


def a_phone(browser: Browser) -> BrowserContext:
    found = browser.new_context(
        viewport={"width": PHONE["width"], "height": PHONE["height"]}, has_touch=True, reduced_motion="reduce"
    )
    found.set_default_timeout(12_000)
    return found


def test_only_who_trusts_the_authority_is_answered_and_only_by_its_names(shop: Shop, authority: str) -> None:
    def live(address: str, trusted: str | None) -> Any:
        with urllib.request.urlopen(
            f"{address}/api/live", context=shop.trusting(trusted), timeout=10
        ) as answer:
            return answer.headers

    heads = live(shop.address, authority)
    assert "max-age" in heads["strict-transport-security"]
    with pytest.raises(urllib.error.URLError, match="CERTIFICATE_VERIFY_FAILED"):
        live(shop.address, None)
    with pytest.raises((urllib.error.URLError, http.client.HTTPException, ConnectionError)):
        urllib.request.urlopen(f"http://{ADDRESS}:{shop.port}/api/live", timeout=10)
    line = http.client.HTTPSConnection(ADDRESS, shop.port, context=shop.trusting(authority))
    line.request("GET", "/api/live", headers={"Host": "elsewhere.test"})
    assert line.getresponse().status == 400
    line.close()


def test_the_plain_page_holds_nothing_else_and_leads_to_the_real_one(shop: Shop) -> None:
    line = http.client.HTTPConnection(ADDRESS, shop.port + 1)
    for path in ("/api/people", "/calls", "/../tls/server.key", "/tls/authority.key"):
        line.request("GET", path)
        answer = line.getresponse()
        answer.read()
        assert (answer.status, answer.getheader("location")) == (307, shop.address)
    line.close()


def test_keys_are_readable_by_their_owner_only(shop: Shop) -> None:
    for name in ("authority.key", "server.key"):
        assert (shop.folder / "tls" / name).stat().st_mode & 0o077 == 0


def test_from_first_run_to_first_call_and_a_second_person(
    shop: Shop, authority: str, browser: Browser
) -> None:
    # Over the network nobody can make themselves the lead of a shop that has nobody yet.
    body = {
        "details": {"name": "Mine now"},
        "people": [{"name": "Eve", "role": "lead", "initials": "E"}],
        "passphrase": PASSPHRASE,
    }
    request = urllib.request.Request(
        f"{shop.address}/api/shop/begin", json.dumps(body).encode(), {"content-type": "application/json"}
    )
    with pytest.raises(urllib.error.HTTPError) as refused:
        urllib.request.urlopen(request, context=shop.trusting(authority))
    assert refused.value.code == 409
    assert "orange-crank begin" in json.load(refused.value)["next_step"]
    # Nor is anything reckoned for who is not signed in.
    with pytest.raises(urllib.error.HTTPError, match="401"):
        urllib.request.urlopen(f"{shop.address}/api/reference", context=shop.trusting(authority))

    told = shop.run("begin", "--shop", "Lark Hill Cooling", "--lead", "Ada Wren")
    link = re.search(r"https://\S+/join#\S+", told.stdout)
    assert link is not None, told.stdout + told.stderr
    assert shop.run("begin", "--shop", "Again", "--lead", "Eve").returncode == 2

    phone = a_phone(browser)
    lead = phone.new_page()
    choose(lead, link[0], "Ada Wren")
    held = {c["name"]: (c["httpOnly"], c["secure"], c["sameSite"]) for c in phone.cookies()}
    own = f"__Host-orange_crank_{shop.port}"
    assert held == {own: (True, True, "Strict"), f"{own}_device": (True, True, "Strict")}
    assert "#" not in lead.url
    assert lead.evaluate("window.isSecureContext")
    expect(lead.get_by_text("No call is open. Open one.")).to_be_visible()

    lead.goto(f"{shop.address}/shop")
    lead.get_by_role("button", name="Add a person").tap()
    lead.get_by_role("textbox", name="Name").fill("Tam O'Dell")
    lead.get_by_role("radio", name="Technician").tap()
    lead.get_by_role("button", name="Save").tap()
    lead.get_by_role("button", name="Invite Tam O'Dell").tap()
    lead.get_by_role("button", name="Make the invitation").tap()
    shown = lead.get_by_text(re.compile("/join#"))
    expect(lead.get_by_role("img", name=re.compile("Code that opens"))).to_be_visible()
    second = shown.inner_text()
    lead.get_by_role("button", name="Close").tap()

    other = a_phone(browser)
    tam = other.new_page()
    choose(tam, second, "Tam O'Dell")
    # A link used once opens nothing any more.
    stranger = a_phone(browser).new_page()
    stranger.goto(second)
    expect(stranger.get_by_text("used, replaced or out of date")).to_be_visible()

    tam.get_by_role("button", name="Open a call").tap()
    tam.get_by_role("button", name="It is not in the list").tap()
    tam.get_by_role("radio", name="A new site").tap()
    tam.get_by_label("Site name").fill("Grange hall")
    tam.get_by_label("Unit", exact=True).fill("Meeting hall split")
    tam.get_by_role("button", name="Save", exact=True).tap()
    tam.get_by_label("What is the complaint?").fill("Hums and stops")
    tam.get_by_role("button", name="Open the call").tap()
    expect(tam.get_by_role("list", name="The call, rung by rung")).to_be_visible()
    # The lead hears of it on a device of their own.
    lead.goto(f"{shop.address}/calls")
    expect(lead.get_by_role("link", name=re.compile("Grange hall"))).to_contain_text("Tam O'Dell")

    hands_over(shop, lead, tam)
    ends_a_device(shop, lead, tam)
    phone.close()
    other.close()


def choose(page: Page, link: str, name: str) -> None:
    page.goto(link)
    expect(page.get_by_role("heading", name=f"Welcome, {name}")).to_be_visible()
    page.get_by_label("Passphrase", exact=True).fill("short")
    page.get_by_label("Repeat passphrase", exact=True).fill("short")
    page.get_by_role("button", name="Save and sign in").tap()
    expect(page.get_by_role("alert")).to_contain_text("12 characters at least")
    page.get_by_label("Passphrase", exact=True).fill(PASSPHRASE)
    page.get_by_label("Repeat passphrase", exact=True).fill(PASSPHRASE)
    page.get_by_role("button", name="Save and sign in").tap()
    expect(page.get_by_role("button", name=f"At work: {name}. Change.")).to_be_visible()


def hands_over(shop: Shop, lead: Page, tam: Page) -> None:
    """Tam sets a PIN on his own phone; the lead's tablet goes to him by it."""
    tam.goto(f"{shop.address}/shop")
    tam.get_by_role("button", name="PIN for shared tablets").tap()
    tam.get_by_label("Your passphrase", exact=True).fill(PASSPHRASE)
    tam.get_by_label("PIN", exact=True).fill("1234")
    tam.get_by_role("button", name="Keep the PIN").tap()
    expect(tam.get_by_role("alert")).to_contain_text("no year, pairs, row")
    tam.get_by_label("PIN", exact=True).fill("2870")
    tam.get_by_role("button", name="Keep the PIN").tap()
    expect(tam.get_by_role("dialog")).to_have_count(0)

    # A PIN hands over a tablet that a lead registered as shared.
    registered = lead.evaluate(
        "(body) => fetch('/api/session', {method: 'POST', body: JSON.stringify(body), "
        "headers: {'Content-Type': 'application/json'}}).then((answer) => answer.status)",
        {"name": "Ada Wren", "passphrase": PASSPHRASE, "shared": True},
    )
    assert registered == 200
    lead.goto(f"{shop.address}/calls")
    lead.get_by_role("button", name="At work: Ada Wren. Change.").tap()
    lead.get_by_role("button", name="Tam O'Dell").tap()
    lead.get_by_label("PIN of Tam O'Dell", exact=True).fill("1379")
    lead.get_by_role("button", name="Sign in with PIN").tap()
    expect(lead.get_by_role("alert")).to_contain_text("not the PIN")
    lead.get_by_label("PIN of Tam O'Dell", exact=True).fill("2870")
    lead.get_by_role("button", name="Sign in with PIN").tap()
    expect(lead.get_by_role("button", name="At work: Tam O'Dell. Change.")).to_be_visible()


def ends_a_device(shop: Shop, tablet: Page, tam: Page) -> None:
    """From his phone Tam signs the tablet out; what he typed on it stays until he is in again."""
    tablet.goto(f"{shop.address}/calls")
    tablet.get_by_role("link", name=re.compile("Grange hall")).tap()
    tablet.get_by_role("button", name="Notes & close").tap()
    note = tablet.get_by_label("Note", exact=True)
    note.fill("Ladder is in the barn")
    tam.reload()
    devices = tam.get_by_role("region", name="Devices signed in")
    expect(devices.get_by_role("listitem")).to_have_count(2)
    devices.get_by_role("button", name=re.compile("^Sign .* out")).tap()
    expect(devices.get_by_role("listitem")).to_have_count(1)
    tablet.get_by_role("button", name="Save").first.tap()
    expect(tablet.get_by_role("heading", name="Sign in again")).to_be_visible()
    tablet.get_by_label("Your name").fill("Tam O'Dell")
    tablet.get_by_label("Passphrase", exact=True).fill("not it at all, no")
    tablet.get_by_role("button", name="Sign in", exact=True).tap()
    expect(tablet.get_by_role("alert").first).to_contain_text("do not match")
    tablet.get_by_label("Passphrase", exact=True).fill(PASSPHRASE)
    tablet.get_by_role("button", name="Sign in", exact=True).tap()
    expect(note).to_have_value("Ladder is in the barn")


def test_a_passkey_is_made_on_a_phone_and_signs_in_by_itself(shop: Shop, browser: Browser) -> None:
    invited = shop.run("invite", "Ada Wren")
    word = re.search(r"/join#\S+", invited.stdout)
    assert word is not None, invited.stderr
    phone = a_phone(browser)
    page = phone.new_page()
    devtools = phone.new_cdp_session(page)
    devtools.send("WebAuthn.enable")
    devtools.send(
        "WebAuthn.addVirtualAuthenticator",
        {
            "options": {
                "protocol": "ctap2",
                "transport": "internal",
                "hasResidentKey": True,
                "hasUserVerification": True,
                "isUserVerified": True,
                "automaticPresenceSimulation": True,
            }
        },
    )
    # Passkeys are bound to a name, never to a number.
    home = f"https://{NAME}:{shop.port}"
    choose(page, home + word[0], "Ada Wren")
    page.goto(f"{home}/shop")
    page.get_by_role("button", name="Make a passkey on this device").tap()
    keys = page.get_by_role("region", name="Passkeys").get_by_role("listitem")
    expect(keys).to_have_count(1)
    page.get_by_role("button", name="At work: Ada Wren. Change.").tap()
    page.get_by_role("button", name="Sign out").last.tap()
    page.get_by_role("button", name="Use a passkey").tap()
    expect(page.get_by_role("button", name="At work: Ada Wren. Change.")).to_be_visible()
    page.goto(f"{home}/shop")
    page.get_by_role("button", name=re.compile("^Take away the passkey")).tap()
    expect(keys).to_have_count(0)
    page.get_by_role("button", name="At work: Ada Wren. Change.").tap()
    page.get_by_role("button", name="Sign out").last.tap()
    page.get_by_role("button", name="Use a passkey").tap()
    expect(page.get_by_role("alert")).to_contain_text("not taken")
    phone.close()
