"""Choosing a start aid, or none: forbidden cases, root cause first, goal, computed starts."""

import math
from itertools import combinations
from typing import Annotated, Literal

from pydantic import Field, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.aids.relay import RelayChoice, RelayWindow, choose_relay, relay_fits, relay_window
from orange_crank.core.diagnosis.model import Hypothesis
from orange_crank.core.diagnosis.table import priors
from orange_crank.core.errors import CrankError, FieldProblem, InputProblem
from orange_crank.core.motor.entry import Aid, Load, Source, StartIn
from orange_crank.core.motor.fit import StartPlate, fit_machine
from orange_crank.core.motor.machine import Machine
from orange_crank.core.motor.phasor import branch_impedance, steady_state
from orange_crank.core.motor.start import StartResult, compute_start
from orange_crank.core.nomenclature import (
    Amps,
    Fahrenheit,
    Finding,
    Flag,
    Frozen,
    Microfarads,
    Volts,
    Word,
    say,
)
from orange_crank.core.plate.model import Metering
from orange_crank.core.tables import RelayClass, StartCapacitorRange, start_capacitor_ranges
from orange_crank.core.tables.refrigerants import find_refrigerant, why_not_beside
from orange_crank.core.tables.standards import Standards, shipped_standards

Goal = Literal["start_at_all", "faster", "backup_power", "flicker", "long_lines"]
AidName = Literal[
    "none", "ptc_two_wire", "relay_two_wire", "relay_three_wire", "soft_starter", "three_in_one", "time_delay"
]
School = Literal["three_wire", "two_wire"]
AnswerKind = Literal["fix", "delay", "trial", "buys_time"]

TITLES: dict[AidName, str] = {
    "none": "No aid",
    "ptc_two_wire": "Two-wire kit, thermistor",
    "relay_two_wire": "Two-wire kit, built-in relay",
    "relay_three_wire": "Three-wire kit, potential relay",
    "soft_starter": "Soft starter",
    "three_in_one": "Three-in-one",
    "time_delay": "Time delay",
}
# Causes that an aid would only hide.
PUT_RIGHT_FIRST: tuple[Hypothesis, ...] = (
    "run_capacitor_weak", "run_capacitor_open", "start_kit_failed", "supply_low", "segment_loss",
    "contactor_worn", "control_voltage_low", "overcharge", "high_head", "fan_motor", "overload_open",
    "start_winding_open", "run_winding_open", "winding_grounded", "turn_short", "breaker_weak_or_small",
    "open_neutral", "delay_or_lockout", "control_fuse_or_transformer", "kit_masks_open_capacitor",
    "current_relay_or_external_overload", "phase_fault", "reverse_rotation",
)  # fmt: skip
# Causes that lead to an answer of their own, no kit as the best fit.
OWN_ANSWERS: dict[Hypothesis, tuple[AnswerKind, str]] = {
    "pressure_not_equal": (
        "delay",
        "Give the pressures time to meet: a delay between starts, no more torque. A valve that holds "
        "is found first.",
    ),
    "locked_rotor": (
        "trial",
        "One trial with a kit, agreed in writing beforehand: if it does not start, the kit comes off and "
        "is not charged; if it does, expect a short and unknown life.",
    ),
    "worn_bearings": ("buys_time", "An aid buys time, not years: plan the compressor's replacement."),
}
GOAL_LOAD_PCT: dict[Goal, float] = {
    "start_at_all": 60.0, "faster": 20.0, "backup_power": 12.0, "flicker": 15.0, "long_lines": 50.0,
}  # fmt: skip
SMALL_RLA_A = 12.0
MOUNTING: dict[AidName, str] = {
    "relay_three_wire": "relay arrow up; capacitor upright for preference",
    "soft_starter": "only in the positions its maker allows; rain-tight only; do not hose down",
    "three_in_one": "clear of the shell, leads not stretched",
}
MIN_OFF_S: dict[AidName, float] = {"ptc_two_wire": 300.0, "soft_starter": 180.0, "time_delay": 180.0}
# Minutes to fit one, dead work and proof included: what a cost is made of, beside the part.
MINUTES: dict[AidName, float] = {
    "none": 0, "ptc_two_wire": 25, "relay_two_wire": 25, "relay_three_wire": 40, "soft_starter": 60,
    "three_in_one": 40, "time_delay": 30,
}  # fmt: skip


