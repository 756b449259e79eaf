"""Each candidate with its computed start, or why it is not offered."""

from orange_crank.core.aids.entry import (
    TITLES,
    AidIn,
    AidName,
    AidPart,
    AidRanked,
    AidRefused,
    Goal,
)
from orange_crank.core.aids.kinds import FIT, Job, NotOffered
from orange_crank.core.backup.entry import LIGHT_LOAD_PCT
from orange_crank.core.backup.supply import dropout_pct
from orange_crank.core.errors import CrankError
from orange_crank.core.messages import msg
from orange_crank.core.motor.entry import StartIn
from orange_crank.core.motor.machine import Machine
from orange_crank.core.motor.on_source import DROPOUT_PCT, judge_on_source
from orange_crank.core.motor.start import compute_start
from orange_crank.core.motor.start_capacitor import jumpers
from orange_crank.core.tables.refrigerants import why_not_beside
from orange_crank.core.tables.standards import Standards

MOUNTING: dict[AidName, str] = {
    "relay_three_wire": msg("relay arrow up; capacitor upright if possible"),
    "soft_starter": msg("only in the positions its maker allows; rain-tight only; do not hose down"),
    "three_in_one": msg("clear of the shell, leads not stretched"),
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


def candidate(
    entry: AidIn, part: AidPart, base: StartIn, machines: list[Machine], limits: Standards
) -> AidRanked | AidRefused:
    """Return one candidate with its computed start, or why it is not offered."""
    plate, first = entry.plate, entry.plate.compressors[0]
    lra = float(first.lra_a or 0.0)

    def no(why: str) -> AidRefused:
        return AidRefused(aid=part.aid, title=TITLES[part.aid], part=name_of(part), why=why)

    if part.aid not in ("none", "time_delay"):
        burning = why_not_beside(plate.refrigerant, part.listed_for)
        if burning is not None:
            return no(burning)
    if part.rla_high_a is not None and first.rla_a > part.rla_high_a:
        return no(
            msg(
                "Made for up to {rla_high_a:g} A; the nameplate shows {rla_a:g} A RLA.",
                rla_high_a=part.rla_high_a,
                rla_a=first.rla_a,
            )
        )
    if part.rla_low_a is not None and first.rla_a < part.rla_low_a:
        return no(
            msg(
                "Made for {rla_low_a:g} A and more; the nameplate shows {rla_a:g} A RLA.",
                rla_low_a=part.rla_low_a,
                rla_a=first.rla_a,
            )
        )
    if part.lra_high_a is not None and lra > part.lra_high_a:
        return no(
            msg(
                "Made for up to {lra_high_a:g} A locked rotor; the nameplate shows {lra:g} A.",
                lra_high_a=part.lra_high_a,
                lra=lra,
            )
        )
    if part.count == 0:
        return no(msg("None on the van."))
    if part.volts_line is not None and plate.volts > 1.05 * part.volts_line:
        return no(
            msg(
                "Made for lines to {volts_line:g} V; the nameplate shows {volts:g} V.",
                volts_line=part.volts_line,
                volts=plate.volts,
            )
        )
    try:
        made = FIT[part.aid](Job(entry=entry, part=part, base=base, machines=machines, limits=limits))
        predicted = compute_start(base.model_copy(update={"aid": made.aid}), limits)
    except NotOffered as why:
        return no(str(why))
    except CrankError as problem:
        return no(problem.detail)
    return AidRanked(
        aid=part.aid,
        title=TITLES[part.aid],
        part=name_of(part),
        fits=False,
        why=[],
        against=[],
        start_cap_uf=made.start_cap_uf,
        start_cap_range=made.size,
        relay=made.relay,
        range=made.span,
        range_note=edge(part, first.rla_a),
        taps_uf=made.taps_uf,
        sections_uf=part.sections_uf,
        tried=made.aid,
        jumpers=jumpers(made.taps_uf),
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
            return msg(
                "{rla_a:g} A RLA is near its {word} end, {edge:g} A: hold the {other} one beside it.",
                rla_a=rla_a,
                word=word,
                edge=edge,
                other=other,
            )
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
