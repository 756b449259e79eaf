"""A call as a ladder: rungs in working order, each with its contacts, its load and its next step.

The rungs are judged here from what is on the record; nothing of it is stored.
"""

import math
from collections.abc import Sequence
from typing import Literal

from pydantic import AwareDatetime, Field

from orange_crank.core.aids.work import WorkKind
from orange_crank.core.circuit import AuditOut
from orange_crank.core.measure.compare import Comparison, ComparisonResult, Side, compare
from orange_crank.core.measure.dead_tests import DeadTest, TakenReading, judge_dead_tests
from orange_crank.core.measure.inrush import Inrush, judge_inrush
from orange_crank.core.measure.reading import QUANTITIES, NewReading, Quantity
from orange_crank.core.measure.running import Running, judge_running, judge_supply
from orange_crank.core.measure.start_time import StartTime, judge_start_time
from orange_crank.core.nomenclature import Finding, Frozen, Verdict, Word, say, worst
from orange_crank.core.plate import Plate, PlateResult, check_plate
from orange_crank.core.safety.make_safe import MakeSafe, MakeSafeResult, judge_make_safe
from orange_crank.core.safety.state import CallState
from orange_crank.core.tables import Standards, shipped_standards

RungKey = Literal[
    "make_safe",
    "plate",
    "dead_tests",
    "live_tests",
    "why",
    "aid",
    "parts",
    "circuit",
    "prove",
    "hand_over",
]
SWAPS: tuple[WorkKind, ...] = ("contactor", "capacitor", "other")
RungStatus = Literal["energised", "ready", "blocked", "planned"]


class Change(Frozen):
    """Something changed on the unit during the call."""

    id: int
    what: Word
    made_at: AwareDatetime
    person: Word


class PastStart(Frozen):
    """A start time taken elsewhere: on an earlier visit, or on a like unit of the site."""

    unit: Word
    seconds: float
    plus_minus_s: float | None = None


class WorkFacts(Frozen):
    """What was planned and fitted on a call, and whether it stays."""

    planned: dict[WorkKind, str] = Field(default_factory=dict, description="Title by kind of work")
    fitted: dict[WorkKind, str] = Field(default_factory=dict, description="Title by kind of work")
    kept: dict[WorkKind, Literal["keep", "take_off"]] = Field(default_factory=dict)


class CallFacts(Frozen):
    """What is on the record of a call: standing readings only, oldest first."""

    plate: Plate | None
    state: CallState
    make_safe: MakeSafe | None
    readings: list[TakenReading]
    changes: list[Change]
    symptoms: list[str] = Field(default_factory=list, description="What was told, in words")
    cause: str | None = Field(default=None, description="The cause taken, in words")
    condemned: bool = False
    stops: list[str] = Field(default_factory=list, description="What says that work stops here")
    work: WorkFacts = Field(default_factory=WorkFacts)
    circuit: AuditOut | None = Field(
        default=None, description="The circuit that is there, held against the plate"
    )
    earlier: dict[Quantity, float] = Field(
        default_factory=dict, description="Last figure of each quantity from earlier calls"
    )
    last_start: PastStart | None = Field(default=None, description="This unit's start on its last visit")
    sister_start: PastStart | None = Field(default=None, description="A like unit's start on this site")


class JudgedReading(Frozen):
    """What one reading shows."""

    reading_id: int
    code: str = Field(description="Verdict code of the computation, e.g. accelerating")
    verdict: Verdict
    summary: str
    findings: list[Finding]


class BeforeAfter(Frozen):
    """The start before and the start after that stand against each other on this call."""

    before_id: int
    after_id: int
    changes: list[str]
    result: ComparisonResult


class Contact(Frozen):
    """What a rung needs first."""

    word: str
    closed: bool
    why: str = Field(description="What it stands for, or what closes it")


class Rung(Frozen):
    """One step of the call."""

    key: RungKey
    number: int
    title: str
    status: RungStatus
    danger: Literal["dead", "live", "none"]
    contacts: list[Contact]
    load: str = Field(description="The result in one short line")
    verdict: Verdict
    next_step: str | None = None


