"""Handing over, papers, tasks, visits to come and the calendar, over HTTP."""

import csv
import io
from datetime import timedelta
from typing import Annotated, Literal

from fastapi import APIRouter, Query, Request, Response
from fastapi.responses import HTMLResponse, PlainTextResponse

from orange_crank.apart import run_apart
from orange_crank.api import papers
from orange_crank.api.door import Who
from orange_crank.api.guards import PAPER_POLICY, POLICY
from orange_crank.api.keyed import Key
from orange_crank.api.shop import Number
from orange_crank.core.aids.entry import Goal
from orange_crank.core.catalogs import catalog
from orange_crank.core.handover.agreement import NewAgreement
from orange_crank.core.handover.money import Billed, Payment
from orange_crank.core.handover.options import Options
from orange_crank.core.handover.record import Confirmed, HandedOver
from orange_crank.core.messages import msg, written_for
from orange_crank.core.nomenclature import Day
from orange_crank.formats.calendar import CalendarTask, CalendarVisit, calendar
from orange_crank.formats.documents.paper import FONT_TYPE, Paper, font_bytes, render, to_pdf
from orange_crank.formats.record_csv import cell
from orange_crank.store import people, planned, shop_details, tasks, units
from orange_crank.store.calls import billing, hand_over, listing, view, work
from orange_crank.store.calls.record import CallRecord, read_call
from orange_crank.store.database import now, session
from orange_crank.store.errors import NotFound
from orange_crank.store.once import once

router = APIRouter(prefix="/api", tags=["hand over"])

PaperName = Literal["customer", "technical", "estimate", "statement"]
TITLES: dict[PaperName, str] = {
    "customer": msg("Your visit"),
    "technical": msg("Service record"),
    "estimate": msg("Estimate"),
    "statement": msg("Statement"),
}


@router.get("/calls/{call_id}/hand-over")
def get_hand_over(call_id: Number) -> hand_over.HandOverOut:
    """Return a call handed over: found, done, left, what may fail, what to watch, cost."""
    with session():
        return hand_over.get_hand_over(call_id)


@router.post("/calls/{call_id}/hand-over/confirm", status_code=201)
def confirm_cause(call_id: Number, entry: Confirmed, who: Who, key: Key) -> hand_over.HandOverOut:
    """Write down what it was in the end; it counts into the shop's own priors."""
    with session():
        return once(
            key,
            lambda: hand_over.confirm_cause(call_id, entry, who.id),
            lambda _: hand_over.get_hand_over(call_id),
        )


@router.post("/calls/{call_id}/hand-over/bill", status_code=201)
def bill(call_id: Number, entry: Billed, who: Who, key: Key) -> hand_over.HandOverOut:
    """Write down what is charged beside the parts."""
    with session():
        return once(
            key, lambda: hand_over.bill(call_id, entry, who.id), lambda _: hand_over.get_hand_over(call_id)
        )


@router.post("/calls/{call_id}/hand-over/payments", status_code=201)
def pay(call_id: Number, entry: Payment, who: Who, key: Key) -> hand_over.HandOverOut:
    """Write down a deposit, a payment or a refund; the bill stays as it is."""
    with session():
        return once(
            key, lambda: hand_over.pay(call_id, entry, who.id), lambda _: hand_over.get_hand_over(call_id)
        )


@router.get("/bills.csv", response_class=PlainTextResponse)
def export_bills(month: Annotated[str, Query(pattern=r"^20\d\d-(0[1-9]|1[0-2])$")]) -> Response:
    """Return the bills closed in a month, for bookkeeping: 2026-11."""
    year, number = (int(part) for part in month.split("-"))
    with session():
        bills = billing.bills_of_month(year, number)
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(
        ["date", "number", "customer", "parts", "labor", "tax", "total", "paid", "currency", "corrects"]
    )
    writer.writerows(
        [
            b.closed_on.isoformat(),
            b.number,
            cell(b.customer),
            *(
                "" if value is None else f"{value:.2f}"
                for value in (b.parts, b.labor, b.tax, b.total, b.paid)
            ),
            b.currency,
            b.corrects or "",
        ]
        for b in bills
    )
    return Response(
        "\ufeff" + out.getvalue(),
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="bills-{month}.csv"'},
    )


@router.get("/closed-open")
def list_closed_open(days: Annotated[int, Query(ge=1, le=366)] = 30) -> list[billing.ClosedOpen]:
    """Return the calls closed with something open in the last days, newest first."""
    with session():
        return billing.closed_open(now() - timedelta(days=days))


@router.get("/calls/{call_id}/hand-over/options")
def get_options(call_id: Number, who: Who, goal: Goal = "start_at_all") -> Options:
    """Return what could be done, side by side: price, what each is expected to do, what it will not."""
    with session():
        return hand_over.get_options(call_id, who.id, goal)


