"""Lists in and back out: what an import does is shown first, done whole, and can be taken back."""

import csv
import io
from typing import Any

import pytest
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.conftest import as_loaded
from tests.doing import ok

HEAD = (
    "Customer Name,Street Address,City,Phone,E-mail,Gate code,Equipment,Model,Serial #,Install date,Warranty"
)
LIST = f"""{HEAD},Notes
Alder Farm,12 Mill Lane,Quillback,555-0100,alder@example.test,4411,Barn split,XB-2,S-100,5/2014,5/31/2027,dog
Alder Farm,12 Mill Lane,Quillback,555-0100,alder@example.test,4411,House heat pump,XB-3,S-101,2016,,
Ferry landing,,,555-0199,,,Ticket office split,,S-777,,,
"""


@pytest.fixture(autouse=True)
def lead(client: TestClient) -> None:
    who = next(p for p in client.get("/api/people").json() if p["role"] == "lead")
    client.headers["As-Person"] = str(who["id"])


def send(client: TestClient, text: str | bytes, **query: Any) -> Any:
    body = text.encode() if isinstance(text, str) else text
    return client.post(
        "/api/customers/import", params=query, content=body, headers={"Content-Type": "text/csv"}
    )


def places(client: TestClient) -> Any:
    """Every site and unit as it reads, but for how often it was written."""

    def bare(thing: dict[str, Any]) -> dict[str, Any]:
        return {k: bare(v) if k == "site" else v for k, v in thing.items() if k != "version"}

    return (
        [bare(s) for s in client.get("/api/sites").json()],
        [bare(u) for u in client.get("/api/units").json()],
    )


def test_columns_are_guessed_from_their_headings_and_nothing_is_kept_yet(client: TestClient) -> None:
    before = places(client)
    told = ok(send(client, LIST))
    assert [c["goes"] for c in told["columns"]] == [
        "site", "place", "place", "contact", "contact", "site_access", "unit", "model", "serial",
        "built_year", "warranty_until", "note",
    ]  # fmt: skip
    assert told["batch_id"] is None
    assert told["told"] == "1 new site, 2 new units, 2 blanks filled"
    assert told["lines"][2]["does"] in ("fills contact, serial", "fills serial, contact", "fills serial")
    assert places(client) == before


def test_a_list_is_brought_in_once_and_taken_back(client: TestClient) -> None:
    before = places(client)
    kept = ok(send(client, LIST, keep=True))
    sites, units = places(client)
    [farm] = [s for s in sites if s["name"] == "Alder Farm"]
    assert farm["place"] == "12 Mill Lane · Quillback"
    assert "555-0100" in farm["contact"]
    [barn] = [u for u in units if u["name"] == "Barn split"]
    assert (barn["built_year"], barn["warranty_until"], barn["serial"]) == (2014, "2027-05-31", "S-100")
    assert ok(send(client, LIST, keep=True))["told"] == "3 lines here already"
    [_, first] = ok(client.get("/api/imports"))
    assert first["told"] == kept["told"]
    back = ok(client.post(f"/api/imports/{kept['batch_id']}/take-back"))
    assert back["kept"] == []
    assert places(client) == before
    again = ok(client.post(f"/api/imports/{kept['batch_id']}/take-back"))
    assert again == {"back": 0, "kept": ["It had been taken back already."]}


def test_what_was_done_since_stays_when_a_list_is_taken_back(client: TestClient) -> None:
    kept = ok(send(client, LIST, keep=True))
    units = {u["name"]: u for u in client.get("/api/units").json()}
    ok(client.post("/api/calls", json={"unit_id": units["Barn split"]["id"], "complaint": "Hums"}))
    office = units["Ticket office split"]
    edit = {
        k: office[k] for k in ("name", "kind", "note", "model", "built_year", "warranty_until", "access_note")
    }
    ok(
        client.put(
            f"/api/units/{office['id']}", json={**edit, "serial": "S-778", "version": office["version"]}
        )
    )
    back = ok(client.post(f"/api/imports/{kept['batch_id']}/take-back"))
    told = " ".join(back["kept"])
    assert "Barn split: a call is on record." in told
    assert "Alder Farm: units stand there." in told
    assert "Ticket office split: changed since" in told
    left = {u["name"]: u for u in client.get("/api/units").json()}
    assert "House heat pump" not in left
    assert left["Ticket office split"]["serial"] == "S-778"


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("Customer,Year\nA,94\n", "a year of four digits"),
        ("Customer,Warranty\nA,next spring\n", "a day like"),
        ("Customer,Warranty\nA,31/12/2027\n", "a day like"),
        ("Customer,Model\n,XB\n", "a name"),
        ("Customer,Model\nA,B,C\n", "no cell beyond the header"),
        (f"Customer\n{'x' * 81}\n", "at most 80 characters"),
        ('Customer\n"A\n', "quotes that close"),
        ("Customer\n", "at least one customer"),
        ("", "a header line"),
    ],
)
def test_what_is_wrong_is_named_by_line_and_nothing_is_half_imported(
    client: TestClient, text: str, wanted: str
) -> None:
    before = places(client)
    text = text.replace("\nA", "\nGood one\nA", 1)
    refused = send(client, text, keep=True)
    assert refused.status_code == 422, refused.text
    assert wanted in refused.text
    assert places(client) == before


