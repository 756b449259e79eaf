"""The circuit of a call over HTTP."""

from typing import Any

from fastapi.testclient import TestClient

THERE: dict[str, Any] = {
    "overcurrent_a": 60.0,
    "overcurrent_kind": "breaker",
    "conductor_awg": "10",
    "egc_awg": "10",
}


# Everything of a circuit that was looked at, on the ferry landing's plate.
LOOKED: dict[str, Any] = THERE | {
    "overcurrent_a": 40.0,
    "poles": 2,
    "disconnect_a": 60.0,
    "disconnect_hp": 10.0,
    "disconnect_fused": False,
    "insulation": "THWN-2",
    "material": "copper",
}
WIRED: dict[str, Any] = {
    "ambient_f": 104.0,
    "outdoors": True,
    "length_ft": 40.0,
    "raceway": "PVC-40",
    "dwelling": False,
}


def circuit_rung(client: TestClient) -> Any:
    return next(r for r in client.get("/api/calls/4").json()["ladder"]["rungs"] if r["key"] == "circuit")


def test_a_look_is_kept_and_judged_against_the_plate_as_it_is(client: TestClient) -> None:
    assert "ready" == circuit_rung(client)["status"]
    told = client.post("/api/calls/4/circuit", json={"installed": THERE, "wiring": {"length_ft": 310.0}})
    assert 201 == told.status_code
    assert told.json()["audit"]["ok"] is False
    rung = circuit_rung(client)
    assert ("ready", "fail") == (rung["status"], rung["verdict"])
    assert "40 A breaker" in rung["next_step"]
    client.post("/api/calls/4/circuit", json={"installed": THERE | {"overcurrent_a": 40.0}})
    half = circuit_rung(client)
    assert ("ready", "unknown") == (half["status"], half["verdict"]), (
        "nothing fails, and not all was looked at"
    )
    assert half["next_step"]
    client.post("/api/calls/4/circuit", json={"installed": LOOKED, "wiring": WIRED})
    assert "energized" == circuit_rung(client)["status"]
    plate = client.get("/api/calls/4").json()["plate"]
    client.post(
        "/api/calls/4/plates",
        json={"plate": plate["plate"] | {"mocp_a": 35.0}, "base_number": plate["number"]},
    )
    assert "fail" == circuit_rung(client)["verdict"], "a better reading of the plate is judged at once"


def test_a_field_that_cannot_be_used_is_named_and_nothing_is_kept(client: TestClient) -> None:
    bad = client.post("/api/calls/4/circuit", json={"installed": THERE, "wiring": {"insulation": "TW"}})
    assert (422, "insulation") == (bad.status_code, bad.json()["errors"][0]["field"])
    odd = client.post("/api/calls/4/circuit", json={"installed": THERE, "wiring": {"colour": "red"}})
    assert (422, "colour") == (odd.status_code, odd.json()["errors"][0]["field"])
    assert client.get("/api/calls/4/circuit").json() == {"look": None, "audit": None}


def test_the_loads_are_the_plates_and_cannot_be_smuggled_in(client: TestClient) -> None:
    told = client.post("/api/calls/4/circuit", json={"installed": THERE, "wiring": {"mocp_a": 100.0}})
    assert told.json()["audit"]["ok"] is False, "the plate's own MOCP governs"
