"""Archives: out and in again the same, twice without harm, and whatever is wrong with one is said."""

import hashlib
import io
import json
import zipfile
from collections.abc import Callable
from pathlib import Path
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
    check_archive,
    name_of,
    read_archive,
    write_archive,
)
from orange_crank.store.audit import note
from orange_crank.store.calls.hand_over import bill, confirm_cause, get_hand_over, hand_to
from orange_crank.store.calls.listing import calls_of_unit
from orange_crank.store.calls.readings import add_reading
from orange_crank.store.calls.safety import NewMakeSafe, NewSafetyEvent, add_make_safe, add_safety_event
from orange_crank.store.calls.view import get_call
from orange_crank.store.models import (
    SIGN_IN,
    AuditRow,
    Person,
    Reading,
    ServiceCall,
    ShopFact,
    ShopStandardRow,
    Unit,
)
from orange_crank.store.people import get_person
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
    """What an archive holds, but for when it was written and that an import lapses open calls."""
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        found: dict[str, Any] = {n: archive.read(n) for n in archive.namelist()}
    manifest = json.loads(found.pop("manifest.json"))
    for changing in ("exported_at", "mac", "digests", "counts"):
        manifest.pop(changing)
    events = json.loads(found.pop("record/safety_event.json"))
    kept = [e for e in events if not str(e["detail"]).startswith("imported by")]
    calls = [r | {"entries": None} for r in json.loads(found.pop("record/service_call.json"))]
    return found | {"manifest.json": manifest, "events": kept, "calls": calls}


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
    changing = {"state", "allowed", "expected_make_safe", "imported", "events", "entries", "ladder", "ahead"}
    with database.session():
        before = get_call(4).model_dump_json(exclude=changing)
    player.clear()
    report = take_in(data)
    assert sum(report.new.values()) > 400
    assert 0 == report.known
    assert members(data) == members(out())
    with database.session():
        assert before == get_call(4).model_dump_json(exclude=changing)
        assert "Hattie Vöß, حتي" == get_hand_over(4).handed.handed.to  # type: ignore[union-attr]


def test_the_same_archive_again_brings_nothing_and_a_later_one_is_refused(
    records: MariaDbServer,
) -> None:
    del records
    data = out()
    again = take_in(data)
    assert {} == again.new
    assert again.known > 400
    # A later one of the shop's own brings nothing into calls that are here: nobody wrote it here.
    lived_in()
    later = out()
    player.clear()
    take_in(data)
    with pytest.raises(InputProblem) as refused:
        take_in(later)
    assert "only rows of this shop that it has" in refused.value.errors[0].wanted


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
    # Seals prove these records alone; where an import came from is the importing shop's to know.
    kept_out |= {"record_seal", "archive_import", "call_import"}
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


def forged(data: bytes, table: str, change: Callable[[list[dict[str, Any]]], None]) -> bytes:
    """An archive with a table changed and every digest corrected, as a stranger with time leaves it."""

    def put(found: dict[str, bytes]) -> None:
        rows = json.loads(found[f"record/{table}.json"])
        change(rows)
        found[f"record/{table}.json"] = json.dumps(rows).encode()
        manifest = json.loads(found["manifest.json"])
        manifest["digests"][f"record/{table}.json"] = hashlib.sha256(
            found[f"record/{table}.json"]
        ).hexdigest()
        found["manifest.json"] = json.dumps(manifest).encode()

    return rezipped(data, put)


def prove_dead(call: int) -> None:
    with database.session():
        entry = NewMakeSafe(
            record=player.make_safe_record("single_phase_two_leg", ["c_herm", "c_fan"]),
            volts_taken_at=database.now(),
            state_version=get_call(call).state.version,
        )
        add_make_safe(call, entry, 1)
        assert get_call(call).state.state == "dead_proved"


def test_a_forged_archive_proves_nothing_dead_in_its_own_shop(records: MariaDbServer) -> None:
    """A make-safe record added for an open call under the shop's own number, digests corrected."""
    del records
    clean = out()
    prove_dead(4)
    proof = members(out())["events"]
    with database.session():
        add_safety_event(4, NewSafetyEvent(kind="lapsed", detail="break"), 1)
        before = get_call(4).state.state
    assert before == "lapsed"
    added = proof[-1] | {"key": f"{proof[-1]['key']}9"}
    more = forged(clean, "safety_event", lambda rows: rows.append(added))
    with pytest.raises(InputProblem) as refused:
        take_in(more)
    assert "not on its record" in refused.value.errors[0].wanted
    with database.session():
        assert get_call(4).state.state == before


