"""A call's record as the diagnosis takes it."""

from collections.abc import Mapping, Sequence
from typing import Annotated, Any, Literal, get_args

from pydantic import AwareDatetime, Field

from orange_crank.core.diagnosis.model import (
    CallWork,
    DiagnoseIn,
    Evidence,
    Hazard,
    History,
    Hypothesis,
    Measured,
    Past,
    Symptom,
    Where,
)
from orange_crank.core.measure.dead_tests import TakenReading
from orange_crank.core.measure.legs import Imbalance, judge_imbalance
from orange_crank.core.nomenclature import Flag, Frozen, Sentence, Word
from orange_crank.core.plate import Plate
from orange_crank.core.safety.state import StateName

_WORK: Mapping[str, CallWork] = {
    "as_found": "live",
    "live": "live",
    "dead_proved": "dead",
    "control_live": "control_live",
    "lapsed": "unproved",
}
_MEASURED = set(get_args(Measured))


class SeenNote(Frozen):
    """Something asked or looked at on the Why rung itself; everything else has its own rung."""

    quantity: Measured
    label: str
    unit: str = ""
    kind: Literal["flag", "figure", "word"] = "flag"
    words: tuple[str, ...] = ()
    where: Where | None = None


SEEN_HERE: tuple[SeenNote, ...] = (
    SeenNote(quantity="minutes_rest", label="Rested before the start", unit="min", kind="figure"),
    SeenNote(quantity="delay_active", label="Delay or lockout shows"),
    SeenNote(quantity="status_code", label="Status code, or none", kind="word"),
    SeenNote(quantity="condenser_dirty", label="Condenser dirty"),
    SeenNote(quantity="breaker_a", label="Breaker", unit="A", kind="figure"),
    SeenNote(quantity="line_set_ft", label="Line set, one way", unit="ft", kind="figure"),
    SeenNote(quantity="idle_days", label="Stood idle", unit="d", kind="figure"),
    SeenNote(quantity="charge", label="Charge", kind="word", words=("low", "right", "over", "unknown")),
    SeenNote(quantity="rotation_ok", label="Turns the right way"),
    SeenNote(quantity="control_fuse_open", label="Control fuse open"),
    SeenNote(quantity="fan_only_runs", label="Leads off: the breaker holds"),
    SeenNote(quantity="start_kit_present", label="A start kit is fitted"),
    SeenNote(quantity="start_kit_bypassed_starts", label="Kit lifted: it starts"),
    SeenNote(quantity="pressures_equal", label="Pressures equal at rest"),
    SeenNote(
        quantity="line_v_start", label="Panel, lowest in the start", unit="V", kind="figure", where="panel"
    ),
    SeenNote(
        quantity="terminal_v_start",
        label="Terminals, lowest in the start",
        unit="V",
        kind="figure",
        where="terminals",
    ),
)


class WhyRecord(Frozen):
    """What was told and looked at: the whole of it, as it stands now."""

    symptoms: list[Symptom] = Field(default_factory=list, max_length=16)
    seen: list[Evidence] = Field(default_factory=list, max_length=40)
    hazards: list[Hazard] = Field(default_factory=list)
    supply_restored: Flag = False


class Trial(Frozen):
    """One trial of a start kit on a locked rotor."""

    agreed_with: Word = Field(description="Who agreed to it, in writing, beforehand")
    result: Annotated[str | None, Field(pattern="^(started|did_not_start)$")] = None


class Decision(Frozen):
    """What was decided, with the evidence it stood on."""

    kind: str
    hypothesis: Hypothesis | None = None
    note: Sentence = ""
    trial: Trial | None = None
    put_right: list[Word] = Field(default_factory=list, description="What killed it, and what was put right")


class Taken(Frozen):
    """Several readings taken together, with their topic."""

    topic: str
    entry: dict[str, Any]
    taken_at: AwareDatetime