class Ladder(Frozen):
    """The whole call, judged."""

    rungs: list[Rung]
    plate: PlateResult | None
    make_safe: MakeSafeResult | None
    readings: list[JudgedReading]
    before_after: BeforeAfter | None


def _figure(entry: NewReading) -> float:
    """Return the figure of a reading; not a number where the reading is a word."""
    return entry.value if isinstance(entry.value, float) else math.nan


def judge_reading(
    reading: TakenReading, plate: Plate | None, standards: Standards | None = None
) -> JudgedReading:
    """Judge one reading against the plate; without a plate only what can be said is said."""
    limits = standards or shipped_standards()
    entry = reading.entry
    quantity = entry.quantity
    value = _figure(entry)

    def made(code: str, verdict: Verdict, summary: str, findings: list[Finding]) -> JudgedReading:
        return JudgedReading(
            reading_id=reading.id, code=code, verdict=verdict, summary=summary, findings=findings
        )

    if QUANTITIES[quantity].work in ("dead", "control") or quantity == "shell_hot":
        return made("dead_test", "note", "Noted", [])
    if plate is None:
        return made("no_plate", "unknown", "Wants the plate", [_wants_plate(quantity)])
    first = plate.compressors[0]
    if quantity == "inrush_a":
        return _judge_start(reading, plate, limits)
    if quantity == "running_a":
        result = judge_running(
            Running(
                running_a=value,
                rla_a=first.rla_a,
                volts=entry.volts,
                plate_volts=plate.volts,
                outdoor_f=entry.outdoor_f,
            ),
            limits,
        )
        verdict = worst([f.verdict for f in result.findings if f.verdict != "note"])
        return made("running", verdict, f"{say(result.ratio, '', 3)} × RLA", result.findings)
    if quantity in ("line_v_idle", "line_v_run"):
        finding = judge_supply(value, plate.volts, limits)
        return made("supply", finding.verdict, finding.text, [finding])
    if quantity == "fan_a":
        return _judge_fan(reading, plate, limits)
    return made("noted", "note", "Noted", [])


def _judge_start(reading: TakenReading, plate: Plate, limits: Standards) -> JudgedReading:
    entry, first = reading.entry, plate.compressors[0]
    if first.lra_a is None or entry.mode is None or entry.conductor is None or entry.volts is None:
        finding = Finding(
            code="NO_LOCKED_ROTOR_AMPS",
            verdict="note",
            text="This plate shows no locked-rotor amps: an inverter has no locked-rotor test.",
            rule="handbook: plate checks",
        )
        return JudgedReading(
            reading_id=reading.id, code="not_comparable", verdict="note", summary="Noted", findings=[finding]
        )
    result = judge_inrush(
        Inrush(
            reading_a=_figure(entry),
            mode=entry.mode,
            conductor=entry.conductor,
            lra_a=first.lra_a,
            volts_start=entry.volts,
            plate_volts=plate.volts,
            fan_fla_a=plate.motors[0].fla_a if plate.motors else None,
            aid=entry.aid,
            later_a=entry.later_a,
        ),
        limits,
    )
    words = {
        "accelerating": "accelerating",
        "no_evidence": "no evidence by itself",
        "not_turning": "not turning",
        "too_low": "too low for a start",
        "not_comparable": "cannot be held against LRA",
    }
    return JudgedReading(
        reading_id=reading.id,
        code=result.verdict,
        verdict=result.worst_verdict,
        summary=f"{result.ratio:.2f} × LRA: {words[result.verdict]}",
        findings=result.findings,
    )


def _judge_start_time(reading: TakenReading, facts: CallFacts, limits: Standards) -> JudgedReading:
    entry, last, sister = reading.entry, facts.last_start, facts.sister_start
    result = judge_start_time(
        StartTime(
            seconds=_figure(entry),
            plus_minus_s=entry.plus_minus,
            timed_by=entry.timed_by or "taps",
            last_visit_s=last.seconds if last else None,
            last_visit_plus_minus_s=last.plus_minus_s if last else None,
            sister_s=sister.seconds if sister else None,
            sister_plus_minus_s=sister.plus_minus_s if sister else None,
            sister=sister.unit if sister else None,
        ),
        limits,
    )
    words = [f"± {result.plus_minus_s:.2g} s"]
    if result.against_last_visit:
        words.append(f"{result.against_last_visit} as last visit".replace("r as", "r than"))
    if result.against_sister and sister:
        words.append(f"{result.against_sister} as {sister.unit}".replace("r as", "r than"))
    return JudgedReading(
        reading_id=reading.id,
        code="start_time",
        verdict=result.verdict,
        summary=", ".join(words),
        findings=result.findings,
    )