def test_what_a_unit_from_elsewhere_proves_has_lapsed_and_says_who_imported_it(
    records: MariaDbServer,
) -> None:
    del records
    prove_dead(4)
    with database.session():
        unit = get_call(4).unit_id
    data = out(unit)
    with database.session():
        another_shop()
        importer = get_person(4)
        report = read_archive(io.BytesIO(data), keep=True, by=importer)
        newest = max(c.id for c in ServiceCall.select())
        call = get_call(newest)
    assert report.ours
    assert call.state.state in ("lapsed", "as_found")
    assert call.imported is not None
    assert importer.name in call.imported
    with database.session():
        assert get_call(4).imported is None


def test_people_of_another_shop_are_no_colleagues_and_never_ones_own_of_the_same_name(
    records: MariaDbServer,
) -> None:
    del records
    data = out(1)
    with database.session():
        another_shop()
        here = {p.id for p in Person.select()}
    take_in(data)
    with database.session():
        came = [p for p in Person.select() if p.id not in here]
        assert came
        assert not any(p.active for p in came)
        assert all("(Quillback Cooling)" in p.name for p in came)
        newest = max(c.id for c in ServiceCall.select())
        assert "(Quillback Cooling)" in get_call(newest).opened_by


@pytest.mark.parametrize("table", ["reading", "service_call"])
def test_an_archive_writes_nothing_by_or_for_somebody_of_this_shop(
    records: MariaDbServer, table: str
) -> None:
    """Rows under another shop's numbers that name a person, or a call, of this one."""
    del records
    data = out(1)
    with database.session():
        own = str(ShopFact.get(ShopFact.name == "shop_uid").value)
    elsewhere = "00000000-0000-4000-8000-000000000000"

    def put(rows: list[dict[str, Any]]) -> None:
        row = dict(rows[-1])
        row["key"] = f"{elsewhere}:7"
        rows.append(row)
        assert own in str(row.get("person") or row["opened_by"])

    with pytest.raises(InputProblem) as refused:
        take_in(forged(data, table, put))
    assert "of this shop" in refused.value.errors[0].wanted


def test_standards_and_audit_lines_come_only_with_a_whole_shop_of_ones_own(
    records: MariaDbServer,
) -> None:
    """Into empty records: all of it under the shop's seal, without it neither standards nor audit lines."""
    del records
    with database.session():
        note("shop", "Quillback", "tried", 3)
        ShopStandardRow.create(
            name="make_safe_minutes", value=30.0, why="ours", set_at=database.now(), person=3
        )
    data = out()
    player.clear()
    sealed = take_in(data)
    assert (sealed.ours, sealed.left_out) == (True, {})
    player.clear()
    stranger = take_in(forged(data, "audit", lambda rows: rows[-1].update(detail="never happened")))
    assert not stranger.ours
    assert stranger.left_out == {"shop_standard": 1, "audit": 1}
    assert "not known to be from this shop" in stranger.text
    with database.session():
        assert not AuditRow.select().exists()
        assert not ShopStandardRow.select().exists()


def test_an_archive_is_read_through_before_the_records_are_touched(
    records: MariaDbServer, tmp_path: Path
) -> None:
    del records
    whole = tmp_path / "whole.zip"
    whole.write_bytes(out())
    check_archive(whole)
    for kind, (spoil, words) in BAD.items():
        bad = tmp_path / "bad.zip"
        bad.write_bytes(spoil(out()))
        with pytest.raises(InputProblem) as refused:
            check_archive(bad)
        assert words in refused.value.errors[0].wanted, kind


def test_zeros_without_end_and_nests_without_end_are_refused(records: MariaDbServer, tmp_path: Path) -> None:
    """A table of 500 MB of zeros in half a megabyte; JSON 100,000 deep; keys of digits without end."""
    del records
    data = out()

    def filled(content: bytes) -> bytes:
        def put(found: dict[str, bytes]) -> None:
            found["record/task.json"] = content
            manifest = json.loads(found["manifest.json"])
            manifest["digests"]["record/task.json"] = hashlib.sha256(content).hexdigest()
            found["manifest.json"] = json.dumps(manifest).encode()

        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            found = {n: archive.read(n) for n in archive.namelist()}
        put(found)
        made = io.BytesIO()
        with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as archive:
            for name, body in found.items():
                archive.writestr(name, body)
        return made.getvalue()

    with pytest.raises(InputProblem):
        take_in(filled(b"[" * 100_000))
    for key in ("1" * 5_000, "²", "x:²", f"{'0' * 36}:{'9' * 5_000}"):
        with pytest.raises(InputProblem):
            take_in(filled(json.dumps([{"key": key}]).encode()))
    big = tmp_path / "big.zip"
    big.write_bytes(filled(b"0" * 500_000_000))
    with pytest.raises(InputProblem) as refused:
        check_archive(big)
    assert "at most" in refused.value.errors[0].wanted
