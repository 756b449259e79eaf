"""Archives: out and in again the same, twice without harm, and whatever is wrong with one is said."""

import io
import json
import zipfile
from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from orange_crank.core.errors import GateClosed, InputProblem
from orange_crank.core.handover.money import Billed
from orange_crank.core.handover.record import Confirmed, HandedOver
from orange_crank.core.measure.reading import NewReading
from orange_crank.demo import player
from orange_crank.store import database
from orange_crank.store.archive import (
    OF_A_UNIT,
    OF_THE_SHOP,
    archive_schema,
    name_of,
    read_archive,
    write_archive,
)
from orange_crank.store.calls.hand_over import bill, confirm_cause, get_hand_over, hand_to
from orange_crank.store.calls.listing import calls_of_unit
from orange_crank.store.calls.readings import add_reading
from orange_crank.store.calls.view import get_call
from orange_crank.store.models import SIGN_IN, Person, Reading, ServiceCall, ShopFact, Unit
from orange_crank.store.photos import add_photo
from orange_crank.store.server import MariaDbServer
from orange_crank.store.units import get_unit, list_units
from tests.conftest import as_loaded

PICTURE = bytes(range(256)) * 40


def out(unit: int | None = None) -> bytes:
    file = io.BytesIO()
    with database.session():
        write_archive(file, "Marlo Quist", unit, "Quillback Cooling")
    return file.getvalue()


def take_in(data: bytes, keep: bool = True) -> Any:
    with database.session():
        return read_archive(io.BytesIO(data), keep)


def members(data: bytes) -> dict[str, Any]:
    """What an archive holds, but for when it was written."""
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        found = {n: archive.read(n) for n in archive.namelist()}
    manifest = json.loads(found.pop("manifest.json"))
    manifest.pop("exported_at")
    return found | {"manifest.json": manifest}


def lived_in() -> None:
    """Give the demo what it has not: a picture, a correction, a hand-over."""
    with database.session():
        add_photo(4, "wiring", "as found", PICTURE, (8, 8), 1)
        first = get_call(4).readings[-1]
        add_reading(4, NewReading(quantity=first.entry.quantity, value=1.2, supersedes_id=first.id), 1)
        confirm_cause(4, Confirmed(hypothesis="run_capacitor_weak"), 1)
        bill(4, Billed(minutes=45.0), 1)
        hand_to(4, HandedOver(to="Hattie Vöß, حتي"), 1)


def without_people(rows: bytes) -> list[dict[str, Any]]:
    """Rows without who wrote them: a person of the same name here is the same person."""
    return [{k: v for k, v in r.items() if k not in ("person", "recorded_by")} for r in json.loads(rows)]


def another_shop() -> None:
    """Make the records another shop's."""
    uid = "00000000-0000-4000-8000-000000000000"
    ShopFact.update(value=uid).where(ShopFact.name == "shop_uid").execute()


def test_a_whole_shop_goes_out_and_in_again_the_same(records: MariaDbServer) -> None:
    del records
    lived_in()
    data = out()
    with database.session():
        before = get_call(4).model_dump_json(exclude={"state", "allowed", "expected_make_safe"})
    player.clear()
    report = take_in(data)
    assert sum(report.new.values()) > 400
    assert 0 == report.known
    assert members(data) == members(out())
    with database.session():
        assert before == get_call(4).model_dump_json(exclude={"state", "allowed", "expected_make_safe"})
        assert "Hattie Vöß, حتي" == get_hand_over(4).handed.handed.to  # type: ignore[union-attr]


def test_the_same_archive_again_brings_nothing_and_a_later_one_only_what_is_new(
    records: MariaDbServer,
) -> None:
    del records
    data = out()
    again = take_in(data)
    assert {} == again.new
    assert again.known > 400
    player.clear()
    take_in(data)
    lived_in()
    later = out()
    player.clear()
    take_in(data)
    report = take_in(later)
    assert {"photo": 1, "reading": 1, "decision": 3} == report.new


def test_a_preview_keeps_nothing(records: MariaDbServer) -> None:
    del records
    data = out()
    player.clear()
    report = take_in(data, keep=False)
    assert not report.done
    assert report.new["unit"] == 8
    with database.session():
        assert not Person.select().exists()
        assert not ShopFact.select().exists()
    assert take_in(data).done