class AidPart(Frozen):
    """A part that may be fitted: class and ratings only."""

    part: Word
    aid: AidName
    start_cap_uf: Microfarads | None = None
    sections_uf: Annotated[list[Microfarads], Field(min_length=2, max_length=3)] | None = None
    volts_ac: Volts | None = Field(default=None, description="Rating of its start capacitor [V AC]")
    cold_ohm: Annotated[float, Field(strict=True, gt=0, le=10_000, allow_inf_nan=False)] | None = None
    pickup_low_v: Volts | None = None
    pickup_high_v: Volts | None = None
    dropout_high_v: Volts | None = None
    continuous_v: Volts | None = None
    ceiling_ratio: Annotated[float, Field(strict=True, gt=0.2, lt=1, allow_inf_nan=False)] | None = None
    rla_low_a: Amps | None = None
    rla_high_a: Amps | None = None
    lra_high_a: Amps | None = None
    volts_line: Volts | None = None
    min_off_s: Annotated[float, Field(strict=True, ge=0, le=7_200, allow_inf_nan=False)] | None = None
    learning_starts: Annotated[int, Field(strict=True, ge=1, le=100)] | None = None
    mounting: Word | None = None
    lead_ft: Annotated[float, Field(strict=True, gt=0, le=100, allow_inf_nan=False)] | None = None
    leads: Annotated[int, Field(strict=True, ge=1, le=12)] | None = None
    price: Annotated[float, Field(strict=True, gt=0, le=1e6, allow_inf_nan=False)] | None = None
    count: Annotated[int, Field(strict=True, ge=0, le=10_000)] | None = Field(
        default=None, description="How many are on the van"
    )
    listed_for: list[Word] = Field(
        default_factory=list, description="Flammable refrigerants it is listed for"
    )


class AidIn(Frozen):
    """A motor, and what an aid is wanted for."""

    plate: StartPlate
    run_cap_uf: Microfarads | Literal["open"] | None = None
    goal: Goal = "start_at_all"
    diagnosis: Hypothesis | None = Field(default=None, description="The likeliest cause")
    put_right: Flag = Field(default=False, description="Whether that cause is put right already")
    source: Source | None = None
    outdoor_design_f: Fahrenheit | None = None
    cycles_per_hour: Annotated[float, Field(strict=True, ge=0, le=60, allow_inf_nan=False)] | None = None
    metering: Metering | None = None
    school: School | None = None
    stock: list[AidPart] | None = Field(default=None, max_length=200, description="What is on the van")
    start_torque_pct: Annotated[float, Field(strict=True, ge=0, le=400, allow_inf_nan=False)] | None = None
    inertia_factor: Annotated[float, Field(strict=True, ge=0.05, le=20, allow_inf_nan=False)] = Field(
        default=1.0, description="On the typical inertia, where a start was measured"
    )
    running_s_c_v: Volts | None = Field(default=None, description="S–C measured while running [V]")
    warranty_forbids: Flag = False

    @model_validator(mode="after")
    def _source_for_the_goal(self) -> "AidIn":
        if self.goal == "backup_power" and self.source is not None and self.source.kind == "utility":
            raise PydanticCustomError(
                "value_error",
                "{error}",
                {"field": "source.kind", "error": "generator or inverter where the goal is backup power"},
            )
        return self


class AidRange(Frozen):
    """What a soft starter must be able to govern."""

    rla_a: float
    lra_a: float
    ceiling_a: float


