"""What several doors' tests do alike: making a unit safe, going live, as a technician's phone sends it."""

import asyncio
from collections.abc import Coroutine, Generator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from functools import cache
from typing import Any

from fastapi import FastAPI
from fastapi.testclient import TestClient
from httpx2 import Auth, Request, Response

from orange_crank.api.app import create_app
from orange_crank.core.safety.make_safe import SupplyKind
from orange_crank.demo import player
from orange_crank.demo.player import make_safe_record
from orange_crank.store.database import READING, records_of, session, work_of
from orange_crank.store.sessions import begin_session

CAUTION = {"kind": "caution_read"}
GO_LIVE = {
    "kind": "went_live",
    "covers_on": True,
    "people_clear": True,
    "meter_set": True,
    "leads_back": True,
}


def make_safe_body(
    call: Mapping[str, Any],
    sections: Sequence[str] = ("c_herm", "c_fan"),
    supply: SupplyKind = "single_phase_two_leg",
    **more: Any,
) -> dict[str, Any]:
    """A complete make-safe record taken now, on the state the call is in."""
    return {
        "record": make_safe_record(supply, list(sections)).model_dump(mode="json") | more,
        "volts_taken_at": datetime.now(UTC).isoformat(),
        "state_version": call["state"]["version"],
    }


WIRED_AS = {"aid": "three_wire_kit", "contactor": "contactor_two_pole", "capacitor": "dual_capacitor"}


def wire_first(client: TestClient, call: str, fitted: Mapping[str, Any]) -> None:
    """Make the unit safe, plan a part's wiring and tick every move: fitting it requires that."""
    wiring = {"kind": WIRED_AS[fitted["work"]]}
    moves = ok(client.post("/api/calc/wiring", json=wiring))["moves"]
    there = ok(client.get(call))
    if there["state"]["state"] != "dead_proved":
        ok(client.post(f"{call}/make-safe", json=make_safe_body(there)))
    plan = {"work": fitted["work"], "title": fitted["what"], "part": fitted.get("part"), "wiring": wiring}
    ok(client.post(f"{call}/work/plans", json=plan | {"ticked": list(range(len(moves)))}))


def run_apart(work: Coroutine[Any, Any, Any]) -> None:
    """Run a coroutine in a thread of its own: a browser of another test may hold this one's loop."""
    with ThreadPoolExecutor(1) as apart:
        apart.submit(asyncio.run, work).result()


class SignedIn(Auth):
    """Signs a client without a network in as whom a request's own ``As-Person`` header names, once each.

    The header ends here: the server is told by a device's cookie alone.
    """

    def __init__(self) -> None:
        self._cookies: dict[str, str] = {}

    def cookie(self, person: str, port: int = 80) -> str:
        with work_of(READING), records_of(practice=False), session():
            return f"orange_crank_{port}={begin_session(int(person), 'A test', 'demo')}"

    def auth_flow(self, request: Request) -> Generator[Request, Response, None]:
        person = request.headers.get("as-person")
        if person is None:
            yield request
            return
        del request.headers["as-person"]
        if person not in self._cookies:
            self._cookies[person] = self.cookie(person)
        request.headers["cookie"] = self._cookies[person]
        answer = yield request
        if answer.status_code == 401:
            # The records were put back as they were meanwhile, and the session with them.
            self._cookies[person] = request.headers["cookie"] = self.cookie(person)
            yield request


@cache
def shop_app(*, demo: bool = False) -> FastAPI:
    """The server, for who needs it as it is: each that is made works its routes out at its first request."""
    return create_app(reload_demo=player.reload if demo else None)


def signed_in_client(app: FastAPI, person: int | None = 1, **more: Any) -> TestClient:
    """A client of an application in this process, signed in as one of the shop's people."""
    client = TestClient(app, base_url="http://127.0.0.1", **({"raise_server_exceptions": False} | more))
    client.auth = SignedIn()
    if person is not None:
        client.headers["As-Person"] = str(person)
    return client


def ok(answer: Any) -> Any:
    """Return what an answer says; fail with what it says where it is a refusal."""
    assert answer.status_code in (200, 201), answer.text
    return answer.json()
