"""The drawing of a circuit: parts in a column, every net an upright bar, every lead a rung to its bar.

A list of primitives is made here; SVG and PDF are two ways of writing it, and stand in ``formats``. Legs,
start, control and ground differ by the stroke as well as by the colour.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from itertools import pairwise

from orange_crank.core.messages import msg
from orange_crank.core.wiring.model import Circuit, Component, Role, nets_of

WIDTH = 384.0
PART_W, ROW, HEAD, GAP = 168.0, 22.0, 24.0, 12.0
TOP = 58.0


@dataclass(frozen=True)
class Stroke:
    """How a kind of net is drawn: never by colour alone."""

    word: str
    css: str
    width_px: float
    dash: tuple[float, ...] = ()
    doubled: bool = False


STROKES: dict[str, Stroke] = {
    "leg_a": Stroke(msg("leg of R and capacitor C"), "var(--wire-a, #9c3400)", 4.0),
    "leg_b": Stroke(msg("leg of compressor C"), "var(--wire-b, #121618)", 4.0, doubled=True),
    "line_a": Stroke(msg("line, first leg"), "var(--wire-a, #9c3400)", 2.5, (10, 3)),
    "line_b": Stroke(msg("line, second leg"), "var(--wire-b, #121618)", 2.5, (10, 3)),
    "start": Stroke("start", "var(--wire-s, #06606a)", 3.0, (2, 4)),
    "feed": Stroke(msg("limited feed of R"), "var(--wire-a, #9c3400)", 3.0, (12, 3, 2, 3)),
    "fan": Stroke("fan", "var(--wire-f, #3d484c)", 2.0, (6, 4)),
    "kit": Stroke(msg("start capacitor or kit"), "var(--wire-k, #7a4b00)", 2.5, (4, 2)),
    "control": Stroke(msg("24 V control"), "var(--wire-f, #3d484c)", 1.2),
    "ground": Stroke("ground", "var(--wire-g, #14602f)", 2.0, (1, 3)),
}
_ORDER: tuple[Role, ...] = (
    "leg_a", "leg_b", "line_a", "line_b", "feed", "start", "kit", "fan", "control", "ground",
)  # fmt: skip


@dataclass(frozen=True)
class Line:
    """A straight stroke."""

    x1: float
    y1: float
    x2: float
    y2: float
    style: str = "thin"


@dataclass(frozen=True)
class Box:
    """A part's outline."""

    x: float
    y: float
    w: float
    h: float
    new: bool


@dataclass(frozen=True)
class Dot:
    """A joint of a lead with its bar, or a terminal."""

    x: float
    y: float
    r: float
    style: str


@dataclass(frozen=True)
class Label:
    """A word on the drawing."""

    x: float
    y: float
    text: str
    size: float = 11.0
    bold: bool = False
    anchor: str = "start"
    style: str = "ink"


Mark = Line | Box | Dot | Label


@dataclass(frozen=True)
class Drawing:
    """Primitives with the size of the page they stand on [px]."""

    width_px: float
    height_px: float
    marks: tuple[Mark, ...]
    title: str


