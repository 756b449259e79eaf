"""Handing a call over: what it was in the end, what it costs, what was agreed, to whom it was handed."""

from collections.abc import Callable
from datetime import datetime

from pydantic import Field

from orange_crank.core.aids import AidOut, choose_aid
from orange_crank.core.aids.entry import AidPart, Goal
from orange_crank.core.aids.parts import Counted
from orange_crank.core.call.aid import AidAsk, aid_entry
from orange_crank.core.call.judging import judged_or_said
from orange_crank.core.diagnosis.model import HYPOTHESES, Hypothesis
from orange_crank.core.diagnosis.table import priors
from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.handover.agreement import Agreement, NewAgreement
from orange_crank.core.handover.hand_over import HandOver, hand_over
from orange_crank.core.handover.money import (
    Billed,
    ClosedBill,
    Paid,
    PaidAt,
    Payment,
    Rates,
    Statement,
    money,
    paid_of,
)
from orange_crank.core.handover.options import Options, options_of
from orange_crank.core.handover.record import AgreedOut, Confirmed, ConfirmedAt, HandedOver, HandedOverAt
from orange_crank.core.logbook.unit import Logbook, logbook_of_call
from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.store import parts
from orange_crank.store.calls.billing import charged, exempt_of
from orange_crank.store.calls.decisions import AGREED, BILLED, CONFIRMED, HANDED, PAID, append
from orange_crank.store.calls.journal import Entry, write_on
from orange_crank.store.calls.record import CallRecord, read_call
from orange_crank.store.database import local_day, now, transaction
from orange_crank.store.errors import Conflict
from orange_crank.store.shop_details import get_shop


class CauseChoice(Frozen):
    """A cause to choose from."""

    hypothesis: Hypothesis
    title: Prose
    taken: bool = Field(description="Taken as the cause on this call")


class HandOverOut(Frozen):
    """The Hand over rung of a call."""

    hand_over: HandOver
    logbook: Logbook
    choices: list[CauseChoice] = Field(description="Every cause, the one taken first")
    confirmed: ConfirmedAt | None
    agreed: list[AgreedOut]
    handed: HandedOverAt | None
    billed: Billed | None
    tax_exempt: str = Field(description="Why no tax is charged: as on this bill, or the customer's last one")
    on_site_min: float = Field(description="From opening to hand-over, closing or now [min]")
    statement: Statement
    bill: ClosedBill | None = Field(description="The bill as it was when the call was closed")
    payments: list[PaidAt] = Field(description="Deposits and payments, oldest first")
    paid: Paid = Field(description="What was paid of the total, and what is due")
    terms: list[Prose] = Field(description="Payment terms and warranty, as printed on the bill")
    over_agreed: float | None = Field(
        description="By how much the bill is above the last yes; None where not"
    )
    unpriced: list[str] = Field(description="Fitted, and in no list: a price for each is written by hand")
    rates: Rates


def get_hand_over(call_id: int) -> HandOverOut:
    """Return a call handed over as it is now.

    Raises
    ------
    NotFound : no call has that number

    """
    return hand_over_out(read_call(call_id))


def moment_of(record: CallRecord) -> datetime:
    """Return when a call speaks: a closed one of its closing, an open one of now."""
    closed: datetime | None = record.row.closed_at if record.facts.status == "closed" else None
    return closed or now()


def hand_over_out(record: CallRecord) -> HandOverOut:
    """Hand a call's record over."""
    facts, call = record.facts, record.judged
    moment = moment_of(record)
    logbook = logbook_of_call(facts, call.limits, moment)
    counted = charged(record)
    until = facts.handed_over.at if facts.handed_over is not None else moment
    taken = facts.cause.decision.hypothesis if facts.cause is not None else None
    return HandOverOut(
        hand_over=hand_over(call, logbook, local_day(moment)),
        logbook=logbook,
        choices=[
            CauseChoice(hypothesis=h, title=priors()[h].title, taken=h == taken)
            for h in sorted(HYPOTHESES, key=lambda h: (h != taken, h != "healthy", priors()[h].title))
        ],
        confirmed=facts.confirmed,
        agreed=[
            AgreedOut(
                agreement=a.agreement,
                at=a.at,
                person=a.person,
                place=a.place,
                after_work=any(c.place < a.place for c in facts.changes),
            )
            for a in facts.agreed
        ],
        handed=facts.handed_over,
        billed=facts.billed,
        tax_exempt=exempt_of(record),
        on_site_min=max(0.0, round((until - record.row.opened_at).total_seconds() / 60)),
        statement=counted.statement,
        bill=counted.bill,
        payments=list(facts.payments),
        paid=paid_of([p.payment for p in facts.payments], counted.statement.total),
        terms=counted.bill.terms if counted.bill is not None else get_shop().details.terms(),
        over_agreed=counted.over_agreed,
        unpriced=counted.unpriced,
        rates=get_shop().details.rates(call.limits),
    )