class AidRanked(Frozen):
    """One candidate with its computed start, and what speaks for and against it."""

    aid: AidName
    title: str
    part: str | None
    fits: bool
    why: list[str]
    against: list[str]
    start_cap_uf: float | None
    start_cap_range: StartCapacitorRange | None
    relay: RelayChoice | None
    range: AidRange | None
    range_note: str | None = Field(description="Where it stands near the edge of a part's range")
    taps_uf: list[float] = Field(description="Sections joined, of a multi-value capacitor")
    sections_uf: list[float] | None
    tried: Aid = Field(description="The aid as it was computed; for the Start lab and backup power")
    jumpers: str | None = Field(description="The jumpers in words")
    mounting: str | None
    min_off_s: float | None
    learning_starts: int | None
    wiring_plan: str | None
    count: int | None
    predicted: StartResult
    price: float | None
    cost: float | None = Field(description="Part and minutes, where the part has a price")


class AidRefused(Frozen):
    """One candidate that is not offered."""

    aid: AidName
    title: str
    part: str | None
    why: str


class AidAnswer(Frozen):
    """What the cause itself asks for, before any kit."""

    kind: AnswerKind
    text: str


class AidOut(Frozen):
    """Candidates, best first."""

    answer: AidAnswer | None = Field(description="Where the cause, or what was measured, decides first")

    ranked: list[AidRanked]
    refused: list[AidRefused]
    root_cause_first: str | None
    school: School
    findings: list[Finding]


def choose_aid(entry: AidIn, standards: Standards | None = None) -> AidOut:
    """Rank start aids for a goal, each with its computed start.

    Raises
    ------
    InputProblem : a single-phase plate no machine can have

    Notes
    -----
    Order of decisions: forbidden? root cause found and not fixed? goal. No aid is ever offered to an inverter
    or a three-phase compressor.

    """
    limits = standards or shipped_standards()
    refuse_empty_stock(entry)
    school, school_why = _school(entry, limits)
    forbidden = _forbidden(entry)
    if forbidden is not None:
        barred = [
            AidRefused(aid=name, title=TITLES[name], part=None, why=forbidden)
            for name in TITLES
            if name != "none"
        ]
        return AidOut(answer=None, ranked=[], refused=barred, root_cause_first=None, school=school, findings=[
            Finding(code="NO_AID_HERE", verdict="fail", text=forbidden, rule="field practice: aids",
                    next_step="Leave it without a start aid."),
        ])  # fmt: skip
    machine, fit = fit_machine(entry.plate)
    run_cap = fit.run_cap_uf if entry.run_cap_uf is None else entry.run_cap_uf
    base = StartIn(
        plate=entry.plate,
        run_cap_uf=run_cap,
        source=entry.source or Source(),
        inertia_factor=entry.inertia_factor,
        load=Load(
            start_torque_pct=entry.start_torque_pct
            if entry.start_torque_pct is not None
            else GOAL_LOAD_PCT[entry.goal]
        ),
    )
    ranked: list[AidRanked] = []
    refused: list[AidRefused] = []
    for part in _candidates(entry):
        made = _candidate(entry, part, base, machine, limits)
        if isinstance(made, AidRefused):
            refused.append(made)
        else:
            ranked.append(made)
    bare = next(r for r in ranked if r.aid == "none")
    answer = _answer(entry, limits)
    ranked = [_judged(r, bare, entry, school, answer, limits) for r in ranked]
    ranked.sort(key=lambda r: _order(r, entry.goal, school, answer))
    first = answer.text if answer is not None and answer.kind == "fix" else None
    return AidOut(
        answer=answer,
        ranked=ranked,
        refused=refused,
        root_cause_first=first,
        school=school,
        findings=_findings(entry, ranked, answer, school, school_why, limits),
    )


def _answer(entry: AidIn, limits: Standards) -> AidAnswer | None:
    """Return what the cause taken, or the run capacitor as it was read, asks for before any kit."""
    if entry.put_right:
        return None
    if entry.diagnosis in PUT_RIGHT_FIRST:
        prior = priors()[entry.diagnosis]
        return AidAnswer(kind="fix", text=f"{prior.title}: {prior.fix} An aid would only hide it.")
    if entry.diagnosis in OWN_ANSWERS:
        kind, text = OWN_ANSWERS[entry.diagnosis]
        return AidAnswer(kind=kind, text=text)
    read, label = entry.run_cap_uf, entry.plate.run_cap_uf
    if read == "open" and label is not None:
        return AidAnswer(kind="fix", text="Run capacitor open: replace it. An aid would only hide it.")
    if isinstance(read, float) and label is not None:
        off = 100 * (read - label) / label
        if abs(off) > limits.run_capacitor_pct + 1e-9:
            return AidAnswer(
                kind="fix",
                text=f"Run capacitor reads {read:.3g} µF, the plate asks {label:.3g} µF ({off:+.0f} %): "
                f"fit the right one first. An aid would only hide it.",
            )
    return None


