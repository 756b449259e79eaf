"""A nameplate's words, as a camera saw them, turned into figures to be confirmed one by one.

Two things are found: a label and the value it belongs to, beside it or under it. Nothing is ever taken as
read: each value is proposed with what speaks for it, and is flagged where nothing but the picture does.
"""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import product
from typing import Literal

from pydantic import Field

from orange_crank.core.errors import CrankError
from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.plate.arithmetic import circuit_figures
from orange_crank.core.tables import is_standard

PlateField = Literal[
    "model", "serial", "volts", "phase", "hertz", "rla_a", "lra_a", "fla_a", "mca_a", "mocp_a", "run_cap_uf",
    "fan_cap_uf", "refrigerant",
]  # fmt: skip
LABELS: Mapping[PlateField, str] = {
    "model": "Model", "serial": "Serial", "volts": "Volts", "phase": "Phase", "hertz": "Hertz",
    "rla_a": "RLA", "lra_a": "LRA", "fla_a": msg("Fan FLA"), "mca_a": "MCA", "mocp_a": "MOCP",
    "run_cap_uf": msg("Run capacitor"), "fan_cap_uf": msg("Fan capacitor"), "refrigerant": "Refrigerant",
}  # fmt: skip
# What a line says before its value; the earlier is looked for first, so that longer names win.
_NAMES: tuple[tuple[PlateField, str], ...] = (
    ("mca_a", r"(min\w*\.?\s*(circuit|cir|ckt)\w*\.?\s*amp\w*\.?|\bm\.?c\.?a\b\.?)"),
    (
        "mocp_a",
        r"(max\w*\.?\s*(overcurrent|fuse|breaker|o\.?c\.?p)[\w /.]*?|\bm\.?o\.?[cp]\.?p?\b\.?)(?=[\s:\d]|$)",
    ),
    ("serial", r"\bser(ial)?\.?(\s*(no|number)\b\.?)?"),
    ("model", r"\bmod(el)?\.?(\s*(no|number)\b\.?)?"),
    ("rla_a", r"\br\.?\s?[l1i]\.?\s?a\b\.?"),
    ("lra_a", r"\bl\.?\s?r\.?\s?a\b\.?"),
    ("fla_a", r"\bf\.?\s?[l1i]\.?\s?a\b\.?"),
    ("volts", r"\bvolt(s|age)?\b"),
    ("phase", r"\b(ph(ase)?)\b\.?"),
    ("hertz", r"\b(hz|hertz|cycles?)\b"),
    ("run_cap_uf", r"\b((run\s*)?cap(acitor)?\.?|mfd)\b"),
    ("refrigerant", r"\b(refrig\w*|ref)\b\.?"),
)
_FIGURE = re.compile(r"\d+(?:[.,]\d+)?")
_PAIR = re.compile(r"(\d{2,3})\s*[/|\\]\s*(\d{2,3})")
_CAPS = re.compile(r"(\d{1,3}(?:\.\d+)?)\s*[/+|]\s*(\d{1,2}(?:\.\d+)?)")
_CODE = re.compile(r"[A-Z0-9][A-Z0-9\-/]{3,}")
_GAS = re.compile(r"\bR\s?-?\s?(\d{2,3}[A-Z]?)\b")
VOLTS = (115, 120, 200, 208, 220, 230, 240, 265, 277, 380, 400, 415, 460, 480, 575)
GASES = ("22", "32", "407C", "410A", "454B", "134A", "404A", "290", "448A", "449A", "513A")
# Figures a worn plate is misread by, each way.
ALIKE = {"1": "7", "7": "1", "3": "8", "8": "306", "5": "6", "6": "58", "0": "8", "9": "4", "4": "9"}
SURE_PCT = 80.0


class SeenWord(Frozen):
    """One word of a picture: its text, where it stands [px] and how sure the reader was [%]."""

    text: str
    left_px: float
    top_px: float
    width_px: float
    height_px: float
    sure_pct: float

    @property
    def middle(self) -> float:
        """Height of its middle [px]."""
        return self.top_px + self.height_px / 2


