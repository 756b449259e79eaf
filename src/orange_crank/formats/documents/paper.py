"""From a template to HTML, and from HTML to PDF: one engine for every paper."""

import atexit
import base64
import re
import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date, datetime
from functools import cache
from importlib.resources import files
from typing import Any, Literal

import segno
from jinja2 import Environment, PackageLoader, StrictUndefined, pass_context, select_autoescape
from jinja2.runtime import Context
from markupsafe import Markup

from orange_crank.core.catalogs import catalog
from orange_crank.core.handover.money import money
from orange_crank.core.messages import Message, for_reader, msg, written_for
from orange_crank.core.nomenclature import say
from orange_crank.core.reads import AS_WRITTEN, Reads, day_words, told

Paper = Literal["letter", "a4"]
FONT_TYPE = "font/woff2"
BASE = "http://paper.invalid/"  # nothing answers there: a paper asks for nothing but its own
# Family and weight of each file; a browser and the PDF engine load the same.
_FAMILIES = {"atkinson-hyperlegible-mono": "Crank Mono", "atkinson-hyperlegible": "Crank", "noto-sans": ""}


@dataclass(frozen=True)
class Head:
    """What stands on every paper: shop, unit, person, date and conditions."""

    shop: str
    shop_lines: list[str]
    title: str
    site: str
    place: str
    unit: str
    unit_words: str
    person: str
    at: str
    conditions: str
    number: str
    unit_address: str
    paper: Paper = "letter"
    reads: Reads = AS_WRITTEN
    made_at: str = ""
    practice: bool = field(default=False)


def render(template: str, head: Head, **context: Any) -> str:
    """Return a paper as HTML that prints as it stands.

    Parameters
    ----------
    template : file name, without its ending
    head : what stands on every paper
    context : what the template asks for; a name left out is an error, not a gap

    """
    page = _environment().get_template(f"{template}.html")
    with written_for(catalog(head.reads.language)):
        html = page.render(head=head, qr=qr_svg(head.unit_address), **context)
    # Not every font of the papers draws the narrow blank.
    return told(html, head.reads).replace("\u202f", "\u00a0")


_engine = threading.Lock()
_FACES = re.compile(r'<style class="faces">.*?</style>', re.DOTALL)


def to_pdf(html: str) -> bytes:
    """Return a paper as PDF; nothing is fetched but its own fonts and pictures.

    Notes
    -----
    The fonts are read once for the life of the process: reading them takes longer than a whole paper. The
    engine's fonts are not safe to share between threads, so papers are made one at a time.

    """
    from weasyprint import HTML

    with _engine:
        faces, config = _fonts_read()
        made = HTML(string=_FACES.sub("", html), base_url=BASE, url_fetcher=_only_ours())
        document: bytes = made.write_pdf(stylesheets=[faces], font_config=config)
    return document


def warm_papers() -> None:
    """Read the engine and the fonts ahead of the first paper."""
    with _engine:
        _fonts_read()


@cache
def _fonts_read() -> tuple[Any, Any]:
    from weasyprint import CSS
    from weasyprint.text.fonts import FontConfiguration

    config = FontConfiguration()
    sheet = CSS(string=_font_faces(), base_url=BASE, url_fetcher=_only_ours(), font_config=config)
    # Its C library is gone by the time the interpreter tidies up.
    atexit.register(_fonts_read.cache_clear)
    return sheet, config


def font_bytes(name: str) -> bytes | None:
    """Return a font that ships with the papers, or None where there is none of that name."""
    if name not in fonts():
        return None
    data: bytes = (_folder() / "fonts" / name).read_bytes()
    return data


@cache
def fonts() -> tuple[str, ...]:
    """Return the names of the fonts that ship."""
    return tuple(sorted(p.name for p in (_folder() / "fonts").iterdir() if p.name.endswith(".woff2")))


def qr_svg(address: str) -> Markup:
    """Return a code that opens an address, as SVG."""
    code = segno.make(address, error="m", micro=False)
    return Markup(code.svg_inline(border=2, dark="#000", light="#fff", omitsize=True))


def _folder() -> Any:
    return files("orange_crank.formats") / "documents"


def _only_ours() -> Callable[[str], Any]:
    """Return a fetcher that gives the papers' own fonts and inline pictures, and refuses all else."""
    from weasyprint.urls import URLFetcher, URLFetcherResponse

    class Ours(URLFetcher):  # type: ignore[misc]
        def fetch(self, url: str, headers: Any = None) -> Any:
            name = url.rsplit("/", 1)[-1]
            font = font_bytes(name)
            if font is not None:
                return URLFetcherResponse(url, font, {"Content-Type": FONT_TYPE})
            if url.startswith("data:image/jpeg;base64,"):
                picture = base64.b64decode(url.partition(",")[2])
                return URLFetcherResponse(url, picture, {"Content-Type": "image/jpeg"})
            raise ValueError(f"a paper asks for {url[:80]}, which does not ship with it")

    return Ours()


@cache
def _environment() -> Environment:
    env = Environment(
        loader=PackageLoader("orange_crank.formats.documents"),
        autoescape=select_autoescape(default=True),
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
        finalize=lambda value: for_reader(value) if isinstance(value, Message) else value,
    )
    env.globals["_"] = msg
    env.globals["font_faces"] = Markup(_font_faces())
    env.filters["money"] = money
    env.filters["day"] = _day
    env.filters["figure"] = lambda value, unit="": say(float(value), unit)
    env.filters["svg"] = lambda text: Markup(text)
    env.filters["css_string"] = css_string
    env.filters["reader"] = for_reader
    env.filters["words"] = lambda text: str(text).replace("_", " ")
    return env


def css_string(text: str) -> Markup:
    """Write a text as a CSS string, whatever it holds: nothing of it can end the string or the style."""
    safe = "".join(c if c.isalnum() or c in " .,·-" else f"\\{ord(c):x} " for c in text)
    return Markup(f'"{safe}"')


@pass_context
def _day(context: Context, day: date | datetime | None) -> str:
    """Write a day as the shop reads it."""
    return "" if day is None else day_words(day, context["head"].reads)


def _font_faces() -> str:
    faces = []
    for name in fonts():
        family = next(f for start, f in _FAMILIES.items() if name.startswith(start))
        if not family:
            family = "Crank " + name.removeprefix("noto-sans-").split("-")[0].capitalize()
        weight = (re.search(r"-(\d{3})-", name) or [None, "400"])[1]
        if "-latin-ext-" in name:
            family += " Ext"
        faces.append(
            f"@font-face{{font-family:'{family}';font-weight:{weight};"
            f"src:url('/api/documents/fonts/{name}') format('woff2')}}"
        )
    return "".join(faces)