def _judge_fan(reading: TakenReading, plate: Plate, limits: Standards) -> JudgedReading:
    if not plate.motors:
        return JudgedReading(
            reading_id=reading.id, code="noted", verdict="note", summary="No fan on the plate", findings=[]
        )
    fla, amps = plate.motors[0].fla_a, _figure(reading.entry)
    ratio = amps / fla
    over = ratio > limits["running_fail_ratio"]
    verdict: Verdict = "fail" if over else "watch" if ratio > 1 + 1e-9 else "pass"
    finding = Finding(
        code="FAN_AMPS",
        verdict=verdict,
        text="Within its full-load amps." if verdict == "pass" else "Above its full-load amps.",
        rule="shop standard: running_fail_ratio",
        inputs={"fan_a": amps, "fla_a": fla},
        arithmetic=f"{amps:g} A ÷ {fla:g} A = {ratio:.2f}",
        next_step=None
        if verdict == "pass"
        else "Blade, bearings and fan capacitor: look at them with power off.",
    )
    return JudgedReading(
        reading_id=reading.id,
        code="fan",
        verdict=verdict,
        summary=f"{say(ratio, '', 3)} × FLA",
        findings=[finding],
    )


def _wants_plate(quantity: str) -> Finding:
    return Finding(
        code="NO_PLATE",
        verdict="unknown",
        text="Nothing to hold it against: the plate is not read.",
        rule="plate",
        inputs={"quantity": quantity},
        next_step="Read the plate; the verdict follows by itself.",
    )


def before_and_after(facts: CallFacts, standards: Standards | None = None) -> BeforeAfter | None:
    """Return the before/after pair of a call, or None while there is none.

    The *before* is the last start measured ahead of the first change, the *after* the last start
    measured behind the last change; the changes in between are all of them. A start measured between
    two changes is neither.
    """
    if not facts.changes:
        return None
    first = min(c.made_at for c in facts.changes)
    last = max(c.made_at for c in facts.changes)
    starts = [r for r in facts.readings if r.entry.quantity == "inrush_a"]
    before = [r for r in starts if r.taken_at <= first]
    after = [r for r in starts if r.taken_at > last]
    if not before or not after:
        return None
    one, two = before[-1], after[-1]
    names = [c.what for c in facts.changes]
    result = compare(Comparison(before=_side(one), after=_side(two), changes=names), standards)
    return BeforeAfter(before_id=one.id, after_id=two.id, changes=names, result=result)


def _side(reading: TakenReading) -> Side:
    entry = reading.entry
    return Side.model_validate(
        {
            "value_a": _figure(entry),
            "mode": entry.mode,
            "conductor": entry.conductor,
            "volts": entry.volts,
            "outdoor_f": entry.outdoor_f,
            "rest_min": entry.rest_min,
            "learning_starts": entry.learning_starts,
            "outcome": entry.outcome or "started",
            "seconds": entry.seconds,
        }
    )


def build_ladder(facts: CallFacts, standards: Standards | None = None) -> Ladder:
    """Judge a call and lay it out as a ladder.

    Parameters
    ----------
    facts : what is on the record
    standards : the shop's limits (shipped ones when left out)

    """
    limits = standards or shipped_standards()
    plate = check_plate(facts.plate, limits) if facts.plate else None
    record = judge_make_safe(facts.make_safe, limits) if facts.make_safe else None
    dead = judge_dead_tests(facts.readings, facts.plate, limits, facts.earlier)
    by_reading = {number: test for test in dead for number in test.reading_ids}
    judged = [
        _judge_start_time(r, facts, limits)
        if r.entry.quantity == "start_time_s"
        else judge_reading(r, facts.plate, limits)
        if r.id not in by_reading
        else JudgedReading(
            reading_id=r.id,
            code=by_reading[r.id].code,
            verdict=by_reading[r.id].verdict,
            summary=by_reading[r.id].summary,
            findings=by_reading[r.id].findings,
        )
        for r in facts.readings
    ]
    pair = before_and_after(facts, limits)
    rungs = [
        _make_safe_rung(facts, record),
        _plate_rung(facts, plate),
        _dead_rung(facts, dead),
        _live_rung(facts, judged),
        _why_rung(facts),
        _aid_rung(facts),
        _parts_rung(facts, dead),
        _circuit_rung(facts),
        _prove_rung(facts, pair),
        _planned(
            10,
            "hand_over",
            "Hand over",
            "none",
            "What was found, done and left, on one page",
        ),
    ]
    return Ladder(rungs=rungs, plate=plate, make_safe=record, readings=judged, before_after=pair)