def draw(
    circuit: Circuit, before: Circuit | None, colours: Mapping[str, str], title: str, numbered: bool = False
) -> Drawing:
    """Return the drawing of a circuit; what is not in ``before`` is marked as new.

    Parameters
    ----------
    circuit : what to draw
    before : what stood there before, or None
    colours : colour word of the lead at a terminal, e.g. {"compressor.R": "black"}
    title : its heading
    numbered : whether contactors are numbered in pairs

    """
    joined = nets_of(circuit)
    role_of: dict[str, Role] = {}
    for c in circuit.conductors:
        net = joined.find(c.one)
        held = role_of.get(net)
        if held is None or _ORDER.index(c.role) < _ORDER.index(held):
            role_of[net] = c.role
    nets = sorted(role_of, key=lambda n: (_ORDER.index(role_of[n]), n))
    left = PART_W + 62
    pitch = min(22.0, (WIDTH - left - 10) / max(len(nets) - 1, 1))
    bar_x = {n: left + i * pitch for i, n in enumerate(nets)}
    old_keys = {c.key for c in before.components} if before else set()
    old_leads = {(c.lead, c.one, c.two) for c in before.conductors} if before else set()
    fresh = {t for c in circuit.conductors if (c.lead, c.one, c.two) not in old_leads for t in (c.one, c.two)}
    marks: list[Mark] = [Label(8, 18, title, 14, bold=True)]
    reach: dict[str, list[float]] = {n: [] for n in nets}
    y = TOP
    for part in circuit.components:
        new = before is not None and part.key not in old_keys
        height = HEAD + ROW * len(part.terminals)
        marks.append(Box(6, y, PART_W, height, new))
        marks.append(Label(12, y + 15, part.title, 11.5, bold=True))
        if new:
            marks.append(Label(PART_W, y + 15, "NEW", 9, bold=True, anchor="end", style="new"))
        marks += _symbol(part, 13, y + HEAD, ROW * len(part.terminals))
        for i, terminal in enumerate(part.terminals):
            name = part.at(terminal)
            ty = y + HEAD + ROW * i + ROW / 2 - 3
            shown = _shown(part, terminal, numbered)
            word = part.words.get(terminal, "")
            marks.append(Label(50, ty + 4, shown, 12, bold=True))
            if word:
                marks.append(Label(50 + 8 + 9.2 * len(shown), ty + 4, word, 9.5, style="soft"))
            net = joined.find(name)
            marks.append(Dot(6 + PART_W, ty, 3, "terminal"))
            if net not in bar_x:
                continue
            role = role_of[net]
            marks.append(
                Line(6 + PART_W, ty, bar_x[net], ty, f"{role}{' new' if name in fresh and before else ''}")
            )
            marks.append(Dot(bar_x[net], ty, 3.6, role))
            if colours.get(name):
                marks.append(Label(PART_W + 12, ty - 3, colours[name], 9, style="colour"))
            reach[net].append(ty)
        y += height + GAP
    motor = any(c.symbol == "compressor" for c in circuit.components)
    bars: list[Mark] = []
    for n in nets:
        if not reach[n]:
            continue
        bars.append(Line(bar_x[n], TOP - 6, bar_x[n], max(reach[n]), role_of[n]))
        bars.append(Label(bar_x[n], TOP - 10, _bar_word(role_of[n], motor), 9, bold=True, anchor="middle"))
    used = [r for r in _ORDER if r in role_of.values()]
    legend: list[Mark] = []
    for i, role in enumerate(used):
        ly, lx = y + 12 + 15 * (i // 2), 10 + 186 * (i % 2)
        legend += [Line(lx, ly, lx + 26, ly, role), Label(lx + 32, ly + 4, _word(role, motor), 10)]
    height = y + 18 + 15 * ((len(used) + 1) // 2)
    return Drawing(WIDTH, height, (*bars, *marks, *legend), title)


def _word(role: Role, motor: bool) -> str:
    plain = {"leg_a": msg("first leg"), "leg_b": msg("second leg"), "kit": msg("switched, to an element")}
    return STROKES[role].word if motor else plain.get(role, STROKES[role].word)


def _bar_word(role: Role, motor: bool) -> str:
    words: dict[Role, str] = {
        "leg_a": "R", "leg_b": "C", "line_a": "L1", "line_b": "L2", "start": "S", "feed": "R′", "fan": "f",
        "kit": "k", "control": "24", "ground": "G",
    }  # fmt: skip
    plain: dict[Role, str] = {"leg_a": "1", "leg_b": "2", "kit": "e"}
    return words[role] if motor else plain.get(role, words[role])


PAIRS = {"L1": "1", "T1": "2", "L2": "3", "T2": "4"}


def _shown(part: Component, terminal: str, numbered: bool) -> str:
    return PAIRS.get(terminal, terminal) if numbered and part.symbol == "contactor" else terminal


def _symbol(part: Component, x: float, y: float, h: float) -> list[Mark]:
    """Return a small symbol of a part."""
    m, cx = y + h / 2 - 4, x + 14
    match part.symbol:
        case "compressor" | "fan":
            inner = "C" if part.symbol == "compressor" else "f"
            return [Dot(cx, m, 13, "hollow"), Label(cx, m + 4, inner, 12, bold=True, anchor="middle")]
        case "capacitor":
            return [
                Line(cx - 4, m - 10, cx - 4, m + 10, "symbol"),
                Line(cx + 4, m - 10, cx + 4, m + 10, "symbol"),
                Line(cx - 14, m, cx - 4, m), Line(cx + 4, m, cx + 14, m),
            ]  # fmt: skip
        case "contactor" | "switch":
            out: list[Mark] = []
            for dy in (-12, 8):
                out += [
                    Line(cx - 14, m + dy, cx - 6, m + dy), Line(cx + 6, m + dy, cx + 14, m + dy),
                    Line(cx - 6, m + dy - 7, cx - 6, m + dy + 7, "symbol"),
                    Line(cx + 6, m + dy - 7, cx + 6, m + dy + 7, "symbol"),
                ]  # fmt: skip
            return out
        case "relay":
            return [
                Dot(cx, m, 10, "hollow"), Line(cx, m + 16, cx, m - 18, "symbol"),
                Line(cx - 4, m - 13, cx, m - 18), Line(cx + 4, m - 13, cx, m - 18),
            ]  # fmt: skip
        case "heater" | "resistor":
            pts = [(cx - 14 + 4 * i, m + (6 if i % 2 else -6)) for i in range(8)]
            return [Line(a[0], a[1], b[0], b[1]) for a, b in pairwise(pts)]
        case "ground":
            return [Line(cx - 10 + 3 * i, m + 5 * i, cx + 10 - 3 * i, m + 5 * i, "symbol") for i in range(3)]
        case "overload":
            return [
                Line(cx - 14, m, cx - 4, m),
                Line(cx - 4, m, cx + 6, m - 9, "symbol"),
                Line(cx + 4, m, cx + 14, m),
            ]
        case "supply":
            return [Line(cx - 10, m + d, cx + 10, m + d, "symbol") for d in (-7, 7)]
        case "box":
            return [Line(cx - 10, m - 8, cx + 10, m - 8), Line(cx - 10, m + 8, cx + 10, m + 8)]
