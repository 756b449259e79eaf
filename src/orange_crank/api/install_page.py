"""The plain page a phone opens once: it hands out the shop's authority and the steps to install it.

It speaks without TLS, for a phone that does not trust the shop yet; so it holds nothing else and keeps
nothing. It shows the fingerprint, to compare with the one on the shop's own computer.
"""

from importlib.resources import files

from jinja2 import Environment, StrictUndefined
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import HTMLResponse, RedirectResponse, Response
from starlette.routing import Route

from orange_crank import certificates
from orange_crank.network import Network

FILE = "orange-crank-shop.crt"
HEADS = {
    "Content-Security-Policy": "default-src 'none'; style-src 'unsafe-inline'; base-uri 'none'; "
    "form-action 'none'; frame-ancestors 'none'",
    "X-Content-Type-Options": "nosniff",
}


def install_page(network: Network) -> str:
    """Return the page."""
    assert network.authority is not None
    template = (files("orange_crank.api") / "install_page.html").read_text("utf-8")
    return (
        Environment(autoescape=True, undefined=StrictUndefined)
        .from_string(template)
        .render(
            file=FILE,
            fingerprint=certificates.fingerprint(network.authority),
            address=network.address,
        )
    )


def install_app(network: Network) -> Starlette:
    """Return the small application that hands out the authority, and leads all else to the real one."""
    assert network.authority is not None
    page, certificate = install_page(network), network.authority.read_bytes()

    def show(_: Request) -> Response:
        return HTMLResponse(page, headers=HEADS)

    def hand_out(_: Request) -> Response:
        return Response(certificate, media_type="application/x-x509-ca-cert", headers=HEADS)

    def elsewhere(_: Request) -> Response:
        return RedirectResponse(network.address, 307, headers=HEADS)

    return Starlette(routes=[Route("/", show), Route(f"/{FILE}", hand_out), Route("/{rest:path}", elsewhere)])
