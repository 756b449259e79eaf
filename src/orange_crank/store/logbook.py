"""The logbook on record: a unit's time line, what is fitted now, the fleet, and where a bad lot went."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any, Literal

import peewee
from pydantic import AwareDatetime, Field, TypeAdapter, ValidationError

from orange_crank.core.call.changes import part_word
from orange_crank.core.call.work import Fitting
from orange_crank.core.diagnosis.table import priors
from orange_crank.core.handover.record import Confirmed
from orange_crank.core.logbook.fitted import FittedNow, fitted_now
from orange_crank.core.logbook.fleet import FleetLine, UnitAhead, fleet_lines
from orange_crank.core.logbook.unit import Logbook, read_logbook
from orange_crank.core.logbook.wear import Forecast
from orange_crank.core.measure.reading import QUANTITIES
from orange_crank.core.nomenclature import Frozen, say
from orange_crank.store.calls.decisions import (
    AGREED,
    CLOSED,
    CONFIRMED,
    DIAGNOSED,
    FITTED,
    HANDED,
    KEPT,
    decision_body,
)
from orange_crank.store.calls.record import visits_of_unit
from orange_crank.store.database import local_day, now, transaction
from orange_crank.store.models import (
    CaptureRow,
    ChangeMade,
    DecisionRow,
    Person,
    Photo,
    PlateVersion,
    Reading,
    ServiceCall,
    Site,
    SoundRow,
    Task,
    TestTaken,
    Unit,
    UnitForecast,
)
from orange_crank.store.shop_details import get_shop
from orange_crank.store.standards import shop_standards
from orange_crank.store.units import plate_of_unit

EntryKind = Literal["visit", "closed", "reading", "test", "change", "decision", "photo", "recording", "plate"]
MOST_LINES = 120
MOST_AT_ONCE = 5_000


class TimeEntry(Frozen):
    """One entry of a unit's time line."""

    kind: EntryKind
    ref: int = Field(description="Number of the record it comes from")
    at: AwareDatetime
    text: str
    call_id: int | None
    person: str


class TimeLine(Frozen):
    """A stretch of a unit's time line, newest first."""

    entries: list[TimeEntry]
    older: AwareDatetime | None = Field(description="Ask for what is before this; none at the beginning")


class UnitLogbook(Frozen):
    """What a unit's visits say over the years, and what is fitted on it now."""

    logbook: Logbook
    fitted: list[FittedNow]


def unit_logbook(unit_id: int) -> UnitLogbook:
    """Return what a unit's visits say over the years."""
    visits, plate = visits_of_unit(unit_id), plate_of_unit(unit_id)
    return UnitLogbook(
        logbook=read_logbook(visits, plate.plate if plate else None, shop_standards(), now()),
        fitted=fitted_now(visits),
    )


def time_line(unit_id: int, before: datetime | None = None, most: int = MOST_LINES) -> TimeLine:
    """Return a stretch of a unit's time line, newest first.

    Parameters
    ----------
    unit_id : whose
    before : only what is older than this; the newest where left out
    most : at most so many entries

    """
    span = Span(before or now(), None, most + 1)
    sources = (_calls, _readings, _tests, _changes, _decisions, _photos, _recordings, _plates)
    found = [(source, source(unit_id, span)) for source in sources]
    moments = sorted((e.at for _, entries in found for e in entries), reverse=True)
    if len(moments) <= most:
        entries = [e for _, some in found for e in some]
        older = False
    else:
        # What was written at one moment stays on one page: a test of several readings is not torn.
        since = Span(span.until, moments[most - 1], MOST_AT_ONCE)
        entries = [e for source, _ in found for e in source(unit_id, since) if e.at >= moments[most - 1]]
        behind = Span(moments[most - 1], None, 1)
        older = any(source(unit_id, behind) for source in sources)
    entries.sort(key=lambda e: (e.at, e.kind, e.ref), reverse=True)
    return TimeLine(entries=entries, older=entries[-1].at if older else None)


@dataclass(frozen=True)
class Span:
    """A stretch of time, newest first: before a moment, since another, at most so many of each kind."""

    until: datetime
    since: datetime | None
    most: int

    def holds(self, at: Any) -> Any:
        """Return the condition that a column lies in it."""
        return (at < self.until) if self.since is None else (at < self.until) & (at >= self.since)


def _of_unit(model: Any, at: Any, unit_id: int, span: Span) -> Any:
    return (
        model.select(model, Person)
        .join(Person, on=(model.person == Person.id))
        .switch(model)
        .join(ServiceCall, on=(model.call == ServiceCall.id))
        .where((ServiceCall.unit == unit_id) & span.holds(at))
        .order_by(at.desc(), model.id.desc())
        .limit(span.most)
    )