def _why_rung(facts: CallFacts) -> Rung:
    told = bool(facts.symptoms)
    contacts = [
        Contact(word="Plate", closed=facts.plate is not None, why="The plate says which causes there can be"),
        Contact(word="Told", closed=told, why="What it does, as seen and heard"),
        Contact(word="Cause", closed=facts.cause is not None, why="The cause taken, with its evidence"),
    ]
    load = (
        f"{'Condemned: ' if facts.condemned else ''}{facts.cause}"
        if facts.cause
        else ", ".join(facts.symptoms)
        if told
        else "What does it do?"
    )
    return Rung(
        key="why",
        number=5,
        title="Why",
        status="blocked" if facts.plate is None else "energised" if facts.cause else "ready",
        danger="none",
        contacts=contacts,
        load=load,
        verdict="fail" if facts.condemned else "pass" if facts.cause else "unknown",
        next_step="Read the plate first."
        if facts.plate is None
        else None
        if facts.cause
        else "Do the test it names next, or take the cause."
        if told
        else "Tick what it does; the engine says what to test next.",
    )


def _aid_rung(facts: CallFacts) -> Rung:
    plate = facts.plate
    barred = plate is not None and (plate.is_inverter or plate.phase == 3)
    fitted, planned = facts.work.fitted.get("aid"), facts.work.planned.get("aid")
    done = fitted is not None
    off = facts.work.kept.get("aid") == "take_off"
    return Rung(
        key="aid",
        number=6,
        title="Aid",
        status="blocked" if plate is None else "energised" if done or barred else "ready",
        danger="none",
        contacts=[
            Contact(word="Plate", closed=plate is not None, why="Starts are computed from it"),
            Contact(
                word="Cause", closed=facts.cause is not None, why="The cause first; an aid may only hide it"
            ),
        ],
        load="No start aid belongs here"
        if barred
        else f"{'Taken off again: ' if off else ''}{fitted}"
        if fitted
        else f"Planned: {planned}"
        if planned
        else "Aids by their computed starts",
        verdict="note" if done and off else "pass" if done or barred else "unknown",
        next_step="Read the plate first."
        if plate is None
        else None
        if barred or done
        else "Wire it by the plan, check it, write it down as fitted."
        if planned
        else "Hold the aids against each other, then fit one and prove it.",
    )


def _parts_rung(facts: CallFacts, tests: Sequence[DeadTest]) -> Rung:
    """Return the rung of contactor and capacitors: what the tests say of them, what was swapped."""
    plate = facts.plate
    looked = any(t.name.startswith("contactor") for t in tests) or any(
        r.entry.quantity in ("contactor_look", "contactor_drop_v") for r in facts.readings
    )
    measured = any(t.name.startswith("capacitor") for t in tests)
    has_caps = plate is None or bool(plate.run_cap_uf or plate.fan_cap_uf)
    bad = [t for t in tests if t.name.startswith(("capacitor", "contactor")) and t.verdict == "fail"]
    swapped = [facts.work.fitted[k] for k in SWAPS if k in facts.work.fitted]
    planned = [facts.work.planned[k] for k in SWAPS if k in facts.work.planned]
    settled = bool(swapped) or (not bad and looked and (measured or not has_caps))
    contacts = [
        Contact(word="Plate", closed=plate is not None, why="Amps, volts and µF come from it"),
        Contact(word="Contactor", closed=looked, why="Looked at on this call"),
    ]
    if has_caps:
        contacts.append(Contact(word="Capacitor", closed=measured, why="Measured on this call"))
    load = (
        " · ".join(swapped)
        if swapped
        else f"Planned: {planned[-1]}"
        if planned
        else bad[0].summary
        if bad
        else "Nothing to change"
        if settled
        else "What fits from the van, and the swap plan"
    )
    step = (
        "Read the plate first."
        if plate is None
        else None
        if settled
        else "Choose what replaces it."
        if bad
        else "Look at the contactor."
        if not looked
        else "Measure the capacitor."
    )
    return Rung(
        key="parts",
        number=7,
        title="Contactor & capacitors",
        status="blocked" if plate is None else "energised" if settled else "ready",
        danger="dead",
        contacts=contacts,
        load=load,
        verdict="pass" if settled else "fail" if bad else "unknown",
        next_step=step,
    )


