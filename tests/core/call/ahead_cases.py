"""What a device without signal has to say of what travelled with a call: cases for the screens' own test."""

import random
from datetime import timedelta
from typing import Any

from jsonschema_rs import validator_for

from orange_crank.core.call.ahead.gates import STEPS
from orange_crank.core.call.ahead.limits import side_of
from orange_crank.core.call.ahead.make_safe import surely_dead
from orange_crank.core.call.ahead.travels import Ahead, ahead_of
from orange_crank.core.call.facts import CallFacts
from orange_crank.core.call.judge import judge_call
from orange_crank.core.plate import Plate
from orange_crank.core.safety.state import SafetyEvent, call_state
from orange_crank.core.tables.standards import shipped_standards
from orange_crank.demo.player import make_safe_record

LIMITS = shipped_standards()
SPLIT = Plate(
    volts=230,
    phase=1,
    compressors=[{"rla_a": 16.7, "lra_a": 97}],
    motors=[{"fla_a": 1.2}],
    run_cap_uf=45,
    fan_cap_uf=5,
)
ROOFTOP = Plate(volts=208, phase=3, compressors=[{"rla_a": 11.2, "lra_a": 75}])


def _entries(rng: random.Random, ahead: Ahead) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = []
    for limit in ahead.limits:
        beside = {field: rng.choice(values) for field, values in limit.when.items()}
        if limit.at_v is not None or limit.volts_as is not None:
            beside["volts"] = rng.choice([None, 197.0, 230.0, 251.5, 290.0])
        values: list[Any] = [s.value for s in limit.said]
        for band in limit.bands[:-1]:
            values += [band.high, float(f"{band.high * rng.uniform(0.9, 1.1):.5g}")]
        values += [limit.bands[-1].high] if limit.bands else []
        found += [{"quantity": limit.quantity, "value": v} | beside for v in values]
    found.append({"quantity": "run_cap_uf", "value": 44.0, "accuracy_pct": 2.0})
    found.append(
        {"quantity": "inrush_a", "value": 60.0, "mode": "inrush", "conductor": "common", "later_a": 12.0}
    )
    return found


def _walks(rng: random.Random, ahead: Ahead) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = []
    for _ in range(12):
        steps = [rng.choice(STEPS) for _ in range(rng.randint(0, 6))]
        at = 0
        for step in steps:
            at = ahead.gates.states[at].on.get(step, at)
        state = ahead.gates.states[at]
        open_ = [n for n, g in zip(ahead.gates.names, state.gates, strict=True) if ahead.gates.gates[g].ok]
        found.append({"steps": steps, "state": state.state, "open": sorted(open_)})
    return found


def _records() -> list[dict[str, Any]]:
    whole = make_safe_record("single_phase_two_leg", ["c_herm", "c_fan"]).model_dump(mode="json")
    rooftop = make_safe_record("three_phase", ["c_herm"]).model_dump(mode="json")
    inverter = make_safe_record("single_phase_two_leg", ["dc_bus"]).model_dump(mode="json")
    live = {"place": "contactor_load", "pair": "L1-L2", "reading_v": 118.0}
    return [
        whole,
        rooftop,
        inverter,
        whole | {"dry": None},
        whole | {"has_capacitors": False, "sections_present": [], "capacitors": []},
        whole | {"capacitors": whole["capacitors"][:1], "sections_present": ["c_herm"]},
        whole
        | {
            "capacitors": whole["capacitors"][:1],
            "sections_present": ["c_herm"],
            "less_reason": "fan capacitor was taken off",
        },
        whole | {"control_off": False},
        whole | {"other_sources": ["backup source"]},
        whole | {"proof_before": None},
        whole | {"proof_after": {"source": "panel", "expected_v": 120, "reading_v": 88.0}},
        whole | {"dead_points": whole["dead_points"][:-1]},
        whole | {"dead_points": [], "largest_dead_v": 0.3},
        whole | {"dead_points": [*whole["dead_points"][1:], live]},
        whole | {"capacitors": whole["capacitors"][:1]},
        whole | {"capacitors": [c | {"after_v": 14.0} for c in whole["capacitors"]]},
        inverter | {"capacitors": []},
        rooftop | {"supply": "single_phase_two_leg", "dead_points": rooftop["dead_points"][-2:]},
    ]


def _lacking(record: dict[str, Any]) -> list[str]:
    return [p.next_step for p in surely_dead(LIMITS, SPLIT) if not validator_for(p.fits).is_valid(record)]


def cases(facts_of: Any, moment: Any) -> list[dict[str, Any]]:
    """Return what travels with some calls, beside what is to be found in it."""
    rng = random.Random(18)
    proved = SafetyEvent(
        kind="made_safe", at=moment, record=make_safe_record("single_phase_two_leg", ["c_herm"])
    )
    told: list[dict[str, Any]] = []
    for plate, events in ((SPLIT, []), (ROOFTOP, [proved]), (None, [])):
        state = call_state(events, moment + timedelta(minutes=1), LIMITS)
        facts: CallFacts = facts_of(plate, state, events)
        ahead = ahead_of(judge_call(facts, LIMITS))
        assert ahead is not None
        entries = _entries(rng, ahead)
        told.append(
            {
                "ahead": ahead.model_dump(mode="json"),
                "entries": [[e, side_of(ahead.limits, e)] for e in entries],
                "since": [
                    [{"quantity": "run_cap_uf", "value": 44.0}, ["can_label_uf"], "depends"],
                    [{"quantity": "outdoor_f", "value": 90.0}, ["run_cap_uf"], "note"],
                ],
                "walks": _walks(rng, ahead),
                "records": [[r, _lacking(r)] for r in _records()] if plate is SPLIT else [],
            }
        )
    return told
