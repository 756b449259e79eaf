"""What one reading and one call test say, as evidence for the diagnosis and for the stops.

Each call test has its mapping here, beside the topic that judges it; one that is no evidence says why not.
"""

from collections.abc import Callable, Mapping
from typing import Any, get_args

from pydantic import ValidationError

from orange_crank.core.call.facts import TakenTest
from orange_crank.core.diagnosis.model import Evidence, Measured
from orange_crank.core.errors import CrankError
from orange_crank.core.measure.capacitor import Capacitor, CapacitorTop, judge_capacitor, name_capacitor_top
from orange_crank.core.measure.isolation import Isolation, isolate
from orange_crank.core.measure.legs import Imbalance, judge_imbalance
from orange_crank.core.measure.start_kit import StartKit, judge_start_kit
from orange_crank.core.measure.supply_walk import SupplyWalk, SupplyWalkResult, walk_supply
from orange_crank.core.measure.taken import TakenReading
from orange_crank.core.messages import msg
from orange_crank.core.tables.standards import Standards, shipped_standards

MEASURED = set(get_args(Measured))


def evidence_of_reading(reading: TakenReading) -> list[Evidence]:
    """Return what one reading says."""
    entry = reading.entry
    if entry.quantity not in MEASURED:
        return []
    value: Any = entry.value
    if isinstance(value, float) and entry.lead_ohm and entry.quantity.startswith("winding_"):
        value = max(0.0, value - entry.lead_ohm)
    raw: dict[str, Any] = {
        "quantity": entry.quantity,
        "value": float(value) if isinstance(value, int) and not isinstance(value, bool) else value,
        "mode": entry.mode,
        "conductor": entry.conductor,
        "volts": entry.volts,
        "later_a": entry.later_a,
        "plus_minus": entry.plus_minus,
        "reading_id": reading.id,
        "state": "stalled" if entry.outcome == "stalled" else None,
    }
    found = [Evidence.model_validate(raw)]
    if entry.quantity == "inrush_a":
        if entry.volts is not None:
            found.insert(0, Evidence(quantity="line_v_start", value=entry.volts, reading_id=reading.id))
        if entry.seconds and entry.outcome in (None, "started"):
            found.append(Evidence(quantity="start_time_s", value=entry.seconds, reading_id=reading.id))
        if entry.rest_min is not None:
            found.append(Evidence(quantity="minutes_rest", value=entry.rest_min, reading_id=reading.id))
    return found


Entry = Mapping[str, Any]


def _one(quantity: Measured, value: Any, **more: Any) -> list[Evidence]:
    if value is None:
        return []
    return [Evidence.model_validate({"quantity": quantity, "value": value} | more)]


def _isolation(raw: Entry, limits: Standards) -> list[Evidence]:
    test = Isolation.model_validate(raw)
    result = isolate(test, limits)
    tested = [p for p in ("compressor", "fan", "crankcase_heater", "run_capacitor", "start_kit", "wiring")
              if p not in result.untested]  # fmt: skip
    found: list[Evidence] = []
    if test.whole is not None:
        found += _one("to_ground", test.whole)
    if result.shorted:
        found += _one("to_ground", True)
        found += _one("shorted_piece", result.shorted[0])
        if "compressor" in result.shorted:
            found += _one("to_ground", True, where="terminals")
    elif "compressor" in tested:
        found += _one("shorted_piece", "not_compressor")
    return found


def _start_kit(raw: Entry, limits: Standards) -> list[Evidence]:
    result = judge_start_kit(StartKit.model_validate(raw), limits)
    kind = raw.get("kind")
    ohms = raw.get("ptc_ohm") if kind == "ptc" else raw.get("contact_ohm")
    if kind in ("current_relay", "external_overload"):
        # The start relay and overload of small refrigeration: no kit, but what takes its place there.
        return _one("start_relay_verdict", _GOOD_OR_BAD.get(result.verdict))
    known = kind if kind in ("ptc", "potential_relay", "electronic", "three_in_one") else "unknown"
    return [
        *_one("start_kit_present", True),
        *_one("start_kit_kind", known),
        *_one("start_kit_contact_ohm", ohms),
        *_one("start_cap_uf", raw.get("start_cap_uf")),
        *_one("start_kit_verdict", _GOOD_OR_BAD.get(result.verdict)),
    ]


_GOOD_OR_BAD = {"pass": "good", "watch": "good", "fail": "bad"}


def _capacitor_top(raw: Entry, limits: Standards) -> list[Evidence]:
    top = name_capacitor_top(CapacitorTop.model_validate(raw), limits)
    if top.verdict != "pass":
        return []
    return [*_one("run_cap_uf", top.herm_uf), *_one("fan_cap_uf", top.fan_uf)]