def _forbidden(entry: AidIn) -> str | None:
    if entry.plate.is_inverter:
        return "An inverter starts its compressor itself: a start aid does not belong there."
    if entry.plate.phase == 3:
        return "Three-phase: single-phase start aids do not belong there."
    if entry.warranty_forbids:
        return "The warranty rule noted for this unit forbids a start aid."
    return None


def _school(entry: AidIn, limits: Standards) -> tuple[School, str]:
    if entry.school is not None:
        return entry.school, "chosen"
    hot = entry.outdoor_design_f is not None and entry.outdoor_design_f > limits.hot_climate_f
    often = entry.cycles_per_hour is not None and entry.cycles_per_hour > limits.ptc_cycles_per_hour
    if hot or often:
        return "three_wire", "hot climate or frequent starts: a thermistor would not cool"
    return "two_wire", "mild climate and few starts (or not entered)"


def _candidates(entry: AidIn) -> list[AidPart]:
    """Return no aid, then what is on the van, or one of each kind where no stock is given."""
    bare = [AidPart(part="none", aid="none")]
    if entry.stock is not None:
        return bare + list(entry.stock)
    names: list[AidName] = [n for n in TITLES if n != "none"]
    return bare + [AidPart(part=TITLES[n], aid=n) for n in names]


def _candidate(
    entry: AidIn, part: AidPart, base: StartIn, machine: Machine, limits: Standards
) -> AidRanked | AidRefused:
    plate, first = entry.plate, entry.plate.compressors[0]
    lra = float(first.lra_a or 0.0)

    def no(why: str) -> AidRefused:
        return AidRefused(aid=part.aid, title=TITLES[part.aid], part=_name(part), why=why)

    if part.aid not in ("none", "time_delay"):
        burning = why_not_beside(plate.refrigerant, part.listed_for)
        if burning is not None:
            return no(burning)
    small = plate.run_cap_uf is None and first.rla_a <= SMALL_RLA_A
    if part.aid == "three_in_one" and not (small and (entry.metering or plate.metering) == "captube"):
        return no("For fractional-horsepower capillary-tube refrigeration without a run capacitor.")
    if part.rla_high_a is not None and first.rla_a > part.rla_high_a:
        return no(f"Made for up to {part.rla_high_a:g} A; the plate says {first.rla_a:g} A RLA.")
    if part.rla_low_a is not None and first.rla_a < part.rla_low_a:
        return no(f"Made for {part.rla_low_a:g} A and more; the plate says {first.rla_a:g} A RLA.")
    if part.lra_high_a is not None and lra > part.lra_high_a:
        return no(f"Made for up to {part.lra_high_a:g} A locked rotor; the plate says {lra:g} A.")
    if part.count == 0:
        return no("None on the van.")
    if part.volts_line is not None and plate.volts > 1.05 * part.volts_line:
        return no(f"Made for lines to {part.volts_line:g} V; the plate says {plate.volts:g} V.")
    if entry.stock is not None and part.aid == "ptc_two_wire" and part.cold_ohm is None:
        return no("Its cold ohms are not in the parts list: no guess is made.")
    if (
        entry.stock is not None
        and part.aid in ("relay_two_wire", "relay_three_wire")
        and part.start_cap_uf is None
        and part.sections_uf is None
    ):
        return no("Its start capacitor's µF are not in the parts list: no guess is made.")
    relay: RelayChoice | None = None
    size: StartCapacitorRange | None = None
    uf = part.start_cap_uf
    taps: list[float] = []
    span: AidRange | None = None
    run_uf = None if base.run_cap_uf == "open" else float(base.run_cap_uf or 0.0)
    if part.aid in ("relay_two_wire", "relay_three_wire", "three_in_one"):
        if part.sections_uf is not None:
            wanted = best_start_capacitor(machine, plate.volts, run_uf, limits)
            if wanted is None:
                return no("No standard start capacitor suits without overdriving the start winding.")
            taps = _sections(part.sections_uf, (wanted.low_uf + wanted.high_uf) / 2)
            uf = sum(taps)
        if uf is None:
            size = best_start_capacitor(machine, plate.volts, run_uf, limits)
            if size is None:
                return no("No standard start capacitor suits without overdriving the start winding.")
            uf = (size.low_uf + size.high_uf) / 2
        if entry.stock is not None and _overdrives(machine, plate.volts, run_uf, uf, limits):
            return no(f"{uf:g} µF would overdrive the start winding of this compressor.")
        window = relay_window(machine, plate.volts, run_uf, uf, entry.running_s_c_v)
        relay = _own_relay(part, window) if part.pickup_low_v is not None else choose_relay(window)
        if relay is None and part.aid == "relay_three_wire":
            return no(_why_no_relay(part, window))
        if relay is not None and part.aid == "relay_three_wire" and part.volts_ac is not None:
            across = start_capacitor_volts(machine, plate.volts, run_uf, uf, relay.pickup_high_v)
            if part.volts_ac < across:
                return no(
                    f"Its capacitor is rated {part.volts_ac:g} V; the model finds {across:.0f} V across it."
                )
        # A two-wire kit senses C–HERM: its own classes do not apply, and it is taken to suit.
        pickup = None if relay is None else (relay.pickup_low_v + relay.pickup_high_v) / 2
        aid = Aid(kind="start_capacitor", start_cap_uf=uf, pickup_v=pickup)
        relay = relay if part.aid == "relay_three_wire" else None
    elif part.aid == "ptc_two_wire":
        aid = Aid(kind="ptc", cold_ohm=part.cold_ohm or round(2.0 * plate.volts / first.rla_a, 1))
    elif part.aid == "soft_starter":
        uf = uf or round(1.5 * (run_uf or 30.0), 0)
        span = AidRange(rla_a=first.rla_a, lra_a=lra, ceiling_a=round((part.ceiling_ratio or 0.6) * lra, 1))
        aid = Aid(kind="soft_starter", start_cap_uf=uf, ceiling_a=span.ceiling_a)
    elif part.aid == "time_delay":
        aid = Aid(kind="time_delay", off_s=180.0)
    else:
        aid = Aid()
    try:
        predicted = compute_start(base.model_copy(update={"aid": aid}), limits)
    except CrankError as problem:
        return no(problem.detail)
    return AidRanked(
        aid=part.aid,
        title=TITLES[part.aid],
        part=_name(part),
        fits=False,
        why=[],
        against=[],
        start_cap_uf=uf,
        start_cap_range=size,
        relay=relay,
        range=span,
        range_note=_edge(part, first.rla_a),
        taps_uf=taps,
        sections_uf=part.sections_uf,
        tried=aid,
        jumpers=_jumpers(taps),
        mounting=part.mounting or MOUNTING.get(part.aid),
        min_off_s=part.min_off_s if part.min_off_s is not None else MIN_OFF_S.get(part.aid),
        learning_starts=part.learning_starts
        if part.aid == "soft_starter" and part.learning_starts is not None
        else int(limits.learning_starts)
        if part.aid == "soft_starter"
        else None,
        wiring_plan=_plan(part),
        count=part.count,
        predicted=predicted,
        price=part.price,
        cost=None
        if part.price is None
        else round(part.price + MINUTES[part.aid] / 60 * limits.labor_rate_per_hour, 2),
    )


