"""A visit handed over, from the record: found, done, left, what may fail, what to watch, when to come back.

Two voices from one record. The customer is told in plain words what it means and what to do; the next
technician is told what was measured, where, and by which rule.
"""

from collections.abc import Sequence
from datetime import date

from pydantic import Field

from orange_crank.core.call.call_tests import JudgedTest, find_call_test
from orange_crank.core.call.changes import TAKEN_OFF_WORDS, Change
from orange_crank.core.call.facts import TakenTest
from orange_crank.core.call.judge import JudgedCall
from orange_crank.core.call.next_step import is_routine
from orange_crank.core.call.open_fails import OpenFail
from orange_crank.core.call.reading import JudgedReading
from orange_crank.core.diagnosis.model import Hypothesis, Symptom
from orange_crank.core.diagnosis.table import priors
from orange_crank.core.handover.follow_ups import FollowUp, follow_ups
from orange_crank.core.handover.words import plain, plain_figure, sentence
from orange_crank.core.logbook.unit import Logbook
from orange_crank.core.logbook.wear import Forecast, between
from orange_crank.core.measure.reading import QUANTITIES
from orange_crank.core.measure.taken import TakenReading
from orange_crank.core.messages import Prose, joined, msg, within
from orange_crank.core.nomenclature import Frozen, Verdict, say
from orange_crank.core.plate import Plate
from orange_crank.core.safety.stop import plain_words

# What wears: only these may fail next by what they read.
_WEARS = frozenset({"contactor_look", "contactor_drop_v", "can_look", "run_cap_uf", "fan_cap_uf", "coil_ohm"})


class Said(Frozen):
    """One line of a hand-over, in two voices."""

    code: str
    plain: Prose = Field(description="For the customer")
    technical: Prose = Field(description="For the next technician")
    verdict: Verdict = "note"


class HandOver(Frozen):
    """A visit handed over."""

    found: list[Said]
    done: list[Said]
    left: list[Said]
    may_fail: list[Said]
    watch: list[Said]
    come_back: list[FollowUp]
    state: Said = Field(description="How the unit is left")
    nothing_measured: bool
    cause: Hypothesis | None = Field(description="What it was, confirmed or taken; none where not settled")
    cause_title: Prose
    confirmed: bool = Field(description="Whether somebody said that it was so in the end")
    left_why: str = Field(description="Why what is left undone is left, as it was said")
    always: Prose = Field(description="What stands on every hand-over")


def hand_over(call: JudgedCall, logbook: Logbook, today: date) -> HandOver:
    """Hand a visit over, from its record alone.

    Parameters
    ----------
    call : the judged call
    logbook : of its unit, this visit included
    today : the shop's own date

    """
    facts = call.facts
    cause = facts.settled_cause
    nothing = not facts.readings and not facts.tests and not facts.seen
    handed = facts.handed_over.handed if facts.handed_over else None
    return HandOver(
        found=_found(call, cause, nothing),
        done=_done(call),
        left=_left(call, cause),
        may_fail=_may_fail(call, logbook, cause),
        watch=_watch(call, cause),
        come_back=follow_ups(call, logbook, today),
        state=_state(call),
        nothing_measured=nothing,
        cause=cause,
        cause_title=priors()[cause].title if cause is not None else "",
        confirmed=facts.confirmed is not None,
        left_why=(handed.left_why if handed is not None else "") or facts.closed_reason,
        always=plain().always,
    )


# Work a customer requests on a unit that runs.
_REQUESTS: frozenset[Symptom] = frozenset({"upgrade_only", "will_not_run_on_backup"})


def _found(call: JudgedCall, cause: Hypothesis | None, nothing: bool) -> list[Said]:
    """Return the finding of the visit, then every reading and test that failed, the old part's too."""
    taken = {r.id: r for r in call.facts.readings}
    failed = [
        _reading(taken[j.reading_id], j, call.facts.plate)
        for j in call.readings
        if "fail" in (j.verdict, j.was) and j.reading_id in taken
    ]
    failed += [_test(t, j) for t, j in call.tests if j.verdict == "fail"]
    return _once([_finding(call, cause, nothing, bool(failed)), *failed])


