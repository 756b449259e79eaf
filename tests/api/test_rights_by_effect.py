"""Rights by effect: every route, role and realm; what counts is what changed in the tables."""

from typing import Any

import pytest

from orange_crank.api.app import create_app
from orange_crank.api.rights import LEARNING, RIGHTS, ROLES
from orange_crank.network import Network
from orange_crank.store.database import proxy, session
from orange_crank.store.models import TABLES, Person
from orange_crank.store.server import MariaDbServer
from orange_crank.store.sessions import begin_session, list_sessions
from tests.api.test_rights import NOWHERE, ROUTES, STREAMS, address
from tests.conftest import as_loaded
from tests.doing import signed_in_client

# What a request needs to have an effect, where an empty body has none.
BODIES: dict[str, dict[str, Any]] = {
    "add_person": {"name": "Wren Holloway", "role": "lead", "initials": "WH"},
    "edit_person": {"name": "Nobody", "role": "lead", "initials": "N", "version": 1, "active": False},
    "begin_shop": {
        "details": {"name": "Theirs"},
        "people": [{"name": "Wren Holloway", "role": "lead", "initials": "WH"}],
        "passphrase": "four plain words do well",
    },
    "sign_in_to_demo": {"person_id": 3},
    "reload_demo": {"confirm": "reload the demo"},
    "end_every_session": {"confirm": "end every session"},
    "set_standard": {"value": 2.0, "why": "Ours", "base": 1.0},
    "set_call": {"scenario": "graded-1", "learners": [1], "due_on": "2031-01-01"},
    "set_reads": {"temperature": "C", "distance": "m", "region": "en-GB", "hours": 12},
    "add_site": {"name": "Heron lock", "place": "Lock row"},
    "add_unit": {"site_id": 1, "name": "North split"},
    "open_call": {"unit_id": 2, "complaint": "Hums"},
    "add_reading": {"quantity": "running_a", "value": 17},
    "add_safety_event": {"kind": "caution_read"},
    "add_change": {"what": "Start kit fitted", "part": "start_kit"},
    "tell_why": {"symptoms": ["lights_dim"]},
    "start_clock": {"minutes": 30},
    "move_stock": {"part": "RC-5-440", "count": 2, "reason": "restocked"},
    "want_stock": {"part": "RC-5-440", "want": 4},
    "set_price": {"price": 20.0, "base": 1.0},
    "plan_visit": {"unit_id": 1, "person_id": 1, "starts_at": "2031-01-01T09:00:00Z", "purpose": "Check"},
    "add_task": {"unit_id": 1, "title": "Come back", "why": "Fade", "due_on": "2031-01-01"},
    "begin_run": {"scenario": "graded-1"},
}
# Written by asking at all: when a device was used last, keys of requests, tries in vain and who made them.
AT_THE_DOOR = {"sign_in_session", "request_kept", "vain_try", "challenge", "sign_in_event"}


def shop_tables() -> dict[str, int]:
    """Checksums of every table of the shop's own records but what the door itself writes."""
    with session():
        names = [str(t._meta.table_name) for t in TABLES]
        rows = proxy.obj.execute_sql("CHECKSUM TABLE " + ", ".join(f"`{n}`" for n in names)).fetchall()
    return {name: total for full, total in rows if (name := str(full).rpartition(".")[2]) not in AT_THE_DOOR}


def devices_of(person: int) -> int:
    with session():
        return len(list_sessions(person))


@pytest.mark.parametrize("realm", ["shop", "practice"])
@pytest.mark.parametrize("role", ROLES)
def test_no_route_has_an_effect_on_the_shop_that_its_row_does_not_give(
    demo_copy: MariaDbServer, role: str, realm: str
) -> None:
    """Every route, by what it leaves in the shop's tables: a hole cannot hide behind a status code."""
    del demo_copy
    as_loaded()
    app = create_app(reload_demo=lambda: None, network=Network(alone=False))
    with session():
        me = Person.create(name=f"{role} walks", role=role, initials="W").id
        lead = 3
        begin_session(lead, "The lead's phone", "passphrase")
    door = signed_in_client(app, person=me)
    if realm == "practice":
        run = door.post("/api/practice/runs", json={"scenario": "graded-1"})
        assert (run.status_code == 201) == (role in LEARNING)
    before, held = shop_tables(), devices_of(lead)
    for name in sorted(set(ROUTES) - STREAMS):
        right = RIGHTS[name]
        whose = lead if "{person_id}" in ROUTES[name].path else NOWHERE
        roles = right.own if right.owner is None or whose == me else right.other
        if realm == "shop" and (role in roles or right.open == "yes"):
            continue
        way = sorted((ROUTES[name].methods or set()) - {"HEAD"})[0]
        numbers = {"person_id": lead, "call_id": 4, "unit_id": 1, "site_id": 1, "session_id": 1, "task_id": 1}
        path = ("/practice" if realm == "practice" else "") + address(name, **numbers)
        if name == "set_standard":
            path = path.replace("/none", "/make_safe_minutes")
        body = BODIES.get(name, {}) if way in ("POST", "PUT", "PATCH") else None
        answer = door.request(way, path, json=body)
        assert (shop_tables(), devices_of(lead)) == (before, held), (name, answer.status_code)


def test_the_walk_would_notice(demo_copy: MariaDbServer) -> None:
    """The same bodies do have an effect for who may."""
    del demo_copy
    as_loaded()
    door = signed_in_client(create_app(network=Network(alone=False)), person=3)
    for name in ("add_person", "add_site", "open_call", "add_reading", "move_stock", "invite_person"):
        before = shop_tables()
        way = sorted((ROUTES[name].methods or set()) - {"HEAD"})[0]
        answer = door.request(way, address(name, person_id=1, call_id=4), json=BODIES.get(name, {}))
        assert answer.status_code == 201, answer.text
        assert shop_tables() != before, name


def test_another_learners_practice_is_private_but_to_the_lead(
    demo_copy: MariaDbServer,
) -> None:
    del demo_copy
    as_loaded()
    with session():
        made = {
            n: Person.create(name=f"{role} {n}", role=role, initials="X").id
            for n, role in (("mine", "learner"), ("other", "learner"), ("boss", "lead"))
        }
    door = signed_in_client(create_app(network=Network(alone=False)), person=None)

    def asked(who: str, way: str, path: str, body: Any = None) -> Any:
        return door.request(way, path, json=body, headers={"As-Person": str(made[who])})

    call = asked("mine", "POST", "/api/practice/runs", {"scenario": "graded-1"}).json()["call_number"]
    unit = asked("mine", "GET", f"/practice/api/calls/{call}").json()["unit_id"]
    for way, path, body, lead in (
        ("GET", f"/practice/api/calls/{call}", None, 200),
        ("GET", f"/practice/api/units/{unit}", None, 200),
        ("GET", f"/api/practice/calls/{call}", None, 200),
        ("POST", f"/practice/api/calls/{call}/safety-events", BODIES["add_safety_event"], 403),
    ):
        assert asked("other", way, path, body).status_code == 403, path
        assert asked("boss", way, path, body).status_code == lead, path
        assert asked("mine", way, path, body).status_code in (200, 201), path
    listed = {who: [c["id"] for c in asked(who, "GET", "/practice/api/calls").json()] for who in made}
    assert (call in listed["mine"], call in listed["other"], call in listed["boss"]) == (True, False, True)
