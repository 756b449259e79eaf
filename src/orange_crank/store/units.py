"""Sites, units and their plates."""

from collections.abc import Iterable, Sequence
from datetime import date, datetime
from typing import Annotated, Any

import peewee
from pydantic import AwareDatetime, Field, ValidationError

from orange_crank.core.errors import BeyondTable, FieldProblem, GateClosed, InputProblem, input_problem
from orange_crank.core.messages import Language, msg
from orange_crank.core.nomenclature import AltitudeFt, Day, Fahrenheit, Frozen, Name, Sentence
from orange_crank.core.plate import Plate, check_plate
from orange_crank.store.database import local_day, now, transaction
from orange_crank.store.errors import Conflict, NotFound
from orange_crank.store.models import (
    Person,
    PlannedVisit,
    PlateCompressor,
    PlateMotor,
    PlateVersion,
    ServiceCall,
    Site,
    Task,
    Unit,
    UnitForecast,
)

ShortText = Annotated[str, Field(strict=True, max_length=120)]
UnitWord = Annotated[str, Field(strict=True, max_length=80)]
BuiltYear = Annotated[int, Field(strict=True, ge=1930, le=2100)]


class SiteOut(Frozen):
    """A place with units."""

    id: int
    name: str
    place: str
    access_note: str
    contact: str
    language: Language
    elevation_ft: float | None = Field(description="Height above sea level [ft]")
    design_f: float | None = Field(description="Outdoor temperature on the hottest days [°F]")
    version: int


class NewSite(Frozen):
    """A place to be put on record."""

    name: Name
    place: ShortText = ""
    access_note: Sentence = ""
    contact: ShortText = Field(default="", description="Whom to ask for, and how to reach them")
    language: Language = Field(default="en", description="Language of the customer's papers")
    elevation_ft: AltitudeFt | None = Field(default=None, description="Height above sea level [ft]")
    design_f: Fahrenheit | None = Field(
        default=None, description="Outdoor temperature on the hottest days [°F]"
    )

    def columns(self) -> dict[str, Any]:
        """Return the columns of the site's row; a page that does not know a later column leaves it alone."""
        unknown = {"language", "elevation_ft", "design_f"} - self.model_fields_set
        return {**self.model_dump(exclude={"version"} | unknown), "name": self.name.strip()}


class SiteEdit(NewSite):
    """A place as it shall read from now on; ``version`` is the one it was edited from."""

    version: int


class UnitWords(Frozen):
    """What is known of a unit beside its plate."""

    name: Name
    kind: UnitWord = ""
    note: Sentence = ""
    serial: UnitWord = ""
    model: UnitWord = ""
    built_year: BuiltYear | None = Field(default=None, description="Year of manufacture")
    warranty_until: Day | None = Field(default=None, description="Last day of the warranty")
    access_note: Sentence = Field(default="", description="How to get at the unit: roof, gate, key, dog")


class NewUnit(UnitWords):
    """A unit to be put on record."""

    site_id: int


class UnitEdit(UnitWords):
    """A unit as it shall read from now on; ``version`` is the one it was edited from."""

    version: int


class PlateOut(Frozen):
    """A plate as recorded."""

    number: int = Field(description="Version of the plate on this unit, from 1")
    plate: Plate | None = Field(description="None where today's rules cannot read it")
    trouble: str | None = Field(description="Why it cannot be read, where it cannot")
    recorded_at: AwareDatetime
    person: str


class UnitOut(Frozen):
    """A unit with its place."""

    id: int
    name: str
    kind: str
    note: str
    serial: str
    model: str
    built_year: int | None
    age_years: int | None = Field(description="Whole years since the year of manufacture")
    warranty_until: date | None
    warranty_over: bool = Field(description="Whether its last day is past, by the shop's own date")
    access_note: str
    version: int
    site: SiteOut
    plate: PlateOut | None
    open_call_id: int | None
    calls: int


