"""What each reading of a call shows: each judged by its own subject, none ever failing to be read."""

from collections.abc import Mapping
from dataclasses import replace
from functools import partial
from typing import Any

from pydantic import Field

from orange_crank.core.call.before_after import aid_in_circuit
from orange_crank.core.call.changes import part_word
from orange_crank.core.call.facts import CallFacts
from orange_crank.core.call.judging import cannot_be_judged, judged_or_said
from orange_crank.core.call.visits import earlier_figures, last_start
from orange_crank.core.errors import CrankError
from orange_crank.core.measure.dead_tests import DeadTest, judge_dead_tests
from orange_crank.core.measure.fan import judge_fan_reading
from orange_crank.core.measure.inrush import judge_inrush_reading
from orange_crank.core.measure.legs import judge_start_lead_reading
from orange_crank.core.measure.reading import QUANTITIES, Quantity
from orange_crank.core.measure.running import judge_running_reading, judge_supply_reading
from orange_crank.core.measure.start_time import judge_start_time_reading
from orange_crank.core.measure.taken import NOTED, ReadingVerdict, TakenReading
from orange_crank.core.messages import Prose, msg
from orange_crank.core.motor.fit import StartPlate
from orange_crank.core.motor.spread import sound_bare_start
from orange_crank.core.nomenclature import Finding, Frozen, Verdict
from orange_crank.core.plate import Plate
from orange_crank.core.tables.standards import Standards

# Each judges by the plate and the shop's standards; what has none is noted.
_BY_PLATE: Mapping[str, Any] = {
    "inrush_a": judge_inrush_reading,
    "running_a": judge_running_reading,
    "line_v_idle": judge_supply_reading,
    "line_v_run": judge_supply_reading,
    "fan_a": judge_fan_reading,
    "start_a": judge_start_lead_reading,
}


class JudgedReading(Frozen):
    """What one reading shows."""

    reading_id: int
    code: str = Field(description="Verdict code of the computation, e.g. accelerating")
    verdict: Verdict
    summary: Prose
    findings: list[Finding]
    old_part: str | None = Field(default=None, description="The change that made it the old part's reading")
    was: Verdict | None = Field(default=None, description="Its verdict on the old part, where it is of one")
    was_summary: Prose = ""


def judge_dead(facts: CallFacts, limits: Standards) -> list[DeadTest]:
    """Judge the dead tests of the parts that are there now."""
    return judge_dead_tests(facts.current, facts.plate, limits, earlier_figures(facts.visits))


def judge_readings(facts: CallFacts, dead: list[DeadTest], limits: Standards) -> list[JudgedReading]:
    """Judge every standing reading of a call."""
    by_reading = {
        number: test for test in [*dead, *_of_old_parts(facts, limits)] for number in test.reading_ids
    }
    return [_judge(r, facts, by_reading.get(r.id), limits) for r in facts.readings]


def _of_old_parts(facts: CallFacts, limits: Standards) -> list[DeadTest]:
    """Judge the dead tests of parts that were replaced since, each part by its own readings."""
    of_change: dict[int, list[TakenReading]] = {}
    for reading in facts.readings:
        gone = facts.retired_by(reading.entry.quantity, reading.place) if reading.trouble is None else None
        if gone is not None:
            of_change.setdefault(gone.id, []).append(reading)
    earlier = earlier_figures(facts.visits)
    return [
        test
        for readings in of_change.values()
        for test in judged_or_said(
            partial(judge_dead_tests, readings, facts.plate, limits, earlier), lambda _: []
        )
    ]


def _judge(
    reading: TakenReading, facts: CallFacts, dead: DeadTest | None, limits: Standards
) -> JudgedReading:
    found = _verdict(reading, facts, dead, limits)
    gone = facts.retired_by(reading.entry.quantity, reading.place)
    if gone is not None and reading.trouble is None:
        note = Finding(
            code="OLD_PART",
            verdict="note",
            text=msg(
                "From the old {part_word}, before “{what}”.", part_word=part_word(gone.part), what=gone.what
            ),
            rule="what was changed",
            next_step=msg("Measure the new one."),
        )
        return JudgedReading(
            reading_id=reading.id,
            code="old_part",
            verdict="note",
            summary=msg("Old {part_word}", part_word=part_word(gone.part)),
            findings=[note, *found.findings],
            old_part=gone.what,
            was=found.verdict,
            was_summary=found.summary,
        )
    return JudgedReading(
        reading_id=reading.id,
        code=found.code,
        verdict=found.verdict,
        summary=found.summary,
        findings=found.findings,
    )


