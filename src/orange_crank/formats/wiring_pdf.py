"""A wiring plan on paper: the drawing from the core's primitives, then the moves one at a time."""

from fpdf import FPDF

from orange_crank.core.wiring import WiringIn
from orange_crank.core.wiring.drawing import STROKES, Box, Dot, Drawing, Label, Line, draw
from orange_crank.core.wiring.plan_wiring import plan_of, plan_wiring

PAGE_MM, MARGIN_MM = (210.0, 297.0), 14.0
_PLAIN = str.maketrans({"→": ">", "Ω": "ohm", "′": "'", "−": "-", "≥": ">=", "“": '"', "”": '"', "…": "..."})


def plain(text: str) -> str:
    """Return a text in the letters the standard PDF fonts have."""
    return text.translate(_PLAIN).encode("cp1252", "replace").decode("cp1252")


def wiring_pdf(entry: WiringIn) -> bytes:
    """Return a wiring plan as PDF.

    Raises
    ------
    InputProblem : as for the plan itself

    """
    out = plan_wiring(entry)
    plan, _, _ = plan_of(entry)
    drawing = draw(
        plan.after, plan.before, entry.colours, f"{plan.title}: after", entry.numbering == "numbered"
    )
    pdf = FPDF(format="A4")
    pdf.set_title(plain(out.title))
    pdf.set_creator("Orange Crank")
    pdf.set_auto_page_break(True, margin=MARGIN_MM)
    pdf.add_page()
    _place(pdf, drawing)
    pdf.add_page()
    _heading(pdf, f"{out.title}: moves, one at a time")
    for i, move in enumerate(out.moves, 1):
        colour = f" ({move.colour})" if move.colour else ""
        note = f"  {move.note}." if move.note else ""
        camera = "  Photograph first." if move.photograph else ""
        _row(pdf, f"[  ]  {i}. {move.lead}{colour}: {move.from_} > {move.to}.{note}{camera}")
    _heading(pdf, "Mind")
    for mind in (*out.minds, *(f.text for f in out.findings if f.code == "DEAD_WORK")):
        _row(pdf, f"-  {mind}")
    _heading(pdf, "Needed")
    for item in out.consumables:
        _row(pdf, f"-  {item.count} x {item.item} ({item.what_for})")
    return bytes(pdf.output())


def _heading(pdf: FPDF, text: str) -> None:
    pdf.set_font("helvetica", "B", 14)
    pdf.set_x(MARGIN_MM)
    pdf.multi_cell(PAGE_MM[0] - 2 * MARGIN_MM, 9, plain(text))


def _row(pdf: FPDF, text: str) -> None:
    pdf.set_font("helvetica", "", 11)
    pdf.set_x(MARGIN_MM)
    pdf.multi_cell(PAGE_MM[0] - 2 * MARGIN_MM, 6, plain(text))


def _place(pdf: FPDF, drawing: Drawing) -> None:
    room_w, room_h = PAGE_MM[0] - 2 * MARGIN_MM, PAGE_MM[1] - 2 * MARGIN_MM
    scale = min(room_w / drawing.width_px, room_h / drawing.height_px)

    def at(x: float, y: float) -> tuple[float, float]:
        return MARGIN_MM + scale * x, MARGIN_MM + scale * y

    for mark in drawing.marks:
        if isinstance(mark, Line):
            role, _, new = mark.style.partition(" ")
            stroke = STROKES.get(role)
            x1, y1 = at(mark.x1, mark.y1)
            x2, y2 = at(mark.x2, mark.y2)
            if new:
                pdf.set_draw_color(238, 200, 170)
                pdf.set_line_width(scale * 10)
                pdf.line(x1, y1, x2, y2)
            pdf.set_draw_color(*_rgb(stroke.css if stroke else "#121618"))
            pdf.set_line_width(scale * (stroke.width_px if stroke else 2.5 if role == "symbol" else 1.2))
            if stroke and stroke.dash:
                pdf.set_dash_pattern(dash=scale * stroke.dash[0], gap=scale * stroke.dash[1])
            pdf.line(x1, y1, x2, y2)
            pdf.set_dash_pattern()
            if stroke and stroke.doubled:
                pdf.set_draw_color(255, 255, 255)
                pdf.set_line_width(scale * 1.4)
                pdf.line(x1, y1, x2, y2)
        elif isinstance(mark, Box):
            x, y = at(mark.x, mark.y)
            pdf.set_draw_color(*_rgb("#9c3400" if mark.new else "#121618"))
            pdf.set_fill_color(255, 255, 255)
            pdf.set_line_width(scale * (3 if mark.new else 1.5))
            pdf.rect(x, y, scale * mark.w, scale * mark.h, style="DF")
        elif isinstance(mark, Dot):
            x, y = at(mark.x, mark.y)
            hollow = mark.style in ("hollow", "terminal")
            pdf.set_draw_color(18, 22, 24)
            pdf.set_line_width(scale * 1.2)
            pdf.set_fill_color(*((255, 255, 255) if hollow else _rgb(STROKES[mark.style].css)))
            pdf.circle(x, y, scale * mark.r, style="DF" if hollow else "F")
        elif isinstance(mark, Label):
            _label(pdf, mark, *at(mark.x, mark.y), scale)


def _label(pdf: FPDF, mark: Label, x: float, y: float, scale: float) -> None:
    text = plain(mark.text)
    pdf.set_font("helvetica", "B" if mark.bold else "", mark.size * scale * 2.83)
    pdf.set_text_color(*_rgb("#9c3400" if mark.style in ("new", "colour") else "#121618"))
    width = pdf.get_string_width(text)
    pdf.text(x - {"start": 0.0, "middle": width / 2, "end": width}[mark.anchor], y, text)


def _rgb(css: str) -> tuple[int, int, int]:
    value = css[css.index("#") + 1 :][:6]
    return int(value[0:2], 16), int(value[2:4], 16), int(value[4:6], 16)
