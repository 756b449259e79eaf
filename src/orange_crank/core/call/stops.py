"""The one authority on stops: what stands on the record that forbids work, and what lifts it.

A stop stands until its reading is corrected, the part is changed and proved again, or somebody writes
down how it was put right. A later clear reading alone does not wipe it: which of the two has to be said.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from functools import partial
from typing import Any

from orange_crank.core.call.call_tests import JudgedTest, find_call_test
from orange_crank.core.call.evidence_of_record import evidence_of_reading, evidence_of_test
from orange_crank.core.call.facts import CallFacts, TakenTest
from orange_crank.core.call.judging import judged_or_said
from orange_crank.core.call.why_record import SeenAt
from orange_crank.core.diagnosis.model import Evidence
from orange_crank.core.diagnosis.stop_facts import CODES, stop_facts
from orange_crank.core.measure.inrush import judge_inrush_reading
from orange_crank.core.measure.taken import TakenReading
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Finding
from orange_crank.core.plate import Plate
from orange_crank.core.safety.make_safe import judge_make_safe
from orange_crank.core.safety.stop import (
    HAZARD_STOPS,
    WorkStop,
    gravest_first,
    stop_of_finding,
    work_stop,
)
from orange_crank.core.tables.standards import Standards

_NEW_RECORD = msg("A new Make safe entry that proves it dead")
_SAY_HOW = msg("Enter how it was fixed and who fixed it")


@dataclass(frozen=True)
class StopsFound:
    """What stands, gravest first; and what no longer does, with how it was settled."""

    standing: Sequence[WorkStop] = ()
    settled: Mapping[str, str] = field(default_factory=dict)


def find_stops(
    facts: CallFacts, tests: Sequence[tuple[TakenTest, JudgedTest]], limits: Standards
) -> StopsFound:
    """Return what stops the work on a call, over make-safe records, readings, tests and hazards.

    Parameters
    ----------
    facts : what is on the record
    tests : the call's tests as judged
    limits : the shop's standards

    """
    lifted = {lift.stop: lift.how for lift in facts.lifts}
    standing: list[WorkStop] = []
    settled: dict[str, str] = {}

    def put(stop: WorkStop, mended: str | None = None) -> None:
        how = lifted.get(stop.key) or mended
        if how:
            settled[stop.key] = how
        else:
            standing.append(stop)

    for stop, mended in (
        *_of_make_safe(facts, limits),
        *_of_volts_seen(facts, limits),
        *_of_ground(facts, tests),
        *_of_tests(tests),
        *_of_hazards(facts, tests),
        *_of_inrush(facts, tests, limits),
        *_of_wiring(facts),
    ):
        put(stop, mended)
    # A record that stops by its own, closer rule is not said twice.
    known = {stop.key for stop in standing} | set(settled)
    for stop, mended in _of_facts(facts, tests, limits):
        if stop.key not in known:
            put(stop, mended)
    return StopsFound(standing=gravest_first(standing), settled=settled)


Found = tuple[WorkStop, str | None]


def _of_make_safe(facts: CallFacts, limits: Standards) -> list[Found]:
    found: list[Found] = []
    records = [e for e in facts.events if e.kind == "made_safe" and e.record is not None]
    for i, event in enumerate(records):
        assert event.record is not None
        findings = [f for f in judge_make_safe(event.record, limits, facts.plate).findings if f.stops]
        if not findings:
            continue
        later = records[i + 1 :]
        proved = any(
            e.record and judge_make_safe(e.record, limits, facts.plate).status == "proved" for e in later
        )
        dry = any(e.record and e.record.dry for e in later)
        for finding in findings:
            wet = finding.code == "STOP_WET"
            over = proved or (wet and dry)
            found.append(
                (
                    stop_of_finding(
                        finding,
                        key=f"make-safe-{event.place:g}-{finding.code}",
                        source=msg("Make-safe record"),
                        since=event.at,
                        may_lift=wet,
                        lifted_by=msg("{say_how}, or a new make-safe record", say_how=_SAY_HOW)
                        if wet
                        else _NEW_RECORD,
                    ),
                    (
                        msg("dry at the panel in a later record")
                        if wet
                        else msg("proved dead in a later record")
                    )
                    if over
                    else None,
                )
            )
    return found


def _of_volts_seen(facts: CallFacts, limits: Standards) -> list[Found]:
    """Return what a live meter saw where the record said dead; a later proof that it is dead lifts it."""
    found: list[Found] = []
    for event in facts.events:
        if event.kind != "volts_seen":
            continue
        proved = any(
            e.kind == "made_safe"
            and e.record is not None
            and e.place > event.place
            and judge_make_safe(e.record, limits, facts.plate).status == "proved"
            for e in facts.events
        )
        stop = work_stop(
            "STOP_LIVE",
            text=msg("Meter reads {detail} at a point recorded as dead.", detail=event.detail or "volts"),
            key=f"volts-seen-{event.place:g}",
            source=msg("Live meter"),
            since=event.at,
            lifted_by=_NEW_RECORD,
        )
        found.append((stop, msg("proved dead in a later record") if proved else None))
    return found


@dataclass(frozen=True)
class _Ground:
    """One look at to-ground: a reading or a test, shorted or clear as a whole."""

    place: float
    at: datetime
    shorted: bool
    key: str
    source: str
    by: str
    findings: tuple[Finding, ...]


def _ground_looks(facts: CallFacts, tests: Sequence[tuple[TakenTest, JudgedTest]]) -> list[_Ground]:
    looks: list[_Ground] = []
    for r in facts.readings:
        if r.entry.quantity == "to_ground" and r.trouble is None:
            looks.append(
                _Ground(
                    place=r.place,
                    at=r.taken_at,
                    shorted=r.entry.value is True,
                    key=f"reading-{r.id}",
                    source=msg("To ground, {person}", person=r.person),
                    by=r.person,
                    findings=(),
                )
            )
    for test, judged in tests:
        if test.topic != "isolation":
            continue
        bad = tuple(f for f in judged.findings if f.stops)
        clear_whole = test.entry.get("whole") is False and not bad
        if bad or clear_whole:
            looks.append(
                _Ground(
                    place=test.place,
                    at=test.taken_at,
                    shorted=bool(bad),
                    key=f"test-{test.id}",
                    source=msg("To ground, one part at a time, {person}", person=test.person),
                    by=test.person,
                    findings=bad,
                )
            )
    return sorted(looks, key=lambda g: g.place)


def _of_ground(facts: CallFacts, tests: Sequence[tuple[TakenTest, JudgedTest]]) -> list[Found]:
    looks = _ground_looks(facts, tests)
    found: list[Found] = []
    for look in looks:
        if not look.shorted:
            continue
        clear = next((g for g in looks if g.place > look.place and not g.shorted), None)
        changes = [c for c in facts.changes if c.place > look.place]
        mended = next(
            ((c, g) for c in changes for g in looks if g.place > c.place and not g.shorted),
            None,
        )
        more: dict[str, Any] = {
            "key": look.key,
            "source": look.source,
            "since": look.at,
            "may_lift": clear is not None,
            "lifted_by": _SAY_HOW
            if clear is not None
            else msg("The shorted part replaced or repaired, then a clear ground test"),
        }
        words = None
        if mended is not None:
            change, proof = mended
            words = msg("{what}, then ground test clear, {by}", what=change.what, by=proof.by)
        elif clear is not None:
            more["text"] = msg(
                "First read shorted to ground, then clear, with nothing changed between. Which "
                "reading is right?"
            )
            more["next_step"] = msg(
                "Enter what was changed, correct the wrong reading, or explain how it cleared."
            )
        if look.findings:
            found += [(stop_of_finding(look.findings[0], **more), words)]
        else:
            found.append((work_stop("GROUNDED", **more), words))
    return found


def _of_tests(tests: Sequence[tuple[TakenTest, JudgedTest]]) -> list[Found]:
    found: list[Found] = []
    for test, judged in tests:
        if test.topic == "isolation":
            continue
        finding = next((f for f in judged.findings if f.stops), None)
        if finding is None:
            continue
        found.append(
            (
                stop_of_finding(
                    finding,
                    key=f"test-{test.id}",
                    source=msg(
                        "{label}, {person}", label=find_call_test(test.topic).label, person=test.person
                    ),
                    since=test.taken_at,
                    may_lift=True,
                    lifted_by=_SAY_HOW,
                ),
                None,
            )
        )
    return found


def _of_inrush(
    facts: CallFacts, tests: Sequence[tuple[TakenTest, JudgedTest]], limits: Standards
) -> list[Found]:
    """Return a stop for every inrush above what a stalled rotor draws; a plate read again may end it."""
    if facts.plate is None:
        return []
    looks = _ground_looks(facts, tests)
    found: list[Found] = []
    for r in facts.current:
        if r.entry.quantity != "inrush_a" or r.trouble is not None:
            continue
        judged = judged_or_said(partial(_findings_of_inrush, r, facts.plate, limits), lambda _: [])
        if not any(f.code == "ABOVE_LOCKED_ROTOR" for f in judged):
            continue
        clear = next((g for g in looks if g.place > r.place and not g.shorted), None)
        apart = next(
            (
                s
                for s in facts.seen
                if isinstance(s.what, Evidence)
                and s.what.quantity == "legs_shorted"
                and s.what.value is False
                and s.place > r.place
            ),
            None,
        )
        stop = work_stop(
            "SHORT_CURRENT",
            key=f"reading-{r.id}",
            source=msg("Inrush {figure:g} A, {person}", figure=r.figure, person=r.person),
            since=r.taken_at,
            may_lift=clear is not None,
            lifted_by=msg("To ground clear and leg to leg clear after it, or the nameplate's LRA corrected"),
        )
        words = None
        if clear is not None and apart is not None:
            words = msg("to ground clear, {by}; leg to leg clear, {person}", by=clear.by, person=apart.person)
        found.append((stop, words))
    return found


def _findings_of_inrush(reading: TakenReading, plate: Plate, limits: Standards) -> list[Finding]:
    return judge_inrush_reading(reading, plate, limits).findings


def _of_hazards(facts: CallFacts, tests: Sequence[tuple[TakenTest, JudgedTest]]) -> list[Found]:
    looks = _ground_looks(facts, tests)
    found: list[Found] = []
    for one in facts.hazards:
        hazard = str(one.what)
        key = f"hazard-{hazard}-{one.place:g}"
        trips = hazard == "repeated_trips"
        after = next((g for g in looks if g.place > one.place), None)
        # Measured since: what the reading says is its own stop, or none.
        mended = msg("to ground measured since, {by}", by=after.by) if trips and after is not None else None
        if trips and after is None and looks and not looks[-1].shorted:
            mended = msg("to ground clear, {by}", by=looks[-1].by)
        found.append(
            (
                work_stop(
                    HAZARD_STOPS[hazard],
                    key=key,
                    source=msg("Reported by {person}", person=one.person),
                    since=one.at,
                    may_lift=not trips,
                    lifted_by=msg("To ground measured clear") if trips else _SAY_HOW,
                ),
                mended,
            )
        )
    return found


def _of_wiring(facts: CallFacts) -> list[Found]:
    """Return a stop for wiring that was checked and found wrong, until a later check of it is right."""
    found: list[Found] = []
    for check in facts.wired:
        if check.checked.ok is not False:
            continue
        later = [w for w in facts.wired if w.place > check.place and w.checked.work == check.checked.work]
        right = next((w for w in later if w.checked.ok), None)
        fault = check.checked.faults[0] if check.checked.faults else ""
        stop = work_stop(
            "MISWIRED",
            key=f"wired-{check.place:g}",
            source=msg("Wiring check, {person}", person=check.person),
            since=check.at,
            may_lift=True,
            lifted_by=msg("Check the wiring again, or write down how it was put right"),
            **({"text": msg("It is wired wrong: {fault}", fault=fault)} if fault else {}),
        )
        # Only the newest check of a work speaks; an older one is settled by it.
        words = (
            msg("checked right, {person}", person=right.person)
            if right is not None
            else msg("checked again")
            if later
            else None
        )
        found.append((stop, words))
    return found


def seen_settled(one: SeenAt, settled: Mapping[str, str]) -> bool:
    """Tell whether something told on Why was a stop that has been put right since."""
    return any(f"seen-{code}-{one.place:g}" in settled for code in CODES)


@dataclass(frozen=True)
class _Recorded:
    """One record with what it says."""

    says: Sequence[Evidence]
    place: float
    key: str
    source: str
    at: datetime


def _recorded(facts: CallFacts) -> list[_Recorded]:
    """Return every record that still speaks of the unit as it is, in the order it was recorded.

    A blown fuse speaks on after the fuse was replaced: a new fuse does not show why the old one blew.
    """
    found = [
        _Recorded(
            evidence_of_reading(r),
            r.place,
            f"reading-{r.id}",
            msg("Reading, {person}", person=r.person),
            r.taken_at,
        )
        for r in facts.readings
        if r.trouble is None
        and (r.entry.quantity == "fuse_open" or not facts.retired_by(r.entry.quantity, r.place))
    ]
    found += [
        _Recorded(
            evidence_of_test(t),
            t.place,
            f"test-{t.id}",
            msg("{label}, {person}", label=find_call_test(t.topic).label, person=t.person),
            t.taken_at,
        )
        for t in facts.current_tests
    ]
    found += [
        _Recorded([s.what], s.place, "", msg("Reported in Diagnosis by {person}", person=s.person), s.at)
        for s in facts.seen
        if isinstance(s.what, Evidence) and not facts.seen_retired_by(s.what.quantity, s.place)
    ]
    return sorted(found, key=lambda r: r.place)


def _of_facts(
    facts: CallFacts, tests: Sequence[tuple[TakenTest, JudgedTest]], limits: Standards
) -> list[Found]:
    """Return the stops that facts raise, through whichever door they came.

    Legs to neutral are judged as a pair, so what was told at different times counts together.
    """
    looks = _ground_looks(facts, tests)
    records = _recorded(facts)
    found: list[Found] = []
    told: dict[int, _Recorded] = {id(e): r for r in records for e in r.says}
    for fact in stop_facts([e for r in records for e in r.says], facts.plate, limits):
        record = told[id(fact.evidence)]
        clear = looks[-1] if looks and not looks[-1].shorted else None
        fuse = fact.code == "FUSE_BLOWN"
        stop = work_stop(
            fact.code,
            key=record.key or f"seen-{fact.code}-{record.place:g}",
            source=record.source,
            since=record.at,
            may_lift=not fuse,
            lifted_by=msg("Ground test clear") if fuse else _SAY_HOW,
            **({"text": fact.text} if fact.text else {}),
        )
        found.append(
            (stop, msg("to ground clear, {by}", by=clear.by) if fuse and clear is not None else None)
        )
    return found
