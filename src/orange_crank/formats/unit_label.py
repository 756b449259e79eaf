"""A label for a unit's panel: its name and a QR code that opens it; SVG that prints at its true size."""

from html import escape
from io import BytesIO

import segno

# A label of 70 × 30 mm fits common sheets; the code keeps its quiet zone of four modules.
WIDTH_MM, HEIGHT_MM, CODE_MM = 70, 30, 26


def unit_label_svg(address: str, name: str, site: str, words: str = "") -> str:
    """Return a label as SVG.

    Parameters
    ----------
    address : what the code opens
    name, site : of the unit
    words : model and serial, where known

    Notes
    -----
    Error correction level M: a panel label gets wet and scratched.

    """
    code = segno.make(address, error="m", micro=False)
    out = BytesIO()
    code.save(out, kind="svg", xmldecl=False, svgns=False, border=4, omitsize=True, dark="#000", light="#fff")
    modules = code.symbol_size(border=4)[0]
    inner = out.getvalue().decode()
    inner = inner[inner.index(">") + 1 : inner.rindex("</svg>")]
    lines = [(name, 3.6, 700), (site, 3.0, 400), (words, 2.4, 400), (address, 2.0, 400)]
    text, y = [], 8.0
    for words_, size, weight in lines:
        if not words_:
            continue
        shown = words_ if len(words_) <= 44 else words_[:43] + "…"
        # Long words are set narrower, never cut off by the edge.
        fit = (
            f' textLength="{WIDTH_MM - 30}" lengthAdjust="spacingAndGlyphs"' if len(shown) * size > 78 else ""
        )
        text.append(
            f'<text x="28" y="{y:g}" font-size="{size}" font-weight="{weight}"{fit}>{escape(shown)}</text>'
        )
        y += 2.2 + size
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{WIDTH_MM}mm" height="{HEIGHT_MM}mm" '
        f'viewBox="0 0 {WIDTH_MM} {HEIGHT_MM}" font-family="Atkinson Hyperlegible, Helvetica, sans-serif">'
        f"<title>{escape(name)}, {escape(site)}: {escape(address)}</title>"
        f'<rect width="{WIDTH_MM}" height="{HEIGHT_MM}" fill="#fff"/>'
        f'<svg x="1" y="2" width="{CODE_MM}" height="{CODE_MM}" viewBox="0 0 {modules} {modules}">'
        f"{inner}</svg>"
        f"{''.join(text)}</svg>"
    )
