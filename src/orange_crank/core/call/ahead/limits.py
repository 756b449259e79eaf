"""What each value of each quantity would be judged as on a call as it is now: bands with their reason.

Nothing is judged here: the places where a verdict can change are listed per quantity, and the judge itself is
asked in between and upon each of them. A test holds that the bands and the judge agree.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from functools import cached_property, lru_cache
from itertools import pairwise
from typing import Any, Literal, get_args

from pydantic import Field, JsonValue

from orange_crank.core.call.evidence_of_record import evidence_of_reading
from orange_crank.core.call.facts import CallFacts
from orange_crank.core.call.judging import judged_or_said
from orange_crank.core.call.reading import judge_reading
from orange_crank.core.call.stops import find_stops
from orange_crank.core.call.visits import earlier_figures, last_start
from orange_crank.core.diagnosis.stop_facts import OVERVOLTAGE_SHARE, stop_facts
from orange_crank.core.measure.contactor import poles_of
from orange_crank.core.measure.dead_tests import judge_dead_tests
from orange_crank.core.measure.meter import Aid, Conductor, MeterMode
from orange_crank.core.measure.reading import QUANTITIES, NewReading, Quantity
from orange_crank.core.measure.start_time import (
    PastStart,
    default_plus_minus_s,
    judge_start_time_reading,
)
from orange_crank.core.measure.taken import ReadingVerdict, TakenReading
from orange_crank.core.messages import Prose, joined
from orange_crank.core.nomenclature import Finding, Frozen
from orange_crank.core.tables.standards import Standards

Side = Literal["pass", "watch", "fail", "stop", "unknown", "note", "depends"]
# Of two sides the graver counts; unknown ranks above pass.
GRAVER: tuple[Side, ...] = ("note", "pass", "watch", "depends", "unknown", "fail", "stop")

# Fields beside a value that change no verdict.
_IDLE = frozenset(
    {
        "note",
        "taken_at",
        "supersedes_id",
        "typed_over",
        "without_make_safe",
        "rest_min",
        "learning_starts",
        "outcome",
        "seconds",
        "outdoor_f",
        "plus_minus",
        "timed_by",
        "spot",
        "aid",
        "mode",
        "conductor",
        "volts",
    }
)
_TAKEN = frozenset(NewReading.model_fields) - {"quantity", "value"}
_DIGITS = 9


class Band(Frozen):
    """A stretch of values with one verdict: from the end of the one before up to ``high``."""

    high: float = Field(description="Where it ends, in the quantity's own unit")
    high_in: bool = Field(description="Whether that value itself still belongs to it")
    side: Side
    code: str = Field(description="The finding it would be")
    rule: str = Field(description="Clause, or a shop standard's title")
    next_step: Prose | None


class SaidValue(Frozen):
    """A yes, a no or a word, and what it would be judged as."""

    value: bool | str
    side: Side
    code: str
    rule: str
    next_step: str | None


class FieldLimit(Frozen):
    """What the values of one quantity would be judged as, entered in one way.

    Notes
    -----
    It holds for an entry where each field named in ``when`` has one of the values given (null: left out), and
    where every field of ``heeded`` is left out. ``depends`` everywhere else.

    """

    quantity: Quantity
    when: dict[str, list[JsonValue]] = Field(default_factory=dict)
    heeded: list[str] = Field(description="Fields which, said beside it, leave open what it would be")
    at_v: float | None = Field(
        default=None,
        description="Bands hold at this line voltage; at another they stand in proportion to it [V]",
    )
    stop_above_v: float | None = Field(
        default=None, description="Volts said beside it above this stop the work, whatever its value [V]"
    )
    volts_as: Quantity | None = Field(
        default=None, description="Volts said beside it are held as this quantity too; the graver side counts"
    )
    beside: list[Quantity] = Field(
        default_factory=list,
        description="Judged together with these: one of them entered since, and it depends",
    )
    bands: list[Band] = Field(default_factory=list, description="Over all a meter can show, upwards")
    said: list[SaidValue] = Field(default_factory=list)


@dataclass
class _Judge:
    """Asks what one more reading would show on a call as it is now.

    ``leaned`` is whether an answer used more of the record than its plate, ``weighed`` whether it used
    more than that and the readings it is judged together with.
    """

    facts: CallFacts
    limits: Standards
    last: PastStart | None
    leaned: bool = False
    weighed: bool = False

    @cached_property
    def earlier(self) -> Mapping[Quantity, float]:
        """The figures of earlier visits, looked up once."""
        return earlier_figures(self.facts.visits)

    def of(self, entry: NewReading) -> tuple[Side, ReadingVerdict]:
        moment = self.facts.opened_at or datetime(2000, 1, 1, tzinfo=UTC)
        taken = TakenReading(id=0, entry=entry, taken_at=moment, person="-", place=float("inf"))
        shown = self._shown(taken)
        found = any(f.stops or f.code == "ABOVE_LOCKED_ROTOR" for f in shown.findings)
        fact = bool(stop_facts(evidence_of_reading(taken), self.facts.plate, self.limits))
        # Taken after everything else, nothing on record settles what stops but its plate. Only a fuse
        # leans on the ground test.
        looks = found or (fact and entry.quantity == "fuse_open")
        self.leaned |= looks and entry.quantity != "inrush_a"
        self.weighed |= looks
        return ("stop" if (found or fact) and self._stops(taken) else shown.verdict), shown

    def _stops(self, taken: TakenReading) -> bool:
        facts = replace(self.facts, readings=[*self.facts.readings, taken], tests=())
        return any(s.key == "reading-0" for s in find_stops(facts, (), self.limits).standing)

    def _shown(self, taken: TakenReading) -> ReadingVerdict:
        facts, limits = self.facts, self.limits
        if taken.entry.quantity == "start_time_s":
            return judged_or_said(
                lambda: judge_start_time_reading(taken, self.last, facts.sister_start, limits), _cannot
            )
        if taken.entry.quantity == "inrush_a":
            return judged_or_said(lambda: judge_reading(taken, facts.plate, limits), _cannot)
        readings = [*facts.current, taken]
        together = judged_or_said(
            lambda: judge_dead_tests(readings, facts.plate, limits, self.earlier),
            lambda _: [],
        )
        test = next((t for t in together if 0 in t.reading_ids), None)
        self.leaned |= test is not None
        if test is not None:
            return ReadingVerdict(
                code=test.code, verdict=test.verdict, summary=test.summary, findings=test.findings
            )
        return judged_or_said(lambda: judge_reading(taken, facts.plate, limits), _cannot)


def _cannot(reason: str) -> ReadingVerdict:
    return ReadingVerdict(code="cannot_be_judged", verdict="unknown", summary=reason, findings=[])


def limits_ahead(facts: CallFacts, limits: Standards) -> list[FieldLimit]:
    """Return what the values of each quantity would be judged as on a call as it is now.

    Parameters
    ----------
    facts : what is on the record
    limits : the shop's standards

    """
    judge = _Judge(facts=facts, limits=limits, last=last_start(facts.visits, facts.unit))
    plate = facts.plate.model_dump_json() if facts.plate is not None else ""
    by_plate = _by_plate_alone(plate, limits)
    by_past = _by_earlier_starts(judge.last, facts.sister_start, limits)
    by_group = _by_readings_together(plate, _together(facts), _sum_of(judge.earlier), limits)
    found: list[FieldLimit] = []
    for quantity in QUANTITIES:
        alone = by_past if quantity == "start_time_s" else by_plate
        of_it = alone.get(quantity) or by_group.get(quantity)
        if of_it is None:
            judge.leaned, judge.weighed = any(quantity in group for group in _TOGETHER), False
            of_it = list(_of_quantity(quantity, judge))
            if not judge.leaned:
                alone[quantity] = of_it
            elif not judge.weighed:
                by_group[quantity] = of_it
        found += of_it
    return found


def _together(facts: CallFacts) -> str:
    """Return the readings that are judged with others, written down."""
    grouped = {quantity for group in _TOGETHER for quantity in group}
    return joined((r.entry.model_dump_json() for r in facts.current if r.entry.quantity in grouped), "\n")


def _sum_of(earlier: Mapping[Quantity, float]) -> tuple[tuple[Quantity, float], ...]:
    return tuple(sorted(earlier.items()))


@lru_cache(maxsize=512)
def _by_readings_together(
    plate: str, readings: str, earlier: tuple[tuple[Quantity, float], ...], limits: Standards
) -> dict[Quantity, list[FieldLimit]]:
    """Return where limits are kept that lean on a plate, what is judged with them and earlier figures."""
    del plate, readings, earlier, limits
    return {}


@lru_cache(maxsize=128)
def _by_plate_alone(plate: str, limits: Standards) -> dict[Quantity, list[FieldLimit]]:
    """Return where limits are kept that lean on nothing but a plate and the standards."""
    del plate, limits
    return {}


def _of_quantity(quantity: Quantity, judge: _Judge) -> Iterator[FieldLimit]:
    note = QUANTITIES[quantity]
    together = next((group for group in _TOGETHER if quantity in group), ())
    for way in _ways(quantity, judge):
        common: dict[str, Any] = {
            "quantity": quantity,
            "when": {k: list(v) for k, v in way.when.items()},
            "heeded": sorted(_TAKEN - (_IDLE - way.heeded) - set(way.when) - _told_by(way)),
            "at_v": way.at_v,
            "stop_above_v": way.stop_above_v,
            "volts_as": way.volts_as,
            "beside": [q for q in together if q != quantity],
        }
        words: Sequence[bool | str] = (
            (True, False) if note.kind == "flag" else note.words if note.kind == "word" else ()
        )
        if note.kind == "figure_or_open":
            words = ("open",)
        said = [_said(v, quantity, way, judge) for v in words]
        bands = [] if note.kind in ("flag", "word") else _bands(quantity, way, judge)
        yield FieldLimit(**common, bands=bands, said=said)


@lru_cache(maxsize=128)
def _by_earlier_starts(
    last: PastStart | None, sister: PastStart | None, limits: Standards
) -> dict[Quantity, list[FieldLimit]]:
    """Return where limits are kept that lean on earlier starts and the standards alone."""
    del last, sister, limits
    return {}


@dataclass(frozen=True)
class _Way:
    """One way to enter a quantity: the fields beside it, and those its verdict depends on."""

    when: Mapping[str, Sequence[JsonValue]]
    beside: Mapping[str, Any]
    heeded: frozenset[str] = frozenset()
    at_v: float | None = None
    stop_above_v: float | None = None
    volts_as: Quantity | None = None


_MODES: tuple[MeterMode, ...] = get_args(MeterMode)
_CONDUCTORS: tuple[Conductor, ...] = get_args(Conductor)
_AIDS: tuple[Aid, ...] = get_args(Aid)
_WINDINGS: tuple[Quantity, ...] = ("winding_cs_ohm", "winding_cr_ohm", "winding_sr_ohm")
_CONTACTOR: tuple[Quantity, ...] = ("contactor_look", "coil_ohm", "coil_v", "contactor_drop_v")
_TOGETHER: tuple[tuple[Quantity, ...], ...] = (
    (*_WINDINGS, "to_ground", "shell_hot"),
    ("run_cap_uf", "can_label_uf"),
    _CONTACTOR,
)


def _ways(quantity: Quantity, judge: _Judge) -> Iterator[_Way]:
    plate = judge.facts.plate
    if quantity == "inrush_a":
        yield from _inrush_ways(judge)
    elif quantity == "running_a":
        if plate is None:
            yield _Way({}, {})
        else:
            yield _Way({}, {}, heeded=frozenset({"volts"}), volts_as="line_v_run")
    elif quantity == "contactor_drop_v":
        for spot in (None, *poles_of(plate)):
            yield _Way({"spot": [spot]}, {"spot": spot})
    elif quantity == "start_time_s":
        for way in ("taps", "sound", "waveform"):
            yield _Way(
                {"timed_by": [way, None] if way == "taps" else [way]},
                {"timed_by": way},
                heeded=frozenset({"plus_minus"}),
            )
    else:
        yield _Way({}, {})


def _told_by(way: _Way) -> set[str]:
    return {"volts"} if way.at_v is not None or way.volts_as is not None else set()


def _inrush_ways(judge: _Judge) -> Iterator[_Way]:
    plate = judge.facts.plate
    volts = plate.volts if plate is not None else 230.0
    bare: list[JsonValue] = [None, "none"]
    for modes, conductors, aids in (
        (("inrush", "waveform"), ("common", "whole_unit"), bare),
        (("inrush", "waveform"), ("common", "whole_unit"), [a for a in _AIDS if a != "none"]),
        (("inrush", "waveform"), ("run", "start", "panel"), [None, *_AIDS]),
        (tuple(m for m in _MODES if m not in ("inrush", "waveform")), _CONDUCTORS, [None, *_AIDS]),
    ):
        yield _Way(
            {"mode": list(modes), "conductor": list(conductors), "aid": aids},
            {"mode": modes[0], "conductor": conductors[0], "volts": volts, "aid": aids[-1]},
            heeded=frozenset({"volts"}),
            at_v=volts,
            stop_above_v=OVERVOLTAGE_SHARE * plate.volts if plate is not None else None,
        )


def _bands(quantity: Quantity, way: _Way, judge: _Judge) -> list[Band]:
    note = QUANTITIES[quantity]
    low, high = note.low, note.high
    others = [q for q in _WINDINGS if q != quantity]
    if quantity in _WINDINGS and all(any(r.entry.quantity == q for r in judge.facts.current) for q in others):
        whole = Band(
            high=high,
            high_in=True,
            side="depends",
            code="",
            rule="field practice: windings",
            next_step=None,
        )
        return [whole]
    cuts = sorted({b for b in _cuts(quantity, judge) if low < b < high})
    return bands_over([low, *cuts, high], lambda value: _asked(value, quantity, way, judge))


def bands_over(
    edges: Sequence[float], ask: Callable[[float], SaidValue], *, from_first: bool = True
) -> list[Band]:
    """Return the bands between and upon edges, by asking about each edge and about a value between two.

    Without ``from_first`` the first edge itself cannot be entered and is not asked about.
    """
    points: list[tuple[float, bool]] = [(edges[0], True)] if from_first else []
    for before, edge in pairwise(edges):
        points += [((before + edge) / 2, False), (edge, True)]
    found: list[tuple[float, bool, SaidValue]] = []
    for value, is_cut in points:
        said = ask(value)
        if found and _alike(found[-1][2], said):
            found.pop()
        elif found and is_cut:
            # It ends before the cut, which is the next one's.
            found[-1] = (value, False, found[-1][2])
        found.append((value, True, said))
    return [
        Band(high=high, high_in=high_in, side=s.side, code=s.code, rule=s.rule, next_step=s.next_step)
        for high, high_in, s in found
    ]


def _alike(one: SaidValue, other: SaidValue) -> bool:
    return (
        one.side == other.side
        and one.code == other.code
        and one.rule == other.rule
        and one.next_step == other.next_step
    )


def _said(value: bool | str, quantity: Quantity, way: _Way, judge: _Judge) -> SaidValue:
    if quantity in _WINDINGS:
        missing = [
            q
            for q in _WINDINGS
            if q != quantity and not any(r.entry.quantity == q for r in judge.facts.current)
        ]
        if not missing:
            return SaidValue(
                value=value, side="depends", code="", rule="field practice: windings", next_step=None
            )
    return _asked(value, quantity, way, judge)


def _asked(value: bool | str | float, quantity: Quantity, way: _Way, judge: _Judge) -> SaidValue:
    side, shown = judge.of(_entry(quantity, value, way))
    finding = _leading(shown.findings, shown.verdict)
    return SaidValue.model_construct(
        value=value,  # type: ignore[arg-type]
        side=side,
        code=finding.code if finding else shown.code,
        rule=finding.rule if finding else "",
        next_step=finding.next_step if finding else None,
    )


def _entry(quantity: Quantity, value: bool | str | float, way: _Way) -> NewReading:
    return NewReading.model_construct(quantity=quantity, value=value, **way.beside)


def _leading(findings: Sequence[Finding], verdict: str) -> Finding | None:
    return next((f for f in findings if f.verdict == verdict), findings[0] if findings else None)


def _cuts(quantity: Quantity, judge: _Judge) -> Iterator[float]:
    """Return where a verdict can change: a figure too many costs a question, one too few fails a test."""
    rule = _CUTS.get(quantity)
    if rule is not None:
        for cut in rule(judge):
            yield float(f"{cut:.{_DIGITS}g}")


def _capacitor_cuts(judge: _Judge, label: float | None) -> list[float]:
    share = judge.limits.run_capacitor_pct / 100
    return [label * (1 - share), label * (1 + share)] if label else []


def _run_capacitor_cuts(judge: _Judge) -> list[float]:
    printed = _figure(judge, "can_label_uf")
    plate = judge.facts.plate
    return _capacitor_cuts(judge, printed or (plate.run_cap_uf if plate else None))


def _can_label_cuts(judge: _Judge) -> list[float]:
    share = judge.limits.run_capacitor_pct / 100
    measured, plate = _figure(judge, "run_cap_uf"), judge.facts.plate
    own = [measured / (1 - share), measured / (1 + share)] if measured else []
    return [*own, *_capacitor_cuts(judge, plate.run_cap_uf if plate else None)]


def _figure(judge: _Judge, quantity: Quantity) -> float | None:
    return next((r.figure for r in reversed(judge.facts.current) if r.entry.quantity == quantity), None)


def _supply_cuts(judge: _Judge) -> list[float]:
    plate, share = judge.facts.plate, judge.limits.supply_tolerance_pct / 100
    rated = [plate.volts, *((208.0, 230.0) if plate.volts in (208.0, 230.0) else ())] if plate else []
    far = [OVERVOLTAGE_SHARE * plate.volts] if plate else []
    return [*(v * (1 + way * share) for v in rated for way in (-1, 1)), *far]


def _running_cuts(judge: _Judge) -> list[float]:
    plate, limits = judge.facts.plate, judge.limits
    shares = (limits.running_low_ratio, limits.running_watch_ratio, limits.running_fail_ratio)
    return [share * plate.compressors[0].rla_a for share in shares] if plate else []


def _fan_cuts(judge: _Judge) -> list[float]:
    plate = judge.facts.plate
    shares = (1.0, judge.limits.running_fail_ratio)
    return [share * plate.motors[0].fla_a for share in shares] if plate and plate.motors else []


def _inrush_cuts(judge: _Judge) -> list[float]:
    plate, limits = judge.facts.plate, judge.limits
    lra = plate.compressors[0].lra_a if plate else None
    shares = (
        limits.inrush_low_ratio,
        limits.inrush_no_evidence_ratio,
        limits.not_turning_low_ratio,
        limits.not_turning_high_ratio,
        limits.kit_stall_ratio,
    )
    return [share * lra for share in shares] if lra else []


def _start_time_cuts(judge: _Judge) -> list[float]:
    limits = judge.limits
    found: list[float] = []
    for timed_by in ("taps", "sound", "waveform"):
        own = default_plus_minus_s(timed_by, limits)
        found += [limits.start_seconds - own, limits.start_seconds + own]
        for past in (judge.last, judge.facts.sister_start):
            if past is not None:
                theirs = past.plus_minus_s if past.plus_minus_s is not None else limits.tap_seconds
                both = (own**2 + theirs**2) ** 0.5
                found += [past.seconds - both, past.seconds + both]
    return found


_CUTS: Mapping[Quantity, Callable[[_Judge], list[float]]] = {
    "run_cap_uf": _run_capacitor_cuts,
    "fan_cap_uf": lambda j: _capacitor_cuts(j, j.facts.plate.fan_cap_uf if j.facts.plate else None),
    "can_label_uf": _can_label_cuts,
    "coil_ohm": lambda _: [1.0],
    "coil_v": lambda j: [j.limits.coil_pull_in_v],
    "contactor_drop_v": lambda j: [j.limits.contactor_drop_watch_v, j.limits.contactor_drop_replace_v],
    "line_v_idle": _supply_cuts,
    "line_v_run": _supply_cuts,
    "running_a": _running_cuts,
    "fan_a": _fan_cuts,
    "inrush_a": _inrush_cuts,
    "start_time_s": _start_time_cuts,
}


def side_of(limits: Sequence[FieldLimit], entry: Mapping[str, JsonValue], since: Sequence[str] = ()) -> Side:
    """Return the side an entry is on by what travelled with its call; what a device without signal does.

    Parameters
    ----------
    limits : those of the call
    entry : the fields of the reading, as JSON
    since : quantities entered on the device that the limits do not know of

    """
    said = {k: v for k, v in entry.items() if v is not None and k not in ("quantity", "value")}
    fitting = (
        limit
        for limit in limits
        if limit.quantity == entry["quantity"]
        and all(entry.get(field) in values for field, values in limit.when.items())
    )
    limit = next(fitting, None)
    if limit is None or any(q in since for q in limit.beside):
        return "depends"
    volts = said.get("volts")
    if limit.stop_above_v is not None and isinstance(volts, int | float) and volts > limit.stop_above_v:
        return "stop"
    if any(field in limit.heeded for field in said):
        return "depends"
    value = entry["value"]
    if limit.at_v is not None:
        if not isinstance(volts, int | float):
            return "depends"
        if isinstance(value, int | float):
            value = value * limit.at_v / volts
    side = _side_of_value(limit, value)
    if limit.volts_as is not None and volts is not None:
        other = side_of(limits, {"quantity": limit.volts_as, "value": volts}, since)
        return max(side, other, key=GRAVER.index)
    return side


def _side_of_value(limit: FieldLimit, value: JsonValue) -> Side:
    if isinstance(value, bool | str):
        return next(
            (s.side for s in limit.said if s.value == value and type(s.value) is type(value)), "depends"
        )
    assert isinstance(value, int | float)
    found = (b.side for b in limit.bands if value < b.high or (b.high_in and value == b.high))
    # In proportion to the volts a value may lie beyond what a meter shows: there the last band goes on.
    return next(found, limit.bands[-1].side if limit.bands else "depends")