def site_out(row: Site) -> SiteOut:
    """Return a site's row as the product speaks of it."""
    return SiteOut(
        id=row.id,
        name=row.name,
        place=row.place,
        access_note=row.access_note,
        contact=row.contact,
        language=row.language,
        elevation_ft=row.elevation_ft,
        design_f=row.design_f,
        version=row.version,
    )


def label_words(row: Unit | UnitOut) -> str:
    """Return model and serial in one line, empty where neither is known."""
    parts = [row.model, f"serial {row.serial}" if row.serial else ""]
    return " · ".join(p for p in parts if p)


def list_sites() -> list[SiteOut]:
    """Return all sites by name."""
    return [site_out(s) for s in Site.select().order_by(Site.name)]


def get_site(site_id: int) -> SiteOut:
    """Return one site.

    Raises
    ------
    NotFound : no site has that number

    """
    row = Site.get_or_none(Site.id == site_id)
    if row is None:
        raise NotFound(
            msg("Site {site_id} is not on record.", site_id=site_id),
            next_step=msg("Pick a site from the list."),
        )
    return site_out(row)


def add_site(entry: NewSite) -> SiteOut:
    """Put a site on record."""
    try:
        with transaction():
            return site_out(Site.create(**entry.columns()))
    except peewee.IntegrityError:
        raise _same_site(entry.name) from None


def add_unit(entry: NewUnit) -> UnitOut:
    """Put a unit on record."""
    if Site.get_or_none(Site.id == entry.site_id) is None:
        raise NotFound(
            msg("Site {site_id} is not on record.", site_id=entry.site_id),
            next_step=msg("Pick a site from the list."),
        )
    try:
        with transaction():
            row = Unit.create(site=entry.site_id, **_unit_columns(entry))
    except peewee.IntegrityError:
        raise _same_name(entry.name) from None
    return get_unit(row.id)


def edit_unit(unit_id: int, edit: UnitEdit) -> UnitOut:
    """Change what is known of a unit.

    Raises
    ------
    NotFound : no unit has that number
    Conflict : a person saved the unit since ``edit.version``
    InputProblem : another unit of the site has that name

    """
    if get_unit(unit_id).id != unit_id:
        raise _changed_meanwhile("unit")
    try:
        with transaction():
            changed = (
                Unit.update(version=Unit.version + 1, **_unit_columns(edit))
                .where((Unit.id == unit_id) & (Unit.version == edit.version))
                .execute()
            )
    except peewee.IntegrityError:
        raise _same_name(edit.name) from None
    if not changed:
        raise _changed_meanwhile("unit")
    return get_unit(unit_id)


def edit_site(site_id: int, edit: SiteEdit) -> SiteOut:
    """Change what is known of a place.

    Raises
    ------
    NotFound : no site has that number
    Conflict : a person saved it since ``edit.version``
    InputProblem : another site has that name

    """
    get_site(site_id)
    try:
        with transaction():
            changed = (
                Site.update(version=Site.version + 1, **edit.columns())
                .where((Site.id == site_id) & (Site.version == edit.version))
                .execute()
            )
    except peewee.IntegrityError:
        raise _same_site(edit.name) from None
    if not changed:
        raise _changed_meanwhile("site")
    return get_site(site_id)


class MergeSites(Frozen):
    """Two records of one place: all units go to ``into``, and this one goes."""

    into: int
    version: int