class Proposed(Frozen):
    """One field as the picture shows it; never taken over unless somebody confirms it."""

    field: PlateField
    label: Prose
    value: str = Field(description="As it would be typed; a pair such as 208/230 as printed")
    flagged: bool = Field(description="Nothing but the picture speaks for it, or something against it")
    why: Prose = Field(description="What speaks for it, or what does not fit")
    instead: list[str] = Field(description="What it may be as well, where a figure is easily misread")
    box_px: tuple[int, int, int, int] | None = Field(
        description="Its piece of the picture: left, top, width, height"
    )


class PlatePhoto(Frozen):
    """What a photograph of a plate shows."""

    proposed: list[Proposed]
    unread: list[Prose] = Field(description="Fields the picture gave nothing for")
    next_step: Prose | None


@dataclass
class _Raw:
    text: str
    words: tuple[SeenWord, ...]

    @property
    def sure(self) -> float:
        return min((w.sure_pct for w in self.words), default=0.0)


def lines_of(words: Sequence[SeenWord]) -> list[list[SeenWord]]:
    """Return words by line, from top and left: those whose middles stand at one height."""
    lines: list[list[SeenWord]] = []
    for word in sorted(words, key=lambda w: w.middle):
        # Where the picture leans, a line's own last word is the nearest in height.
        home = next(
            (
                line
                for line in reversed(lines[-4:])
                if abs(min(line, key=lambda o: abs(o.left_px - word.left_px)).middle - word.middle)
                < 0.6 * max(word.height_px, 8.0)
            ),
            None,
        )
        if home is None:
            lines.append([word])
        else:
            home.append(word)
    return [sorted(line, key=lambda w: w.left_px) for line in lines]


def _spans(line: Sequence[SeenWord]) -> tuple[str, list[tuple[int, int, SeenWord]]]:
    text, spans = "", []
    for word in line:
        start = len(text)
        text += word.text + " "
        spans.append((start, start + len(word.text), word))
    return text, spans


def _words_in(spans: Sequence[tuple[int, int, SeenWord]], start: int, end: int) -> tuple[SeenWord, ...]:
    return tuple(w for a, b, w in spans if a < end and b > start)


def _labels(text: str) -> list[tuple[int, int, PlateField]]:
    """Return the labels of a line, left to right, none within another."""
    found: list[tuple[int, int, PlateField]] = []
    for name, pattern in _NAMES:
        for hit in re.finditer(pattern, text, re.IGNORECASE):
            if hit.end() > hit.start() and not any(hit.start() < b and hit.end() > a for a, b, _ in found):
                found.append((hit.start(), hit.end(), name))
    return sorted(found)


def read_raw(words: Sequence[SeenWord]) -> dict[PlateField, _Raw]:
    """Return what stands beside or under each label, as printed."""
    lines = lines_of(words)
    found: dict[PlateField, _Raw] = {}
    for number, line in enumerate(lines):
        text, spans = _spans(line)
        labels = _labels(text)
        for i, (start, end, name) in enumerate(labels):
            stop = labels[i + 1][0] if i + 1 < len(labels) else len(text)
            value = _value(name, text[end:stop])
            raw = None
            if value is not None:
                a, b = end + value[1], end + value[2]
                raw = _Raw(value[0], _words_in(spans, a, b))
            else:
                head = _words_in(spans, start, end)
                raw = _below(name, head, lines[number + 1 : number + 5]) if head else None
            if raw is not None and name not in found:
                found[name] = raw
        if "refrigerant" not in found and (gas := _GAS.search(text)) and gas[1] in GASES:
            found["refrigerant"] = _Raw(f"R-{gas[1]}", _words_in(spans, *gas.span()))
    return found