def _calls(unit_id: int, span: Span) -> list[TimeEntry]:
    rows = (
        ServiceCall.select(ServiceCall, Person)
        .join(Person)
        .where(
            (ServiceCall.unit == unit_id)
            & (span.holds(ServiceCall.opened_at) | span.holds(ServiceCall.closed_at))
        )
        .order_by(ServiceCall.opened_at.desc())
        .limit(span.most)
    )
    found = []
    calls = list(rows)
    closings: Any = (
        DecisionRow.select(DecisionRow.call, Person.name)
        .join(Person)
        .where((DecisionRow.kind == CLOSED) & (DecisionRow.call.in_([r.id for r in calls] or [0])))
        .order_by(DecisionRow.id)
    )
    closed_by: dict[int, str] = dict(closings.tuples())
    for r in calls:
        name = r.opened_by.name
        if r.opened_at < span.until:
            found.append(
                TimeEntry(kind="visit", ref=r.id, at=r.opened_at, text=r.complaint, call_id=r.id, person=name)
            )
        if r.closed_at is not None and r.closed_at < span.until:
            text = r.note or "Closed."
            closer = closed_by.get(r.id, name)
            found.append(
                TimeEntry(kind="closed", ref=r.id, at=r.closed_at, text=text, call_id=r.id, person=closer)
            )
    return found


def _readings(unit_id: int, span: Span) -> list[TimeEntry]:
    later = Reading.alias()
    rows = (
        Reading.select(Reading, Person)
        .join(Person)
        .switch(Reading)
        .join(ServiceCall)
        .switch(Reading)
        .join(later, peewee.JOIN.LEFT_OUTER, on=(later.supersedes == Reading.id))
        .where((ServiceCall.unit == unit_id) & span.holds(Reading.taken_at) & later.id.is_null())
        .order_by(Reading.taken_at.desc(), Reading.id.desc())
        .limit(span.most)
    )
    return [
        TimeEntry(
            kind="reading",
            ref=r.id,
            at=r.taken_at,
            text=_reading_words(r),
            call_id=r.call_id,
            person=r.person.name,
        )
        for r in rows
    ]


def _reading_words(r: Any) -> str:
    note: Any = QUANTITIES.get(r.quantity)
    label, kind = (note.label, note.kind) if note is not None else (r.quantity, "figure")
    if kind == "flag":
        value = "yes" if r.value else "no"
    elif r.value_word is not None:
        value = r.value_word.replace("_", " ")
    else:
        value = say(float(r.value or 0.0), r.unit)
    more = [f"at {say(r.outdoor_f, '°F')}" if r.outdoor_f is not None else "", r.note or ""]
    return f"{label} {value}" + "".join(f" {m}" for m in more if m) + _past_gate(r)


def _past_gate(row: Any) -> str:
    """Return the reason of a reading or test that was taken past the safety gate."""
    return f" · Past the safety gate: {row.without_make_safe}" if row.without_make_safe else ""


def _tests(unit_id: int, span: Span) -> list[TimeEntry]:
    return [
        TimeEntry(
            kind="test",
            ref=r.id,
            at=r.taken_at,
            text=r.topic.replace("-", " ") + _past_gate(r),
            call_id=r.call_id,
            person=r.person.name,
        )
        for r in _of_unit(TestTaken, TestTaken.taken_at, unit_id, span)
    ]


def _changes(unit_id: int, span: Span) -> list[TimeEntry]:
    return [
        TimeEntry(
            kind="change",
            ref=r.id,
            at=r.made_at,
            text=f"{r.what} ({part_word(r.part)})" if r.part else r.what,
            call_id=r.call_id,
            person=r.person.name,
        )
        for r in _of_unit(ChangeMade, ChangeMade.made_at, unit_id, span)
    ]


def _decisions(unit_id: int, span: Span) -> list[TimeEntry]:
    found = []
    for r in _of_unit(DecisionRow, DecisionRow.decided_at, unit_id, span):
        text = _decision_words(r)
        if text:
            found.append(
                TimeEntry(
                    kind="decision",
                    ref=r.id,
                    at=r.decided_at,
                    text=text,
                    call_id=r.call_id,
                    person=r.person.name,
                )
            )
    return found


