"""Which capacitors make the value: one can, a dual, several in parallel, or two in series; simplest first."""

from itertools import combinations, combinations_with_replacement
from typing import Literal

from pydantic import Field, computed_field

from orange_crank.core.aids.contactor import PartRefused
from orange_crank.core.aids.parts import Counted, Part, column_words, missing_ratings, shipped_parts
from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.messages import Prose, joined, msg
from orange_crank.core.nomenclature import Finding, Frozen, Microfarads, Percent, Volts, say

MOST_IN_PARALLEL = 3
MOST_WAYS = 12
# A new can within this of the wanted value is as good as it; the plate's tolerance is the outer limit.
SAME_UF = 1e-6


class CapacitorIn(Frozen):
    """The value wanted, from what there is."""

    purpose: Literal["run", "start"] = "run"
    compressor_uf: Microfarads | None = Field(
        default=None, description="Compressor section, as the plate says [µF]"
    )
    fan_uf: Microfarads | None = Field(default=None, description="Fan section, as the plate says [µF]")
    start_low_uf: Microfarads | None = Field(default=None, description="Start capacitor, from [µF]")
    start_high_uf: Microfarads | None = Field(default=None, description="Start capacitor, to [µF]")
    volts_ac: Volts = Field(description="Rating of the old one, or what is across a start capacitor [V]")
    tolerance_pct: Percent = 6.0
    now: Literal["dual", "two_singles"] = "dual"
    stock: list[Counted] | None = Field(default=None, max_length=500)


class CapacitorUse(Frozen):
    """One can and what it serves."""

    part: str
    title: str
    count: int
    serves: Literal["compressor", "fan", "both", "start"]
    sections_uf: list[float] = Field(description="Which sections of a multi-tap part")


class CapacitorWay(Frozen):
    """One way to make the value."""

    uses: list[CapacitorUse]
    cans: int
    how: Literal["one", "dual", "parallel", "series", "multi_tap", "singles"]
    compressor_uf: float | None
    fan_uf: float | None
    off_pct: float = Field(description="Furthest from the wanted value [%]")
    words: Prose
    against: list[Prose]
    volts_each_v: list[float] | None
    wiring_plan: str | None
    price: float | None

    @computed_field(description="Which part of the unit it takes the place of; none for a start capacitor")  # type: ignore[prop-decorator]
    @property
    def replaces(self) -> Literal["run_capacitor", "fan_capacitor", "dual_capacitor"] | None:
        """Which part of the unit it takes the place of: of both sections, a dual's."""
        if any(use.serves == "start" for use in self.uses):
            return None
        if self.compressor_uf is not None and self.fan_uf is not None:
            return "dual_capacitor"
        return "run_capacitor" if self.compressor_uf is not None else "fan_capacitor"


class CapacitorOut(Frozen):
    """Ways to make the value, simplest first."""

    ways: list[CapacitorWay]
    refused: list[PartRefused]
    findings: list[Finding]


def choose_capacitors(entry: CapacitorIn) -> CapacitorOut:
    """Find every way to make the value from stock, simplest first, then nearest.

    Raises
    ------
    InputProblem : no value wanted; an empty stock

    """
    if entry.stock is not None and not entry.stock:
        raise InputProblem(
            [FieldProblem(field="stock", wanted=msg("at least one part, or leave it out"), got=0)],
            next_step=msg("Leave stock out to see what would fit, or restock."),
        )
    if entry.purpose == "run" and entry.compressor_uf is None and entry.fan_uf is None:
        raise InputProblem(
            [FieldProblem(field="compressor_uf", wanted=msg("the nameplate's µF, or the fan's"), got=None)]
        )
    if entry.purpose == "start" and (
        entry.start_low_uf is None or entry.start_high_uf is None or entry.start_low_uf > entry.start_high_uf
    ):
        raise InputProblem(
            [
                FieldProblem(
                    field="start_low_uf",
                    wanted=msg("the range from and to, low before high"),
                    got=entry.start_low_uf,
                )
            ]
        )
    stock = entry.stock if entry.stock is not None else [Counted(part=p, count=3) for p in shipped_parts()]
    fit, refused = _sorted_out(entry, stock)
    ways = _start_ways(entry, fit) if entry.purpose == "start" else _run_ways(entry, fit)
    ways.sort(
        key=lambda w: (w.cans, w.how in ("series", "multi_tap"), w.off_pct, w.price is None, w.price or 0.0)
    )
    findings = [
        Finding(
            code="TOLERANCE",
            verdict="note",
            text=msg(
                "At most {tolerance_pct:g} % from the nameplate; {volts_ac} or higher.",
                tolerance_pct=entry.tolerance_pct,
                volts_ac=say(entry.volts_ac, "V"),
            ),
            rule="field practice: run capacitors",
            inputs={"volts_ac": entry.volts_ac},
        )
    ]
    if not ways:
        findings.append(
            Finding(
                code="NO_WAY",
                verdict="fail",
                text=msg("No capacitor on this list makes this value."),
                rule="field practice: run capacitors",
                next_step=msg("Get the µF on the nameplate. Don't substitute."),
            )
        )
    return CapacitorOut(ways=ways[:MOST_WAYS], refused=refused, findings=findings)


