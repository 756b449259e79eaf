"""Who changed what of the shop itself, for the lead: people, sites, units, rates, standards, prices."""

import json
from typing import Any

import peewee
from pydantic import AwareDatetime

from orange_crank.core.errors import GateClosed
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.store.database import now
from orange_crank.store.models import AuditRow, PartPrice, Person, ShopDetail, ShopStandardRow
from orange_crank.store.people import PersonOut

MOST = 300


class AuditLine(Frozen):
    """One change."""

    what: str
    subject: str
    detail: str
    happened_at: AwareDatetime
    person: str


def note(what: str, subject: str, detail: str, person_id: int | None) -> None:
    """Write a change down; called inside the caller's transaction."""
    AuditRow.create(what=what, subject=subject[:200], detail=detail, happened_at=now(), person=person_id)


def differences(before: dict[str, Any], after: dict[str, Any]) -> str:
    """Say what differs between two states, field by field."""
    told = []
    for name, new in after.items():
        old = before.get(name)
        if old != new and name != "version":
            told.append(f"{name.replace('_', ' ')}: {_shown(old)} → {_shown(new)}")
    return "; ".join(told) or "nothing differs"


def _shop_details() -> list[AuditLine]:
    """Return each time the shop's details were set, with what was changed."""
    rows = list(
        ShopDetail.select(ShopDetail, Person)
        .join(Person, peewee.JOIN.LEFT_OUTER, on=(ShopDetail.person == Person.id))
        .order_by(ShopDetail.id.desc())
        .limit(MOST)
    )
    bodies = [json.loads(r.body) for r in rows] + [{}]
    return [
        AuditLine(
            what="shop",
            subject="Shop details",
            detail=differences(bodies[i + 1], bodies[i]),
            happened_at=r.set_at,
            person=r.person.name if r.person is not None else "",
        )
        for i, r in enumerate(rows)
    ]


def _shown(value: Any) -> str:
    if isinstance(value, list):
        return ", ".join(str(v) for v in value) or "nothing"
    return "nothing" if value in (None, "") else str(value)


def audit(who: PersonOut) -> list[AuditLine]:
    """Return the newest changes of the shop itself; the lead's and the office's to see.

    Raises
    ------
    GateClosed : another person

    """
    if who.role not in ("lead", "office"):
        raise GateClosed(
            msg("Who changed what is the lead's and the office's to see."), next_step=msg("Ask the lead.")
        )
    lines: list[AuditLine] = []
    sources: tuple[tuple[Any, Any, Any], ...] = (
        (AuditRow, AuditRow.happened_at, lambda r: (r.what, r.subject, r.detail)),
        (
            ShopStandardRow,
            ShopStandardRow.set_at,
            lambda r: ("standard", r.name.replace("_", " "), f"set to {r.value:g}: {r.why}"),
        ),
        (PartPrice, PartPrice.set_at, lambda r: ("price", r.part, f"set to {r.price:.2f}")),
    )
    for model, at, told in sources:
        rows = (
            model.select(model, Person)
            .join(Person, peewee.JOIN.LEFT_OUTER, on=(model.person == Person.id))
            .order_by(model.id.desc())
            .limit(MOST)
        )
        for r in rows:
            what, subject, detail = told(r)
            lines.append(
                AuditLine(
                    what=what,
                    subject=subject,
                    detail=detail,
                    happened_at=getattr(r, at.name),
                    person=r.person.name if r.person is not None else "",
                )
            )
    lines += _shop_details()
    return sorted(lines, key=lambda line: line.happened_at, reverse=True)[:MOST]
