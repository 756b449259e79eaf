"""A wiring plan on paper: the drawing, the moves one at a time, what to mind and what is needed."""

from orange_crank.core.messages import msg
from orange_crank.core.wiring import WiringIn, plan_wiring
from orange_crank.formats.documents.paper import Head, render
from orange_crank.formats.wiring_svg import plan_with_pictures, with_own_colors


def wiring_page(entry: WiringIn, head: Head) -> str:
    """Return a wiring plan as a page that prints as it stands.

    Raises
    ------
    InputProblem : as for the plan itself

    """
    out = plan_with_pictures(entry)
    return render(
        "wiring",
        head,
        svg=with_own_colors(out.svg or ""),
        moves=move_words(entry),
        minds=[*out.minds, *(f.text for f in out.findings if f.code == "DEAD_WORK")],
        needed=[f"{item.count} × {item.item} ({item.what_for})" for item in out.consumables],
    )


def move_words(entry: WiringIn) -> list[str]:
    """Return the moves of a plan, one sentence each."""
    words = []
    for move in plan_wiring(entry).moves:
        colour = f" ({move.colour})" if move.colour else ""
        note = f" {move.note}." if move.note else ""
        camera = msg(" Photograph first.") if move.photograph else ""
        words.append(f"{move.lead}{colour}: {move.from_} → {move.to}.{note}{camera}")
    return words
