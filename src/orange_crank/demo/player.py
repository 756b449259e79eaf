"""Play the demo shop into empty records, through the same doors a technician uses.

People, places and units are invented; parts are neutral. Times are laid relative to the moment of loading, so
that the demo always looks like this week.
"""

import json
from collections.abc import Collection
from datetime import datetime, timedelta
from functools import cache
from importlib.resources import files
from typing import Any

import peewee
from pydantic import BaseModel, ConfigDict, Field

from orange_crank.core.aids.parts import PartKind, shipped_parts
from orange_crank.core.call.why_record import WhyRecord
from orange_crank.core.errors import GateClosed
from orange_crank.core.measure.reading import NewReading
from orange_crank.core.plate import Plate
from orange_crank.core.safety.make_safe import PAIRS, MakeSafe, SupplyKind
from orange_crank.demo.recording import recorded_start
from orange_crank.store import practice
from orange_crank.store.calls.changes import NewChange, add_change
from orange_crank.store.calls.opening import CallEdit, NewCall, edit_call, open_call
from orange_crank.store.calls.readings import add_readings
from orange_crank.store.calls.safety import NewMakeSafe, NewSafetyEvent, add_make_safe, add_safety_event
from orange_crank.store.calls.stamps import REMEMBERED
from orange_crank.store.calls.view import CallOut
from orange_crank.store.calls.why import tell
from orange_crank.store.captures import save_capture
from orange_crank.store.database import (
    as_owner,
    day_bounds,
    local_day,
    now,
    records_of,
    session,
    transaction,
)
from orange_crank.store.models import (
    SIGN_IN,
    TABLES,
    PartPrice,
    Person,
    PlannedVisit,
    StockMove,
    StockWant,
    Task,
)
from orange_crank.store.shop_details import ShopDetails, keep_shop
from orange_crank.store.shop_facts import DEMO, is_demo, mark
from orange_crank.store.units import NewSite, NewUnit, add_site, add_unit, save_plate


