"""Each candidate with its computed start, or why it is not offered."""

from orange_crank.core.aids.entry import (
    TITLES,
    AidIn,
    AidName,
    AidPart,
    AidRange,
    AidRanked,
    AidRefused,
    Goal,
)
from orange_crank.core.aids.own_relay import own_relay, why_no_relay
from orange_crank.core.aids.relay import RelayChoice, choose_relay, relay_window
from orange_crank.core.backup.entry import LIGHT_LOAD_PCT
from orange_crank.core.backup.supply import dropout_pct
from orange_crank.core.errors import CrankError
from orange_crank.core.motor.assemble import CEILING_SHARE
from orange_crank.core.motor.entry import Aid, StartIn
from orange_crank.core.motor.machine import Machine
from orange_crank.core.motor.on_source import DROPOUT_PCT, judge_on_source
from orange_crank.core.motor.start import compute_start
from orange_crank.core.motor.start_capacitor import (
    best_start_capacitor,
    jumpers,
    overdrives,
    sections,
    start_capacitor_volts,
)
from orange_crank.core.motor.typical import SOFT_OVER_RUN
from orange_crank.core.tables import StartCapacitorRange
from orange_crank.core.tables.refrigerants import why_not_beside
from orange_crank.core.tables.standards import Standards

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


GOAL_LOAD_PCT: dict[Goal, float] = {
    "start_at_all": 60.0, "faster": 20.0, "backup_power": LIGHT_LOAD_PCT, "flicker": 15.0, "long_lines": 50.0,
}  # fmt: skip


def candidates(entry: AidIn) -> list[AidPart]:
    """Return no aid, then what is on the van, or one of each kind where no stock is given."""
    bare = [AidPart(part="none", aid="none")]
    if entry.stock is not None:
        return bare + list(entry.stock)
    names: list[AidName] = [n for n in TITLES if n != "none"]
    return bare + [AidPart(part=TITLES[n], aid=n) for n in names]


# A three-in-one is made for motors up to so much; each part says its own range.
THREE_IN_ONE_HP = 1.0
# Lines within so many per cent of a part's volts are its own.
SAME_LINE_PCT = 15.0


def without_run_capacitor(entry: AidIn) -> bool:
    """Tell whether this is small refrigeration, whose motor has a start relay and no run capacitor."""
    plate = entry.plate
    small = plate.hp is not None and plate.hp <= THREE_IN_ONE_HP
    captube = (entry.metering or plate.metering) == "captube"
    return plate.run_cap_uf is None and entry.run_cap_uf is None and (small or captube)


def why_not_three_in_one(entry: AidIn, part: AidPart) -> str | None:
    """Return why a three-in-one does not suit: kind of machine, horsepower, volts; None where it does."""
    plate = entry.plate
    if not without_run_capacitor(entry):
        return "For fractional-horsepower capillary-tube refrigeration without a run capacitor."
    if plate.hp is None:
        return "Chosen by horsepower and volts. Horsepower: not entered; read it on the compressor."
    low, high = part.hp_low or 0.0, part.hp_high or THREE_IN_ONE_HP
    # A sixth is printed as 0.16 here and 0.167 there.
    if not 0.97 * low <= plate.hp <= 1.03 * high:
        return f"Made for {low:g} to {high:g} hp; this compressor has {plate.hp:g} hp."
    if part.volts_line is not None and 100 * abs(plate.volts / part.volts_line - 1) > SAME_LINE_PCT:
        return f"Made for {part.volts_line:g} V; the plate says {plate.volts:g} V."
    return None


