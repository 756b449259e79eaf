"""A record's lines straight from the tables: nothing is judged, so that a whole shop leaves in a minute."""

import json
from collections.abc import Iterator
from typing import Any

from orange_crank.core.call.call_tests import CALL_TESTS
from orange_crank.core.measure.reading import QUANTITIES
from orange_crank.core.record_row import RecordRow
from orange_crank.store.calls.decisions import FITTED
from orange_crank.store.database import local_time
from orange_crank.store.models import (
    ChangeMade,
    DecisionRow,
    Person,
    Reading,
    ServiceCall,
    Site,
    TestTaken,
    Unit,
)

_TESTS = {t.topic: t.label for t in CALL_TESTS}


def record_rows(unit_id: int | None, shop: str) -> Iterator[RecordRow]:
    """Yield readings, tests and changes of one unit or of the whole shop, in the order they were written."""
    for r, common in _of(Reading, Reading.taken_at, unit_id, shop):
        note = QUANTITIES.get(r.quantity)
        yield RecordRow(
            **common,
            kind="reading",
            what=note.label if note else r.quantity,
            value=r.value if r.value is not None else r.value_word,
            value_unit=r.unit,
            code=r.quantity,
            meter_mode=r.meter_mode,
            conductor=r.conductor,
            place=r.spot,
            line_v=r.line_v,
            outdoor_f=r.outdoor_f,
            rest_min=r.rest_min,
            learning_starts=r.learning_starts,
            outcome=r.outcome,
            start_s=r.start_s,
            later_a=r.later_a,
            plus_minus=r.plus_minus,
            timed_by=r.timed_by,
            aid=r.aid,
            past_gate=r.without_make_safe,
            note=r.note or "",
        )
    for t, common in _of(TestTaken, TestTaken.taken_at, unit_id, shop):
        label = _TESTS.get(t.topic, t.topic)
        for name, value in leaves(t.entry):
            words = name.replace("_", " ").replace(".", " ")
            yield RecordRow(
                **common,
                kind="test",
                what=f"{label}: {words}",
                value=value,
                code=f"{t.topic}.{name}",
                past_gate=t.without_make_safe,
            )
    for c, common in _of(ChangeMade, ChangeMade.made_at, unit_id, shop):
        yield RecordRow(**common, kind="change", what=c.what, value="", code=c.part or "")


def parts_rows(unit_id: int | None, shop: str) -> Iterator[RecordRow]:
    """Yield the parts that were fitted, with their numbers and lots."""
    for d, common in _of(DecisionRow, DecisionRow.decided_at, unit_id, shop):
        if d.kind != FITTED:
            continue
        fitting = json.loads(d.body)
        lot = fitting.get("lot")
        yield RecordRow(
            **common,
            kind="part",
            what=fitting["what"],
            value=fitting.get("count", 1),
            code=fitting.get("part") or "",
            note=f"lot {lot}" if lot else "",
        )


def _of(model: Any, at: Any, unit_id: int | None, shop: str) -> Iterator[tuple[Any, dict[str, Any]]]:
    query = (
        model.select(
            model,
            ServiceCall,
            Unit.name.alias("unit_name"),
            Site.name.alias("site_name"),
            Person.name.alias("by_name"),
        )
        .join(ServiceCall)
        .join(Unit)
        .join(Site)
        .switch(model)
        .join(Person, on=(model.person == Person.id))
        .order_by(ServiceCall.id, at, model.id)
        .objects()
    )
    for row in query if unit_id is None else query.where(Unit.id == unit_id):
        yield (
            row,
            {
                "shop": shop,
                "site": row.site_name,
                "unit": row.unit_name,
                "call": row.call_id,
                "local_time": local_time(getattr(row, at.name)),
                "person": row.by_name,
                "number": row.id,
            },
        )


def leaves(entry: Any, name: str = "") -> Iterator[tuple[str, Any]]:
    """Yield the leaves of an entry, each by its path.

    >>> list(leaves({"legs": [{"v": 1}, {"v": None}], "ok": True}))
    [('legs.1.v', 1), ('ok', True)]
    """
    if isinstance(entry, dict):
        for key, value in entry.items():
            yield from leaves(value, f"{name}.{key}" if name else str(key))
    elif isinstance(entry, list):
        for i, value in enumerate(entry, 1):
            yield from leaves(value, f"{name}.{i}")
    elif entry is not None:
        yield name, entry
