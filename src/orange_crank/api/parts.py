"""Parts, vans and the work of a call over HTTP."""

import csv
import io
from html import escape
from typing import Annotated

from fastapi import APIRouter, Query, Request, Response
from fastapi.responses import PlainTextResponse

from orange_crank.apart import run_apart
from orange_crank.api import papers
from orange_crank.api.door import Who
from orange_crank.api.keyed import Key
from orange_crank.api.shop import Number
from orange_crank.api.uploads import WholeBody
from orange_crank.core.aids.parts import Column, columns
from orange_crank.core.backup import BackupSupply
from orange_crank.core.call.work import AsWired, BackupProof, Fitting, Kept, WorkPlan
from orange_crank.core.wiring import WiringIn
from orange_crank.formats.documents.paper import Head, to_pdf
from orange_crank.formats.parts_csv import is_price_list, parts_csv, read_parts_csv, read_prices_csv
from orange_crank.formats.record_csv import cell
from orange_crank.formats.wiring_paper import wiring_page
from orange_crank.formats.wiring_svg import plan_with_pictures, with_own_colors
from orange_crank.store import parts
from orange_crank.store.calls import view, work
from orange_crank.store.database import session, transaction
from orange_crank.store.once import once
from orange_crank.store.shop_details import get_shop

router = APIRouter(prefix="/api", tags=["parts"])

PartNumberPath = str


@router.get("/parts")
def list_parts() -> list[parts.PartOut]:
    """Return every part with its price and how many the vans hold."""
    with session():
        return parts.list_parts()


@router.get("/parts/columns")
def part_columns() -> list[Column]:
    """Return the columns of a parts list as CSV: name, meaning, what a cell holds, which kinds need it."""
    return columns()


@router.get("/parts.csv", response_class=PlainTextResponse)
def export_parts(own_only: bool = False) -> Response:
    """Return the parts list as CSV; with ``own_only`` the shop's own alone."""
    with session():
        listed = parts.priced_parts(own_only)
    return Response(
        parts_csv(listed),
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": 'attachment; filename="parts.csv"'},
    )


@router.post("/parts/import")
def import_parts(data: WholeBody, who: Who, key: Key, keep: bool = True) -> parts.Imported:
    """Take a parts or price list (CSV in the body), whole or not at all; without ``keep`` show it only."""
    if is_price_list(data):
        prices = read_prices_csv(data)

        def run() -> parts.Imported:
            return parts.import_prices(prices, who)
    else:
        rows = read_parts_csv(data)

        def run() -> parts.Imported:
            return parts.import_parts([(r.part, r.price) for r in rows], who)

    with session():
        if not keep:
            with transaction() as held:
                told = run()
                held.rollback()
            return told.model_copy(update={"done": False, "batch_id": None})
        return once(key, run, lambda n: parts.imported_as(n or 0), lambda made: made.batch_id)


@router.put("/parts/{part}/price")
def set_price(part: PartNumberPath, entry: parts.NewPrice, who: Who, key: Key) -> list[parts.PartOut]:
    """Set the shop's price of a part."""
    with session():
        return once(key, lambda: parts.set_price(part, entry, who), lambda _: parts.list_parts())


@router.get("/vans/{person_id}")
def get_van(person_id: Number) -> parts.Van:
    """Return what a technician carries, and the restock list."""
    with session():
        return parts.get_van(person_id)


@router.get("/vans/{person_id}/restock.csv", response_class=PlainTextResponse)
def export_restock(person_id: Number) -> Response:
    """Return a van's restock list as CSV."""
    with session():
        van = parts.get_van(person_id)
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["part", "title", "short"])
    writer.writerows([cell(r.part.part), cell(r.part.title), r.short] for r in van.restock)
    return Response(
        "\ufeff" + out.getvalue(),
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="restock-{person_id}.csv"'},
    )


@router.post("/vans/{person_id}/moves", status_code=201)
def move_stock(person_id: Number, entry: parts.NewMove, who: Who, key: Key) -> parts.Van:
    """Put parts into a van, take them out, or write down a count."""
    with session():
        return once(
            key,
            lambda: parts.move_stock(person_id, entry, who.id),
            lambda _: parts.get_van(person_id),
        )