def _finding(call: JudgedCall, cause: Hypothesis | None, nothing: bool, failed: bool) -> Said:
    facts, words = call.facts, plain()
    if nothing and facts.confirmed is None:
        taken_as = (
            msg(" Taken as the cause, not confirmed: {title}.", title=priors()[cause].title)
            if cause is not None
            else ""
        )
        technical = msg("No reading, test or inspection is saved.{taken_as}", taken_as=taken_as)
        return Said(
            code="NOTHING_MEASURED", plain=words.nothing_measured, technical=technical, verdict="unknown"
        )
    if cause is not None:
        return Said(code="CAUSE", plain=words.causes[cause].found, technical=_cause_words(call, cause))
    if not failed and facts.complaint.strip() and is_routine(call):
        technical = msg("Routine service; no reading or test fails.")
        return Said(code="ROUTINE", plain=words.routine, technical=technical, verdict="pass")
    if not failed and facts.told.symptoms and set(facts.told.symptoms) <= _REQUESTS:
        technical = msg("Upgrade or backup power requested; no fault on record.")
        return Said(code="REQUESTED", plain=words.requested, technical=technical)
    return Said(
        code="NOT_SETTLED",
        plain=words.not_settled,
        technical=msg("No cause recorded."),
        verdict="unknown",
    )


def _cause_words(call: JudgedCall, cause: Hypothesis) -> str:
    title, confirmed = priors()[cause].title, call.facts.confirmed
    if confirmed is None:
        return msg("{title}: selected as the cause, not confirmed.", title=title)
    how = f" {sentence(confirmed.confirmed.note)}" if confirmed.confirmed.note.strip() else ""
    return msg("{title}: confirmed by {person}.{how}", title=title, person=confirmed.person, how=how)


def _test(test: TakenTest, judged: JudgedTest) -> Said:
    texts = [f.text for f in judged.findings if f.verdict == "fail"]
    return Said(
        code=f"TEST-{test.id}",
        plain=plain().tests[test.topic],
        technical=sentence(
            msg("{label}: {join}", label=find_call_test(test.topic).label, join=joined(texts, " "))
        ),
        verdict="fail",
    )


def _should_be(reading: TakenReading, plate: Plate | None) -> str:
    """Say what the nameplate has in its place, where a customer can compare the two."""
    if plate is None:
        return ""
    named = {"run_cap_uf": plate.run_cap_uf, "fan_cap_uf": plate.fan_cap_uf}.get(reading.entry.quantity)
    return msg(" of {named}", named=say(named)) if named else ""


def _reading(reading: TakenReading, judged: JudgedReading, plate: Plate | None) -> Said:
    note = QUANTITIES[reading.entry.quantity]
    words = plain().quantities[reading.entry.quantity]
    named = _should_be(reading, plate)
    figure = plain_figure(reading.entry.value, note.unit, named)
    old = msg(", on the part that was replaced") if judged.old_part else ""
    where = msg(" at {replace}", replace=reading.entry.spot.replace("_", " ")) if reading.entry.spot else ""
    shown = reading.entry.value if not isinstance(reading.entry.value, float | int) else None
    value = f"{shown}" if shown is not None else say(float(reading.figure or 0.0), note.unit)
    if isinstance(reading.entry.value, bool):
        value = "yes" if reading.entry.value else "no"
    shown_by = [f for f in judged.findings if f.verdict == "fail"]
    rule = shown_by[0].rule if shown_by else ""
    summary = judged.was_summary or judged.summary
    failed = plain().failed.get(reading.entry.quantity)
    return Said(
        code=f"READING-{reading.id}",
        plain=failed
        if failed is not None
        else sentence(
            msg(
                "We measured {words}: {figure}, which is not as it should be{old}",
                words=words,
                figure=figure,
                old=old,
            )
        ),
        technical=sentence(
            msg(
                "{label} {value}{where}: {summary}{old}",
                label=note.label,
                value=value,
                where=where,
                summary=summary,
                old=old,
            )
        )
        + (msg(" By {rule}.", rule=rule) if rule else ""),
        verdict="fail",
    )