def _decision_words(r: DecisionRow) -> str:
    try:
        if r.kind == CONFIRMED:
            return f"Final cause: {priors()[Confirmed.model_validate_json(r.body).hypothesis].title}"
        if r.kind == FITTED:
            f = Fitting.model_validate_json(r.body)
            return (
                f"Fitted: {f.what}" + (f", {f.part}" if f.part else "") + (f", lot {f.lot}" if f.lot else "")
            )
    except ValidationError:
        return ""
    if r.kind in DIAGNOSED:
        body = decision_body(r)
        title = priors()[body.hypothesis].title if body is not None and body.hypothesis is not None else ""
        return f"{r.kind.replace('_', ' ').capitalize()}: {title or (body.note if body else '')}".rstrip(": ")
    return {KEPT: "Keep or take off decided", AGREED: "Agreed by the customer", HANDED: "Handed over"}.get(
        r.kind, ""
    )


def _photos(unit_id: int, span: Span) -> list[TimeEntry]:
    rows: Any = (
        Photo.select(Photo.id, Photo.recorded_at, Photo.subject, Photo.caption, Photo.call, Person.name)
        .join(Person)
        .switch(Photo)
        .join(ServiceCall)
        .where((ServiceCall.unit == unit_id) & span.holds(Photo.recorded_at))
        .order_by(Photo.recorded_at.desc())
        .limit(span.most)
        .tuples()
    )
    return [
        TimeEntry(
            kind="photo", ref=i, at=at, text=f"{subject}: {caption}".rstrip(": "), call_id=call, person=name
        )
        for i, at, subject, caption, call, name in rows
    ]


def _recordings(unit_id: int, span: Span) -> list[TimeEntry]:
    found = []
    for model, word in ((CaptureRow, "Waveform"), (SoundRow, "Sound")):
        title: Any = model.name if model is CaptureRow else peewee.Value("")
        rows: Any = (
            model.select(model.id, model.recorded_at, title, model.call, Person.name)
            .join(Person, on=(model.person == Person.id))
            .switch(model)
            .join(ServiceCall, on=(model.call == ServiceCall.id))
            .where((ServiceCall.unit == unit_id) & span.holds(model.recorded_at))
            .order_by(model.recorded_at.desc())
            .limit(span.most)
            .tuples()
        )
        found += [
            TimeEntry(
                kind="recording",
                ref=i,
                at=at,
                text=f"{word}: {name}".rstrip(": "),
                call_id=call,
                person=who,
            )
            for i, at, name, call, who in rows
        ]
    return found


def _plates(unit_id: int, span: Span) -> list[TimeEntry]:
    rows = (
        PlateVersion.select(PlateVersion, Person)
        .join(Person)
        .where((PlateVersion.unit == unit_id) & span.holds(PlateVersion.recorded_at))
        .order_by(PlateVersion.number.desc())
        .limit(span.most)
    )
    return [
        TimeEntry(
            kind="plate",
            ref=r.id,
            at=r.recorded_at,
            text=f"Plate read, version {r.number}",
            call_id=None,
            person=r.recorded_by.name,
        )
        for r in rows
    ]


class Fleet(Frozen):
    """The fleet, what waiting risks first."""

    lines: list[FleetLine]
    to_work_out: int = Field(description="Units whose forecast is not worked out yet; ask again")
    currency: str


AT_ONCE = 40  # forecasts worked out within one request
_FORECASTS = TypeAdapter(list[Forecast])
KEPT_DAYS = 30  # a forecast moves slowly: as long as nothing new was read it holds so long


def fleet(most: int = 200) -> Fleet:
    """Return units by what waiting risks.

    Notes
    -----
    Forecasts are cached with their readings and computed again where a newer one is there, some
    at each request, so that a large fleet never keeps one request waiting.

    """
    limits, today = shop_standards(), local_day(now())
    stale = _stale(today.toordinal())
    for unit_id in stale[:AT_ONCE]:
        _work_out(unit_id, today.toordinal())
    last: Any = (
        ServiceCall.select(ServiceCall.unit, peewee.fn.MAX(ServiceCall.opened_at))
        .group_by(ServiceCall.unit)
        .tuples()
    )
    seen: dict[int, Any] = dict(list(last))
    tasks: Any = (
        Task.select(Task.unit, peewee.fn.COUNT(Task.id))
        .where(Task.status == "open")
        .group_by(Task.unit)
        .tuples()
    )
    due: dict[int, int] = dict(list(tasks))
    rows = (
        UnitForecast.select(UnitForecast, Unit, Site).join(Unit).join(Site).where(UnitForecast.body != "[]")
    )
    units = []
    for row in rows:
        moment = seen.get(row.unit_id)
        units.append(
            UnitAhead(
                unit_id=row.unit_id,
                unit=row.unit.name,
                site=row.unit.site.name,
                forecasts=_FORECASTS.validate_json(row.body),
                age_years=None if row.unit.built_year is None else max(0, today.year - row.unit.built_year),
                last_visit=local_day(moment) if moment is not None else None,
                open_tasks=due.get(row.unit_id, 0),
            )
        )
    return Fleet(
        lines=fleet_lines(units, limits, today)[:most],
        to_work_out=max(0, len(stale) - AT_ONCE),
        currency=get_shop().details.currency,
    )