def _edge(part: AidPart, rla_a: float) -> str | None:
    """Say where a compressor stands near a class boundary: then both classes are worth a look."""
    for edge, word in ((part.rla_high_a, "upper"), (part.rla_low_a, "lower")):
        if part.aid == "soft_starter" and edge is not None and abs(rla_a - edge) <= 0.12 * edge:
            other = "larger" if word == "upper" else "smaller"
            return f"{rla_a:g} A RLA is near its {word} end, {edge:g} A: hold the {other} one beside it."
    return None


def _sections(sizes: list[float], wanted: float) -> list[float]:
    """Return the sections that come nearest to a value, fewest first."""
    ways = [list(w) for n in range(1, len(sizes) + 1) for w in combinations(sizes, n)]
    return min(ways, key=lambda w: (round(abs(sum(w) - wanted), 3), len(w)))


def _jumpers(taps: list[float]) -> str | None:
    if not taps:
        return None
    if len(taps) == 1:
        return f"The {taps[0]:g} µF section alone; no jumper."
    joined = " to ".join(f"{t:g}" for t in taps)
    return f"{len(taps) - 1} jumper{'s' if len(taps) > 2 else ''}: {joined} µF, {sum(taps):g} µF together."


def _own_relay(part: AidPart, window: RelayWindow) -> RelayChoice | None:
    """Return the kit's own relay where it lies in the window."""
    rated = (part.pickup_low_v, part.pickup_high_v, part.dropout_high_v, part.continuous_v)
    low, high, dropout, continuous = rated
    if low is None or high is None or dropout is None or continuous is None:
        return None
    own = RelayClass(pickup_low_v=low, pickup_high_v=high, dropout_high_v=dropout, continuous_v=continuous)
    return RelayChoice(window=window, **own.model_dump()) if relay_fits(own, window) else None