def _done(call: JudgedCall) -> list[Said]:
    facts = call.facts
    done = [_change(c) for c in facts.changes]
    pair = call.before_after
    if pair is not None and pair.result.comparable != "no":
        before = next((r for r in facts.readings if r.id == pair.before_id), None)
        after = next((r for r in facts.readings if r.id == pair.after_id), None)
        if before is not None and after is not None:
            done.append(
                Said(
                    code="BEFORE_AFTER",
                    plain=_before_after(before, after, any(c.part == "soft_starter" for c in facts.changes)),
                    technical=sentence(pair.result.sentence),
                    verdict="pass" if pair.result.comparable == "yes" else "watch",
                )
            )
    return done


def _before_after(before: TakenReading, after: TakenReading, soft: bool) -> str:
    e, f = before.entry, after.entry
    if (e.outcome or "started") != "started" and (f.outcome or "started") == "started":
        return msg("Before the work the unit did not start; after it, it starts.")
    if (f.outcome or "started") != "started":
        return msg("After the work the unit still did not start.")
    amps = msg(
        "{figure} amps before, {figure_2} amps after.",
        figure=say(before.figure or 0.0),
        figure_2=say(after.figure or 0.0),
    )
    if soft:
        return msg(
            "Starting current: {amps} A soft starter starts more gently, so it takes a little longer.",
            amps=amps,
        )
    if e.seconds and f.seconds:
        return msg(
            "Starting time: {seconds} seconds before, {seconds_2} seconds after.",
            seconds=say(e.seconds),
            seconds_2=say(f.seconds),
        )
    return msg("Starting current: {amps}", amps=amps)


def _change(change: Change) -> Said:
    if change.what.startswith(TAKEN_OFF_WORDS):
        return Said(code="TAKEN_OFF", plain=plain().kept_off, technical=sentence(change.what))
    words = plain().parts[change.part or "other"]
    if (change.part or "other") == "other":
        words = sentence(change.what)
    return Said(
        code=f"CHANGE-{change.id}", plain=words, technical=sentence(f"{change.what}, {change.person}")
    )


def _left(call: JudgedCall, cause: Hypothesis | None) -> list[Said]:
    facts = call.facts
    left = [
        Said(
            code=stop.code,
            plain=msg("{plain_words} {stop}", plain_words=plain_words(stop), stop=plain().stop),
            technical=msg("STOP: {text} {next_step}", text=stop.text, next_step=stop.next_step),
            verdict="fail",
        )
        for stop in call.stops
    ]
    stopped = {s.key for s in call.stops}
    left += [_not_put_right(call, f) for f in call.fails if f.key not in stopped and f.topic != "circuit"]
    left += [
        Said(
            code=f"WATCH-{f.key}",
            plain=msg(
                "{title}: near its limit. It should be measured again on the next visit.", title=f.title
            ),
            technical=sentence(msg("Watch: {title}. {text}", title=f.title, text=f.text))
            + (f" → {f.next_step}" if f.next_step else ""),
            verdict="watch",
        )
        for f in call.watched_tests
    ]
    for point in call.left_open:
        words = plain().open_points.get(point.code)
        if words is not None and not (call.stops and point.code in _SAID_BY_THE_STOP):
            left.append(
                Said(
                    code=point.code,
                    plain=words,
                    technical=msg("{text} → {next_step}", text=point.text, next_step=point.next_step),
                    verdict="watch",
                )
            )
    if cause is not None and priors()[cause].mended_by and not call.put_right:
        wait = plain().causes[cause].wait
        left.append(
            Said(
                code="NOT_PUT_RIGHT",
                plain=wait
                if call.fails and wait
                else joined([plain().not_put_right, *([wait] if wait else [])]),
                technical=msg("Not fixed: {fix}", fix=priors()[cause].fix),
                verdict="watch",
            )
        )
    if call.circuit is not None and not call.circuit.ok:
        failing = [c for c in call.circuit.checks if c.verdict == "fail"]
        if failing:
            left.append(
                Said(
                    code="CIRCUIT",
                    plain=plain().circuit,
                    technical=joined(
                        msg("{check} ({clause})", check=c.text, clause=c.clause) for c in failing
                    ),
                    verdict="fail",
                )
            )
    if facts.parts_ordered.strip():
        ordered = facts.parts_ordered.strip()
        left.append(
            Said(
                code="ON_ORDER",
                plain=sentence(msg("A part is on order: {ordered}", ordered=ordered)),
                technical=sentence(msg("On order: {ordered}", ordered=ordered)),
            )
        )
    return _once(left)