def _value(name: PlateField, text: str) -> tuple[str, int, int] | None:
    """Return the first thing of a field's kind in what follows its label, with its place."""
    if name in ("model", "serial"):
        hit = _CODE.search(text)
        good = hit and any(c.isdigit() for c in hit[0]) and not _PAIR.fullmatch(hit[0])
        return (hit[0], *hit.span()) if hit and good else None
    if name == "refrigerant":
        hit = _GAS.search(text)
        return (f"R-{hit[1]}", *hit.span()) if hit else None
    if name == "volts" and (hit := _PAIR.search(text)):
        return f"{hit[1]}/{hit[2]}", *hit.span()
    if name == "run_cap_uf" and (hit := _CAPS.search(text)):
        return f"{hit[1]}/{hit[2]}", *hit.span()
    hit = _FIGURE.search(text)
    return (hit[0].replace(",", "."), *hit.span()) if hit else None


def _below(name: PlateField, head: Sequence[SeenWord], lines: Sequence[Sequence[SeenWord]]) -> _Raw | None:
    """Return the value under a column's head; of a fan's row for the fan, of the first other row else."""
    left = min(w.left_px for w in head)
    right = max(w.left_px + w.width_px for w in head)
    slack = 0.6 * (right - left) + 12
    for line in lines:
        text = " ".join(w.text for w in line)
        of_fan = bool(re.search(r"\b(fan|mtr|blower)\b", text, re.IGNORECASE))
        if name in ("rla_a", "lra_a", "fla_a") and of_fan != (name == "fla_a"):
            continue
        under = [w for w in line if w.left_px < right + slack and w.left_px + w.width_px > left - slack]
        for word in sorted(under, key=lambda w: abs(w.left_px + w.width_px / 2 - (left + right) / 2)):
            value = _value(name, word.text)
            if value is not None:
                return _Raw(value[0], (word,))
    return None


def propose(words: Sequence[SeenWord], again: Sequence[SeenWord] = ()) -> PlatePhoto:
    """Return what a photograph of a plate shows, each field with what speaks for it.

    Parameters
    ----------
    words : as read from the picture
    again : as read a second time, prepared another way; what differs is flagged

    Notes
    -----
    The plate's own arithmetic settles what eyes cannot: MCA is 1.25 × the compressor's rated amps and the
    fan's (NEC 440.33), so the three confirm each other, and a 1 that is a 7 shows.

    """
    first, second = read_raw(words), read_raw(again)
    raw = {**second, **first}
    other = {name: r.text for name, r in second.items()}
    if "run_cap_uf" in raw and "/" in raw["run_cap_uf"].text:
        run, fan = raw["run_cap_uf"].text.split("/")
        raw["fan_cap_uf"] = _Raw(fan, raw["run_cap_uf"].words)
        raw["run_cap_uf"] = _Raw(run, raw["run_cap_uf"].words)
        if "/" in other.get("run_cap_uf", ""):
            other["run_cap_uf"], other["fan_cap_uf"] = other["run_cap_uf"].split("/")
    figures: dict[str, float] = {
        n: float(r.text) for n, r in raw.items() if _plain(r.text) and n not in ("model", "serial")
    }
    printed = {name: r.text for name, r in raw.items()}
    mended = {} if _settled(figures) else _mended(raw, other)
    for name, text in mended.items():
        raw[name] = _Raw(text, raw[name].words)
        figures[name] = float(text)
    sums = _settled(figures)
    found = []
    for name in LABELS:
        if name not in raw:
            continue
        text = raw[name].text
        against = _against(name, text, figures)
        settled = sums.get(name)
        differs = bool(again) and other.get(name) not in (None, text)
        source: PlateField = "run_cap_uf" if name == "fan_cap_uf" else name
        once = bool(again) and (source not in first or name not in other)
        sure = raw[name].sure >= SURE_PCT
        # Nothing on the plate checks a name.
        code = name in ("model", "serial")
        instead = [] if settled else _instead(name, text, figures)
        if differs and other[name] not in instead:
            instead.insert(0, other[name])
        if mended and name in ("rla_a", "fla_a", "mca_a"):
            # What one figure was put right by proves none of the three.
            settled = None
            against = against or msg("{text} would make MCA add up. Recheck RLA, FLA and MCA.", text=text)
        if name in mended:
            instead = [printed[name], *(t for t in instead if t not in (text, printed[name]))]
        why = (
            against
            or settled
            or (
                msg("Read twice, differently: {text} and {other}.", text=text, other=other[name])
                if differs
                else None
            )
            or (msg("Seen in one of two readings only.") if once else None)
            or (None if sure else msg("Hard to read here."))
            or (msg("Could be {instead}: then MCA adds up.", instead=instead[0]) if instead else None)
            or (
                msg("No cross-check for this one. Compare it character by character.")
                if code
                else msg("Read the same twice.")
            )
        )
        found.append(
            Proposed(
                field=name,
                label=LABELS[name],
                value=text,
                flagged=bool(against)
                or code
                or name in mended
                or (not settled and (differs or once or not sure or bool(instead))),
                why=why,
                instead=instead[:3],
                box_px=_box(raw[name].words),
            )
        )
    unread = [LABELS[n] for n in LABELS if n not in raw and n not in ("hertz", "fan_cap_uf")]
    return PlatePhoto(
        proposed=found,
        unread=unread,
        next_step=msg("Nothing could be read. Closer, straight on, out of the glare; or type it.")
        if not found
        else None,
    )