def test_a_list_whose_columns_nobody_knows_asks_for_them(client: TestClient) -> None:
    text = "Wer;Wo\nMüller;Dorf\n".encode("cp1252")
    told = ok(send(client, text))
    assert [c["goes"] for c in told["columns"]] == ["out", "out"]
    assert told["problems"][0]["wanted"] == "a column for the customer or site"
    assert told["columns"][0]["samples"] == ["Müller"]
    assert send(client, text, keep=True).status_code == 422
    ok(send(client, text, keep=True, goes="site,place"))
    assert "Müller" in [s["name"] for s in client.get("/api/sites").json()]


@pytest.mark.parametrize("goes", ["site,site", "site", "site,nowhere", "place,place", "site,unit,kind"])
def test_columns_that_cannot_be_are_refused(client: TestClient, goes: str) -> None:
    refused = send(client, "A,B\n1,2\n", keep=True, goes=goes)
    assert refused.status_code == 422
    assert refused.json()["errors"][0]["field"] == "goes"


def test_only_lead_and_office_bring_lists_in(client: TestClient) -> None:
    person = next(p for p in client.get("/api/people").json() if p["role"] == "technician")
    client.headers["As-Person"] = str(person["id"])
    assert send(client, LIST).status_code == 403
    assert client.get("/api/imports").status_code == 403
    assert client.post("/api/imports/1/take-back").status_code == 403


def test_a_lost_answer_is_told_again_and_nothing_comes_twice(client: TestClient) -> None:
    client.headers["Idempotency-Key"] = "the-same-list-once"
    first = ok(send(client, LIST, keep=True))
    again = ok(send(client, LIST, keep=True))
    assert (again["told"], again["batch_id"]) == (first["told"], first["batch_id"])
    del client.headers["Idempotency-Key"]
    assert len(ok(client.get("/api/imports"))) == 1


def test_cells_that_look_like_formulas_are_text_in_and_harmless_out(client: TestClient) -> None:
    ok(send(client, "Customer,Unit,Serial\n=HYPERLINK(1),'+1 roof,@x\n", keep=True))
    unit = next(u for u in client.get("/api/units").json() if u["site"]["name"] == "=HYPERLINK(1)")
    assert unit["name"] == "+1 roof"
    ok(client.post("/api/calls", json={"unit_id": unit["id"], "complaint": "Hums"}))
    text = client.get(f"/api/units/{unit['id']}/record.csv").text
    assert all(not cell.startswith(("=", "+", "@")) for row in csv.reader(io.StringIO(text)) for cell in row)


word = st.text(st.characters(codec="utf-8", exclude_categories=("Cs", "Cc")), max_size=12)
line = st.fixed_dictionaries(
    {
        "Customer": st.sampled_from(["Alder Farm", "Ferry landing", "ferry LANDING", "Île", "مزرعة"]) | word,
        "Address": word,
        "Phone": word,
        "Unit": st.sampled_from(["", "Roof", "roof", "Ticket office split"]) | word,
        "Model": word,
        "Serial": st.sampled_from(["", "S-1", "s-1", "S-2"]),
    }
)


@settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(line, min_size=1, max_size=8))
def test_any_list_goes_in_once_and_comes_back_out_without_a_trace(
    client: TestClient, lines: list[dict[str, str]]
) -> None:
    as_loaded()
    before = places(client)
    out = io.StringIO()
    writer = csv.DictWriter(out, fieldnames=list(lines[0]))
    writer.writeheader()
    writer.writerows(lines)
    shown = send(client, out.getvalue())
    kept = send(client, out.getvalue(), keep=True)
    assert kept.status_code in (200, 422), kept.text
    if kept.status_code == 422:
        assert places(client) == before
        assert shown.status_code == 422 or shown.json()["problems"]
        return
    told = kept.json()
    assert told["told"] == shown.json()["told"], "what was shown is what was done"
    after = places(client)
    again = ok(send(client, out.getvalue(), keep=True))
    assert "new" not in again["told"], again
    assert places(client) == after
    back = ok(client.post(f"/api/imports/{told['batch_id']}/take-back"))
    assert back["kept"] == []
    assert places(client) == before