def merge_sites(site_id: int, merge: MergeSites) -> SiteOut:
    """Merge a place into another: its units move, those of one name get a number.

    Raises
    ------
    NotFound : no such site
    InputProblem : into itself
    Conflict : a person saved it since

    """
    here, there = get_site(site_id), get_site(merge.into)
    if site_id == merge.into:
        raise InputProblem([FieldProblem(field="into", wanted=msg("another site"), got=merge.into)])
    if here.version != merge.version:
        raise _changed_meanwhile("site")
    with transaction():
        taken = {u.name.lower() for u in Unit.select(Unit.name).where(Unit.site == merge.into)}
        for unit in Unit.select().where(Unit.site == site_id).order_by(Unit.id):
            name, number = unit.name, 2
            while name.lower() in taken:
                name = f"{unit.name[:74]} ({number})"
                number += 1
            taken.add(name.lower())
            Unit.update(site=merge.into, name=name, version=unit.version + 1).where(
                Unit.id == unit.id
            ).execute()
        words = " ".join(w for w in (there.access_note, here.access_note) if w)
        contact = " · ".join(w for w in (there.contact, here.contact) if w)
        Site.update(access_note=words, contact=contact[:400], version=there.version + 1).where(
            Site.id == merge.into
        ).execute()
        Site.delete().where(Site.id == site_id).execute()
    return get_site(merge.into)


def standing(unit_id: int) -> int:
    """Return the number of the unit that replaced a number: its own, or the one it was merged into."""
    for _ in range(50):
        row = Unit.get_or_none(Unit.id == unit_id)
        if row is None or row.merged_into_id is None:
            break
        unit_id = row.merged_into_id
    return unit_id


class MergeUnits(Frozen):
    """Two records of one machine: all that is on this one goes to ``into``."""

    into: int
    version: int


def merge_units(unit_id: int, merge: MergeUnits) -> UnitOut:
    """Merge a unit into another of its site: its calls, plates, tasks and visits go there.

    A plate on record is never altered: it is put on the other unit once more, under a new number, and the
    closed calls that were judged by it show it. The other unit's own plate stays in use.

    Raises
    ------
    NotFound : no such unit
    InputProblem : into itself, or into a unit of another site
    GateClosed : both have an open call
    Conflict : a person saved it since

    """
    here, there = get_unit(unit_id), get_unit(merge.into)
    if here.id == there.id or here.site.id != there.site.id:
        raise InputProblem(
            [FieldProblem(field="into", wanted=msg("another unit of the same site"), got=merge.into)],
            next_step=msg("Merge the sites first if these are two records of one place."),
        )
    if here.version != merge.version or here.id != unit_id:
        raise _changed_meanwhile("unit")
    if here.open_call_id is not None and there.open_call_id is not None:
        raise GateClosed(
            msg("Both units have an open call."),
            next_step=msg("Close one of the two calls, then merge them."),
        )
    with transaction():
        _plates_over(unit_id, there)
        for model in (ServiceCall, Task, PlannedVisit):
            model.update(unit=there.id).where(model.unit == unit_id).execute()
        UnitForecast.delete().where(UnitForecast.unit.in_((unit_id, there.id))).execute()
        blanks = {
            name: getattr(here, name)
            for name in ("kind", "model", "serial", "built_year", "warranty_until", "access_note")
            if not getattr(there, name) and getattr(here, name)
        }
        if here.note:
            blanks["note"] = " ".join(w for w in (there.note, here.note) if w)
        Unit.update(version=Unit.version + 1, **blanks).where(Unit.id == there.id).execute()
        Unit.update(merged_into=there.id, name=f"{here.name[:60]} (merged {unit_id})").where(
            Unit.id == unit_id
        ).execute()
    return get_unit(there.id)


def _plates_over(unit_id: int, there: UnitOut) -> None:
    """Put a unit's plates on another, older ones under the one that holds there."""
    moved = plate_versions(unit_id)[::-1]
    last = there.plate.number if there.plate else 0
    numbers = {0: last}
    rows = {r.number: r for r in PlateVersion.select().where(PlateVersion.unit == unit_id)}
    for plate in moved:
        numbers[plate.number] = last = last + 1
        _plate_again(rows[plate.number], there.id, last)
    if moved and there.plate:
        holds = PlateVersion.get(
            (PlateVersion.unit == there.id) & (PlateVersion.number == there.plate.number)
        )
        _plate_again(holds, there.id, last + 1)
    for call in ServiceCall.select().where(
        (ServiceCall.unit == unit_id) & ServiceCall.closed_plate.is_null(False)
    ):
        # Judged without a plate then, without one now: number 0 of the other unit is none of its.
        number = numbers[call.closed_plate] if call.closed_plate else 0
        ServiceCall.update(closed_plate=number).where(ServiceCall.id == call.id).execute()