def _mended(raw: Mapping[PlateField, _Raw], other: Mapping[PlateField, str]) -> dict[PlateField, str]:
    """Return what makes the sum fit where it does not: the other reading's figure, or one easily misread.

    Only where a single change does, or the two readings together do; else nothing.
    """
    names: tuple[PlateField, ...] = ("rla_a", "fla_a", "mca_a")
    if any(n not in raw for n in names):
        return {}
    choices = []
    for name in names:
        text = raw[name].text
        seen = [text, *([other[name]] if other.get(name) not in (None, text) else [])]
        near = dict.fromkeys([*alike(text), *(alike(other[name]) if name in other else ())])
        choices.append(
            [(t, 0) for t in seen[:1]] + [(t, 1) for t in seen[1:]] + [(t, 3) for t in near if t not in seen]
        )
    ways: list[tuple[int, dict[PlateField, str]]] = []
    for combo in product(*choices):
        cost = sum(c for _, c in combo)
        texts = {n: t for n, (t, _) in zip(names, combo, strict=True)}
        if cost > 4 or not all(_plain(t) for t in texts.values()):
            continue
        values: dict[str, float] = {n: float(t) for n, t in texts.items()}
        if min(values.values()) > 0 and len(_settled(values)) == len(names):
            ways.append((cost, {n: t for n, t in texts.items() if t != raw[n].text}))
    ways.sort(key=lambda w: w[0])
    if not ways or (len(ways) > 1 and ways[1][0] == ways[0][0]):
        return {}
    return ways[0][1]


def _plain(text: str) -> bool:
    return bool(re.fullmatch(r"\d+(\.\d+)?", text))


def _box(words: Sequence[SeenWord]) -> tuple[int, int, int, int] | None:
    if not words:
        return None
    left, top = min(w.left_px for w in words), min(w.top_px for w in words)
    right = max(w.left_px + w.width_px for w in words)
    bottom = max(w.top_px + w.height_px for w in words)
    return int(left), int(top), int(right - left), int(bottom - top)


def _mca(rla: float, fla: float) -> float:
    """Return the MCA two loads make [A]; 0 for loads no circuit is made for."""
    try:
        return circuit_figures([rla], [fla] if fla else []).mca_a
    except CrankError:
        return 0.0


def _close(printed: float, computed: float) -> bool:
    """Whether a printed MCA is a computed one: makers round to a tenth.

    One rounded up to a whole ampere leaves room for a misread figure; it confirms nothing.
    """
    return abs(printed - computed) <= 0.11