_RUN = ("run_capacitor", "run_capacitor_dual", "run_capacitor_multi")


def _sorted_out(entry: CapacitorIn, stock: list[Counted]) -> tuple[list[Counted], list[PartRefused]]:
    fit, refused = [], []
    wanted = _RUN if entry.purpose == "run" else ("start_capacitor",)
    for held in stock:
        p = held.part
        if p.kind not in wanted:
            continue
        missing = missing_ratings(p)
        why = None
        if missing:
            why = msg(
                "Missing from the parts list: {join}.", join=joined((column_words(m) for m in missing), ", ")
            )
        elif held.count < 1:
            why = msg("None on the van.")
        elif entry.purpose == "run" and p.volts_ac is not None and p.volts_ac < entry.volts_ac:
            why = msg(
                "{volts_ac:g} V in place of {volts_ac_2:g} V: lower is not allowed.",
                volts_ac=p.volts_ac,
                volts_ac_2=entry.volts_ac,
            )
        if why is None:
            fit.append(held)
        else:
            refused.append(PartRefused(part=p.part, title=p.title, why=why))
    return fit, refused


def _near(got: float, wanted: float, entry: CapacitorIn) -> bool:
    return abs(got - wanted) <= entry.tolerance_pct / 100 * wanted + SAME_UF


def _off(got: float | None, wanted: float | None) -> float:
    return 0.0 if got is None or wanted is None else round(100 * abs(got - wanted) / wanted, 2)


def _makes(entry: CapacitorIn, wanted: float, fit: list[Counted]) -> list[tuple[tuple[Counted, ...], float]]:
    """Return the singles and parallel groups of run capacitors that make a value."""
    singles = [h for h in fit if h.part.kind == "run_capacitor" and (h.part.uf or 0) <= 1.06 * wanted]
    found = []
    for n in range(1, MOST_IN_PARALLEL + 1):
        for group in combinations_with_replacement(singles, n):
            made = sum(float(h.part.uf or 0) for h in group)
            if _near(made, wanted, entry) and all(group.count(h) <= h.count for h in set_of(group)):
                found.append((group, made))
    return found


def set_of(group: tuple[Counted, ...]) -> list[Counted]:
    """Return the distinct members of a group, in order."""
    out: list[Counted] = []
    for h in group:
        if h not in out:
            out.append(h)
    return out


def _price(group: tuple[Counted, ...]) -> float | None:
    prices = [h.price for h in group]
    return None if any(p is None for p in prices) else round(sum(p or 0 for p in prices), 2)


def _uses(group: tuple[Counted, ...], serves: Literal["compressor", "fan", "start"]) -> list[CapacitorUse]:
    return [
        CapacitorUse(
            part=h.part.part, title=h.part.title, count=group.count(h), serves=serves, sections_uf=[]
        )
        for h in set_of(group)
    ]


def _sum(group: tuple[Counted, ...]) -> str:
    return " + ".join(f"{h.part.uf:g}" for h in group) + " µF"


