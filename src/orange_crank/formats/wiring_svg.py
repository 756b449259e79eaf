"""A wiring plan as SVG, from the core's primitives; readable without any style sheet."""

import re
from html import escape

from orange_crank.core.messages import msg
from orange_crank.core.wiring import WiringIn, WiringOut
from orange_crank.core.wiring.drawing import STROKES, Box, Dot, Drawing, Label, Mark, draw
from orange_crank.core.wiring.plan_wiring import plan_of, plan_wiring


def plan_with_pictures(entry: WiringIn) -> WiringOut:
    """Return a wiring plan with its drawings, before and after, as SVG.

    Raises
    ------
    InputProblem : as for the plan itself

    """
    out = plan_wiring(entry)
    plan, _, _ = plan_of(entry)
    numbered = entry.numbering == "numbered"
    after = draw(plan.after, plan.before, entry.colours, msg("{title}: after", title=plan.title), numbered)
    before = draw(plan.before, None, entry.colours, msg("{title}: before", title=plan.title), numbered)
    return out.model_copy(update={"svg": drawing_svg(after), "svg_before": drawing_svg(before)})


_OF_THE_PAGE = re.compile(r"var\(--[\w-]+, (#[0-9a-fA-F]{3,8})\)")


def with_own_colors(svg: str) -> str:
    """Return a drawing that takes no color from the page around it: it opens in any viewer."""
    return _OF_THE_PAGE.sub(r"\1", svg)


def drawing_svg(drawing: Drawing) -> str:
    """Return a drawing as SVG with its own strokes and words; readable without any style sheet."""
    w, h = drawing.width_px, drawing.height_px
    out = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {w:g} {h:g}" role="img" '
        f'aria-label="{escape(drawing.title)}" font-family="Atkinson Hyperlegible, sans-serif">'
    ]
    out += [_svg_mark(m) for m in drawing.marks]
    return "".join(out) + "</svg>"


INK, SOFT, PAPER = "var(--wire-ink, #121618)", "var(--wire-soft, #3d484c)", "var(--wire-paper, #f7f9f9)"
NEW = "var(--wire-new, #9c3400)"


def _svg_mark(mark: Mark) -> str:
    if isinstance(mark, Label):
        fill = {"ink": INK, "soft": SOFT, "new": NEW, "colour": NEW}[mark.style]
        weight = ' font-weight="bold"' if mark.bold else ""
        return (
            f'<text x="{mark.x:g}" y="{mark.y:g}" font-size="{mark.size:g}" text-anchor="{mark.anchor}" '
            f'fill="{fill}"{weight}>{escape(mark.text)}</text>'
        )
    if isinstance(mark, Box):
        extra = f'stroke="{NEW}" stroke-width="3"' if mark.new else f'stroke="{INK}" stroke-width="1.5"'
        at = f'x="{mark.x:g}" y="{mark.y:g}" width="{mark.w:g}" height="{mark.h:g}"'
        return f'<rect {at} fill="{PAPER}" {extra}/>'
    if isinstance(mark, Dot):
        if mark.style in ("hollow", "terminal"):
            return (
                f'<circle cx="{mark.x:g}" cy="{mark.y:g}" r="{mark.r:g}" fill="{PAPER}" stroke="{INK}" '
                f'stroke-width="1.5"/>'
            )
        return f'<circle cx="{mark.x:g}" cy="{mark.y:g}" r="{mark.r:g}" fill="{STROKES[mark.style].css}"/>'
    at = f'x1="{mark.x1:g}" y1="{mark.y1:g}" x2="{mark.x2:g}" y2="{mark.y2:g}"'
    role, _, new = mark.style.partition(" ")
    if role not in STROKES:
        return f'<line {at} stroke="{INK}" stroke-width="{2.5 if role == "symbol" else 1.2:g}"/>'
    s = STROKES[role]
    dash = f' stroke-dasharray="{" ".join(f"{d:g}" for d in s.dash)}"' if s.dash else ""
    halo = f'<line {at} stroke="{NEW}" stroke-opacity="0.28" stroke-width="11"/>' if new else ""
    inner = f'<line {at} stroke="{PAPER}" stroke-width="1.4"/>' if s.doubled else ""
    return f'{halo}<line {at} stroke="{s.css}" stroke-width="{s.width_px:g}"{dash}/>{inner}'