def _write(
    call_id: int,
    change: Callable[[Entry, CallRecord], None],
    at: datetime | None = None,
    even_closed: bool = False,
) -> HandOverOut:
    with transaction():
        journal = write_on(call_id, at, even_closed)
        change(journal, read_call(call_id, journal.moment))
    return get_hand_over(call_id)


def confirm_cause(call_id: int, entry: Confirmed, person_id: int, at: datetime | None = None) -> HandOverOut:
    """Save the final cause; on a closed call too, where it was not confirmed in time."""

    def change(journal: Entry, _: CallRecord) -> None:
        append(journal, CONFIRMED, entry, person_id)

    return _write(call_id, change, at, even_closed=True)


def bill(call_id: int, entry: Billed, person_id: int, at: datetime | None = None) -> HandOverOut:
    """Write down what is charged beside the parts; the newest counts."""

    def change(journal: Entry, _: CallRecord) -> None:
        append(journal, BILLED, entry, person_id)

    return _write(call_id, change, at)


def pay(call_id: int, entry: Payment, person_id: int, at: datetime | None = None) -> HandOverOut:
    """Write down a deposit, a payment or a refund; on a closed call too, whose bill stays as it is."""

    def change(journal: Entry, _: CallRecord) -> None:
        append(journal, PAID, entry, person_id)

    return _write(call_id, change, at, even_closed=True)


def hand_to(call_id: int, entry: HandedOver, person_id: int, at: datetime | None = None) -> HandOverOut:
    """Write down to whom a call was handed over, and why what is left is left."""

    def change(journal: Entry, _: CallRecord) -> None:
        append(journal, HANDED, entry, person_id)

    return _write(call_id, change, at)


def get_options(call_id: int, person_id: int, goal: Goal = "start_at_all") -> Options:
    """Return what could be done on a call, side by side.

    Parameters
    ----------
    call_id : which call
    person_id : whose van the aids come from; one of each kind where it holds none
    goal : what an aid would be for

    """
    return _options(read_call(call_id), person_id, goal)


def _options(record: CallRecord, person_id: int, goal: Goal) -> Options:
    shop = get_shop().details
    rates = shop.rates(record.judged.limits)
    held: list[AidPart] = parts.aids_of_van(person_id)

    def chosen() -> AidOut | None:
        return choose_aid(aid_entry(record.judged, AidAsk(goal=goal), held or None), record.judged.limits)

    # No start can be computed, or no aid is allowed: the other options remain.
    aids = judged_or_said(chosen, lambda _: None)
    return options_of(record.judged, aids, priced_stock(), rates)


def priced_stock() -> list[Counted]:
    """Return the list as parts to choose from, each with what the shop pays."""
    cost = parts.prices()
    return [Counted(part=p, count=3, price=cost.get(p.part)) for p in parts.all_parts().values()]


def agree(
    call_id: int, entry: NewAgreement, person_id: int, goal: Goal = "start_at_all", at: datetime | None = None
) -> HandOverOut:
    """Write down what a customer agreed to, exactly as it was shown.

    Raises
    ------
    InputProblem : an option that is not among those shown
    Conflict : the price is no longer the one that was shown

    """

    def change(journal: Entry, record: CallRecord) -> None:
        options = _options(record, person_id, goal).options
        known = {o.key: o for o in options}
        unknown = [k for k in entry.options if k not in known]
        if unknown:
            raise InputProblem(
                [FieldProblem(field="options", wanted=msg("keys of the options shown"), got=unknown[0])],
                next_step=msg("Show the options again and choose among them."),
            )
        chosen = [known[k] for k in dict.fromkeys(entry.options)]
        priced = [k for k in entry.prices if k not in known or known[k].cost.total is not None]
        if priced:
            raise InputProblem(
                [
                    FieldProblem(
                        field="prices", wanted=msg("options that have no price of their own"), got=priced[0]
                    )
                ],
                next_step=msg("Type a price only where none is shown."),
            )
        totals = [entry.prices.get(o.key, o.cost.total) for o in chosen]
        total = None if any(t is None for t in totals) else round(sum(t or 0.0 for t in totals), 2)
        if total != entry.shown_total:
            raise Conflict(
                msg("The price changed since it was shown: a rate or a price was edited meanwhile."),
                next_step=msg("Show the options again; the customer agrees to what is there now."),
            )
        currency = get_shop().details.currency
        what = [f"{o.title}: {money(t, currency)}. {o.does}" for o, t in zip(chosen, totals, strict=True)]
        if entry.trial:
            what.append("One trial of a start kit on the locked compressor; it may not start.")
        append(
            journal,
            AGREED,
            Agreement(
                name=entry.name,
                keys=[o.key for o in chosen],
                what=what,
                total=total,
                currency=currency,
                trial=entry.trial,
                signature=entry.signature,
                heard_by=entry.heard_by,
                planned_min=sum(o.minutes for o in chosen),
            ),
            person_id,
        )

    return _write(call_id, change, at)