@router.post("/calls/{call_id}/hand-over/agree", status_code=201)
def agree(
    call_id: Number, entry: NewAgreement, who: Who, key: Key, goal: Goal = "start_at_all"
) -> hand_over.HandOverOut:
    """Write down what the customer agreed to, exactly as it was shown."""
    with session():
        return once(
            key,
            lambda: hand_over.agree(call_id, entry, who.id, goal),
            lambda _: hand_over.get_hand_over(call_id),
        )


@router.post("/calls/{call_id}/hand-over", status_code=201)
def hand_to(call_id: Number, entry: HandedOver, who: Who, key: Key) -> hand_over.HandOverOut:
    """Write down to whom the call was handed over."""
    with session():
        return once(
            key, lambda: tasks.hand_over(call_id, entry, who.id), lambda _: hand_over.get_hand_over(call_id)
        )


@router.post("/calls/{call_id}/hand-over/tasks", status_code=201)
def keep_follow_ups(call_id: Number, entry: tasks.KeepFollowUps, who: Who, key: Key) -> list[tasks.TaskOut]:
    """Make tasks of a call's follow-ups; each is kept once."""
    with session():
        return once(
            key,
            lambda: tasks.keep_follow_ups(call_id, entry, who.id),
            lambda _: tasks.tasks_of_call(call_id),
        )


@router.get("/calls/{call_id}/tasks")
def tasks_of_call(call_id: Number) -> list[tasks.TaskOut]:
    """Return what was kept of a call's follow-ups."""
    with session():
        return tasks.tasks_of_call(call_id)


def _paper(
    call_id: int, name: PaperName, who: people.PersonOut | None, address: str, paper: Paper | None
) -> str:
    """Return a paper as HTML: the customer's in the customer's language, the record in the shop's."""
    record = read_call(call_id)
    call, shop = view.call_out(record), shop_details.get_shop().details
    if name != "technical":
        reads = shop.reads.model_copy(update={"language": call.site.language})
        shop = shop.model_copy(update={"reads": reads})
    with written_for(catalog(shop.reads.language)):
        return _paper_of(record, call, shop, name, who, address, paper)


def _paper_of(
    record: CallRecord,
    call: view.CallOut,
    shop: shop_details.ShopDetails,
    name: PaperName,
    who: people.PersonOut | None,
    address: str,
    paper: Paper | None,
) -> str:
    out = hand_over.hand_over_out(record)
    bill = out.bill if name == "statement" else None
    head = papers.head_of(call, shop, TITLES[name], address, paper, bill)
    agreed = papers.agreed_words(out.agreed, shop.reads)
    money = out.statement if out.billed is not None else None
    if name == "estimate":
        options = hand_over.get_options(call.id, who.id if who is not None else record.row.opened_by_id)
        return render(
            name,
            head,
            found=[s for s in out.hand_over.found if s.code == "CAUSE"],
            options=options.options,
            agreed=agreed,
        )
    if name == "statement":
        return render(
            name,
            head,
            hand_over=out.hand_over,
            statement=out.statement,
            billed=out.billed,
            bill=out.bill,
            paid=out.paid,
            payments=papers.paid_words(out.payments, shop.reads),
            terms=out.terms,
            over_agreed=out.over_agreed,
            agreed=agreed,
        )
    charts = papers.charts_of(call, out, listing.history_of_unit(call.unit_id))
    if name == "customer":
        return render(name, head, hand_over=out.hand_over, charts=charts, statement=money, agreed=agreed)
    judged = record.judged.circuit
    return render(
        name,
        head,
        hand_over=out.hand_over,
        charts=charts,
        statement=money,
        agreed=agreed,
        past_gate=record.facts.past_gate,
        circuit=judged.checks if judged is not None else [],
        **papers.technical_context(call, work.work_out(record), out, shop.reads),
    )


def _address(request: Request) -> str:
    return str(request.base_url).rstrip("/")


@router.get("/calls/{call_id}/papers/{name}.html", response_class=HTMLResponse)
def paper_as_html(call_id: Number, name: PaperName, request: Request, paper: Paper | None = None) -> Response:
    """Return a paper of a call as a page that prints as it is now."""
    with session():
        page = _paper(call_id, name, None, _address(request), paper)
    return HTMLResponse(page, headers={POLICY: PAPER_POLICY})


@router.get("/calls/{call_id}/papers/{name}.pdf", response_class=Response)
def paper_as_pdf(call_id: Number, name: PaperName, request: Request, paper: Paper | None = None) -> Response:
    """Return a paper of a call as PDF."""
    with session():
        page = _paper(call_id, name, None, _address(request), paper)
    return Response(
        run_apart("paper", to_pdf, page),
        media_type="application/pdf",
        headers={"Content-Disposition": f'inline; filename="call-{call_id}-{name}.pdf"'},
    )


@router.get("/documents/fonts/{name}", response_class=Response)
def paper_font(name: str) -> Response:
    """Return a font of the papers."""
    font = font_bytes(name)
    if font is None:
        raise NotFound(msg("No font of that name ships."), next_step=msg("Use a name from a paper."))
    return Response(font, media_type=FONT_TYPE, headers={"Cache-Control": "public, max-age=31536000"})