# Under a stop the unit stays off: who may switch what is said there alone.
_SAID_BY_THE_STOP = frozenset({"THERMOSTAT_OFF", "LEFT_DEAD", "PROOF_MISSING", "NOT_PROVED"})


def _not_put_right(call: JudgedCall, fail: OpenFail) -> Said:
    number = fail.key.removeprefix("reading-")
    taken = next(
        (r for r in call.facts.readings if fail.key.startswith("reading-") and str(r.id) == number), None
    )
    if taken is None:
        words = plain().tests[fail.topic]
    else:
        said = plain().failed.get(taken.entry.quantity)
        quantity = plain().quantities[taken.entry.quantity]
        comma = "," if ", " in quantity else ""
        words = said or sentence(
            msg("{quantity}{comma} is not as it should be", quantity=quantity, comma=comma)
        )
    return Said(
        code=f"FAIL-{fail.key}",
        plain=msg("{words} {not_put_right}", words=words, not_put_right=plain().not_put_right),
        technical=sentence(msg("Fail: {title}. {text}", title=fail.title, text=fail.text))
        + (msg(" → {step}", step=fail.next_step) if fail.next_step else ""),
        verdict="fail",
    )


def _may_fail(call: JudgedCall, logbook: Logbook, cause: Hypothesis | None) -> list[Said]:
    facts = call.facts
    may: list[Said] = []
    for f in logbook.forecasts:
        if f.state == "passed":
            text = msg(
                "The {part} is out of range now. Replace it before it leaves you without cooling.",
                part=within(f.title),
            )
            may.append(Said(code=f"WEAR-{f.quantity}", plain=text, technical=f.words, verdict="fail"))
        elif f.state == "due" and f.likely is not None:
            few = msg(" This is a rough estimate from only a few visits.") if f.few and not f.at_limit else ""
            may.append(
                Said(
                    code=f"WEAR-{f.quantity}",
                    plain=msg(
                        "{gentle}{few} Replacing it early costs less than a breakdown.",
                        gentle=_gentle(f),
                        few=few,
                    ),
                    technical=msg(
                        "{words} {signed} %/year. {reason}",
                        words=f.words,
                        signed=_signed(f.rate_pct_per_year),
                        reason=f.reason,
                    ),
                    verdict="watch",
                )
            )
    taken = {r.id: r for r in facts.current}
    for judged in call.readings:
        if judged.verdict == "watch" and judged.reading_id in taken and judged.old_part is None:
            reading = taken[judged.reading_id]
            if reading.entry.quantity not in _WEARS:
                continue
            note = QUANTITIES[reading.entry.quantity]
            words = plain().quantities[reading.entry.quantity]
            figure = plain_figure(reading.entry.value, note.unit)
            may.append(
                Said(
                    code=f"READING-{reading.id}",
                    plain=sentence(
                        msg("We are watching {words}: {figure}", words=words, figure=figure)
                        + (msg(" is near its limit") if note.kind != "word" else "")
                    ),
                    technical=sentence(msg("{label}: {summary}", label=note.label, summary=judged.summary)),
                    verdict="watch",
                )
            )
    if cause == "worn_bearings":
        may.append(
            Said(
                code="WORN",
                plain=plain().causes["worn_bearings"].wait,
                technical=msg("Compressor worn or tight: a start aid buys time, not years."),
                verdict="watch",
            )
        )
    if logbook.latest_amps is not None and logbook.latest_amps.verdict == "watch":
        may.append(
            Said(
                code="OWN_BASELINE",
                plain=(
                    msg(
                        "The compressor draws more or less current than it usually does. We are "
                        "looking into why."
                    )
                ),
                technical=logbook.latest_amps.text,
                verdict="watch",
            )
        )
    kept = {k.work: k.decision for k in facts.kept}
    if any(f.work == "aid" for f in facts.fitted) and kept.get("aid") != "take_off":
        may.append(
            Said(
                code="AID",
                plain=plain().aids,
                technical=msg("A start aid is installed. It does not extend the compressor's life."),
            )
        )
    return _once(may)


