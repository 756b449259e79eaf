"""Lists in: customers and units from a spreadsheet, and every import taken back again."""

from typing import Annotated

from fastapi import APIRouter, Query

from orange_crank.api.door import Who
from orange_crank.api.keyed import Key
from orange_crank.api.shop import Number
from orange_crank.api.uploads import WholeBody
from orange_crank.core.customers import GOES_WORDS, Goes
from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.formats.customer_list import columns_of, guess, read_customers
from orange_crank.formats.spreadsheet import read_table
from orange_crank.store import audit, customers, imports, people
from orange_crank.store.database import session, transaction
from orange_crank.store.once import once

router = APIRouter(prefix="/api", tags=["imports"])

MOST_SLIPS = 25
BODY = {"requestBody": {"required": True, "content": {"text/csv": {"schema": {"type": "string"}}}}}


class Destination(Frozen):
    """Where a column may go."""

    value: Goes
    label: str


@router.get("/customers/destinations")
def destinations() -> list[Destination]:
    """Return where the columns of a customer list may go."""
    return [Destination(value=value, label=label) for value, label in GOES_WORDS.items()]


def _chosen(goes: str | None) -> list[Goes] | None:
    if goes is None:
        return None
    known: dict[str, Goes] = {g: g for g in GOES_WORDS}
    chosen = [g.strip() for g in goes.split(",")]
    wrong = next((g for g in chosen if g not in known), None)
    if wrong is not None:
        raise InputProblem(
            [FieldProblem(field="goes", wanted=msg("one of ") + ", ".join(GOES_WORDS), got=wrong[:40])],
            next_step=msg("Choose where each column goes. Nothing was imported."),
        )
    return [known[g] for g in chosen]


@router.post("/customers/import", openapi_extra=BODY)
def import_customers(
    data: WholeBody,
    who: Who,
    key: Key,
    keep: bool = False,
    goes: Annotated[
        str | None, Query(max_length=2000, description="Where each column goes, by commas; left out: guessed")
    ] = None,
) -> customers.CustomersOut:
    """Read a list of customers (CSV in the body); with ``keep`` bring it in, whole or not at all."""
    people.may_manage(who)
    table = read_table(data, "customer")
    chosen = _chosen(goes) or guess(table)
    columns = columns_of(table, chosen) if len(chosen) == len(table.headings) else []
    try:
        lines, slips = read_customers(table, chosen)
    except InputProblem as problem:
        if keep or not columns:
            raise
        # Without its columns in place nothing can be read yet: ask for them first.
        lines, slips = [], list(problem.errors)
    if slips and keep:
        raise InputProblem(
            slips[:MOST_SLIPS], next_step=msg("Fix these lines and try again. Nothing was imported.")
        )

    def run() -> customers.CustomersOut:
        batch, done, words = customers.bring_in(lines, who.id)
        if keep:
            audit.note("import", "customers", words, who.id)
        return customers.CustomersOut(
            columns=columns,
            problems=slips[:MOST_SLIPS],
            lines=done[: customers.MOST_SHOWN],
            count=len(lines),
            told=words,
            batch_id=batch,
        )

    def again(number: int | None) -> customers.CustomersOut:
        kept = imports.get_batch(number or 0)
        return customers.CustomersOut(
            columns=columns, problems=[], lines=[], count=len(lines), told=kept.told, batch_id=kept.id
        )

    with session():
        if not keep:
            with transaction() as held:
                told = run()
                held.rollback()
            return told.model_copy(update={"batch_id": None})
        return once(key, run, again, lambda made: made.batch_id)


@router.get("/imports")
def list_imports(who: Who) -> list[imports.BatchOut]:
    """Return the newest imports; the lead's and the office's to see."""
    with session():
        return imports.list_batches(who)


@router.post("/imports/{batch_id}/take-back")
def take_back(batch_id: Number, who: Who, key: Key) -> imports.TakenBack:
    """Take an import back: what it made goes where nothing hangs on it, what it changed reads as before."""
    with session():
        return once(
            key,
            lambda: imports.take_back(batch_id, who),
            lambda _: imports.TakenBack(back=0, kept=["It had been taken back already."]),
        )
