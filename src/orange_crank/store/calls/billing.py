"""The bill of a call: from its parts and minutes while it is open, frozen once it is closed."""

from dataclasses import dataclass
from datetime import date, datetime

from pydantic import AwareDatetime, Field, ValidationError

from orange_crank.core.call.open_points import OpenPoint
from orange_crank.core.call.work import Fitting
from orange_crank.core.catalogs import frozen_in
from orange_crank.core.handover.money import (
    Billed,
    ClosedBill,
    MoneyLine,
    Payment,
    Statement,
    UsedPart,
    money,
    paid_of,
    statement,
)
from orange_crank.core.handover.record import Closing, LeftAtClosing
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.store import parts
from orange_crank.store.calls.decisions import BILLED, CLOSED, FITTED, PAID
from orange_crank.store.calls.record import CallRecord
from orange_crank.store.database import local_day
from orange_crank.store.models import DecisionRow, Person, ServiceCall, Site, Unit
from orange_crank.store.shop_details import get_shop
from orange_crank.store.units import site_out


@dataclass(frozen=True)
class Charged:
    """The bill of a call, as it is now or as it was at closing."""

    statement: Statement
    bill: ClosedBill | None
    over_agreed: float | None
    unpriced: list[str]


def charged(record: CallRecord) -> Charged:
    """Return what a call is charged; of a closed one the bill that was frozen with it, where there is one."""
    facts = record.facts
    used, unpriced = used_parts(record)
    bill = facts.last_bill if facts.status == "closed" else None
    if bill is not None:
        counted = bill.statement
    else:
        billed = facts.billed
        lines = billed.lines if billed is not None else []
        written = {line.what for line in lines}
        priced = used + [UsedPart(title=t, count=1, price=None) for t in unpriced if t not in written]
        rates = get_shop().details.rates(record.judged.limits)
        exempt = exempt_of(record)
        counted = statement(priced, billed.minutes if billed is not None else None, rates, lines, exempt)
    return Charged(counted, bill, _over_agreed(record, counted), unpriced)


def exempt_of(record: CallRecord) -> str:
    """Return why this customer pays no tax: as on this bill, before it as on the last bill of the place."""
    if record.facts.billed is not None:
        return record.facts.billed.tax_exempt.strip()
    row = record.row
    last = (
        DecisionRow.select()
        .join(ServiceCall)
        .join(Unit)
        .where(DecisionRow.kind == BILLED, Unit.site == row.unit.site_id, ServiceCall.id != row.id)
        .order_by(DecisionRow.id.desc())
        .first()
    )
    if last is None:
        return ""
    try:
        return Billed.model_validate_json(last.body).tax_exempt.strip()
    except ValidationError:
        return ""


class BillLine(Frozen):
    """One closed bill as bookkeeping takes it."""

    number: str
    closed_on: date
    customer: str
    parts: float | None
    labor: float | None
    tax: float | None
    total: float | None
    currency: str
    corrects: str | None
    paid: float = Field(description="Paid for the call; with the newest bill where it has several")


def bills_of_month(year: int, month: int) -> list[BillLine]:
    """Return the bills frozen in a month of the shop's own time, oldest first.

    Parameters
    ----------
    year : four digits
    month : 1 to 12

    """
    rows = (
        DecisionRow.select(DecisionRow, ServiceCall, Unit, Site)
        .join(ServiceCall)
        .join(Unit)
        .join(Site)
        .where(DecisionRow.kind == CLOSED)
        .order_by(DecisionRow.id)
    )
    bills = [(row, bill) for row in rows if (bill := Closing.model_validate_json(row.body).bill) is not None]
    newest = {row.call_id: bill.number for row, bill in bills}
    paid: dict[str, list[Payment]] = {}
    for row in DecisionRow.select().where(DecisionRow.kind == PAID).order_by(DecisionRow.id):
        paid.setdefault(newest.get(row.call_id, ""), []).append(Payment.model_validate_json(row.body))
    found = []
    for row, bill in bills:
        day = local_day(row.decided_at)
        if (day.year, day.month) != (year, month):
            continue
        lines = bill.statement.lines
        labor = next((line.amount for line in lines if _is_labor(line)), None)
        rest = [line.amount or 0.0 for line in lines if not _is_labor(line)]
        found.append(
            BillLine(
                number=bill.number,
                closed_on=day,
                customer=row.call.unit.site.name,
                parts=round(sum(rest), 2),
                labor=labor,
                tax=bill.statement.tax,
                total=bill.statement.total,
                currency=bill.statement.currency,
                corrects=bill.corrects,
                paid=paid_of(paid.get(bill.number, []), None).paid,
            )
        )
    return found


class ClosedOpen(Frozen):
    """A call that was closed with something open."""

    call_id: int
    unit_id: int
    unit: str
    site: str
    closed_at: AwareDatetime
    person: str = Field(description="Who closed it")
    reason: str = Field(description="Why what was open stayed open")
    left: list[LeftAtClosing] = Field(description="What was open; work past the safety gate first")


