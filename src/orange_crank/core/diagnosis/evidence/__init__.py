"""Readings and symptoms turned into facts, by the measuring core's own judgement.

A fact has one outcome, however many readings speak of it: the most direct source counts, the others only
agree or contradict. No threshold stands here; they are the measuring core's and the shop's.
"""

from collections.abc import Callable

from pydantic import ValidationError

from orange_crank.core.diagnosis.evidence import (
    capacitors,
    ground_and_windings,
    parts,
    refrigerant,
    start,
    supply,
)
from orange_crank.core.diagnosis.evidence.contradictions import contradictions
from orange_crank.core.diagnosis.evidence.readings import Observed, Readings, Seen, flag, over
from orange_crank.core.diagnosis.model import DiagnoseIn, Symptom
from orange_crank.core.errors import CrankError, input_problem
from orange_crank.core.messages import msg
from orange_crank.core.tables.standards import Standards

_BEHAVIOUR: tuple[tuple[Symptom, str, str], ...] = (
    ("trips_at_once", "trips_at_once", msg("It trips at once.")),
    ("hums_no_start", "hums", msg("It hums and does not start.")),
    ("slow_start", "slow", msg("It starts slowly.")),
    ("starts_then_trips", "starts_then_trips", msg("It starts, then trips.")),
    ("trips_after_minutes", "trips_after_minutes", msg("It trips after minutes.")),
    ("fan_only", "fan_only", msg("Only the fan runs.")),
    ("controls_on_nothing_runs", "nothing", msg("Controls are on and nothing runs.")),
    ("no_sound", "nothing", msg("No sound at all.")),
)
_YES: tuple[tuple[Symptom, str, str], ...] = (
    ("lights_dim", "lights_dim", msg("Lights dim as it starts.")),
    ("starts_after_long_rest", "after_long_rest", msg("It starts after a long rest.")),
    ("starts_rarely", "rarely", msg("It starts only sometimes.")),
    ("rattles", "rattles", msg("It rattles.")),
    ("contactor_hums", "contactor_hums", msg("The contactor hums.")),
    ("short_cycles", "short_cycles", msg("It short cycles.")),
    ("runs_hot", "runs_hot", msg("It runs hot.")),
    ("upgrade_only", "upgrade", msg("Upgrade only; no fault reported.")),
    ("will_not_run_on_backup", "backup", msg("It will not run on backup power.")),
)


def observe(entry: DiagnoseIn, limits: Standards) -> Seen:
    """Turn symptoms and readings into facts.

    Notes
    -----
    If one rule fails on what it was given the others still run, and it is reported.

    """
    seen = Seen()
    for symptom, outcome, text in _BEHAVIOUR:
        if symptom in entry.symptoms:
            seen.facts["start_behaviour"] = Observed("start_behaviour", (outcome,), text, (symptom,))
            break
    for symptom, fact, text in _YES:
        if symptom in entry.symptoms:
            seen.facts[fact] = Observed(fact, ("yes",), text, (symptom,))
    if "upgrade_only" in entry.symptoms and "start_behaviour" not in seen.facts:
        seen.facts["start_behaviour"] = Observed(
            "start_behaviour", ("normal",), msg("Nothing is complained of."), ("upgrade_only",)
        )
    if entry.supply_restored:
        seen.facts["outage"] = Observed(
            "outage", ("yes",), msg("Power was out just before."), ("supply_restored",)
        )
    if entry.kit_trial in ("started", "did_not_start"):
        text = (
            msg("The agreed trial started it.")
            if entry.kit_trial == "started"
            else msg("The agreed trial did not start it.")
        )
        seen.facts["kit_trial"] = Observed("kit_trial", (entry.kit_trial,), text, ("kit_trial",))
    readings = Readings(entry, limits)
    for rule in _RULES:
        readings.used = []
        try:
            found = rule(readings)
        except (CrankError, ValidationError, ArithmeticError) as trouble:
            reason = (
                input_problem(trouble).detail
                if isinstance(trouble, ValidationError)
                else trouble.detail
                if isinstance(trouble, CrankError)
                else msg("a reading of zero")
            )
            seen.crashed.append(f"{rule.__name__.replace('_', ' ')}: {reason}")
            continue
        if found is not None:
            seen.facts[found.fact] = found
    seen.contradictions = contradictions(entry, readings)
    return seen


_RULES: tuple[Callable[[Readings], Observed | None], ...] = (
    ground_and_windings.to_ground,
    ground_and_windings.shorted_piece,
    ground_and_windings.start_relay,
    ground_and_windings.windings,
    capacitors.run_capacitor,
    capacitors.fan_capacitor,
    capacitors.can_look,
    parts.contactor_look,
    parts.fuse,
    parts.kit,
    parts.kit_bypassed,
    parts.coil,
    flag(
        "control_fuse",
        "control_fuse_open",
        "open",
        "whole",
        msg("Control fuse open."),
        msg("Control fuse good."),
    ),
    flag(
        "control_switch",
        "control_switch_open",
        "open",
        "closed",
        msg("A float or pressure switch is open."),
        msg("Float and pressure switches closed."),
    ),
    flag(
        "legs_short",
        "legs_shorted",
        "short",
        "clear",
        msg("Leg to leg it is shorted, compressor leads off."),
        msg("Leg to leg it is clear, compressor leads off."),
    ),
    flag(
        "utility_start",
        "starts_on_utility",
        "starts",
        "same",
        msg("On the utility it starts."),
        msg("Same problem on utility power."),
    ),
    flag(
        "kit_wiring",
        "start_kit_wired_right",
        "right",
        "wrong",
        msg("The kit is wired right."),
        msg("The kit is wired wrong."),
    ),
    flag(
        "fan_turns",
        "fan_rotation_ok",
        "right",
        "wrong",
        msg("The fan blows the right way."),
        msg("The fan turns backward."),
    ),
    flag(
        "pull_in",
        "contactor_pulled_in",
        "in",
        "out",
        msg("The contactor pulled in."),
        msg("The contactor did not pull in."),
    ),
    parts.what_tripped,
    supply.lug,
    ground_and_windings.pins,
    capacitors.can_label,
    supply.line_at_unit,
    start.carries,
    flag(
        "delay",
        "delay_active",
        "active",
        "no",
        msg("A delay or lockout shows."),
        msg("No delay or lockout shows."),
    ),
    refrigerant.rotation,
    flag("condenser", "condenser_dirty", "dirty", "clean", msg("Condenser dirty."), msg("Condenser clean.")),
    flag(
        "leads_off",
        "fan_only_runs",
        "holds",
        "trips",
        msg("With the compressor leads off the breaker holds."),
        msg("With the compressor leads off it still trips."),
    ),
    parts.status,
    supply.supply_idle,
    supply.panel_dip,
    supply.path_loss,
    supply.terminal_volts,
    parts.contactor_drop,
    start.far_above,
    start.turning,
    start.start_time,
    start.running,
    start.fan,
    supply.legs,
    supply.imbalance,
    refrigerant.pressures,
    refrigerant.head,
    refrigerant.charge,
    start.rest,
    start.start_branch,
    supply.breaker,
    over(
        "lines", "line_set_ft", lambda s: s.long_line_ft, "ordinary", "long", msg("{value:g}\xa0ft of line.")
    ),
    over("idle_days", "idle_days", lambda s: s.idle_days_many, "few", "many", msg("{value:g} days idle.")),
)

__all__ = ["Observed", "Readings", "Seen", "observe"]