def _why_no_relay(part: AidPart, window: RelayWindow) -> str:
    seen = (
        f"its coil sees {window.stall_v:.0f} V at stall and surely {window.reached_v:.0f} V near full speed"
    )
    if part.continuous_v is not None and part.continuous_v <= window.running_high_v:
        return f"Its coil bears {part.continuous_v:g} V; on high line it sees {window.running_high_v:.0f} V."
    if part.dropout_high_v is not None and part.dropout_high_v >= window.running_low_v:
        return f"It lets go at {part.dropout_high_v:g} V; running it may see {window.running_low_v:.0f} V."
    if part.pickup_low_v is not None and part.pickup_high_v is not None:
        return f"Picks up at {part.pickup_low_v:g} to {part.pickup_high_v:g} V; {seen}."
    return f"No relay class lies in the window: {seen}."


def start_capacitor_volts(
    machine: Machine, volts: float, run_cap_uf: float | None, start_cap_uf: float, pickup_v: float
) -> float:
    """Return the most volts across a start capacitor until the relay opens, on plate volts [V].

    Notes
    -----
    Across the capacitors stands the line less the start winding, as phasors, at every speed until the winding
    reaches the relay's pick-up.

    """
    run = [(run_cap_uf, 0.0)] if run_cap_uf is not None else []
    branch = branch_impedance(machine.omega, *run, (start_cap_uf, 0.0))
    most = 0.0
    for step in range(19):
        at = steady_state(machine, volts, 0.05 * step, branch)
        if step and abs(at.start_winding_v) > pickup_v:
            break
        most = max(most, abs(volts - at.start_winding_v))
    return most


def _overdrives(
    machine: Machine, volts: float, run_cap_uf: float | None, start_cap_uf: float, limits: Standards
) -> bool:
    """Tell whether line current at stall rises over the shop's factor on the bare motor's."""
    run = [(run_cap_uf, 0.0)] if run_cap_uf is not None else []
    bare = steady_state(machine, volts, 0.0, branch_impedance(machine.omega, *run) if run else None)
    stall = steady_state(machine, volts, 0.0, branch_impedance(machine.omega, *run, (start_cap_uf, 0.0)))
    return abs(stall.line_a) > limits.start_capacitor_current * abs(bare.line_a)


def _plan(part: AidPart) -> str | None:
    if part.aid == "soft_starter":
        return "soft_starter_five_lead" if part.leads == 5 else "soft_starter_four_lead"
    if part.sections_uf is not None:
        return "multi_value_start_capacitor"
    return {
        "ptc_two_wire": "two_wire_kit", "relay_two_wire": "two_wire_kit",
        "relay_three_wire": "three_wire_kit", "three_in_one": "three_in_one",
    }.get(part.aid)  # fmt: skip