def closed_open(since: datetime, most: int = 200) -> list[ClosedOpen]:
    """Return the calls closed with something open since a moment, newest first.

    Parameters
    ----------
    since : calls closed before it are left out
    most : at most so many closings

    """
    rows = (
        DecisionRow.select(DecisionRow, ServiceCall, Unit, Site, Person)
        .join(Person)
        .switch(DecisionRow)
        .join(ServiceCall)
        .join(Unit)
        .join(Site)
        .where((DecisionRow.kind == CLOSED) & (DecisionRow.decided_at >= since))
        .order_by(DecisionRow.id.desc())
        .limit(most)
    )
    found = []
    for row in rows:
        closing = Closing.model_validate_json(row.body)
        if not (closing.left or closing.reason):
            continue
        unit = row.call.unit
        found.append(
            ClosedOpen(
                call_id=row.call_id,
                unit_id=unit.id,
                unit=unit.name,
                site=unit.site.name,
                closed_at=row.decided_at,
                person=row.person.name,
                reason=closing.reason,
                left=sorted(closing.left, key=lambda p: p.code != "PAST_GATE"),
            )
        )
    return found


def _over_agreed(record: CallRecord, counted: Statement) -> float | None:
    """Return by how much what is charged is above the last yes; None where it is not, or none was given."""
    facts = record.facts
    agreed = facts.agreed[-1].agreement.total if facts.agreed else None
    if agreed is None or counted.total is None or facts.billed is None:
        return None
    over = round(counted.total - agreed, 2)
    return over if over > 0 else None


def _is_labor(line: MoneyLine) -> bool:
    """Return whether a line is labor; older bills have only its name."""
    return bool(line.what == "Labor") if line.labor is None else line.labor


def bill_to_freeze(record: CallRecord, closed_at: datetime) -> ClosedBill | None:
    """Return the bill of a call that is being closed, to be kept as it is; None where nothing is charged."""
    facts = record.facts
    if facts.billed is None:
        return None
    shop = get_shop().details
    before = [c.closing.bill for c in facts.closings if c.closing.bill is not None]
    number = f"{local_day(closed_at).year}-{record.row.id}"
    license_line = [msg("License {license}", license=shop.license)] if shop.license else []
    bill = ClosedBill(
        number=number if not before else f"{number}-{len(before) + 1}",
        statement=charged(record).statement,
        shop=shop.name,
        shop_lines=[*shop.address, *([shop.phone] if shop.phone else []), *license_line],
        terms=shop.terms(),
        corrects=before[-1].number if before else None,
    )
    return frozen_in(site_out(record.row.unit.site).language, bill)


def closing_points(record: CallRecord) -> list[OpenPoint]:
    """Return what closing leaves open: what the judge finds, and a bill above what was agreed."""
    points = list(record.judged.left_open)
    if record.facts.billed is None or not record.facts.agreed:
        return points
    out = charged(record)
    if out.over_agreed is not None:
        agreed = record.facts.agreed[-1].agreement
        points.append(
            OpenPoint(
                code="OVER_AGREED",
                text=f"Billed {money(out.statement.total, agreed.currency)}, agreed "
                f"{money(agreed.total, agreed.currency)}: {money(out.over_agreed, agreed.currency)} more.",
                next_step=msg("Get a second yes, or say why it is more."),
                rung="hand_over",
            )
        )
    return points


def used_parts(record: CallRecord) -> tuple[list[UsedPart], list[str]]:
    """Return the parts of the list that stay on the unit with their prices, and what else was fitted."""
    cost, known = parts.prices(), parts.all_parts()
    back = [m for m in parts.moves_of_call(record.row.id) if m.reason == "taken_off"]
    off = {k.work for k in record.facts.kept if k.decision == "take_off"}
    used: list[UsedPart] = []
    unpriced: list[str] = []
    for fitting in fittings_of(record):
        # Taken off and back on the van: no one pays for it. Taken off and spent: it was used.
        returned = next((m for m in back if m.part == fitting.part and fitting.work in off), None)
        if returned is not None:
            back.remove(returned)
            continue
        if fitting.part is not None and fitting.part in known:
            title = f"{known[fitting.part].title}, {fitting.part}"
            used.append(UsedPart(title=title, count=fitting.count, price=cost.get(fitting.part)))
        else:
            unpriced.append(fitting.what)
    return used, list(dict.fromkeys(unpriced))


def fittings_of(record: CallRecord) -> list[Fitting]:
    """Return what was fitted on a call, in the order of recording."""
    found: list[Fitting] = []
    for row in record.decisions:
        if row.kind == FITTED:
            try:
                found.append(Fitting.model_validate_json(row.body))
            except ValidationError:
                continue
    return found