@pytest.mark.parametrize("unit", [1, 3, 8])
def test_one_unit_goes_into_another_shop_once_and_out_of_it_the_same(
    records: MariaDbServer, unit: int
) -> None:
    del records
    lived_in()
    data = out(unit)
    with database.session():
        calls = [(c.complaint, c.readings) for c in calls_of_unit(unit)]
    # Another shop: the same people's names, other numbers, and a place that is called the same.
    player.clear()
    player.load()
    with database.session():
        ShopFact.update(value="00000000-0000-4000-8000-000000000000").where(
            ShopFact.name == "shop_uid"
        ).execute()
        many = Unit.select().count()
    first = take_in(data)
    assert 1 == first.new["unit"]
    assert {} == take_in(data).new
    with database.session():
        assert many + 1 == Unit.select().count()
        made = max(list_units(), key=lambda u: u.id)
        assert calls == [(c.complaint, c.readings) for c in calls_of_unit(made.id)]
        for call in calls_of_unit(made.id):
            get_call(call.id)
            get_hand_over(call.id)
        assert made.name == get_unit(made.id).name
    back = members(out(made.id))
    here = members(data)
    for name in (
        "record/reading.json",
        "record/decision.json",
        "record/plate.json",
        "record/change_made.json",
    ):
        if name in here:
            assert without_people(here[name]) == without_people(back[name]), name


def test_another_shops_whole_archive_is_refused_where_somebody_lives(records: MariaDbServer) -> None:
    del records
    data = out()
    with database.session():
        ShopFact.update(value="00000000-0000-4000-8000-000000000000").where(
            ShopFact.name == "shop_uid"
        ).execute()
    with pytest.raises(GateClosed, match="another shop"):
        take_in(data)


def rezipped(data: bytes, change: Callable[[dict[str, bytes]], None], again: str = "") -> bytes:
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        found = {n: archive.read(n) for n in archive.namelist()}
    change(found)
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w") as archive:
        for name, content in found.items():
            archive.writestr(name, content)
        if again:
            with pytest.warns(UserWarning, match="Duplicate name"):
                archive.writestr(again, b"[]")
    return made.getvalue()


def newer(found: dict[str, bytes]) -> None:
    manifest = json.loads(found["manifest.json"])
    found["manifest.json"] = json.dumps(manifest | {"version": 99}).encode()


def altered(found: dict[str, bytes]) -> None:
    found["record/reading.json"] = found["record/reading.json"].replace(b"101", b"999", 1)


def spoilt(change: Callable[[dict[str, bytes]], None]) -> Callable[[bytes], bytes]:
    return lambda data: rezipped(data, change)