@router.get("/tasks")
def list_tasks(
    status: tasks.Status | None = "open",
    person_id: Annotated[int | None, Query(ge=1)] = None,
    site_id: Annotated[int | None, Query(ge=1)] = None,
    unit_id: Annotated[int | None, Query(ge=1)] = None,
) -> list[tasks.TaskOut]:
    """Return tasks, soonest due first; of a person, a site or a unit."""
    with session():
        return tasks.list_tasks(status, person_id, site_id, unit_id)


@router.post("/tasks", status_code=201)
def add_task(entry: tasks.NewTask, who: Who, key: Key) -> tasks.TaskOut:
    """Write a task down by hand."""
    with session():
        return once(
            key,
            lambda: tasks.add_task(entry, who.id),
            lambda number: tasks.get_task(number or 0),
            lambda made: made.id,
        )


@router.post("/tasks/{task_id}/moves", status_code=201)
def move_task(task_id: Number, move: tasks.TaskMove, who: Who, key: Key) -> tasks.TaskOut:
    """Write down what became of a task: done, postponed, dropped, given to a person."""
    with session():
        return once(key, lambda: tasks.move_task(task_id, move, who.id), lambda _: tasks.get_task(task_id))


@router.get("/visits")
def list_visits(
    person_id: Annotated[int | None, Query(ge=1)] = None,
    site_id: Annotated[int | None, Query(ge=1)] = None,
    unit_id: Annotated[int | None, Query(ge=1)] = None,
) -> list[planned.VisitOut]:
    """Return visits that are planned, soonest first."""
    with session():
        return planned.list_visits(person_id, site_id, unit_id=unit_id)


@router.post("/visits", status_code=201)
def plan_visit(entry: planned.NewVisit, who: Who, key: Key) -> planned.VisitOut:
    """Plan a visit."""
    with session():
        return once(
            key,
            lambda: planned.plan_visit(entry, who),
            lambda number: planned.get_visit(number or 0),
            lambda made: made.id,
        )


@router.put("/visits/{visit_id}")
def edit_visit(visit_id: Number, edit: planned.VisitEdit, who: Who, key: Key) -> planned.VisitOut:
    """Move a visit, give it to another person, or cancel it."""
    with session():
        return once(
            key, lambda: planned.edit_visit(visit_id, edit, who), lambda _: planned.get_visit(visit_id)
        )


@router.get("/people/{person_id}/day")
def day_list(person_id: Number, day: Day | None = None) -> planned.DayList:
    """Return a technician's day: visits, what to bring, what the van lacks."""
    with session():
        return planned.day_list(person_id, day)


def _calendar(name: str, person_id: int | None, site_id: int | None, address: str) -> Response:
    visits = [
        CalendarVisit(
            uid=f"visit-{v.id}",
            title=f"{v.site}: {v.unit}",
            begins=v.starts_at,
            ends=planned.end_of(v),
            place=v.place,
            text="\n".join(t for t in (v.purpose, v.access, v.contact) if t),
            url=f"{address}/units/{v.unit_id}",
            person=v.visitor,
            version=v.version,
        )
        for v in planned.list_visits(person_id, site_id)
    ]
    due = [
        CalendarTask(
            uid=f"task-{t.id}",
            title=f"{t.site}: {t.title}",
            due_on=t.due_on,
            text=t.why,
            url=f"{address}/units/{t.unit_id}",
            person=t.assigned or "",
            version=t.version,
        )
        for t in tasks.list_tasks("open", person_id, site_id)
    ]
    return Response(calendar(name, visits, due), media_type="text/calendar; charset=utf-8")


@router.get("/people/{person_id}/calendar.ics", response_class=Response)
def person_calendar(person_id: Number, request: Request) -> Response:
    """Return a person's visits and due tasks as a calendar to subscribe to."""
    with session():
        who = people.get_person(person_id)
        return _calendar(who.name, person_id, None, _address(request))


@router.get("/sites/{site_id}/calendar.ics", response_class=Response)
def site_calendar(site_id: Number, request: Request) -> Response:
    """Return a site's visits and due tasks as a calendar to subscribe to."""
    with session():
        site = units.get_site(site_id)
        return _calendar(site.name, None, site_id, _address(request))


@router.get("/calls-without-cause")
def calls_without_cause() -> list[listing.UnconfirmedCall]:
    """Return closed calls whose final cause was not confirmed."""
    with session():
        return listing.calls_without_cause()


@router.get("/shop")
def get_shop() -> shop_details.ShopOut:
    """Return the shop as it is named on its papers, and how it reckons."""
    with session():
        return shop_details.get_shop()


@router.put("/shop")
def set_shop(edit: shop_details.ShopEdit, who: Who, key: Key) -> shop_details.ShopOut:
    """Set the shop's details, from a known version; the lead's and the office's to do."""
    with session():
        return once(key, lambda: shop_details.set_shop(edit, who), lambda _: shop_details.get_shop())