def _plate_again(row: PlateVersion, unit_id: int, number: int) -> None:
    columns = {name: getattr(row, name) for name in row._meta.fields if name not in ("id", "unit", "number")}
    copy = PlateVersion.create(unit=unit_id, number=number, **columns)
    for model, names in (
        (PlateCompressor, ("position", "rla_a", "lra_a", "bcsc_a", "kind")),
        (PlateMotor, ("position", "fla_a", "lra_a")),
    ):
        for part in model.select().where(model.plate == row.id):
            model.create(plate=copy, **{name: getattr(part, name) for name in names})


def _unit_columns(words: UnitWords) -> dict[str, object]:
    return {
        "name": words.name.strip(),
        "kind": words.kind,
        "note": words.note,
        "serial": words.serial.strip(),
        "model": words.model.strip(),
        "built_year": words.built_year,
        "warranty_until": words.warranty_until,
        "access_note": words.access_note,
    }


def _changed_meanwhile(what: str) -> Conflict:
    return Conflict(
        msg("The {what} was changed while you typed. Yours is still on this screen.", what=what),
        next_step=msg("Check the new version, then save yours again or discard it."),
    )


def _same_name(name: str) -> InputProblem:
    return InputProblem(
        [FieldProblem(field="name", wanted=msg("a name no other unit of this site has"), got=name)],
        next_step=msg("Enter where it is: roof, yard, east side."),
    )


def _same_site(name: str) -> InputProblem:
    return InputProblem(
        [FieldProblem(field="name", wanted=msg("a name no other site has"), got=name)],
        next_step=msg("Use the site already there, or add the street or village to the name."),
    )


def list_units() -> list[UnitOut]:
    """Return all units by site and name."""
    return _units_out(
        Unit.select(Unit, Site).join(Site).where(Unit.merged_into.is_null()).order_by(Site.name, Unit.name)
    )


def units_of(ids: Sequence[int]) -> list[UnitOut]:
    """Return units by their numbers, in order."""
    found = {u.id: u for u in _units_out(Unit.select(Unit, Site).join(Site).where(Unit.id.in_(ids or [0])))}
    return [found[i] for i in ids if i in found]


def get_unit(unit_id: int) -> UnitOut:
    """Return one unit; one that was merged is found as the one it is now, by its old label too.

    Raises
    ------
    NotFound : no unit has that number

    """
    unit_id = standing(unit_id)
    found = _units_out(Unit.select(Unit, Site).join(Site).where(Unit.id == unit_id))
    if not found:
        raise NotFound(
            msg("Unit {unit_id} is not on record.", unit_id=unit_id),
            next_step=msg("Go to Units and pick one."),
        )
    return found[0]


def _units_out(query: Iterable[Unit]) -> list[UnitOut]:
    rows = list(query)
    ids = [u.id for u in rows]
    if not ids:
        return []
    today = local_day(now())
    plates = _current_plates(ids)
    counts: dict[int, int] = {}
    open_calls: dict[int, int] = {}
    calls = ServiceCall.select(ServiceCall.id, ServiceCall.unit, ServiceCall.status).where(
        ServiceCall.unit.in_(ids)
    )
    for call in calls:
        counts[call.unit_id] = counts.get(call.unit_id, 0) + 1
        if call.status == "open":
            open_calls[call.unit_id] = call.id
    return [
        UnitOut(
            id=u.id,
            name=u.name,
            kind=u.kind,
            note=u.note,
            serial=u.serial,
            model=u.model,
            built_year=u.built_year,
            age_years=None if u.built_year is None else max(0, today.year - u.built_year),
            warranty_until=u.warranty_until,
            warranty_over=u.warranty_until is not None and u.warranty_until < today,
            access_note=u.access_note,
            version=u.version,
            site=site_out(u.site),
            plate=plates.get(u.id),
            open_call_id=open_calls.get(u.id),
            calls=counts.get(u.id, 0),
        )
        for u in rows
    ]