FORECAST_QUANTITIES = ("run_cap_uf", "fan_cap_uf", "contactor_drop_v")


def _stale(today: int) -> list[int]:
    """Return the units with something to forecast whose kept forecast is not of today's readings."""
    rows: Any = (
        Reading.select(ServiceCall.unit, peewee.fn.MAX(Reading.id))
        .join(ServiceCall)
        .where(Reading.quantity.in_(FORECAST_QUANTITIES))
        .group_by(ServiceCall.unit)
        .tuples()
    )
    newest: dict[int, int] = dict(list(rows))
    changed: Any = (
        ChangeMade.select(ServiceCall.unit, peewee.fn.MAX(ChangeMade.id))
        .join(ServiceCall)
        .group_by(ServiceCall.unit)
        .tuples()
    )
    changes: dict[int, int] = dict(list(changed))
    kept = {
        r.unit_id: r
        for r in UnitForecast.select(
            UnitForecast.unit, UnitForecast.newest_reading, UnitForecast.newest_change, UnitForecast.on_day
        )
    }
    return [
        unit
        for unit, reading in newest.items()
        if unit not in kept
        or kept[unit].newest_reading != reading
        or kept[unit].newest_change != changes.get(unit, 0)
        or today - kept[unit].on_day > KEPT_DAYS
    ]


def _work_out(unit_id: int, today: int) -> None:
    newest = (
        Reading.select(peewee.fn.MAX(Reading.id))
        .join(ServiceCall)
        .where((ServiceCall.unit == unit_id) & Reading.quantity.in_(FORECAST_QUANTITIES))
        .scalar()
    )
    changed = (
        ChangeMade.select(peewee.fn.MAX(ChangeMade.id))
        .join(ServiceCall)
        .where(ServiceCall.unit == unit_id)
        .scalar()
    )
    book = unit_logbook(unit_id).logbook
    with transaction():
        UnitForecast.insert(
            unit=unit_id,
            newest_reading=newest or 0,
            newest_change=changed or 0,
            on_day=today,
            body=_FORECASTS.dump_json(book.forecasts).decode(),
        ).on_conflict_replace().execute()


class LotLine(Frozen):
    """One place a part of a lot was fitted."""

    unit_id: int
    unit: str
    site: str
    call_id: int
    what: str
    part: str | None
    lot: str
    fitted_at: AwareDatetime
    person: str
    still_there: bool = Field(description="Whether nothing of that kind was fitted or taken off since")


def units_with_lot(lot: str, part: str | None = None) -> list[LotLine]:
    """Return where parts of a lot were fitted, newest first: for a recall.

    Parameters
    ----------
    lot : as it is now on the part, letter case aside
    part : only of this part number

    """
    wanted = peewee.fn.LOWER(peewee.fn.JSON_VALUE(DecisionRow.body, "$.lot"))
    rows = (
        DecisionRow.select(DecisionRow, Person, ServiceCall, Unit, Site)
        .join(Person)
        .switch(DecisionRow)
        .join(ServiceCall)
        .join(Unit)
        .join(Site)
        .where((DecisionRow.kind == FITTED) & (wanted == lot.strip().lower()))
        .order_by(DecisionRow.id.desc())
        .limit(2_000)
    )
    found = []
    for r in rows:
        try:
            f = Fitting.model_validate_json(r.body)
        except ValidationError:
            continue
        if part is not None and f.part != part:
            continue
        now_there = {x.part: x for x in fitted_now(visits_of_unit(r.call.unit_id))}
        mine = now_there.get(f.part_kind) if f.part_kind is not None else None
        found.append(
            LotLine(
                unit_id=r.call.unit_id,
                unit=r.call.unit.name,
                site=r.call.unit.site.name,
                call_id=r.call_id,
                what=f.what,
                part=f.part,
                lot=f.lot or "",
                fitted_at=r.decided_at,
                person=r.person.name,
                still_there=mine is not None and mine.call_id == r.call_id,
            )
        )
    return found