def _capacitor(raw: Entry, limits: Standards) -> list[Evidence]:
    result = judge_capacitor(Capacitor.model_validate(raw), limits)
    return _one("run_cap_uf", result.measured_uf, plus_minus=result.plus_minus_uf, state="running")


def _winding_amps(raw: Entry, limits: Standards) -> list[Evidence]:
    del limits
    return [
        *_one("running_a", raw.get("common_a"), conductor="common"),
        *_one("run_a", raw.get("run_a")),
        *_one("start_a", raw.get("start_a")),
    ]


def _legs(raw: Entry, limits: Standards) -> list[Evidence]:
    del limits
    return [
        e
        for quantity, leg in (("leg_a_n_v", "leg_a"), ("leg_b_n_v", "leg_b"))
        for state, key in (("idle", "idle"), ("starting", "start"))
        for e in _one(quantity, raw.get(f"{leg}_{key}_v"), state=state)  # type: ignore[arg-type]
    ]


def _refrigerant(raw: Entry, limits: Standards) -> list[Evidence]:
    del limits
    return [
        *_one("suction_psig", raw.get("idle_suction_psig"), state="idle"),
        *_one("discharge_psig", raw.get("idle_discharge_psig"), state="idle"),
        *_one("suction_psig", raw.get("suction_psig"), state="running"),
        *_one("discharge_psig", raw.get("discharge_psig"), state="running"),
        *_one("superheat_f", raw.get("superheat_f")),
        *_one("subcooling_f", raw.get("subcooling_f")),
        *_one("charge", raw.get("charge")),
        *_one("line_set_ft", raw.get("line_set_ft")),
        *_one("minutes_rest", raw.get("rest_min")),
    ]


def _imbalance(raw: Entry, limits: Standards) -> list[Evidence]:
    result = judge_imbalance(Imbalance.model_validate(raw), limits)
    pct = result.volts_pct
    if pct is None and result.amps_pct is not None:
        # Amps differ several times as much as the volts behind them.
        pct = result.amps_pct * limits.volt_imbalance_pct / limits.amp_imbalance_pct
    return [*_one("phase_lost", result.lost is not None), *_one("phase_imbalance_pct", pct)]


def _supply_walk(raw: Entry, limits: Standards) -> list[Evidence]:
    found = walk_supply(SupplyWalk.model_validate(raw), limits)
    stops = {s["point"]: s for s in raw.get("stops", [])}

    def nearest(points: tuple[str, ...], state: str) -> float | None:
        return next((v for p in points if p in stops and (v := stops[p].get(state)) is not None), None)

    panel, end = ("panel_bus", "breaker_load"), ("terminals", "contactor_load")
    return [
        *_one("lossy_segment", _segment_word(found)),
        *_one("line_v_idle", nearest(panel, "idle_v"), where="panel"),
        *_one("line_v_run", nearest(end, "running_v"), where="terminals"),
        *_one("line_v_start", nearest(panel, "dip_v"), where="panel"),
        *_one("terminal_v_start", nearest(end, "dip_v"), where="terminals"),
    ]


_SEGMENT_WORDS: Mapping[tuple[str, str], str] = {
    ("panel_bus", "breaker_load"): "breaker",
    ("contactor_line", "contactor_load"): "contacts",
}


def _segment_word(walk: SupplyWalkResult) -> str | None:
    """Name the segment that loses most of those that fail; "none" where every one measured passes."""
    bad = [s for s in walk.segments if s.verdict == "fail"]
    if bad:
        worst_one = max(bad, key=lambda s: s.excess_v or 0.0)
        return _SEGMENT_WORDS.get((worst_one.start, worst_one.end), "joint")
    return "none" if walk.segments and all(s.verdict == "pass" for s in walk.segments) else None


OF_TEST: Mapping[str, Callable[[Entry, Standards], list[Evidence]]] = {
    "isolation": _isolation,
    "start-kit": _start_kit,
    "capacitor-top": _capacitor_top,
    "legs": _legs,
    "supply-walk": _supply_walk,
    "capacitor": _capacitor,
    "winding-amps": _winding_amps,
    "refrigerant": _refrigerant,
    "imbalance": _imbalance,
}
NO_EVIDENCE: Mapping[str, str] = {
    "heat-strips": msg("Electric heat tells nothing of how a compressor starts.")
}


def evidence_of_test(test: TakenTest, limits: Standards | None = None) -> list[Evidence]:
    """Return what a test of several readings says; nothing where today's rules cannot read it."""
    rule = OF_TEST.get(test.topic)
    if rule is None:
        return []
    try:
        return rule(test.entry, limits or shipped_standards())
    except (CrankError, ValidationError, ArithmeticError):
        return []
