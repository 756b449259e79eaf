"""What has to come after a visit, each with the day it is due and why: computed, then kept as tasks."""

from datetime import date, timedelta
from typing import Literal

from pydantic import Field

from orange_crank.core.call.judge import JudgedCall
from orange_crank.core.handover.words import plain
from orange_crank.core.logbook.fleet import see_to_by
from orange_crank.core.logbook.unit import Logbook
from orange_crank.core.logbook.wear import YEAR_DAYS
from orange_crank.core.messages import MonthOf, Prose, joined, msg, within
from orange_crank.core.nomenclature import Frozen

AHEAD_YEARS = 2.0  # a forecast beyond it is no task yet
NOTHING_TO_MEND = frozenset({"healthy", "delay_or_lockout"})
# A soft starter has to learn first: its visit keeps a date of its own.
LATER = frozenset({"LEARNING"})
AT_ONCE = frozenset({"COOLING", "LEFT_DEAD", "LOCK_ON", "WIRING_HALF_DONE"})


class FollowUp(Frozen):
    """Something to come back for."""

    code: str = Field(description="Stable name; a call has each once")
    title: Prose
    why: Prose = Field(description="The reason, with its figures")
    plain: Prose = Field(description="The same for the customer")
    due_on: date
    kind: Literal["visit", "call", "suggestion"] = Field(
        default="visit",
        description="A visit or a telephone call promised to the customer, or a suggestion for later",
    )
    rule: str = Field(description="Shop rule or forecast the day comes from")


def follow_ups(call: JudgedCall, logbook: Logbook, today: date) -> list[FollowUp]:
    """Return what has to come after a visit, soonest first; one visit does all that can be done on it.

    Parameters
    ----------
    call : the judged call
    logbook : of its unit, this visit included
    today : the shop's own date

    """
    facts, limits = call.facts, call.limits
    found: list[FollowUp] = []

    def add(
        code: str,
        title: str,
        why: str,
        words: str,
        days: float,
        rule: str,
        kind: Literal["visit", "call"] = "visit",
    ) -> None:
        found.append(
            FollowUp(
                code=code,
                title=title,
                why=why,
                plain=words,
                due_on=today + timedelta(days=round(days)),
                kind=kind,
                rule=rule,
            )
        )

    for stop in call.stops:
        add(
            f"STOP-{stop.code}",
            msg("Clear the stop, or confirm it stays off"),
            stop.text,
            msg("We come back before the unit is switched on again."),
            1,
            msg("work is stopped"),
        )
    for point in call.left_open:
        if point.code in AT_ONCE and not (call.stops and point.code in ("LEFT_DEAD", "LOCK_ON")):
            words = plain().open_points.get(point.code, msg("Something was left to finish."))
            add(f"OPEN-{point.code}", point.next_step, point.text, words, 1, msg("left open on this call"))
    after = limits.rule("follow_up_days")
    unproved = [
        p for p in call.left_open if p.code in ("PROOF_MISSING", "NOT_PROVED", "NEW_PART_NOT_MEASURED")
    ]
    if unproved:
        words = plain().open_points[unproved[0].code]
        add("PROVE", msg("Take the after reading"), unproved[0].text, words, limits.follow_up_days, after)
    plan = facts.plans.get("aid")
    kept = {k.work: k.decision for k in facts.kept}
    if plan is not None and not plan.dropped and plan.learning_starts and kept.get("aid") != "take_off":
        learned = max((r.entry.learning_starts or 0 for r in facts.readings), default=0)
        if any(f.work == "aid" for f in facts.fitted) and learned < plan.learning_starts:
            add(
                "LEARNING",
                msg("Measure a start once the soft starter has learned"),
                msg(
                    "{learned} of {learning_starts} learning starts done.",
                    learned=learned,
                    learning_starts=plan.learning_starts,
                ),
                msg(
                    "The soft starter learns over its first {learning_starts} starts; then we measure it.",
                    learning_starts=plan.learning_starts,
                ),
                limits.follow_up_days,
                after,
            )
    if facts.parts_ordered.strip():
        add(
            "ORDER",
            msg("Check on the ordered part: {strip}", strip=facts.parts_ordered.strip()),
            msg("Ordered on this visit."),
            msg(
                "A part is on order: {strip}. We call you when it is here.", strip=facts.parts_ordered.strip()
            ),
            limits.order_days,
            limits.rule("order_days"),
            "call",
        )
    if call.circuit is not None and not call.circuit.ok:
        failing = [c for c in call.circuit.checks if c.verdict == "fail"]
        if failing:
            add(
                "CIRCUIT",
                msg("Circuit to be corrected"),
                joined((c.text for c in failing[:3]), " "),
                plain().circuit,
                limits.circuit_days,
                limits.rule("circuit_days"),
            )
    cause = facts.settled_cause
    if cause is not None and cause not in NOTHING_TO_MEND and not call.put_right:
        words = plain().causes[cause].wait or plain().not_settled
        add(
            "PUT_RIGHT",
            msg("Fix what was found"),
            msg("The cause was found but is not fixed yet."),
            words,
            limits.follow_up_days,
            after,
        )
    for f in logbook.forecasts:
        by = see_to_by(f, today)
        if by is None or (by - today).days > AHEAD_YEARS * YEAR_DAYS:
            continue
        found.append(
            FollowUp(
                code=f"WEAR-{f.quantity}",
                title=msg("{title}: replace before it fails", title=f.title),
                why=f.words,
                plain=(
                    msg(
                        "The {part} is wearing out. We suggest replacing it by {month}, before it "
                        "is out of range.",
                        part=within(f.title),
                        month=MonthOf(by),
                    )
                ),
                due_on=by,
                kind="suggestion",
                rule="forecast from this unit's own visits; ahead of the cooling season",
            )
        )
    return sorted(_one_visit(found), key=lambda f: (f.due_on, f.code))


def _one_visit(found: list[FollowUp]) -> list[FollowUp]:
    """Move every promised visit to the soonest one, so that the customer gets one date."""
    visits = [f.due_on for f in found if f.kind == "visit" and f.code not in LATER]
    soonest = min(visits, default=None)
    return [
        f.model_copy(update={"due_on": soonest})
        if soonest is not None and f.kind == "visit" and f.code not in LATER
        else f
        for f in found
    ]