def _run_ways(entry: CapacitorIn, fit: list[Counted]) -> list[CapacitorWay]:
    ways: list[CapacitorWay] = []
    comp, fan = entry.compressor_uf, entry.fan_uf
    if comp is not None and fan is not None:
        for h in fit:
            p = h.part
            if (
                p.kind == "run_capacitor_dual"
                and _near(p.uf or 0, comp, entry)
                and _near(p.fan_uf or 0, fan, entry)
            ):
                ways.append(_dual(entry, h, p))
        one = _makes(entry, comp, fit)
        two = _makes(entry, fan, fit)
        for a, made in one:
            for b, fan_made in two:
                both = a + b
                if all(both.count(h) <= h.count for h in set_of(both)):
                    ways.append(_singles(entry, a, b, made, fan_made))
    else:
        wanted = float(comp if comp is not None else fan or 0)
        serves: Literal["compressor", "fan"] = "compressor" if comp is not None else "fan"
        for group, made in _makes(entry, wanted, fit):
            ways.append(_one_section(entry, group, made, serves, wanted))
        if comp is not None:
            for h in fit:
                if h.part.kind == "run_capacitor_dual" and _near(h.part.uf or 0, comp, entry):
                    ways.append(
                        CapacitorWay(
                            uses=[
                                CapacitorUse(
                                    part=h.part.part,
                                    title=h.part.title,
                                    count=1,
                                    serves="compressor",
                                    sections_uf=[],
                                )
                            ],
                            cans=1,
                            how=msg("dual"),
                            compressor_uf=h.part.uf,
                            fan_uf=None,
                            off_pct=_off(h.part.uf, comp),
                            words=msg("{title}, its fan section left open", title=h.part.title),
                            volts_each_v=None,
                            against=[msg("The unused FAN tab can still shock you. Insulate it.")],
                            wiring_plan="dual_capacitor",
                            price=h.price,
                        )
                    )
    for h in fit:
        if h.part.kind == "run_capacitor_multi":
            way = _multi(entry, h)
            if way is not None:
                ways.append(way)
    return ways


def _dual(entry: CapacitorIn, h: Counted, p: Part) -> CapacitorWay:
    return CapacitorWay(
        uses=[CapacitorUse(part=p.part, title=p.title, count=1, serves="both", sections_uf=[])],
        cans=1,
        how=msg("dual"),
        compressor_uf=p.uf,
        fan_uf=p.fan_uf,
        off_pct=max(_off(p.uf, entry.compressor_uf), _off(p.fan_uf, entry.fan_uf)),
        words=msg("One dual, {uf:g} + {fan_uf:g} µF", uf=p.uf, fan_uf=p.fan_uf),
        against=[],
        volts_each_v=None,
        wiring_plan="dual_capacitor" if entry.now == "dual" else "two_singles_to_dual",
        price=h.price,
    )


def _singles(
    entry: CapacitorIn, a: tuple[Counted, ...], b: tuple[Counted, ...], made: float, fan_made: float
) -> CapacitorWay:
    many = len(a) + len(b)
    against = [msg("Each capacitor needs a strap and space.")]
    if many > 2:
        against.append(msg("More connections that can come loose."))
    return CapacitorWay(
        uses=[*_uses(a, "compressor"), *_uses(b, "fan")],
        cans=many,
        how=msg("singles") if many == 2 else msg("parallel"),
        compressor_uf=made,
        fan_uf=fan_made,
        off_pct=max(_off(made, entry.compressor_uf), _off(fan_made, entry.fan_uf)),
        words=msg("Compressor {sum}; fan {sum_2}", sum=_sum(a), sum_2=_sum(b)),
        against=against,
        volts_each_v=None,
        wiring_plan="dual_to_two_singles" if entry.now == "dual" else None,
        price=_price(a + b),
    )


def _one_section(
    entry: CapacitorIn,
    group: tuple[Counted, ...],
    made: float,
    serves: Literal["compressor", "fan"],
    wanted: float,
) -> CapacitorWay:
    n = len(group)
    return CapacitorWay(
        uses=_uses(group, serves),
        cans=n,
        how=msg("one") if n == 1 else msg("parallel"),
        compressor_uf=made if serves == "compressor" else None,
        fan_uf=made if serves == "fan" else None,
        off_pct=_off(made, wanted),
        words=_sum(group) + (msg(" in parallel") if n > 1 else ""),
        against=[] if n == 1 else [msg("Each capacitor needs a strap and space.")],
        volts_each_v=None,
        wiring_plan=None,
        price=_price(group),
    )


