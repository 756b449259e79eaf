"""Pages of the handbook: those written, and those made from the tables that findings stand on."""

import re
from functools import cache
from importlib.resources import files

from pydantic import Field

from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Frozen, say
from orange_crank.core.tables import rows
from orange_crank.core.tables.practice import practices
from orange_crank.core.tables.standards import ShopStandard, Standards, shipped_standards

RUNGS = {
    "make-safe": "make_safe",
    "plate": "plate",
    "dead-tests": "dead_tests",
    "live-tests": "live_tests",
    "why": "why",
    "aid": "aid",
    "parts": "parts",
    "circuit": "circuit",
    "prove": "prove",
    "hand-over": "hand_over",
}
WRITTEN = ("using", *RUNGS, "start", "wiring", "refrigerants", "logbook", "records", "practice")


class Section(Frozen):
    """A piece of a page that can be opened by itself."""

    id: str = Field(description="Its name in an address, unique on its page")
    title: str
    text: Prose = Field(description="Markdown")


class Page(Frozen):
    """A page of the handbook."""

    id: str
    title: Prose
    rung: str | None = Field(description="The rung of a call it belongs to")
    lead: Prose = Field(description="What it is about, in Markdown")
    sections: tuple[Section, ...]


def slug(title: str) -> str:
    """Return a title as it stands in an address.

    >>> slug("Live, dead, live")
    'live-dead-live'
    """
    return re.sub(r"[^a-z0-9.]+", "-", title.lower()).strip("-")


@cache
def _written(name: str) -> Page:
    text = (files(__package__) / "pages" / f"{name}.md").read_text("utf-8")
    head, *parts = re.split(r"^## ", text, flags=re.MULTILINE)
    title, _, lead = head.removeprefix("# ").partition("\n")
    sections = []
    for part in parts:
        heading, _, body = part.partition("\n")
        sections.append(Section(id=slug(heading), title=heading.strip(), text=body.strip()))
    return Page(
        id=name, title=title.strip(), rung=RUNGS.get(name), lead=lead.strip(), sections=tuple(sections)
    )


@cache
def _practice() -> Page:
    return Page(
        id="field-practice",
        title=msg("Field practice"),
        rung=None,
        lead=msg("What careful technicians do where no published rule decides. Findings name theirs."),
        sections=tuple(Section(id=slug(p.name), title=p.title, text=p.text) for p in practices()),
    )


def _standard(note: ShopStandard, shipped: float) -> Section:
    unit = "" if note.unit == "1" else note.unit
    changed = "" if note.value == shipped else msg(" (as shipped: {shipped})", shipped=say(shipped, unit))
    return Section(
        id=slug(note.name.replace("_", "-")),
        title=note.title,
        text=msg(
            "**{value}**{changed}. {reason}\n\nOther practice: {other_practice}",
            value=say(note.value, unit),
            changed=changed,
            reason=note.reason,
            other_practice=note.other_practice,
        ),
    )


def _standards(limits: Standards) -> Page:
    shipped = shipped_standards().values()
    return Page(
        id="shop-rules",
        title=msg("Shop rules"),
        rung=None,
        lead=msg("Limits of this shop, as they stand now. They are changed on the Shop page."),
        sections=tuple(_standard(note, shipped[note.name]) for note in limits.all()),
    )


@cache
def _clauses() -> Page:
    return Page(
        id="code",
        title=msg("Clauses of the electrical code"),
        rung=None,
        lead=msg(
            "What each clause that findings cite is about, in short. Read the edition in "
            "force; the authority having jurisdiction decides."
        ),
        sections=tuple(
            Section(id=slug(r["clause"]), title=f"{r['clause']} {r['title']}", text=r["text"])
            for r in rows("code_clauses")
        ),
    )


def pages(limits: Standards | None = None) -> tuple[Page, ...]:
    """Return every page, in the order of a call; shop rules with the values given, else as shipped."""
    return (
        *(_written(name) for name in WRITTEN),
        _practice(),
        _standards(limits or shipped_standards()),
        _clauses(),
    )
