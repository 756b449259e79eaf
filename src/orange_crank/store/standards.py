"""The shop's own standards over the shipped ones, with who set them, when and why."""

from typing import Annotated

from pydantic import AwareDatetime, Field

from orange_crank.core.errors import FieldProblem, GateClosed, InputProblem
from orange_crank.core.nomenclature import Frozen, Word
from orange_crank.core.tables import ShopStandard, Standards, shipped_standards
from orange_crank.store.database import now, transaction
from orange_crank.store.models import Person, ShopStandardRow
from orange_crank.store.people import PersonOut


class NewStandard(Frozen):
    """A shop standard to be set."""

    value: Annotated[float, Field(strict=True, gt=0, le=1e6, allow_inf_nan=False)]
    why: Word = Field(description="Why this shop does it so")


class StandardSet(Frozen):
    """One entry of a standard's history."""

    value: float
    why: str
    person: str
    set_at: AwareDatetime


class StandardOut(Frozen):
    """A standard as it holds, beside the shipped value and its history."""

    standard: ShopStandard
    shipped_value: float
    history: list[StandardSet]


def shop_standards() -> Standards:
    """Return the standards as this shop holds them."""
    latest: dict[str, float] = {}
    for row in ShopStandardRow.select(ShopStandardRow.name, ShopStandardRow.value).order_by(
        ShopStandardRow.id
    ):
        latest[row.name] = row.value
    known = {s.name for s in shipped_standards().all()}
    return Standards({n: v for n, v in latest.items() if n in known}) if latest else shipped_standards()


def list_standards() -> list[StandardOut]:
    """Return every standard with its history, newest first."""
    history: dict[str, list[StandardSet]] = {}
    rows = ShopStandardRow.select(ShopStandardRow, Person).join(Person).order_by(ShopStandardRow.id.desc())
    for row in rows:
        history.setdefault(row.name, []).append(
            StandardSet(value=row.value, why=row.why, person=row.person.name, set_at=row.set_at)
        )
    shipped = {s.name: s.value for s in shipped_standards().all()}
    return [
        StandardOut(standard=s, shipped_value=shipped[s.name], history=history.get(s.name, []))
        for s in shop_standards().all()
    ]


def set_standard(name: str, entry: NewStandard, who: PersonOut) -> list[StandardOut]:
    """Set a standard; only the lead may.

    Raises
    ------
    GateClosed : somebody else than the lead
    InputProblem : no such standard, or limits that cross each other

    """
    if who.role != "lead":
        leads = ", ".join(p.name for p in Person.select().where((Person.role == "lead") & Person.active))
        raise GateClosed("Shop standards are the lead's to set.", next_step=f"Ask {leads or 'the lead'}.")
    proposed = Standards({**{s.name: s.value for s in shop_standards().all()}, name: entry.value})
    for low, high in _ORDERED:
        if proposed[low] > proposed[high]:
            limit = proposed[high] if name == low else proposed[low]
            side = "at most" if name == low else "at least"
            raise InputProblem(
                [
                    FieldProblem(
                        field="value", wanted=f"{side} {limit:g}, the other end of it", got=entry.value
                    )
                ]
            )
    with transaction():
        ShopStandardRow.create(name=name, value=entry.value, why=entry.why, set_at=now(), person=who.id)
    return list_standards()


_ORDERED = (
    ("lra_rla_ratio_low", "lra_rla_ratio_high"),
    ("va_per_ton_low", "va_per_ton_high"),
    ("running_low_ratio", "running_watch_ratio"),
    ("running_watch_ratio", "running_fail_ratio"),
    ("inrush_low_ratio", "inrush_no_evidence_ratio"),
    ("not_turning_low_ratio", "not_turning_high_ratio"),
    ("dead_limit_v", "dead_stop_v"),
    ("contactor_drop_watch_v", "contactor_drop_replace_v"),
    ("relay_coil_low_ohm", "relay_coil_high_ohm"),
    ("ptc_low_ohm", "ptc_high_ohm"),
)