def _name(part: AidPart) -> str | None:
    return None if part.part in ("none", TITLES[part.aid]) else part.part


def best_start_capacitor(
    machine: Machine, volts: float, run_cap_uf: float | None, limits: Standards
) -> StartCapacitorRange | None:
    """Return the standard range with the best accelerating torque within the start winding's current.

    Notes
    -----
    Torque is averaged over standstill to half speed; the start winding's amps at stall may rise over those of
    the largest that needs no start capacitor by the shop's factor on LRA.

    """
    run = [(run_cap_uf, 0.0)] if run_cap_uf is not None else []
    bare = steady_state(machine, volts, 0.0, branch_impedance(machine.omega, *run) if run else None)
    allowed = limits.start_capacitor_current * abs(bare.line_a)
    best: tuple[float, StartCapacitorRange] | None = None
    for size in start_capacitor_ranges():
        branch = branch_impedance(machine.omega, *run, ((size.low_uf + size.high_uf) / 2, 0.0))
        stall = steady_state(machine, volts, 0.0, branch)
        if abs(stall.line_a) > allowed:
            continue
        torque = sum(steady_state(machine, volts, s, branch).torque_nm for s in (0.0, 0.25, 0.5)) / 3
        if best is None or torque > best[0]:
            best = (torque, size)
    return None if best is None else best[1]


def _judged(
    r: AidRanked,
    bare: AidRanked,
    entry: AidIn,
    school: School,
    answer: AidAnswer | None,
    limits: Standards,
) -> AidRanked:
    why: list[str] = []
    against: list[str] = []
    got, was = r.predicted, bare.predicted
    started = got.verdict in ("started", "late")
    if started:
        why.append(f"Up to speed in {got.time_to_speed_s:.2f} s.")
        if was.time_to_speed_s is None:
            why.append("Without it the motor stalls here.")
        elif (
            r.aid != "none" and got.time_to_speed_s is not None and got.time_to_speed_s < was.time_to_speed_s
        ):
            why.append(f"{was.time_to_speed_s - got.time_to_speed_s:.2f} s faster than with no aid.")
    else:
        against.append(got.sentence)
    gentler = got.max_cycle_rms_a < 0.85 * was.max_cycle_rms_a
    if gentler:
        why.append(f"Largest cycle {got.max_cycle_rms_a:.0f} A instead of {was.max_cycle_rms_a:.0f} A.")
    wants_gentle = entry.goal in ("backup_power", "flicker")
    if wants_gentle and not gentler and r.aid != "none":
        against.append("It does not lower the first cycles: a small source feels them all the same.")
    if r.aid == "ptc_two_wire":
        against.append("It needs three to five minutes and more to cool between starts.")
        if school == "three_wire":
            against.append("Too warm or too often started here for a thermistor.")
    if r.aid == "soft_starter" and r.range is not None and r.range_note:
        against.append(r.range_note)
    if r.aid == "soft_starter":
        against.append(
            "Less torque than the same capacitor across the line; not a cure for a tight compressor."
        )
        against.append(f"It learns: judge it after {r.learning_starts:.0f} starts.")
    if r.aid == "three_in_one":
        against.append("A general overload takes the place of a matched one.")
    if r.aid == "relay_three_wire":
        why.append("Most predictable; relay must be mounted arrow-up.")
    if r.aid == "time_delay" and (entry.metering or entry.plate.metering) == "txv":
        against.append("A hard-shutting valve may hold the pressures apart however long it waits.")
    fits = (
        started
        and not (wants_gentle and not gentler)
        and not (r.aid == "ptc_two_wire" and school == "three_wire")
    )
    if r.aid == "none":
        fits = got.verdict == "started" and not wants_gentle
        if fits:
            why.append("It starts as it should: no aid is needed.")
    if answer is not None and r.aid != "none":
        delay = answer.kind == "delay" and r.aid == "time_delay"
        fits = fits and delay
        if not delay:
            against.insert(0, answer.text)
    return r.model_copy(update={"fits": fits, "why": why, "against": against})