def _circuit_rung(facts: CallFacts) -> Rung:
    """Return the rung of the circuit: what is there, clause by clause."""
    audit = facts.circuit
    fails = [c for c in audit.checks if c.verdict == "fail"] if audit else []
    open_ = [c for c in audit.checks if c.verdict == "unknown"] if audit else []
    load = (
        "Panel to terminals, clause by clause"
        if audit is None
        else f"{len(fails)} to put right: {fails[0].text}"
        if fails
        else f"Nothing fails; {len(open_)} not looked at"
        if open_
        else "Every clause passes"
    )
    return Rung(
        key="circuit",
        number=8,
        title="Circuit",
        status="blocked"
        if facts.plate is None
        else "energised"
        if audit is not None and audit.ok
        else "ready",
        danger="dead",
        contacts=[
            Contact(word="Plate", closed=facts.plate is not None, why="MCA and MOCP come from it"),
            Contact(word="Looked at", closed=audit is not None, why="Device, conductor, ground, disconnect"),
            Contact(word="Lawful", closed=audit is not None and audit.ok, why="No clause fails"),
        ],
        load=load,
        verdict="unknown"
        if audit is None
        else "fail"
        if fails
        else "watch"
        if any(c.verdict == "watch" for c in audit.checks)
        else "pass",
        next_step="Read the plate first."
        if facts.plate is None
        else "Look at breaker, conductors, ground and disconnect."
        if audit is None
        else fails[0].fix
        if fails
        else None,
    )


def _planned(
    number: int, key: RungKey, title: str, danger: Literal["dead", "live", "none"], what: str
) -> Rung:
    return Rung(
        key=key,
        number=number,
        title=title,
        status="planned",
        danger=danger,
        contacts=[Contact(word="Not built yet", closed=False, why=what)],
        load=what,
        verdict="unknown",
    )


def _make_safe_rung(facts: CallFacts, record: MakeSafeResult | None) -> Rung:
    state = facts.state
    dead = state.state in ("dead_proved", "control_live")
    codes: dict[str, list[Verdict]] = {}
    for finding in record.findings if record and state.state != "as_found" else []:
        codes.setdefault(finding.code, []).append(finding.verdict)

    def closed(*names: str) -> bool:
        present = [v for n in names for v in codes.get(n, [])]
        return state.state != "lapsed" and bool(present) and all(v in ("pass", "watch") for v in present)

    contacts = [
        Contact(
            word="Control off", closed=dead and closed("CONTROL_OFF"), why="Thermostat or control call off"
        ),
        Contact(
            word="Locked",
            closed=dead and closed("LOCKED_AND_TAGGED"),
            why="Every source opened, locked, tagged",
        ),
        Contact(
            word="Dead", closed=dead and closed("DEAD_CONTACTOR_LINE"), why="Live, dead, live: every pair"
        ),
        Contact(
            word="Bled",
            closed=dead and closed("CAPACITORS_DISCHARGED", "NO_CAPACITORS", "DC_BUS_DEAD"),
            why="Every capacitor bled and measured on DC",
        ),
    ]
    if dead:
        load = "Proved dead" if state.state == "dead_proved" else "Line dead, control live"
        return Rung(
            key="make_safe",
            number=1,
            title="Make safe",
            status="energised",
            danger="dead",
            contacts=contacts,
            load=load,
            verdict="pass",
        )
    stopped = record is not None and record.status == "stop" and state.state != "live"
    loads = {
        "as_found": "Live as found",
        "live": "Back on",
        "lapsed": "Proof lapsed",
    }
    return Rung(
        key="make_safe",
        number=1,
        title="Make safe",
        status="ready",
        danger="dead",
        contacts=contacts,
        load="Stop: read the record" if stopped else loads.get(state.state, state.words),
        verdict="fail" if stopped else "watch" if state.state == "lapsed" else "unknown",
        next_step=record.missing[0]
        if stopped and record and record.missing
        else "Prove it dead before hands go in.",
    )