def entry_of_call(
    plate: Plate,
    readings: Sequence[TakenReading],
    tests: Sequence[Taken],
    record: WhyRecord,
    state: StateName,
    history: History,
    trial: Trial | None,
) -> DiagnoseIn:
    """Gather a call into one entry: readings in the order they were taken, what was looked at last."""
    found: list[Evidence] = []
    for test in tests:
        found += _of_test(test)
    for reading in readings:
        found += _of_reading(reading)
    found += record.seen
    return DiagnoseIn(
        plate=plate,
        symptoms=record.symptoms,
        readings=found,
        history=history,
        work=_WORK[state],
        hazards=record.hazards,
        supply_restored=record.supply_restored,
        kit_trial=None if trial is None else (trial.result or "agreed"),
    )


def _of_reading(reading: TakenReading) -> list[Evidence]:
    entry = reading.entry
    if entry.quantity not in _MEASURED:
        return []
    raw: dict[str, Any] = {
        "quantity": entry.quantity,
        "value": float(entry.value)
        if isinstance(entry.value, int) and not isinstance(entry.value, bool)
        else entry.value,
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
        if entry.seconds is not None and entry.outcome in (None, "started"):
            found.append(Evidence(quantity="start_time_s", value=entry.seconds, reading_id=reading.id))
        if entry.rest_min is not None:
            found.append(Evidence(quantity="minutes_rest", value=entry.rest_min, reading_id=reading.id))
    return found


def _of_test(test: Taken) -> list[Evidence]:
    raw = test.entry

    def one(quantity: Measured, value: Any, **more: Any) -> list[Evidence]:
        if value is None:
            return []
        return [Evidence.model_validate({"quantity": quantity, "value": value} | more)]

    if test.topic == "legs":
        return [
            e
            for leg in ("a", "b")
            for state, key in (("idle", "idle"), ("starting", "start"))
            for e in one(f"leg_{leg}_n_v", raw.get(f"leg_{leg}_{key}_v"), state=state)  # type: ignore[arg-type]
        ]
    if test.topic == "start-kit":
        ohms = raw.get("contact_ohm") if raw.get("kind") != "ptc" else raw.get("ptc_ohm")
        kind = raw.get("kind") if raw.get("kind") in ("ptc", "potential_relay", "electronic") else "unknown"
        return [
            *one("start_kit_present", True),
            *one("start_kit_kind", kind),
            *one("start_kit_contact_ohm", ohms),
        ]
    if test.topic == "refrigerant":
        return [
            *one("suction_psig", raw.get("idle_suction_psig"), state="idle"),
            *one("discharge_psig", raw.get("idle_discharge_psig"), state="idle"),
            *one("suction_psig", raw.get("suction_psig"), state="running"),
            *one("discharge_psig", raw.get("discharge_psig"), state="running"),
            *one("superheat_f", raw.get("superheat_f")),
            *one("subcooling_f", raw.get("subcooling_f")),
            *one("charge", raw.get("charge")),
            *one("line_set_ft", raw.get("line_set_ft")),
            *one("minutes_rest", raw.get("rest_min")),
        ]
    if test.topic == "imbalance":
        result = judge_imbalance(Imbalance.model_validate(raw))
        return one(
            "phase_imbalance_pct", result.volts_pct if result.volts_pct is not None else result.amps_pct
        )
    if test.topic == "supply-walk":
        dips = {s["point"]: s.get("dip_v") for s in raw.get("stops", [])}
        return [
            *one("line_v_start", dips.get("panel_bus") or dips.get("breaker_load"), where="panel"),
            *one("terminal_v_start", dips.get("terminals") or dips.get("contactor_load"), where="terminals"),
        ]
    return []


def history_of(past: Sequence[tuple[str, float, float]], replaced: Sequence[str]) -> History:
    """Return earlier figures as (quantity, value, days ago), and what was changed then."""
    kept = [
        Past.model_validate({"quantity": q, "value": v, "days_ago": d}) for q, v, d in past if q in _MEASURED
    ]
    return History(readings=kept[-200:], replaced=list(replaced)[-50:])