class _Told(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class DemoPerson(_Told):
    """Somebody of the made-up shop."""

    name: str
    role: str
    initials: str


class Step(_Told):
    """Something done on a visit, minutes after it began."""

    at_min: float
    do: str
    entry: dict[str, Any] = Field(default_factory=dict, alias="with")


class DemoVisit(_Told):
    """One call, told step by step."""

    days_ago: float
    person: str
    complaint: str
    steps: list[Step]
    closed_after_min: float | None = None
    closing_reason: str | None = None
    note: str = ""


class DemoUnit(_Told):
    """One unit with its plate and visits."""

    site: str
    place: str
    access: str
    name: str
    kind: str
    note: str
    plate: Plate
    supply: SupplyKind
    sections: list[str]
    visits: list[DemoVisit] = Field(default_factory=list)


class Held(_Told):
    """How many of a part a van holds, and should."""

    count: int
    want: int


class DemoPlanned(_Told):
    """A visit to come, by the clock of the day the demo is loaded."""

    unit: str
    person: str
    at_hour: int
    in_days: int
    minutes: int
    purpose: str


class DemoTask(_Told):
    """Something to come back for."""

    unit: str
    person: str
    code: str
    title: str
    why: str
    in_days: int


class DemoShop(_Told):
    """The whole made-up shop."""

    shop: ShopDetails
    planned: list[DemoPlanned]
    tasks: list[DemoTask]
    people: list[DemoPerson]
    units: list[DemoUnit]
    prices: dict[PartKind, float]
    vans: dict[str, dict[str, Held]]


@cache
def demo_shop() -> DemoShop:
    """Return the made-up shop as the data file tells it."""
    return DemoShop.model_validate(json.loads((files(__package__) / "shop.json").read_text("utf-8")))


def make_safe_record(supply: SupplyKind, sections: tuple[str, ...] | list[str]) -> MakeSafe:
    """Return a complete make-safe record, as a careful technician would leave it."""
    proof = {"source": "house receptacle", "expected_v": 120, "reading_v": 119.6}
    return MakeSafe.model_validate(
        {
            "supply": supply,
            "dry": True,
            "control_off": True,
            "source_identified": "disconnect at the unit",
            "other_sources": [],
            "opened": [
                {"device": "Disconnect", "locked": True, "tagged": True, "key_holder": "the technician"}
            ],
            "proof_before": proof,
            "dead_points": [
                {"place": place, "pair": pair, "reading_v": 0.0}
                for place in ("contactor_line", "contactor_load")
                for pair in PAIRS[supply]
            ],
            "proof_after": proof,
            "sections_present": list(sections),
            "capacitors": [
                {"section": s, "resistance_ohm": 22_000, "meter_on": "dc", "after_v": 0.1} for s in sections
            ],
            "inverter": "dc_bus" in sections,
            "has_capacitors": list(sections) != ["dc_bus"],
        }
    )


def is_empty() -> bool:
    """Tell whether the records hold nobody yet."""
    with session():
        return not Person.select().exists()


def reload() -> None:
    """Throw the demo's records away and load it again.

    Raises
    ------
    GateClosed : these records are not the demo's

    """
    with session():
        if not is_demo():
            raise GateClosed(
                "These records are a shop's own, not the demo's: they are never thrown away.",
                next_step="To try the demo, start it with another data folder.",
            )
    # Whoever is signed in stays so: the same people come back under the same numbers.
    clear(but=SIGN_IN)
    if practice.is_laid_out():
        with records_of(practice=True):
            clear()
    load()


def clear(but: Collection[type[peewee.Model]] = ()) -> None:
    """Empty every table but some; only the demo's own records and the tests' ever come here."""
    with as_owner() as database:
        database.execute_sql("SET FOREIGN_KEY_CHECKS = 0")
        for table in TABLES:
            if table in but:
                continue
            database.execute_sql(f"TRUNCATE TABLE `{table._meta.table_name}`")
    REMEMBERED.forget()


def load(moment: datetime | None = None) -> None:
    """Load the demo shop into empty records, and mark them as the demo's."""
    present, shop = moment or now(), demo_shop()
    with session(), transaction():
        mark(DEMO)
        ids = {p.name: Person.create(name=p.name, role=p.role, initials=p.initials).id for p in shop.people}
        lead = next(ids[p.name] for p in shop.people if p.role == "lead")
        keep_shop(shop.shop, lead)
        unit_ids: dict[str, int] = {}
        for demo in shop.units:
            site = add_site(NewSite(name=demo.site, place=demo.place, access_note=demo.access))
            unit = add_unit(NewUnit(site_id=site.id, name=demo.name, kind=demo.kind, note=demo.note))
            unit_ids[demo.name] = unit.id
            first = max((v.days_ago for v in demo.visits), default=1.0)
            save_plate(
                unit.id,
                demo.plate,
                base_number=0,
                person_id=lead,
                recorded_at=present - timedelta(days=first),
            )
            for visit in demo.visits:
                _play(visit, demo, unit.id, ids[visit.person], present)
        _stock(shop, ids, lead, present - timedelta(days=30))
        _ahead(shop, ids, unit_ids, lead, present)


def _ahead(shop: DemoShop, ids: dict[str, int], units: dict[str, int], lead: int, present: datetime) -> None:
    """Plan the visits to come and write down what is to come back for."""
    today = local_day(present)
    for one in shop.planned:
        begin, _ = day_bounds(today + timedelta(days=one.in_days))
        PlannedVisit.create(
            unit=units[one.unit],
            visitor=ids[one.person],
            starts_at=begin + timedelta(hours=one.at_hour),
            minutes=one.minutes,
            purpose=one.purpose,
            made_at=present,
            person=lead,
        )
    for task in shop.tasks:
        Task.create(
            unit=units[task.unit],
            code=task.code,
            title=task.title,
            why=task.why,
            due_on=today + timedelta(days=task.in_days),
            assigned=ids[task.person],
            made_at=present,
            person=lead,
        )


def _stock(shop: DemoShop, ids: dict[str, int], lead: int, long_ago: datetime) -> None:
    """Price the neutral list and fill the vans."""
    priced = []
    for part in shipped_parts():
        size = part.fla_a or part.uf or part.amps_a or part.rla_high_a or 0.0
        more = 0 if part.kind == "consumable" else round(0.4 * size, 0)
        priced.append(
            {"part": part.part, "price": shop.prices[part.kind] + more, "set_at": long_ago, "person": lead}
        )
    PartPrice.insert_many(priced).execute()
    lines = [(ids[name], number, held) for name, van in shop.vans.items() for number, held in van.items()]
    StockWant.insert_many(
        [{"part": n, "holder": who, "want_count": held.want} for who, n, held in lines]
    ).execute()
    StockMove.insert_many(
        [
            {
                "part": n,
                "holder": who,
                "moved_count": held.count,
                "reason": "counted",
                "moved_at": long_ago,
                "person": who,
            }
            for who, n, held in lines
            if held.count
        ]
    ).execute()


def _play(visit: DemoVisit, demo: DemoUnit, unit_id: int, person: int, present: datetime) -> None:
    opened = present - timedelta(days=visit.days_ago)
    call = open_call(NewCall(unit_id=unit_id, complaint=visit.complaint), person, opened)
    run: list[tuple[datetime, NewReading]] = []
    for step in visit.steps:
        at = opened + timedelta(minutes=step.at_min)
        if step.do == "reading":
            # Readings one after the other are kept together: the judge looks once for all of them.
            run.append((at, NewReading(taken_at=at, **step.entry)))
            continue
        _keep(call, run, person)
        call = _step(call, step, demo, person, at)
    _keep(call, run, person)
    if visit.note or visit.closed_after_min is not None:
        closed = visit.closed_after_min is not None
        edit = CallEdit(
            version=call.version,
            note=visit.note or None,
            status="closed" if closed else None,
            reason=visit.closing_reason or "Kept from the shop's earlier records.",
        )
        edit_call(call.id, edit, person, opened + timedelta(minutes=visit.closed_after_min or 0))


def _keep(call: CallOut, run: list[tuple[datetime, NewReading]], person: int) -> None:
    if run:
        add_readings(call.id, [reading for _, reading in run], person, run[-1][0])
        run.clear()


def _step(call: CallOut, step: Step, demo: DemoUnit, person: int, at: datetime) -> CallOut:
    match step.do:
        case "made_safe":
            record = make_safe_record(demo.supply, demo.sections)
            entry = NewMakeSafe(record=record, volts_taken_at=at, state_version=call.state.version)
            return add_make_safe(call.id, entry, person, at)
        case "capture":
            wave = recorded_start(**step.entry["start"])
            save_capture(call.id, step.entry["name"], wave, [], person, "common", at)
        case "told":
            tell(call.id, WhyRecord.model_validate(step.entry), person, at)
        case "change":
            return add_change(call.id, NewChange.model_validate(step.entry), person, at)
        case "live":
            live = NewSafetyEvent(
                kind="went_live", covers_on=True, people_clear=True, meter_set=True, leads_back=True
            )
            return add_safety_event(call.id, live, person, at)
        case _:
            return add_safety_event(call.id, NewSafetyEvent(kind="caution_read"), person, at)
    return call