@router.put("/vans/{person_id}/wants")
def want_stock(person_id: Number, entry: parts.NewWant, _: Who, key: Key) -> parts.Van:
    """Set how many of a part a van should hold."""
    with session():
        return once(key, lambda: parts.want_stock(person_id, entry), lambda _: parts.get_van(person_id))


@router.get("/calls/{call_id}/work")
def get_work(call_id: Number) -> work.WorkOut:
    """Return a call's plans, what was fitted, and the proofs they ask for."""
    with session():
        return work.get_work(call_id)


@router.post("/calls/{call_id}/work/plans", status_code=201)
def save_plan(call_id: Number, plan: WorkPlan, who: Who, key: Key) -> work.WorkOut:
    """Write down what is to be done, and how far it is."""
    with session():
        return once(key, lambda: work.save_plan(call_id, plan, who.id), lambda _: work.get_work(call_id))


@router.post("/calls/{call_id}/work/fitted", status_code=201)
def fit_part(call_id: Number, fitting: Fitting, who: Who, key: Key) -> work.WorkOut:
    """Write down a part as fitted; it goes off the van it came from."""
    with session():
        return once(key, lambda: work.fit_part(call_id, fitting, who.id), lambda _: work.get_work(call_id))


@router.post("/calls/{call_id}/work/kept", status_code=201)
def decide_kept(call_id: Number, kept: Kept, who: Who, key: Key) -> work.WorkOut:
    """Write down that the work stays or comes off again, with its reason."""
    with session():
        return once(key, lambda: work.decide_kept(call_id, kept, who.id), lambda _: work.get_work(call_id))


@router.post("/calls/{call_id}/work/backup-proof", status_code=201)
def prove_backup(call_id: Number, proof: BackupProof, who: Who, key: Key) -> work.WorkOut:
    """Write down a cold start and a hot restart on backup power."""
    with session():
        return once(key, lambda: work.prove_backup(call_id, proof, who.id), lambda _: work.get_work(call_id))


@router.post("/calls/{call_id}/work/backup-source", status_code=201)
def say_source(call_id: Number, supply: BackupSupply, who: Who, key: Key) -> work.WorkOut:
    """Write down the backup source and how it is transferred; the site's next call offers it again."""
    with session():
        return once(key, lambda: work.say_source(call_id, supply, who.id), lambda _: work.get_work(call_id))


@router.post("/calls/{call_id}/work/as-wired", status_code=201)
def check_as_wired(call_id: Number, checked: AsWired, who: Who, key: Key) -> work.WorkOut:
    """Save how a plan was wired, with the result of its check."""
    with session():
        return once(
            key, lambda: work.check_as_wired(call_id, checked, who.id), lambda _: work.get_work(call_id)
        )


def _head(call_id: int | None, person: str, request: Request) -> Head:
    """Return a wiring plan's shop, unit, person and date; for a call, its unit."""
    address, shop = str(request.base_url).rstrip("/"), get_shop().details
    if call_id is None:
        return papers.bare_head(shop, "Wiring plan", person, address)
    return papers.head_of(view.get_call(call_id), shop, "Wiring plan", address)


OfCall = Annotated[int | None, Query(ge=1, description="The call whose unit it is for")]


@router.post("/wiring/plan.svg")
def wiring_as_svg(entry: WiringIn, who: Who, request: Request, call_id: OfCall = None) -> Response:
    """Return the drawing of a wiring plan as an SVG file with its subject in it."""
    with session():
        head = _head(call_id, who.name, request)
    told = " · ".join(w for w in (head.shop, head.site, head.unit, who.name, head.at) if w)
    svg = with_own_colors(plan_with_pictures(entry).svg or "")
    return Response(
        svg.replace(">", f"><desc>{escape(told)}</desc>", 1),
        media_type="image/svg+xml",
        headers={"Content-Disposition": f'attachment; filename="{entry.kind}.svg"'},
    )


@router.post("/wiring/plan.pdf")
def wiring_as_pdf(entry: WiringIn, who: Who, request: Request, call_id: OfCall = None) -> Response:
    """Return a wiring plan as PDF: the drawing, then the moves one at a time."""
    with session():
        head = _head(call_id, who.name, request)
    return Response(
        run_apart("paper", to_pdf, wiring_page(entry, head)),
        media_type="application/pdf",
        headers={"Content-Disposition": f'attachment; filename="{entry.kind}.pdf"'},
    )