BAD: dict[str, tuple[Callable[[bytes], bytes], str]] = {
    "no zip": (lambda d: b"hello", "damaged or cut off"),
    "empty": (lambda d: b"", "damaged or cut off"),
    "cut off": (lambda d: d[: len(d) // 2], "damaged or cut off"),
    "newer": (spoilt(newer), "update the program"),
    "climbs out": (spoilt(lambda f: f.update({"../../etc/x": b"1"})), "points out of it"),
    "absolute": (spoilt(lambda f: f.update({"/etc/x": b"1"})), "points out of it"),
    "unnamed member": (spoilt(lambda f: f.update({"more.json": b"1"})), "just the members"),
    "missing member": (
        lambda d: rezipped(d, lambda f: f.__delitem__("record/unit.json")),
        "just the members",
    ),
    "no manifest": (spoilt(lambda f: f.__delitem__("manifest.json")), "no manifest"),
    "another zip": (
        lambda d: rezipped(d, lambda f: f.update({"manifest.json": b"{}"})),
        "this program wrote",
    ),
    "altered": (spoilt(altered), "changed or damaged"),
    "doubled": (lambda d: rezipped(d, lambda f: None, again="record/unit.json"), "each member once"),
}


@pytest.mark.parametrize("kind", BAD)
def test_a_bad_archive_is_refused_in_words_and_nothing_is_kept(records: MariaDbServer, kind: str) -> None:
    del records
    spoil, words = BAD[kind]
    data = spoil(out())
    player.clear()
    with pytest.raises(InputProblem) as refused:
        take_in(data)
    assert words in refused.value.errors[0].wanted
    assert "Nothing was imported" in (refused.value.next_step or "")
    with database.session():
        assert not Person.select().exists()


@given(st.binary(max_size=300) | st.integers(0, 10**9))
@settings(max_examples=20, deadline=None, suppress_health_check=list(HealthCheck))
def test_no_bytes_break_the_reader(records: MariaDbServer, noise: Any) -> None:
    del records
    whole = out(2)
    data = (
        noise
        if isinstance(noise, bytes)
        else whole[: noise % len(whole)] + b"\x00" + whole[noise % len(whole) :]
    )
    said = None
    try:
        take_in(data, keep=False)
    except (InputProblem, GateClosed) as refused:
        said = refused.next_step
    assert said is None or said


@given(st.data())
@settings(max_examples=20, deadline=None, suppress_health_check=list(HealthCheck))
def test_no_row_of_another_shape_is_let_in(records: MariaDbServer, data: st.DataObject) -> None:
    """Any one value of any one row swapped for another kind of thing: refused, or it fits."""
    del records
    import hashlib

    whole = out(8)
    with zipfile.ZipFile(io.BytesIO(whole)) as archive:
        found = {n: archive.read(n) for n in archive.namelist()}
    name = data.draw(
        st.sampled_from(sorted(n for n in found if n.startswith("record/") and found[n] != b"[]"))
    )
    rows = json.loads(found[name])
    row = data.draw(st.sampled_from(rows))
    field = data.draw(st.sampled_from(sorted(row)))
    row[field] = data.draw(st.sampled_from([None, -1, 3.5, "x", [], {}, "0:1", True, "2026-13-45", 2**40]))
    found[name] = json.dumps(rows).encode()
    manifest = json.loads(found["manifest.json"])
    manifest["digests"][name] = hashlib.sha256(found[name]).hexdigest()
    found["manifest.json"] = json.dumps(manifest).encode()
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w") as archive:
        for member, content in found.items():
            archive.writestr(member, content)
    said = None
    try:
        take_in(made.getvalue(), keep=False)
    except (InputProblem, GateClosed) as refused:
        said = refused.next_step
    assert said is None or "Export it again" in said or "another shop" in said


def test_every_table_of_the_records_is_in_the_archive_or_is_no_record() -> None:
    from orange_crank.store.models import TABLES

    kept_out = {"request_kept", "shop_fact", "unit_forecast", "origin"}
    # Scratch of the lab, what can be read off files again, and the trail, which is of these records only.
    kept_out |= {"sweep_run", "sweep_part", "analysis", "change_trail"}
    # Who is signed in and by what never leaves with a record.
    kept_out |= {name_of(t) for t in SIGN_IN}
    # What was practised is no record of the shop.
    kept_out |= {"practice_run", "practice_act", "practice_set"}
    assert {name_of(t) for t in TABLES} - kept_out == {name_of(t) for t in OF_A_UNIT + OF_THE_SHOP}
    assert set(archive_schema()["$defs"]) == {name_of(t) for t in OF_A_UNIT + OF_THE_SHOP}


def test_an_archive_is_what_its_schema_says(records: MariaDbServer) -> None:
    del records
    schema = archive_schema()["$defs"]
    found = members(out())
    for name, content in found.items():
        if name.startswith("record/"):
            shape = schema[name.removeprefix("record/").removesuffix(".json")]["items"]
            for row in json.loads(content):
                assert set(shape["required"]) <= set(row) <= set(shape["properties"])


def test_what_it_was_judged_by_is_what_it_is_judged_by(records: MariaDbServer) -> None:
    """A closed call's watermarks go with it: later readings of the unit do not change what it said."""
    del records
    with database.session():
        closed = ServiceCall.get(ServiceCall.status == "closed")
        assert closed.closed_reading
    data = out()
    player.clear()
    take_in(data)
    with database.session():
        assert closed.closed_reading == ServiceCall.get(ServiceCall.id == closed.id).closed_reading
        assert Reading.select().count() > 0
    as_loaded()