def _order(r: AidRanked, goal: Goal, school: School, answer: AidAnswer | None) -> tuple[int, float, float]:
    """Return what ranks: fitting first, then the goal's own figure, then simpler before dearer."""
    if answer is not None:
        # The cause decides: no aid, or the delay it asks for, stands before every kit.
        own = r.aid == ("time_delay" if answer.kind == "delay" else "none")
        if own:
            return -1, 0.0, 0.0
    got = r.predicted
    seconds = got.time_to_speed_s if got.time_to_speed_s is not None else math.inf
    figure = got.max_cycle_rms_a if goal in ("backup_power", "flicker") else round(seconds, 1)
    simple = {
        "none": 0, "time_delay": 1, "three_in_one": 2,
        "relay_three_wire": 2 if school == "three_wire" else 4,
        "relay_two_wire": 3, "ptc_two_wire": 2 if school == "two_wire" else 6, "soft_starter": 5,
    }[r.aid]  # fmt: skip
    if r.aid == "none" and r.fits and goal != "faster":
        return 0, -1.0, 0.0
    return (0 if r.fits else 1), figure, simple + (r.price or 0.0) / 1e4


def _findings(
    entry: AidIn,
    ranked: list[AidRanked],
    answer: AidAnswer | None,
    school: School,
    school_why: str,
    limits: Standards,
) -> list[Finding]:
    found = []
    best = ranked[0]
    if answer is not None:
        code = "ROOT_CAUSE_FIRST" if answer.kind == "fix" else "CAUSE_DECIDES"
        step = {
            "fix": "Put it right, prove the start again, then decide.",
            "delay": "Fit the delay, or wait it out; then prove a start on equal pressures.",
            "trial": "Have the trial agreed in writing, then fit, start once, and write down what it did.",
            "buys_time": "Say so to the customer; judge a kit as a stopgap only.",
        }[answer.kind]
        found.append(
            Finding(code=code, verdict="watch", text=answer.text, rule="field practice: aids", next_step=step)
        )
    else:
        found.append(
            Finding(
                code="BEST_FIT",
                verdict="pass" if best.fits else "unknown",
                text=f"{best.title}: {' '.join(best.why) or best.predicted.sentence}",
                rule="start model",
                inputs={"goal": entry.goal, "start_torque_nm": best.predicted.start_torque_nm},
                next_step=None
                if best.fits
                else "Nothing offered here fits: more torque, less load, or another goal.",
            )
        )
    if entry.plate.refrigerant is None or find_refrigerant(entry.plate.refrigerant) is None:
        named = entry.plate.refrigerant
        found.append(
            Finding(
                code="REFRIGERANT",
                verdict="unknown",
                text="Refrigerant: not entered. If it burns, only parts listed for it go in."
                if named is None
                else f"Refrigerant {named} is not on the list: it is taken to burn.",
                rule="ASHRAE 34 safety class; the part's own listing",
                next_step="Read it on the plate before anything with a contact or a thermistor is fitted.",
            )
        )
    found.append(
        Finding(
            code="SCHOOL",
            verdict="note",
            text=f"{'Three-wire first' if school == 'three_wire' else 'Two-wire is enough'}: {school_why}.",
            rule=limits.rule("hot_climate_f"),
            inputs={"outdoor_design_f": entry.outdoor_design_f, "cycles_per_hour": entry.cycles_per_hour},
        )
    )
    if entry.plate.tons is not None and best.start_cap_uf is not None:
        found.append(
            Finding(
                code="SANITY",
                verdict="note",
                text=f"{say(best.start_cap_uf, 'µF', 3)} for {entry.plate.tons:g} tons: computed, "
                "not taken from tonnage.",
                rule="start model",
            )
        )
    return found


def refuse_empty_stock(entry: AidIn) -> None:
    """Refuse an empty van: there is nothing to choose from.

    Raises
    ------
    InputProblem : the stock list is empty

    """
    if entry.stock is not None and not entry.stock:
        raise InputProblem(
            [FieldProblem(field="stock", wanted="at least one part, or leave it out", got=0)],
            next_step="Leave stock out to see what would fit, or restock.",
        )