def test_a_parts_list_is_taken_back_prices_and_all(client: TestClient) -> None:
    before = client.get("/api/parts").json()
    text = "part,kind,title,uf,volts_ac,price\nZZ-1,run_capacitor,Can 45,45,440,$12.50\n"
    made = client.post("/api/parts/import", content=text)
    if made.status_code == 422:
        pytest.fail(made.text)
    told = made.json()
    prices = client.post("/api/parts/import", content="part,price\nZZ-1,14\n").json()
    assert next(p for p in client.get("/api/parts").json() if p["part"]["part"] == "ZZ-1")["price"] == 14.0
    stays = ok(client.post(f"/api/imports/{told['batch_id']}/take-back"))
    assert stays["kept"] == ["ZZ-1: priced again since."]
    ok(client.post(f"/api/imports/{prices['batch_id']}/take-back"))
    now = client.get("/api/parts").json()
    assert [p for p in now if p["part"]["part"] != "ZZ-1"] == before


def test_two_records_of_one_machine_become_one_and_every_verdict_stays(client: TestClient) -> None:
    """The lost one's calls go over, judged as they were; its old label still opens it."""
    unit = client.get("/api/units/2").json()["unit"]
    other = ok(
        client.post(
            "/api/units", json={"site_id": unit["site"]["id"], "name": "The same one again", "model": "QX-9"}
        )
    )
    calls = [c["id"] for c in client.get("/api/units/2").json()["calls"]]
    assert calls
    closed = [c for c in calls if client.get(f"/api/calls/{c}").json()["status"] == "closed"]
    before = {c: client.get(f"/api/calls/{c}").json() for c in closed}
    lost, kept = unit, other
    merge = {"into": kept["id"], "version": lost["version"]}
    made = ok(client.post(f"/api/units/{lost['id']}/merge", json=merge))
    assert made["id"] == kept["id"]
    assert made["plate"]["plate"] == unit["plate"]["plate"]
    assert made["model"] == "QX-9"
    assert lost["id"] not in [u["id"] for u in client.get("/api/units").json()]
    page = client.get(f"/api/units/{lost['id']}").json()
    assert page["unit"]["id"] == kept["id"]
    assert sorted(c["id"] for c in page["calls"]) == sorted(calls)
    for number, was in before.items():
        now = client.get(f"/api/calls/{number}").json()
        assert now["unit_id"] == kept["id"]
        assert now["ladder"] == was["ladder"]
        assert (now["plate"] or {}).get("plate") == (was["plate"] or {}).get("plate")
    assert not any(
        h["to"] == f"/units/{lost['id']}"
        for h in client.get("/api/search", params={"asked": lost["name"]}).json()["hits"]
    )


def test_units_of_two_sites_and_a_unit_with_itself_are_not_merged(client: TestClient) -> None:
    units = client.get("/api/units").json()
    one = units[0]
    far = next(u for u in units if u["site"]["id"] != one["site"]["id"])
    for into in (one["id"], far["id"]):
        refused = client.post(f"/api/units/{one['id']}/merge", json={"into": into, "version": one["version"]})
        assert refused.status_code == 422
        assert refused.json()["errors"][0]["field"] == "into"


def test_an_old_tab_does_not_write_over_the_unit_its_own_was_merged_into(client: TestClient) -> None:
    unit = client.get("/api/units/2").json()["unit"]
    other = ok(client.post("/api/units", json={"site_id": unit["site"]["id"], "name": "Twin"}))
    ok(client.post(f"/api/units/{other['id']}/merge", json={"into": 2, "version": other["version"]}))
    edit = {"name": "Twin", "serial": "WRONG", "version": other["version"]}
    assert client.put(f"/api/units/{other['id']}", json=edit).status_code == 409
    assert client.get("/api/units/2").json()["unit"]["serial"] == unit["serial"]
    opened = client.post("/api/calls", json={"unit_id": other["id"], "complaint": "Old label scanned"})
    assert opened.status_code in (201, 409)
    if opened.status_code == 201:
        assert opened.json()["unit_id"] == 2


def test_merged_twice_over_the_first_label_opens_the_last_and_a_lost_answer_is_told_again(
    client: TestClient,
) -> None:
    site = client.get("/api/units/2").json()["unit"]["site"]["id"]
    first, second, third = (
        ok(client.post("/api/units", json={"site_id": site, "name": name})) for name in ("A", "B", "C")
    )
    key = {"Idempotency-Key": "merge-a-into-b"}
    merge = {"into": second["id"], "version": first["version"]}
    path = f"/api/units/{first['id']}/merge"
    made = ok(client.post(path, json=merge, headers=key))
    assert ok(client.post(path, json=merge, headers=key))["id"] == made["id"]
    again = client.post(path, json=merge)
    assert again.status_code in (409, 422), "what is merged is not merged once more"
    onward = {"into": third["id"], "version": made["version"]}
    ok(client.post(f"/api/units/{second['id']}/merge", json=onward))
    for number in (first["id"], second["id"], third["id"]):
        assert ok(client.get(f"/api/units/{number}"))["unit"]["id"] == third["id"]