def _verdict(
    reading: TakenReading, facts: CallFacts, dead: DeadTest | None, limits: Standards
) -> ReadingVerdict:
    if reading.trouble is not None:
        return _cannot(reading.trouble)
    if dead is not None:
        return ReadingVerdict(
            code=dead.code, verdict=dead.verdict, summary=dead.summary, findings=dead.findings
        )
    quantity = reading.entry.quantity
    if quantity == "start_time_s":
        past = last_start(facts.visits, facts.unit)
        return judged_or_said(
            partial(judge_start_time_reading, reading, past, facts.sister_start, limits), _cannot
        )
    if quantity == "inrush_a" and reading.entry.aid in (None, "none"):
        aid = aid_in_circuit(facts, reading.place)
        if aid is not None:
            reading = replace(reading, entry=reading.entry.model_copy(update={"aid": aid}))
    found = judged_or_said(partial(judge_reading, reading, facts.plate, limits), _cannot)
    if quantity == "inrush_a" and facts.plate is not None and reading.entry.aid in (None, "none"):
        return _beside_expected(found, reading, facts.plate)
    return found


def _beside_expected(found: ReadingVerdict, reading: TakenReading, plate: Plate) -> ReadingVerdict:
    """Return an inrush verdict with what a sound bare machine of this plate reads, as a range."""
    comparable = found.code not in ("not_comparable", "cannot_be_judged")
    if not comparable or reading.entry.volts is None or not reading.figure:
        return found
    try:
        spread = sound_bare_start(StartPlate.model_validate(plate.model_dump()))
    except CrankError:
        return found
    share = reading.entry.volts / plate.volts
    low, high = share * spread.inrush_a.low, share * spread.inrush_a.high
    told = Finding(
        code="EXPECTED_RANGE",
        verdict="note",
        text=(
            msg(
                "A good compressor with this nameplate and no start aid reads {low:.0f} to "
                "{high:.0f} A here.",
                low=low,
                high=high,
            )
        ),
        rule="start model",
        inputs={"low_a": round(low, 1), "high_a": round(high, 1), "volts": reading.entry.volts},
    )
    return found.model_copy(update={"findings": [*found.findings, told]})


def judge_reading(reading: TakenReading, plate: Plate | None, limits: Standards) -> ReadingVerdict:
    """Judge one reading against the plate; without a plate only what can be said is said.

    Raises
    ------
    CrankError, ArithmeticError : the reading cannot be judged

    """
    quantity = reading.entry.quantity
    if QUANTITIES[quantity].work in ("dead", "control") or quantity not in _BY_PLATE:
        if quantity in ("run_a", "start_a") and reading.figure == 0:
            return _no_current(quantity)
        if quantity == "shell_hot" or QUANTITIES[quantity].work != "live":
            return ReadingVerdict(code="dead_test", verdict="note", summary=msg("Noted"), findings=[])
        return NOTED if plate is not None else _wants_plate(quantity)
    if plate is None:
        return _wants_plate(quantity)
    if reading.figure == 0 and QUANTITIES[quantity].unit == "A":
        return _no_current(quantity)
    found: ReadingVerdict = _BY_PLATE[quantity](reading, plate, limits)
    return found


def _no_current(quantity: Quantity) -> ReadingVerdict:
    """0 A is a reading: nothing flows where the clamp was."""
    label = QUANTITIES[quantity].label
    finding = Finding(
        code="NO_CURRENT",
        verdict="fail",
        text=msg("{label}: 0 A. No current flows there.", label=label),
        rule="field practice: running amps",
        inputs={"amps": 0},
        next_step=msg("Clamp on one conductor, jaws closed? Then follow the volts to where they end."),
    )
    return ReadingVerdict(
        code="no_current", verdict="fail", summary=msg("0 A: no current"), findings=[finding]
    )


def _cannot(reason: str) -> ReadingVerdict:
    return ReadingVerdict(
        code="cannot_be_judged",
        verdict="unknown",
        summary=msg("Cannot be judged"),
        findings=[cannot_be_judged(msg("This reading"), reason)],
    )


def _wants_plate(quantity: str) -> ReadingVerdict:
    finding = Finding(
        code="NO_PLATE",
        verdict="unknown",
        text=msg("Nothing to compare with: no nameplate saved."),
        rule="plate",
        inputs={"quantity": quantity},
        next_step=msg("Enter the nameplate and the result appears."),
    )
    return ReadingVerdict(
        code="no_plate", verdict="unknown", summary=msg("Needs the nameplate"), findings=[finding]
    )
