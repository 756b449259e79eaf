"""What a call leaves open: an overload nobody explained, proofs not taken, locks still on."""

from collections.abc import Sequence
from dataclasses import dataclass

from pydantic import Field

from orange_crank.core.call.before_after import BeforeAfter, starts_before
from orange_crank.core.call.changes import OWN_READINGS, part_word
from orange_crank.core.call.facts import CallFacts
from orange_crank.core.call.open_fails import OpenFail
from orange_crank.core.call.work import wanted_proofs
from orange_crank.core.measure.reading import QUANTITIES, Quantity
from orange_crank.core.messages import Prose, joined, msg, within
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.safety.stop import WorkStop

_NO_ANSWER = ("overload_open", "healthy")


class OpenPoint(Frozen):
    """Something that would be left open if the call were closed now."""

    code: str
    text: Prose
    next_step: Prose
    rung: str | None = Field(default=None, description="Where it is settled")


@dataclass(frozen=True)
class OverloadOpen:
    """An overload that was found open on this call."""

    place: float
    answered_by: str | None


def overload_of(facts: CallFacts) -> OverloadOpen | None:
    """Return the last time the internal overload read open, and what heated it, where that was said.

    Notes
    -----
    Common open to both others while start to run is whole is an open overload or a burnt common. It stays
    on the call until a cause taken after it, or a written answer, says what heated it.

    """
    last: dict[Quantity, object] = {}
    place: float | None = None
    for r in facts.readings:
        if r.trouble is None and r.entry.quantity.startswith("winding_"):
            last[r.entry.quantity] = r.entry.value
            three = [last.get(q) for q in ("winding_cs_ohm", "winding_cr_ohm", "winding_sr_ohm")]
            if three[0] == "open" and three[1] == "open" and isinstance(three[2], float):
                place = r.place
    if place is None:
        return None
    replaced = any(c.part == "compressor" and c.place > place for c in facts.changes)
    answer = next(
        (
            d
            for d in facts.decisions
            if d.place > place
            and (
                d.kind == "overload_cause"
                or (d.kind == "cause" and d.decision.hypothesis not in (None, *_NO_ANSWER))
            )
        ),
        None,
    )
    if replaced:
        return OverloadOpen(place, msg("the compressor was replaced"))
    return OverloadOpen(place, None if answer is None else answer.decision.note or msg("the cause taken"))


# Noted of an old part to know it by; a new one is proved by its measured values.
_LOOKS: frozenset[Quantity] = frozenset(
    {"can_look", "can_label_uf", "contactor_look", "cycles_count", "pins_found"}
)


def to_measure_again(facts: CallFacts) -> list[tuple[Quantity, str]]:
    """Return what was measured on an old part and not yet on the new one, in words."""
    wanted: dict[Quantity, str] = {}
    for change in facts.changes:
        for quantity in sorted(OWN_READINGS.get(change.part or "other", frozenset()) - _LOOKS):
            before = any(r.entry.quantity == quantity and r.place < change.place for r in facts.readings)
            after = any(r.entry.quantity == quantity and r.place > change.place for r in facts.readings)
            if before and not after:
                wanted[quantity] = msg(
                    "{label} of the new {part_word}",
                    label=QUANTITIES[quantity].label,
                    part_word=part_word(change.part),
                )
            else:
                wanted.pop(quantity, None)
    return list(wanted.items())


def left_open(
    facts: CallFacts, stops: list[WorkStop], pair: BeforeAfter | None, fails: Sequence[OpenFail] = ()
) -> list[OpenPoint]:
    """Return what closing the call now would leave open, gravest first.

    Parameters
    ----------
    facts : what is on the record
    stops : what stops the work
    pair : the start before against the start after
    fails : every Fail that is not put right

    """
    points = [
        OpenPoint(
            code=s.code, text=msg("Still stopped: {text}", text=s.text), next_step=s.next_step, rung="why"
        )
        for s in stops
    ]
    points += [
        OpenPoint(
            code="FAIL",
            text=msg("Fail: {title}. {text}", title=fail.title, text=fail.text),
            next_step=fail.next_step or msg("Put it right and measure it again, or say why it stays."),
            rung=fail.rung,
        )
        for fail in fails
    ]
    points += _safety(facts)
    overload = overload_of(facts)
    if overload is not None and overload.answered_by is None:
        points.append(
            OpenPoint(
                code="OVERLOAD_UNEXPLAINED",
                text=msg("The overload was open on this call. No cause entered for the overheating."),
                next_step=msg("Select the cause in Diagnosis, or enter what overheated it."),
                rung="why",
            )
        )
    points += _work(facts)
    points += [
        OpenPoint(
            code="NEW_PART_NOT_MEASURED",
            text=msg("{words}: not measured.", words=words),
            next_step=msg("Measure it, or say why not."),
            rung="dead_tests" if QUANTITIES[q].work == "dead" else "live_tests",
        )
        for q, words in to_measure_again(facts)
    ]
    proved = pair is not None or (not starts_before(facts) and _runs_after(facts))
    if facts.changes and not proved and not any(p.code == "PROOF_MISSING" for p in points):
        points.append(
            OpenPoint(
                code="NOT_PROVED",
                text=msg("Something was changed and the unit was not measured running after it."),
                next_step=msg("Measure the start again: same clamp position, same meter mode, same off time.")
                if starts_before(facts)
                else msg("Measure a start, or running amps."),
                rung="prove",
            )
        )
    return [*points, *_papers(facts)]