def _signed(value: float) -> str:
    return f"{value:+.1f}".replace("-", "−")


def _gentle(f: Forecast) -> str:
    """Put a forecast in the customer's words: no figure of a limit."""
    begin = plain().wears.get(f.quantity, msg("The {part} wears with age.", part=within(f.title)))
    if f.at_limit:
        return msg("{begin} It is at its limit now.", begin=begin)
    return msg(
        "{begin} We expect it to be out of range {between}.",
        begin=begin,
        between=between(f.earliest, f.latest),
    )


def _watch(call: JudgedCall, cause: Hypothesis | None) -> list[Said]:
    words = plain().causes[cause or "healthy"].watch
    watch = [Said(code="WATCH", plain=words, technical=words)]
    plan = call.facts.plans.get("aid")
    if plan is not None and plan.learning_starts and any(f.work == "aid" for f in call.facts.fitted):
        text = msg(
            "The first {learning_starts} starts may sound different: the soft starter is learning.",
            learning_starts=plan.learning_starts,
        )
        watch.append(Said(code="LEARNING", plain=text, technical=text))
    return watch


def _state(call: JudgedCall) -> Said:
    facts = call.facts
    handed = facts.handed_over.handed if facts.handed_over else None
    if call.stops:
        return Said(
            code="OFF",
            plain=msg("The unit stays switched off. Do not switch it on, and do not reset its breaker."),
            technical=msg("Left under a stop: {text}", text=call.stops[0].text),
            verdict="fail",
        )
    if facts.state.state in ("dead_proved", "control_live", "lapsed"):
        return Said(
            code="OFF",
            plain=msg("The unit is left switched off."),
            technical=msg("Left: {words}.", words=facts.state.words),
            verdict="watch",
        )
    if handed is not None and handed.running is not None:
        return (
            Said(
                code="RUNNING",
                plain=msg("The unit is left running."),
                technical=msg("Left running."),
                verdict="pass",
            )
            if handed.running
            else Said(
                code="NOT_RUNNING",
                plain=msg("The unit is left ready, but not running."),
                technical=msg("Left not running."),
                verdict="watch",
            )
        )
    return Said(
        code="NOT_SAID",
        plain=msg("Power to the unit is on."),
        technical=msg("Power is on; running state not recorded."),
        verdict="unknown",
    )


def _once(said: Sequence[Said]) -> list[Said]:
    """Say each thing once: the first of those that read alike."""
    seen: dict[str, Said] = {}
    for one in said:
        seen.setdefault(one.plain, one)
    return list(seen.values())