def plate_versions(unit_id: int) -> list[PlateOut]:
    """Return every version of a unit's plate, newest first."""
    rows = (
        PlateVersion.select(PlateVersion, Person)
        .join(Person)
        .where(PlateVersion.unit == unit_id)
        .order_by(PlateVersion.number.desc())
    )
    return _plates_out(list(rows))


def plate_of_unit(unit_id: int, until: int | None = None) -> PlateOut | None:
    """Return the newest plate of a unit, if one was read; with ``until`` the newest up to that version."""
    rows = (
        PlateVersion.select(PlateVersion, Person)
        .join(Person)
        .where(PlateVersion.unit == unit_id)
        .order_by(PlateVersion.number.desc())
        .limit(1)
    )
    found = _plates_out(list(rows.where(PlateVersion.number <= until) if until is not None else rows))
    return found[0] if found else None


def _current_plates(unit_ids: list[int]) -> dict[int, PlateOut]:
    newest = (
        PlateVersion.select(PlateVersion.unit, peewee.fn.MAX(PlateVersion.number).alias("number"))
        .where(PlateVersion.unit.in_(unit_ids))
        .group_by(PlateVersion.unit)
        .alias("newest")
    )
    rows = (
        PlateVersion.select(PlateVersion, Person)
        .join(Person)
        .switch(PlateVersion)
        .join(
            newest,
            on=(PlateVersion.unit == newest.c.unit_id) & (PlateVersion.number == newest.c.number),
        )
    )
    listed = list(rows)
    return {row.unit_id: out for row, out in zip(listed, _plates_out(listed), strict=True)}


def _plates_out(rows: list[PlateVersion]) -> list[PlateOut]:
    ids = [r.id for r in rows]
    compressors: dict[int, list[dict[str, object]]] = {}
    motors: dict[int, list[dict[str, object]]] = {}
    if ids:
        for c in (
            PlateCompressor.select()
            .where(PlateCompressor.plate.in_(ids))
            .order_by(PlateCompressor.plate, PlateCompressor.position)
        ):
            compressors.setdefault(c.plate_id, []).append(
                {"rla_a": c.rla_a, "lra_a": c.lra_a, "bcsc_a": c.bcsc_a, "kind": c.kind}
            )
        for m in (
            PlateMotor.select()
            .where(PlateMotor.plate.in_(ids))
            .order_by(PlateMotor.plate, PlateMotor.position)
        ):
            motors.setdefault(m.plate_id, []).append({"fla_a": m.fla_a, "lra_a": m.lra_a})
    return [_plate_out(r, compressors.get(r.id, []), motors.get(r.id, [])) for r in rows]


def _plate_out(
    r: PlateVersion, compressors: list[dict[str, object]], motors: list[dict[str, object]]
) -> PlateOut:
    """Return a plate on record; one that today's rules cannot read has its reason, and can be read again."""
    plate, trouble = None, None
    try:
        plate = Plate.model_validate(
            {
                "volts": r.volts_v,
                "phase": r.phase,
                "compressors": compressors,
                "motors": motors,
                "other_a": r.other_a,
                "mca_a": r.mca_a,
                "mocp_a": r.mocp_a,
                "run_cap_uf": r.run_cap_uf,
                "fan_cap_uf": r.fan_cap_uf,
                "tons": r.cooling_ton,
                "hp": r.compressor_hp,
                "hertz": r.line_hz,
                "inverter": r.inverter,
                "refrigerant": r.refrigerant,
                "metering": r.metering,
                "starting": r.starting,
                "overcurrent_allowed": r.overcurrent_allowed,
            }
        )
    except ValidationError as error:
        trouble = input_problem(error).detail
    return PlateOut(
        number=r.number,
        recorded_at=r.recorded_at,
        person=r.recorded_by.name,
        plate=plate,
        trouble=trouble,
    )