def _multi(entry: CapacitorIn, h: Counted) -> CapacitorWay | None:
    """Return the sections of a multi-tap can that make both values, fewest first."""
    sizes = list(h.part.sections_uf or [])
    places = range(len(sizes))

    def ways(wanted: float | None, free: set[int]) -> list[tuple[int, ...]]:
        if wanted is None:
            return [()]
        return [
            w
            for n in range(1, len(sizes) + 1)
            for w in combinations(sorted(free), n)
            if _near(sum(sizes[i] for i in w), wanted, entry)
        ]

    best = None
    for a in ways(entry.compressor_uf, set(places)):
        for b in ways(entry.fan_uf, set(places) - set(a)):
            made = sum(sizes[i] for i in a) if a else None
            fan = sum(sizes[i] for i in b) if b else None
            off = max(_off(made, entry.compressor_uf), _off(fan, entry.fan_uf))
            key = (off, len(a) + len(b))
            if best is None or key < best[0]:
                best = (key, a, b, made, fan)
    if best is None:
        return None
    (off, _), a, b, made, fan = best
    said = joined(
        (
            msg(
                "{word}: sections {join} joined by jumpers",
                word=word,
                join=" + ".join(f"{sizes[i]:g}" for i in part),
            )
            for word, part in (("compressor", a), ("fan", b))
            if part
        ),
        "; ",
    )
    return CapacitorWay(
        uses=[
            CapacitorUse(
                part=h.part.part,
                title=h.part.title,
                count=1,
                serves="both",
                sections_uf=[sizes[i] for i in (*a, *b)],
            )
        ],
        cans=1,
        how="multi_tap",
        compressor_uf=made,
        fan_uf=fan,
        off_pct=off,
        words=said,
        against=[msg("Count the jumpers twice before energizing; value and date are written on the can.")],
        volts_each_v=None,
        wiring_plan="dual_capacitor" if entry.now == "dual" else "two_singles_to_dual",
        price=h.price,
    )


def _start_ways(entry: CapacitorIn, fit: list[Counted]) -> list[CapacitorWay]:
    low, high = float(entry.start_low_uf or 0), float(entry.start_high_uf or 0)
    ways = []
    for n, how in ((1, "one"), (2, "parallel"), (2, "series")):
        for group in combinations_with_replacement(fit, n):
            if any(group.count(h) > h.count for h in set_of(group)):
                continue
            ends = [(float(h.part.uf_low or 0), float(h.part.uf_high or 0)) for h in group]
            if how == "series":
                made = tuple(1 / sum(1 / e[i] for e in ends) for i in (0, 1))
                # The worst split: one can at its lowest, the other at its highest.
                volts = [entry.volts_ac * _other(ends, i) for i in range(n)]
            else:
                made = (sum(e[0] for e in ends), sum(e[1] for e in ends))
                volts = [entry.volts_ac] * n
            middle, wanted = sum(made) / 2, (low + high) / 2
            enough = all(float(h.part.volts_ac or 0) >= v for h, v in zip(group, volts, strict=True))
            if not enough or not low <= middle <= high:
                continue
            ways.append(
                CapacitorWay(
                    uses=_uses(group, "start"),
                    cans=n,
                    how=how,
                    compressor_uf=round(middle, 1),
                    fan_uf=None,
                    off_pct=round(100 * abs(middle - wanted) / wanted, 2),
                    words=joined((h.part.title for h in group), " and ")
                    + ("" if n == 1 else msg(", in {how}", how=how)),
                    against=[]
                    if how != "series"
                    else [
                        (
                            msg(
                                "In series, a leaky one overloads the other. "
                                "Use matched parts with a resistor "
                                "across each."
                            )
                        )
                    ],
                    volts_each_v=[round(v, 1) for v in volts] if how == "series" else None,
                    wiring_plan=None,
                    price=_price(group),
                )
            )
    return ways


def _other(ends: list[tuple[float, float]], i: int) -> float:
    """Return the largest share of the volts that can of two in series may take."""
    mine, other = ends[i][0], ends[1 - i][1]
    return other / (mine + other)
