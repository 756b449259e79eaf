"""The table of rights, row by row: every route, every role, one's own and another's."""

import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from fastapi.routing import APIRoute
from fastapi.testclient import TestClient

from orange_crank.api.app import create_app
from orange_crank.api.rights import CALENDARS, IN_PRACTICE, LEARNING, MANAGE, RIGHTS, ROLES, RULES, Right
from orange_crank.network import Network
from orange_crank.store import practice
from orange_crank.store.database import session
from orange_crank.store.models import Person
from orange_crank.store.server import MariaDbServer
from tests.conftest import as_loaded
from tests.doing import shop_app, signed_in_client

NOWHERE = 2_000_000_000


def routes(of: Any) -> list[APIRoute]:
    found = []
    for one in of:
        if isinstance(one, APIRoute):
            found.append(one)
        elif hasattr(one, "original_router"):
            found += routes(one.original_router.routes)
    return found


ROUTES = {r.name: r for r in routes(shop_app().routes) if r.include_in_schema}
# Streams answer for as long as somebody listens; who may is asked before the first word.
STREAMS = {"watch_moves", "stream"}


def address(name: str, **numbers: int) -> str:
    """An address of a route; what is not told is no number of anything."""
    words = ("topic", "name", "key", "lot", "race", "part")

    def one(found: re.Match[str]) -> str:
        return str(numbers.get(found[1], "none" if found[1] in words else NOWHERE))

    return re.sub(r"{(\w+)(?::\w+)?}", one, ROUTES[name].path)


def ask(client: TestClient, name: str, person: int | None, practising: bool = False, **numbers: int) -> int:
    way = sorted((ROUTES[name].methods or set()) - {"HEAD"})[0]
    head = {} if person is None else {"As-Person": str(person)}
    where = ("/practice" if practising else "") + address(name, **numbers)
    body: dict[str, Any] | None = {} if way in ("POST", "PUT", "PATCH") else None
    return client.request(way, where, json=body, headers=head).status_code


@pytest.fixture(scope="module")
def people(demo_copy: MariaDbServer) -> Iterator[dict[str, int]]:
    """Two of each role: one who asks, and one whose things are asked for."""
    del demo_copy
    as_loaded()
    with session():
        found = {
            f"{role} {n}": Person.create(name=f"{role} {n}", role=role, initials="X").id
            for role in ROLES
            for n in (1, 2)
        }
    yield found
    as_loaded()


@pytest.fixture(scope="module")
def door(people: dict[str, int]) -> TestClient:
    del people
    return signed_in_client(create_app(network=Network(alone=False)), person=None)


def test_every_route_has_a_row_and_every_row_a_route() -> None:
    assert set(RIGHTS) == set(ROUTES)


@pytest.mark.parametrize("name", sorted(set(ROUTES) - STREAMS))
def test_who_is_not_signed_in_comes_to_nothing_but_the_sign_in(door: TestClient, name: str) -> None:
    status = ask(door, name, None)
    assert (status == 401) == (RIGHTS[name].open != "yes"), status
    # A shop's computer that listens to itself alone reckons for whoever asks.
    if RIGHTS[name].open == "alone":
        assert ask(signed_in_client(shop_app(), person=None), name, None) not in (401, 403)


@pytest.mark.parametrize("role", ROLES)
def test_each_role_does_what_its_rows_say_and_nothing_else(
    door: TestClient, people: dict[str, int], role: str
) -> None:
    wrong = []
    me, other = people[f"{role} 1"], people[f"{role} 2"]
    for name in sorted(set(ROUTES) - STREAMS):
        right = RIGHTS[name]
        if right.open == "yes":
            continue
        by_person = "{person_id}" in ROUTES[name].path
        mine = ask(door, name, me, person_id=me) if by_person else ask(door, name, me)
        if (mine == 403) == (role in right.own) or mine == 401:
            wrong.append((name, "own", mine))
        if by_person and right.owner is not None:
            theirs = ask(door, name, me, person_id=other)
            if (theirs == 403) == (role in right.other) or theirs == 401:
                wrong.append((name, "other's", theirs))
    assert not wrong


def test_in_practice_every_role_but_a_reader_works(door: TestClient, people: dict[str, int]) -> None:
    for name in ("add_reading", "add_make_safe", "save_plate", "decide", "fit_part", "open_call"):
        for role in ROLES:
            status = ask(door, name, people[f"{role} 1"], practising=True)
            assert (status == 403) == (role not in LEARNING), (name, role, status)
            assert (ask(door, name, people[f"{role} 1"]) == 403) == (role not in RIGHTS[name].own), (
                name,
                role,
            )


@pytest.mark.parametrize("name", sorted(set(ROUTES) - IN_PRACTICE))
def test_what_is_the_shops_has_no_address_in_practice(
    door: TestClient, people: dict[str, int], name: str
) -> None:
    for who in (None, people["learner 1"], people["lead 1"]):
        assert ask(door, name, who, practising=True, person_id=people["lead 2"]) == 404, who


def test_the_screens_ask_the_shop_for_what_practice_does_not_have() -> None:
    """The front end's list and the server's are one."""
    source = (Path(__file__).parents[2] / "frontend/src/api/client.ts").read_text("utf-8")
    pattern = re.search(r"SHOP_ONLY =\s*/(.*)/\n", source)
    assert pattern is not None
    shop_only = re.compile(pattern[1].replace(r"\/", "/"))
    # Lists and merges that the screens offer to lead and office alone, who do not manage from practice.
    managed = {n for n in ROUTES if RIGHTS[n] in (MANAGE, RULES, CALENDARS)} | {"export_unit", "one_unit"}
    managed |= {"keep_archive", "destinations"}
    for name, route in ROUTES.items():
        asked_of_the_shop = bool(shop_only.match(route.path))
        if name in IN_PRACTICE:
            assert not asked_of_the_shop, name
        elif name not in managed:
            assert asked_of_the_shop, name


def test_a_practice_call_is_its_learners_and_its_score_the_leads_too(
    door: TestClient, people: dict[str, int]
) -> None:
    run = door.post(
        "/api/practice/runs", json={"scenario": "graded-1"}, headers={"As-Person": str(people["learner 1"])}
    )
    assert run.status_code == 201, run.text
    call = run.json()["call_number"]
    with session():
        assert practice.learner_of(call) == people["learner 1"]
    for name, who, may in (
        ("do_act", "learner 1", True),
        ("do_act", "learner 2", False),
        ("do_act", "lead 1", False),
        ("run_state", "learner 1", True),
        ("run_state", "lead 1", True),
        ("run_state", "technician 1", False),
        ("run_state", "learner 2", False),
        ("run_state", "read-only 1", False),
        ("run_score", "lead 1", True),
        ("run_score", "learner 2", False),
        ("end_run", "lead 1", False),
    ):
        assert (ask(door, name, people[who], call_id=call) != 403) == may, (name, who)


def test_a_refusal_says_who_may_and_what_to_do(door: TestClient, people: dict[str, int]) -> None:
    refused = door.post(
        "/api/calls/4/readings", json={}, headers={"As-Person": str(people["read-only 1"])}
    ).json()
    assert refused["title"] == "Not allowed for your role"
    assert "technician, helper and lead" in refused["detail"]
    assert "read-only" in refused["detail"]
    assert refused["next_step"]


def test_a_row_names_only_roles_there_are() -> None:
    for name, right in RIGHTS.items():
        assert isinstance(right, Right)
        assert right.own | right.other <= set(ROLES), name
        assert right.own or right.other, name