def _plate_rung(facts: CallFacts, result: PlateResult | None) -> Rung:
    if facts.plate is None or result is None:
        return Rung(
            key="plate",
            number=2,
            title="Plate",
            status="ready",
            danger="none",
            contacts=[Contact(word="Plate read", closed=False, why="Type in what the plate says")],
            load="Not read yet",
            verdict="unknown",
            next_step="Read the plate.",
        )
    plate, first = facts.plate, facts.plate.compressors[0]
    amps = f"RLA {first.rla_a:g}" + (f" · LRA {first.lra_a:g}" if first.lra_a else "") + " A"
    doubts = len({s.field for s in result.suspects})
    settled = doubts == 0
    return Rung(
        key="plate",
        number=2,
        title="Plate",
        status="energised" if settled else "ready",
        danger="none",
        contacts=[
            Contact(word="Plate read", closed=True, why="The plate is on the record"),
            Contact(
                word="No slips", closed=settled, why="Its numbers agree with one another, or were confirmed"
            ),
        ],
        load=f"{plate.volts:g} V · {plate.phase} ph · {amps}",
        verdict=result.verdict if settled else "watch",
        next_step=None if settled else f"{doubts} number{'s' if doubts > 1 else ''} to look at again.",
    )


def _dead_rung(facts: CallFacts, tests: Sequence[DeadTest]) -> Rung:
    proved = facts.state.state == "dead_proved"
    done = {t.name for t in tests}
    wanted = [("ground", "To ground"), ("windings", "Windings")]
    if facts.plate is None or facts.plate.run_cap_uf or facts.plate.fan_cap_uf:
        wanted.append(("capacitor", "Capacitor"))
    have = all(any(d.startswith(name) for d in done) for name, _ in wanted)
    contacts = [
        Contact(word="Proved dead", closed=proved or have, why="Make safe complete, or a reason given")
    ]
    contacts += [
        Contact(word=word, closed=any(d.startswith(name) for d in done), why=f"{word} measured on this call")
        for name, word in wanted
    ]
    verdict = worst([t.verdict for t in tests if t.verdict != "note"]) if tests else "unknown"
    ranked = sorted(tests, key=lambda t: t.verdict not in ("fail", "watch", "unknown"))
    missing = next((word for name, word in wanted if not any(d.startswith(name) for d in done)), None)
    step = f"Measure: {missing.lower()}." if missing else None
    if not proved and not have:
        step = "Fill in Make safe first."
    return Rung(
        key="dead_tests",
        number=3,
        title="Dead tests",
        status="energised" if have else "ready" if proved else "blocked",
        danger="dead",
        contacts=contacts,
        load=" · ".join(t.summary for t in ranked[:2]) if tests else "Nothing measured yet",
        verdict=verdict,
        next_step=step,
    )