def save_plate(
    unit_id: int,
    plate: Plate,
    base_number: int,
    person_id: int,
    call_id: int | None = None,
    recorded_at: datetime | None = None,
) -> PlateOut:
    """Save a plate as the next version.

    Parameters
    ----------
    unit_id : whose plate
    plate : as read
    base_number : the version it was edited from; 0 when there was none
    person_id : who read it
    call_id : on which call
    recorded_at : when; now if left out

    Raises
    ------
    InputProblem : locked-rotor amps below rated amps
    Conflict : a person saved a newer version meanwhile

    """
    _refuse_impossible(plate)
    # Judged before it is kept: a plate that cannot be judged would lock its unit.
    _refuse_unjudgeable(plate)
    conflict = Conflict(
        msg("Another nameplate was saved while you typed. Yours is still on this screen."),
        next_step=msg("Look at the newer nameplate, then save yours on top of it or drop it."),
    )
    try:
        with transaction():
            newest = (
                PlateVersion.select(peewee.fn.MAX(PlateVersion.number))
                .where(PlateVersion.unit == unit_id)
                .scalar()
            ) or 0
            if newest != base_number:
                raise conflict
            row = PlateVersion.create(
                unit=unit_id,
                call=call_id,
                number=base_number + 1,
                volts_v=plate.volts,
                phase=plate.phase,
                other_a=plate.other_a,
                mca_a=plate.mca_a,
                mocp_a=plate.mocp_a,
                run_cap_uf=plate.run_cap_uf,
                fan_cap_uf=plate.fan_cap_uf,
                cooling_ton=plate.tons,
                compressor_hp=plate.hp,
                line_hz=plate.hertz,
                inverter=plate.inverter,
                refrigerant=plate.refrigerant,
                metering=plate.metering,
                starting=plate.starting,
                overcurrent_allowed=plate.overcurrent_allowed,
                recorded_at=recorded_at or now(),
                recorded_by=person_id,
            )
            for i, c in enumerate(plate.compressors):
                PlateCompressor.create(
                    plate=row, position=i, rla_a=c.rla_a, lra_a=c.lra_a, bcsc_a=c.bcsc_a, kind=c.kind
                )
            for i, m in enumerate(plate.motors):
                PlateMotor.create(plate=row, position=i, fla_a=m.fla_a, lra_a=m.lra_a)
    except peewee.IntegrityError:
        raise conflict from None
    saved = plate_of_unit(unit_id)
    assert saved is not None
    return saved


def _refuse_unjudgeable(plate: Plate) -> None:
    try:
        check_plate(plate)
    except BeyondTable as beyond:
        biggest = max(range(len(plate.compressors)), key=lambda i: plate.compressors[i].rla_a)
        raise InputProblem(
            [
                FieldProblem(
                    field=f"compressors[{biggest}].rla_a",
                    wanted=msg("the rated amps as printed; a decimal point may be missing"),
                    got=plate.compressors[biggest].rla_a,
                )
            ],
            next_step=msg("{detail} Look at the nameplate again.", detail=beyond.detail),
        ) from None


def _refuse_impossible(plate: Plate) -> None:
    errors = [
        FieldProblem(
            field=f"compressors[{i}].lra_a",
            wanted=msg("more than the RLA, {rla_a:g} A; RLA and LRA may be swapped", rla_a=c.rla_a),
            got=c.lra_a,
        )
        for i, c in enumerate(plate.compressors)
        if c.lra_a is not None and c.lra_a <= c.rla_a
    ]
    if errors:
        raise InputProblem(
            errors, next_step=msg("Look at the nameplate again: no motor stalls on less than it runs on.")
        )
