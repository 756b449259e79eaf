"""The Start lab over HTTP: a call's own start, a recording fitted, grid runs begun, watched and given up."""

import time
from typing import Any

import pytest
from fastapi.testclient import TestClient

PLATE: dict[str, Any] = {
    "volts": 230,
    "phase": 1,
    "compressors": [{"rla_a": 17.9, "lra_a": 112}],
    "run_cap_uf": 45,
}


def test_the_ticket_offices_start_is_made_of_its_readings(client: TestClient) -> None:
    answer = client.get("/api/calls/4/start").json()
    taken = {t["field"]: t for t in answer["taken"]}
    assert 42.5 == taken["run_cap_uf"]["value"]
    assert "last visit" in taken["run_cap_uf"]["source"]
    assert 229 == answer["start"]["source"]["volts"]
    assert pytest.approx((229 - 211) / 101, rel=0.2) == answer["start"]["source"]["resistance_ohm"]
    result = client.post("/api/calc/start", json=answer["start"]).json()
    assert pytest.approx(0.84, abs=0.08) == result["time_to_speed_s"]
    assert pytest.approx(101, abs=3) == result["meter"]["inrush"]


def test_a_three_phase_unit_and_one_without_a_plate_are_told_what_to_do(client: TestClient) -> None:
    found = client.get("/api/calls/6/start").json()
    assert found["start"] is None
    assert "plate.phase" == found["refused"]["errors"][0]["field"]
    assert found["refused"]["next_step"]


def test_a_recording_is_fitted_and_given_back_to_draw(client: TestClient) -> None:
    start = client.get("/api/calls/4/start").json()["start"]
    capture = client.get("/api/calls/4/captures").json()[0]
    answer = client.post(f"/api/captures/{capture['id']}/fit", json=start)
    assert 200 == answer.status_code, answer.text
    body = answer.json()
    assert body["fit"]["residual_pct"] < 10
    assert 42.5 == next(f["value"] for f in body["fit"]["fitted"] if f["name"] == "run_cap_uf")
    assert len(body["measured"]["time_s"]) == len(body["measured"]["line_rms_a"]) > 100
    assert pytest.approx(104, abs=4) == max(body["measured"]["line_rms_a"])


def begin(client: TestClient, **more: Any) -> Any:
    vary = [
        {"field": "load.start_torque_pct", "values": [0, 20, 90]},
        {"field": "run_cap_uf", "values": [40, 45]},
    ]
    return client.post(
        "/api/lab/sweeps", json={"start": {"plate": PLATE, "duration_s": 0.5}, "vary": vary} | more
    )


def wait_for_end(client: TestClient, name: str) -> Any:
    for _ in range(200):
        state = client.get(f"/api/lab/sweeps/{name}").json()
        if state["status"] != "running":
            return state
        time.sleep(0.05)
    raise AssertionError("the grid run does not end")


def test_a_grid_run_goes_on_in_the_background_and_comes_out_as_csv(client: TestClient) -> None:
    begun = begin(client)
    assert 202 == begun.status_code
    assert 6 == begun.json()["total"]
    state = wait_for_end(client, begun.json()["id"])
    assert ("done", 6) == (state["status"], state["done"])
    assert ["started"] * 4 + ["stalled"] * 2 == [r["verdict"] for r in state["rows"]]
    file = client.get(f"/api/lab/sweeps/{state['id']}/file")
    assert "text/csv; charset=utf-8" == file.headers["content-type"]
    assert 7 == len(file.text.splitlines())


def test_a_grid_run_is_given_up_and_keeps_what_it_has(client: TestClient) -> None:
    many = [{"field": "run_cap_uf", "values": [30 + i / 10 for i in range(400)]}]
    name = begin(client, vary=many).json()["id"]
    client.delete(f"/api/lab/sweeps/{name}")
    state = wait_for_end(client, name)
    assert "cancelled" == state["status"]
    assert state["done"] < 400


def test_a_bad_grid_run_is_refused_by_field_and_a_lost_one_says_so(client: TestClient) -> None:
    refused = begin(client, vary=[{"field": "nonsense", "values": [1]}])
    assert (422, "vary[0].field") == (refused.status_code, refused.json()["errors"][0]["field"])
    lost = client.get("/api/lab/sweeps/" + "0" * 32)
    assert 404 == lost.status_code
    assert "Run it again." == lost.json()["next_step"]