def _papers(facts: CallFacts) -> list[OpenPoint]:
    """Return open points of hand-over, bill and safety gate, for the question at closing."""
    points: list[OpenPoint] = []
    if facts.past_gate:
        points.append(
            OpenPoint(
                code="PAST_GATE",
                text=msg("Taken past the safety gate: {join}.", join=joined(facts.past_gate[:3], "; ")),
                next_step=msg("Say on closing that the lead should look at it, or why it was right."),
                rung="make_safe",
            )
        )
    if facts.changes and facts.billed is None:
        points.append(
            OpenPoint(
                code="NOT_BILLED",
                text=msg("Something was changed and nothing is billed."),
                next_step=msg("Enter the minutes under Hand over, or say why nothing is charged."),
                rung="hand_over",
            )
        )
    if (facts.changes or facts.agreed) and facts.handed_over is None:
        points.append(
            OpenPoint(
                code="NOT_HANDED_OVER",
                text=msg("The call is not handed over."),
                next_step=msg("Hand it over, or say why not."),
                rung="hand_over",
            )
        )
    return points


def _runs_after(facts: CallFacts) -> bool:
    last = max((c.place for c in facts.changes), default=0.0)
    return any(r.place > last and r.entry.quantity in ("inrush_a", "running_a") for r in facts.current)


def _safety(facts: CallFacts) -> list[OpenPoint]:
    points: list[OpenPoint] = []
    state, record = facts.state, facts.make_safe
    live_since = any(e.kind == "went_live" for e in facts.events[_last_record(facts) + 1 :])
    if record is None or live_since:
        return points
    if state.state in ("dead_proved", "control_live", "lapsed"):
        points.append(
            OpenPoint(
                code="LEFT_DEAD",
                text=msg("The unit is left without power: {words}.", words=state.words),
                next_step=msg("Record going live, or enter why it stays off."),
                rung="live_tests",
            )
        )
    for opened in record.opened:
        if opened.locked:
            key = msg(", key with {key_holder}", key_holder=opened.key_holder) if opened.key_holder else ""
            points.append(
                OpenPoint(
                    code="LOCK_ON",
                    text=msg("A lock is on: {device}{key}.", device=opened.device, key=key),
                    next_step=msg("Take the lock off, or say who does and when."),
                    rung="make_safe",
                )
            )
    if record.control_off:
        points.append(
            OpenPoint(
                code="THERMOSTAT_OFF",
                text=msg("The thermostat or control call is still off."),
                next_step=msg("Set it back, or enter why not."),
                rung="make_safe",
            )
        )
    return points


def _last_record(facts: CallFacts) -> int:
    return max((i for i, e in enumerate(facts.events) if e.kind == "made_safe"), default=-1)


def _work(facts: CallFacts) -> list[OpenPoint]:
    points: list[OpenPoint] = []
    fitted = {f.work for f in facts.fitted}
    for plan in facts.plans.values():
        if plan.dropped:
            continue
        if plan.ticked and plan.work not in fitted:
            points.append(
                OpenPoint(
                    code="WIRING_HALF_DONE",
                    text=msg(
                        "{title}: {ticked} moves ticked, nothing written down as fitted.",
                        title=plan.title,
                        ticked=len(plan.ticked),
                    ),
                    next_step=msg("Finish the wiring plan, or restore the leads and cancel it."),
                    rung="aid" if plan.work == "aid" else "parts",
                )
            )
        if plan.work in fitted:
            points += [
                OpenPoint(
                    code="PROOF_MISSING",
                    text=msg("{title}: not measured: {proof}.", title=plan.title, proof=within(proof.text)),
                    next_step=msg("{text}. {how}", text=proof.text, how=proof.how),
                    rung=proof.open_rung,
                )
                for proof in wanted_proofs(
                    plan, facts.fitted, facts.readings, facts.backup, facts.told.symptoms
                )
                # A reading that exists only before the work is not demanded after it.
                if not proof.done and not proof.key.endswith("_before")
            ]
    last_fit = {f.work: f for f in facts.fitted}
    decided = {k.work: k.place for k in facts.kept}
    points += [
        OpenPoint(
            code="KEEP_OR_NOT",
            text=msg("{title}: decide whether to keep it or remove it.", title=f.title),
            next_step=msg("Decide in step 9 (Prove) and enter the reason."),
            rung="prove",
        )
        for work, f in last_fit.items()
        if decided.get(work, -1.0) < f.place
    ]
    # A yes signed to it in case it is needed is no trial to be made: the cause may have been another.
    due = any(d.kind == "kit_trial" for d in facts.decisions) or facts.settled_cause == "locked_rotor"
    if due and facts.trials and facts.trials[-1].result is None:
        points.append(
            OpenPoint(
                code="TRIAL_OPEN",
                text=msg("The hard-start trial was approved, but no result is entered."),
                next_step=msg("Enter the result."),
                rung="why",
            )
        )
    if facts.condemned and not any(d.kind == "why_it_died" for d in facts.decisions):
        points.append(
            OpenPoint(
                code="WHY_IT_DIED",
                text=msg("Compressor condemned, but no cause of failure entered."),
                next_step=msg("Enter what killed it (step 5) before you install a new one."),
                rung="why",
            )
        )
    if facts.clocks_running:
        points.append(
            OpenPoint(
                code="COOLING",
                text=msg("A cooling clock is running: the retest is still to come."),
                next_step=msg("Retest when it is cool, or end the clock."),
                rung="dead_tests",
            )
        )
    return points