def _settled(figures: Mapping[str, float]) -> dict[PlateField, str]:
    """Return what the plate's own arithmetic confirms."""
    rla, fla, mca = figures.get("rla_a"), figures.get("fla_a", 0.0), figures.get("mca_a")
    if not rla or not mca or not _close(mca, _mca(rla, fla)):
        return {}
    sentence = (
        f"1.25 × {rla:g}"
        + (f" + {fla:g}" if fla else "")
        + msg(" = {mca:.4g} A: MCA {mca_2:g} fits.", mca=_mca(rla, fla), mca_2=mca)
    )
    told: dict[PlateField, str] = {"rla_a": sentence, "mca_a": sentence}
    if fla:
        told["fla_a"] = sentence
    return told


def _against(name: PlateField, text: str, figures: Mapping[str, float]) -> str | None:
    """Return what speaks against a value by itself, or with the others."""
    if name == "volts":
        volts = [int(v) for v in text.split("/") if _plain(v) and float(v) == int(float(v))]
        if not volts or any(v not in VOLTS for v in volts):
            return msg("Not a standard nameplate voltage.")
    if name == "phase" and text not in ("1", "3"):
        return msg("One or three phases.")
    if name == "hertz" and text not in ("50", "60"):
        return msg("50 or 60 Hz.")
    if name == "refrigerant" and text.removeprefix("R-") not in GASES:
        return msg("No refrigerant of the list.")
    if not _plain(text):
        return None
    value = float(text)
    rla, mca = figures.get("rla_a"), figures.get("mca_a")
    if name == "mocp_a":
        if not is_standard(value):
            return msg("No standard size of breaker or fuse.")
        if mca and value < mca:
            return msg("Below the MCA, {mca:g} A.", mca=mca)
    if name == "lra_a" and rla and not 3.0 <= value / rla <= 9.5:
        return msg("{value:.1f} × RLA; usual is 4 to 8.", value=value / rla)
    if name in ("rla_a", "fla_a", "mca_a") and rla and mca and "fla_a" in figures and not _settled(figures):
        made = _mca(rla, figures["fla_a"])
        rounded = mca == int(mca) and 0 <= mca - made < 1.0
        end = msg("rounded up, or one is misread") if rounded else msg("one is misread")
        return msg(
            "1.25 × {rla:g} + {fla_a:g} = {made:.4g} A; MCA is {mca:g}: {end}.",
            rla=rla,
            fla_a=figures["fla_a"],
            made=made,
            mca=mca,
            end=end,
        )
    if name == "rla_a" and not 0.5 <= value <= 400:
        return msg("Unusual RLA.")
    if name == "fla_a" and rla and value > rla:
        return msg("A fan larger than its compressor.")
    if name == "mca_a" and rla:
        made = _mca(rla, figures.get("fla_a", 0.0))
        known = "fla_a" in figures or not 1.2 * rla <= value <= 1.25 * rla + 12
        if not made:
            return msg("Does not fit the RLA.")
        if known and not _close(value, made):
            return msg("1.25 × RLA and the fan make {made:.4g} A.", made=made)
    return None


def _instead(name: PlateField, text: str, figures: Mapping[str, float]) -> list[str]:
    """Return what a figure may be as well: a look-alike digit, or a point lost, where the sum fits then."""
    if name not in ("rla_a", "fla_a", "mca_a") or not _plain(text):
        return []
    found = []
    for other in alike(text):
        changed = {**figures, name: float(other)}
        if len(_settled(changed)) >= (3 if "fla_a" in figures else 2):
            found.append(other)
    return found


def alike(text: str) -> list[str]:
    """Return a figure with one digit as it is easily misread, and with a decimal point put in.

    >>> alike("17")
    ['77', '11', '1.7']
    """
    found = [text[:i] + d + text[i + 1 :] for i, c in enumerate(text) for d in ALIKE.get(c, "")]
    if "." not in text and len(text) > 1:
        found += [f"{text[:i]}.{text[i:]}" for i in range(len(text) - 1, 0, -1)]
    return found
