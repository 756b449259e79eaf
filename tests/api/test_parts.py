"""Parts, vans and the work of a call over HTTP."""

from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.doing import CAUTION, GO_LIVE, make_safe_body, wire_first

LEAD, MARLO, INES = {"As-Person": "3"}, 1, 2
TICKET_OFFICE = 4


def without_number(told: dict[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in told.items() if name != "batch_id"}


def line(van: Any, part: str) -> Any:
    return next((r for r in van["lines"] if r["part"]["part"] == part), None)


def make_safe(client: TestClient, call: int = TICKET_OFFICE) -> None:
    body = make_safe_body(client.get(f"/api/calls/{call}").json())
    assert 201 == client.post(f"/api/calls/{call}/make-safe", json=body).status_code


def test_the_list_has_prices_and_what_the_vans_hold(client: TestClient) -> None:
    rows = client.get("/api/parts").json()
    kit = next(r for r in rows if r["part"]["part"] == "KT-130")
    assert (False, 3, "Kits, three-wire") == (kit["own_list"], kit["in_vans"], kit["kind_word"])
    assert kit["price"] > 0
    assert "required_for" in client.get("/api/parts/columns").json()[0]


def test_an_import_is_whole_or_not_at_all_and_the_leads_to_make(client: TestClient) -> None:
    text = "part,kind,title,uf,volts_ac,price\nOWN-9,run_capacitor,Run capacitor 9 µF,9,440,12.5\n"
    refused = client.post("/api/parts/import", content=text.encode())
    assert 403 == refused.status_code
    assert "Ask Bettany Rook or Osk Fennimore." == refused.json()["next_step"]
    told = client.post("/api/parts/import", content=text.encode(), headers=LEAD)
    assert {"added": 1, "replaced": 0, "priced": 1, "done": True} == without_number(told.json())
    assert "OWN-9" in client.get("/api/parts.csv", params={"own_only": True}).text
    half = text + "OWN-10,run_capacitor,Run capacitor,0,440,3\n"
    bad = client.post("/api/parts/import", content=half.replace("OWN-9", "OWN-11").encode(), headers=LEAD)
    assert 422 == bad.status_code
    assert "line 3, column uf" == bad.json()["errors"][0]["field"]
    assert "OWN-11" not in client.get("/api/parts.csv").text
    again = client.post("/api/parts/import", content=text.replace("12.5", "14").encode(), headers=LEAD)
    assert {"added": 0, "replaced": 1, "priced": 1, "done": True} == without_number(again.json())
    assert 14 == next(r["price"] for r in client.get("/api/parts").json() if r["part"]["part"] == "OWN-9")


def test_a_preview_says_what_it_would_bring_and_keeps_nothing(client: TestClient) -> None:
    text = "part,kind,title,uf,volts_ac,price\nOWN-9,run_capacitor,Run capacitor 9 µF,9,440,12.5\n"
    seen = client.post("/api/parts/import?keep=false", content=text.encode(), headers=LEAD).json()
    assert {"added": 1, "replaced": 0, "priced": 1, "done": False} == without_number(seen)
    assert "OWN-9" not in client.get("/api/parts.csv").text


def test_a_list_of_prices_alone_prices_what_is_listed(client: TestClient) -> None:
    text = "Part;Title;Price\nKT-130;kit;$1,250.00\nKT-189;kit;61\n".replace(";", "\t")
    told = client.post("/api/parts/import", content=text.encode("utf-16"), headers=LEAD).json()
    assert 2 == told["priced"]
    cost = {r["part"]["part"]: r["price"] for r in client.get("/api/parts").json()}
    assert (1250.0, 61.0) == (cost["KT-130"], cost["KT-189"])
    strange = client.post("/api/parts/import", content=b"part,price\nNOBODY-1,5\n", headers=LEAD)
    assert (422, "line 2, column part") == (strange.status_code, strange.json()["errors"][0]["field"])


def test_the_whole_list_out_is_the_whole_list_in(client: TestClient) -> None:
    text = client.get("/api/parts.csv").text
    told = client.post("/api/parts/import", content=text.encode(), headers=LEAD).json()
    assert 0 == told["added"]
    assert not any(r["own_list"] for r in client.get("/api/parts").json()), "unchanged rows stay neutral"


@pytest.mark.parametrize("price", [0, -1, "12", None])
def test_a_price_is_above_zero(client: TestClient, price: Any) -> None:
    answer = client.put("/api/parts/KT-130/price", json={"price": price}, headers=LEAD)
    assert (422, "price") == (answer.status_code, answer.json()["errors"][0]["field"])


def test_a_van_is_filled_counted_emptied_and_says_what_to_restock(client: TestClient) -> None:
    van = client.get(f"/api/vans/{INES}").json()
    assert 1 == line(van, "SS-24")["short"]
    assert van["restock_cost"] > 0
    moved = client.post(f"/api/vans/{INES}/moves", json={"part": "SS-24", "count": 2, "reason": "restocked"})
    assert (2, 0) == (line(moved.json(), "SS-24")["count"], line(moved.json(), "SS-24")["short"])
    too_many = client.post(
        f"/api/vans/{INES}/moves", json={"part": "SS-24", "count": 5, "reason": "moved_out"}
    )
    assert (422, "count") == (too_many.status_code, too_many.json()["errors"][0]["field"])
    counted = client.post(f"/api/vans/{INES}/moves", json={"part": "SS-24", "count": 1, "reason": "counted"})
    assert 1 == line(counted.json(), "SS-24")["count"]
    assert -1 == counted.json()["moves"][0]["count"]
    wanted = client.put(f"/api/vans/{INES}/wants", json={"part": "SS-24", "want": 3})
    assert 2 == line(wanted.json(), "SS-24")["short"]
    assert "SS-24" in client.get(f"/api/vans/{INES}/restock.csv").text
    assert (
        404
        == client.post(
            f"/api/vans/{INES}/moves", json={"part": "NOPE", "count": 1, "reason": "restocked"}
        ).status_code
    )
    assert 404 == client.get("/api/vans/99").status_code


def test_a_fitted_part_goes_off_the_van_and_onto_the_call(client: TestClient) -> None:
    before = line(client.get(f"/api/vans/{MARLO}").json(), "KT-189")["count"]
    entry = {"work": "aid", "what": "Three-wire kit KT-189", "part": "KT-189", "holder_id": MARLO}
    unwired = client.post(f"/api/calls/{TICKET_OFFICE}/work/fitted", json=entry)
    assert (409, "tick each move" in unwired.json()["next_step"]) == (unwired.status_code, True)
    wire_first(client, f"/api/calls/{TICKET_OFFICE}", entry)
    work = client.post(f"/api/calls/{TICKET_OFFICE}/work/fitted", json=entry).json()
    assert "Three-wire kit KT-189" == work["fitted"][0]["fitting"]["what"]
    assert before - 1 == line(client.get(f"/api/vans/{MARLO}").json(), "KT-189")["count"]
    call = client.get(f"/api/calls/{TICKET_OFFICE}").json()
    assert "Three-wire kit KT-189" == call["changes"][-1]["what"]
    aid = next(r for r in call["ladder"]["rungs"] if r["key"] == "aid")
    assert ("energized", "Three-wire kit KT-189") == (aid["status"], aid["load"])
    kept = {"work": "aid", "decision": "take_off", "reason": "No quicker than before", "back_to_van": True}
    client.post(f"/api/calls/{TICKET_OFFICE}/work/kept", json=kept)
    assert before == line(client.get(f"/api/vans/{MARLO}").json(), "KT-189")["count"]
    after = client.get(f"/api/calls/{TICKET_OFFICE}").json()
    assert "Removed: Three-wire kit KT-189" == after["changes"][-1]["what"]


def test_what_is_not_on_the_van_cannot_be_fitted_from_it_and_nothing_is_half_written(
    client: TestClient,
) -> None:
    entry = {"work": "capacitor", "what": "Dual 45 + 5", "part": "RD-45-5-440", "holder_id": MARLO}
    wire_first(client, f"/api/calls/{TICKET_OFFICE}", entry)
    refused = client.post(f"/api/calls/{TICKET_OFFICE}/work/fitted", json=entry)
    assert (422, "count") == (refused.status_code, refused.json()["errors"][0]["field"])
    assert refused.json()["next_step"]
    work = client.get(f"/api/calls/{TICKET_OFFICE}/work").json()
    assert [] == work["fitted"]
    assert [] == client.get(f"/api/calls/{TICKET_OFFICE}").json()["changes"]
    elsewhere = client.post(f"/api/calls/{TICKET_OFFICE}/work/fitted", json=entry | {"holder_id": None})
    assert 201 == elsewhere.status_code


def test_a_move_is_ticked_only_on_a_unit_proved_dead(client: TestClient) -> None:
    plan: dict[str, Any] = {
        "work": "aid", "part": "KT-189", "title": "Three-wire kit KT-189",
        "wiring": {"kind": "three_wire_kit", "colours": {"compressor.R": "yellow"}}, "ticked": [],
    }  # fmt: skip
    where = f"/api/calls/{TICKET_OFFICE}/work/plans"
    assert 201 == client.post(where, json=plan).status_code
    refused = client.post(where, json=plan | {"ticked": [0]})
    assert 409 == refused.status_code
    assert "Make safe" in refused.json()["next_step"]
    make_safe(client)
    kept = client.post(where, json=plan | {"ticked": [0, 1]})
    assert [0, 1] == kept.json()["plans"][0]["plan"]["ticked"]
    assert "yellow" == kept.json()["plans"][0]["plan"]["wiring"]["colours"]["compressor.R"]
    client.post(f"/api/calls/{TICKET_OFFICE}/safety-events", json=CAUTION).raise_for_status()
    client.post(f"/api/calls/{TICKET_OFFICE}/safety-events", json=GO_LIVE).raise_for_status()
    assert 201 == client.post(where, json=plan | {"ticked": [0, 1]}).status_code, "nothing new is ticked"
    assert 409 == client.post(where, json=plan | {"ticked": [0, 1, 2]}).status_code


def test_a_decision_needs_something_fitted_and_a_reason(client: TestClient) -> None:
    where = f"/api/calls/{TICKET_OFFICE}/work/kept"
    kept = {"work": "contactor", "decision": "keep", "reason": "Amps as before"}
    assert 409 == client.post(where, json=kept).status_code
    blank = client.post(where, json=kept | {"reason": ""})
    assert (422, "reason") == (blank.status_code, blank.json()["errors"][0]["field"])


def test_backup_is_proved_cold_and_hot(client: TestClient) -> None:
    proof = {
        "loads_on": ["Lights"], "cold_started": True, "cold_v": 214.0, "cold_hz": 59.2, "off_min": 2.0,
        "hot_started": True, "hot_v": 211.0, "hot_hz": 59.0, "min_off_s": 180.0,
    }  # fmt: skip
    where = f"/api/calls/{TICKET_OFFICE}/work/backup-proof"
    early = client.post(where, json=proof)
    assert (422, "off_min") == (early.status_code, early.json()["errors"][0]["field"])
    assert 214 == client.post(where, json=proof | {"off_min": 4.0}).json()["backup"]["cold_v"]


def test_a_plan_goes_out_as_svg_and_pdf(client: TestClient) -> None:
    svg = client.post("/api/wiring/plan.svg", json={"kind": "two_wire_kit"})
    assert svg.headers["content-type"].startswith("image/svg+xml")
    assert svg.text.startswith("<svg")
    pdf = client.post("/api/wiring/plan.pdf", json={"kind": "two_wire_kit"})
    assert pdf.content.startswith(b"%PDF-")
    assert 422 == client.post("/api/wiring/plan.pdf", json={"kind": "plumbing"}).status_code


def test_stock_is_only_ever_added_to(client: TestClient) -> None:
    from orange_crank.store.database import session
    from orange_crank.store.models import StockMove

    del client
    with session(), pytest.raises(Exception, match="append-only"):
        StockMove.update(moved_count=99).execute()