def candidate(
    entry: AidIn, part: AidPart, base: StartIn, machines: list[Machine], limits: Standards
) -> AidRanked | AidRefused:
    """Return one candidate with its computed start, or why it is not offered."""
    plate, first = entry.plate, entry.plate.compressors[0]
    lra = float(first.lra_a or 0.0)
    machine = machines[0]

    def no(why: str) -> AidRefused:
        return AidRefused(aid=part.aid, title=TITLES[part.aid], part=name_of(part), why=why)

    if part.aid not in ("none", "time_delay"):
        burning = why_not_beside(plate.refrigerant, part.listed_for)
        if burning is not None:
            return no(burning)
    if part.aid == "three_in_one":
        unfit = why_not_three_in_one(entry, part)
        if unfit is not None:
            return no(unfit)
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
            taps = sections(part.sections_uf, (wanted.low_uf + wanted.high_uf) / 2)
            uf = sum(taps)
        if uf is None:
            size = best_start_capacitor(machine, plate.volts, run_uf, limits)
            if size is None:
                return no("No standard start capacitor suits without overdriving the start winding.")
            middle = (size.low_uf + size.high_uf) / 2
            # Capacitor and relay are one choice: a size beside this one may have a relay where it has none.
            uf = next(
                (
                    at
                    for at in (middle, size.high_uf, size.low_uf)
                    if choose_relay(relay_window(machines, plate.volts, run_uf, at, entry.running_s_c_v))
                ),
                middle,
            )
        if entry.stock is not None and overdrives(machine, plate.volts, run_uf, uf, limits):
            return no(f"{uf:g} µF would overdrive the start winding of this compressor.")
        window = relay_window(machines, plate.volts, run_uf, uf, entry.running_s_c_v)
        relay = own_relay(part, window) if part.pickup_low_v is not None else choose_relay(window)
        if relay is None and part.aid == "relay_three_wire":
            return no(why_no_relay(part, window))
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
        aid = Aid(
            kind="ptc",
            cold_ohm=part.cold_ohm or round(2.0 * plate.volts / first.rla_a, 1),
            # Half of each cycle is rest.
            minutes_since_last_start=30.0 / entry.cycles_per_hour if entry.cycles_per_hour else None,
        )
    elif part.aid == "soft_starter":
        uf = uf or round(SOFT_OVER_RUN * (run_uf or 30.0), 0)
        ceiling_a, half_a = round((part.ceiling_ratio or CEILING_SHARE) * lra, 1), round(lra / 2, 1)
        aid = Aid(kind="soft_starter", start_cap_uf=uf, ceiling_a=ceiling_a)
        try:
            half = compute_start(
                base.model_copy(update={"aid": aid.model_copy(update={"ceiling_a": half_a})}), limits
            )
        except CrankError as problem:
            return no(problem.detail)
        span = AidRange(
            rla_a=first.rla_a,
            lra_a=lra,
            ceiling_a=ceiling_a,
            half_ceiling_a=half_a,
            half_time_to_speed_s=half.time_to_speed_s,
        )
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
        part=name_of(part),
        fits=False,
        why=[],
        against=[],
        start_cap_uf=uf,
        start_cap_range=size,
        relay=relay,
        range=span,
        range_note=edge(part, first.rla_a),
        taps_uf=taps,
        sections_uf=part.sections_uf,
        tried=aid,
        jumpers=jumpers(taps),
        mounting=part.mounting or MOUNTING.get(part.aid),
        min_off_s=part.min_off_s if part.min_off_s is not None else MIN_OFF_S.get(part.aid),
        learning_starts=part.learning_starts
        if part.aid == "soft_starter" and part.learning_starts is not None
        else int(limits.learning_starts)
        if part.aid == "soft_starter"
        else None,
        wiring_plan=plan_of(part),
        count=part.count,
        predicted=predicted,
        on_source=None
        if base.source.kind == "utility"
        else judge_on_source(
            predicted, plate.volts, limits, dropout_pct(entry.backup) if entry.backup else DROPOUT_PCT
        ),
        price=part.price,
        cost=None
        if part.price is None
        else round(part.price + MINUTES[part.aid] / 60 * limits.labor_rate_per_hour, 2),
    )


def edge(part: AidPart, rla_a: float) -> str | None:
    """Say where a compressor stands near a class boundary: then both classes are worth a look."""
    for edge, word in ((part.rla_high_a, "upper"), (part.rla_low_a, "lower")):
        if part.aid == "soft_starter" and edge is not None and abs(rla_a - edge) <= 0.12 * edge:
            other = "larger" if word == "upper" else "smaller"
            return f"{rla_a:g} A RLA is near its {word} end, {edge:g} A: hold the {other} one beside it."
    return None


def plan_of(part: AidPart) -> str | None:
    """Return the wiring plan of a kind of aid."""
    if part.aid == "soft_starter":
        return "soft_starter_five_lead" if part.leads == 5 else "soft_starter_four_lead"
    if part.sections_uf is not None:
        return "multi_value_start_capacitor"
    return {
        "ptc_two_wire": "two_wire_kit", "relay_two_wire": "two_wire_kit",
        "relay_three_wire": "three_wire_kit", "three_in_one": "three_in_one",
    }.get(part.aid)  # fmt: skip


def name_of(part: AidPart) -> str | None:
    """Return the part number; None for one of each kind."""
    return None if part.part in ("none", TITLES[part.aid]) else part.part