def _live_rung(facts: CallFacts, judged: Sequence[JudgedReading]) -> Rung:
    quantities = {r.id: r for r in facts.readings}
    by_kind: dict[str, JudgedReading] = {quantities[j.reading_id].entry.quantity: j for j in judged}
    state = facts.state
    energised = state.state in ("as_found", "live")
    inverter = facts.plate is not None and facts.plate.is_inverter
    wanted = ("running_a",) if inverter else ("running_a", "inrush_a")
    contacts = [
        Contact(word="Caution", closed=state.caution_read, why="Live-work caution read on this call"),
        Contact(word="Live", closed=energised, why="Energised: as found, or going live recorded"),
        Contact(word="Plate", closed=facts.plate is not None, why="A plate to hold the amps against"),
    ]
    parts: list[str] = []
    for quantity in ("running_a", "inrush_a"):
        if quantity in by_kind:
            value = _figure(quantities[by_kind[quantity].reading_id].entry)
            word = "Run" if quantity == "running_a" else "inrush"
            parts.append(f"{word} {say(value, 'A')}")
    have = all(q in by_kind for q in wanted)
    verdicts = [by_kind[q].verdict for q in wanted if q in by_kind]
    missing = [q for q in wanted if q not in by_kind]
    steps = {"running_a": "Take running amps on C.", "inrush_a": "Take the inrush on C."}
    open_contact = next((c for c in contacts if not c.closed), None)
    blocked = open_contact is not None and not have
    if open_contact is not None and not have:
        step: str | None = {
            "Caution": "Read the live-work caution.",
            "Live": "Record going live.",
            "Plate": "Read the plate first.",
        }[open_contact.word]
    else:
        step = steps[missing[0]] if missing else None
    if facts.stops:
        return Rung(
            key="live_tests",
            number=4,
            title="Live tests",
            status="blocked",
            danger="live",
            contacts=contacts,
            load="STOP",
            verdict="fail",
            next_step=facts.stops[0],
        )
    return Rung(
        key="live_tests",
        number=4,
        title="Live tests",
        status="energised" if have else "blocked" if blocked else "ready",
        danger="live",
        contacts=contacts,
        load=" · ".join(parts) if parts else "No live reading yet",
        verdict=worst(verdicts) if have else "unknown",
        next_step=step,
    )


def _prove_rung(facts: CallFacts, pair: BeforeAfter | None) -> Rung:
    starts = [r for r in facts.readings if r.entry.quantity == "inrush_a"]
    first = min((c.made_at for c in facts.changes), default=None)
    last = max((c.made_at for c in facts.changes), default=None)
    before = [r for r in starts if first is None or r.taken_at <= first]
    after = [r for r in starts if last is not None and r.taken_at > last]
    contacts = [
        Contact(word="Before", closed=bool(before), why="A start measured before anything was changed"),
        Contact(word="Change", closed=bool(facts.changes), why="What was changed, written down"),
        Contact(word="After", closed=bool(after), why="A start measured after the last change"),
    ]
    if pair is None:
        step = (
            "Measure a start before changing anything."
            if not before
            else "Write down what was changed."
            if not facts.changes
            else "Measure the start again: same clamp, same mode, same rest."
        )
        return Rung(
            key="prove",
            number=9,
            title="Prove",
            status="blocked" if not before else "ready",
            danger="live",
            contacts=contacts,
            load="Nothing to compare yet",
            verdict="unknown",
            next_step=step,
        )
    result = pair.result
    undecided = [t for k, t in facts.work.fitted.items() if k not in facts.work.kept]
    contacts.append(
        Contact(word="Decided", closed=not undecided, why="Keep it or take it off again, with the reason")
    )
    by_comparability: dict[str, Verdict] = {"yes": "pass", "weak": "watch", "no": "fail"}
    verdict = by_comparability[result.comparable]
    if result.comparable != "no":
        ended = quantity_outcome(facts, pair.after_id)
        worse = result.change_pct is not None and result.change_pct > 0.5
        if ended != "started":
            verdict = "fail"
        elif worse:
            verdict = "watch"
    words = {"yes": "comparable", "weak": "weak", "no": "not comparable"}[result.comparable]
    change = (
        f"{result.change_pct:+.0f} %".replace("-", "−")
        if result.change_pct is not None
        else result.sentence.split(".")[0]
    )
    if result.comparable == "no":
        change = "Retake"
    return Rung(
        key="prove",
        number=9,
        title="Prove",
        status="energised" if result.comparable != "no" else "ready",
        danger="live",
        contacts=contacts,
        load=f"{change} · {words}",
        verdict=verdict,
        next_step=result.reasons[0]
        if result.reasons
        else f"Keep or take off: {undecided[0]}."
        if undecided
        else None,
    )


def quantity_outcome(facts: CallFacts, reading_id: int) -> str:
    """Return how the start of a reading ended."""
    entry = next(r.entry for r in facts.readings if r.id == reading_id)
    return entry.outcome or "started"
