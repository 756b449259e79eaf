"""Signing in over HTTP: passphrases, invitations, devices, hand-overs, tries in vain, other sites."""

from datetime import timedelta

import peewee
import pytest
from fastapi.testclient import TestClient
from hypothesis import Phase, settings
from hypothesis import strategies as st
from hypothesis.stateful import (
    RuleBasedStateMachine,
    invariant,
    precondition,
    rule,
    run_state_machine_as_test,
)

from orange_crank.store import credentials, sessions
from orange_crank.store.database import proxy, session
from orange_crank.store.invitations import invite
from orange_crank.store.models import Credential, Invitation, Person, SignInSession, VainTry
from orange_crank.store.people import get_person
from orange_crank.store.server import MariaDbServer
from tests.doing import shop_app, signed_in_client

GOOD, OTHER = "four plain words do well", "quite another long thing"
COOKIE = "orange_crank_80"


def a_device(**headers: str) -> TestClient:
    """A browser nobody is signed in on yet; it keeps its own cookies."""
    return TestClient(shop_app(), base_url="http://127.0.0.1", raise_server_exceptions=False, headers=headers)


def keep(person: int, passphrase: str = GOOD, pin: str | None = None) -> None:
    with session():
        credentials.set_passphrase(get_person(person), passphrase)
        credentials.set_pin(get_person(person), pin)


def sign_in(device: TestClient, name: str = "Marlo Quist", passphrase: str = GOOD, **more: object) -> int:
    body = {"name": name, "passphrase": passphrase} | more
    return device.post("/api/session", json=body).status_code


def who(device: TestClient) -> str | None:
    person = device.get("/api/session").json()["person"]
    return None if person is None else str(person["name"])


def earlier(table: str, by: timedelta, *columns: str) -> None:
    """Let it have been earlier, as when time has gone by since."""
    moved = ", ".join(f"{c} = {c} - INTERVAL {by.total_seconds():.0f} SECOND" for c in columns)
    proxy.obj.execute_sql(f"UPDATE {table} SET {moved}")


def test_by_name_and_passphrase_out_of_reach_of_scripts_and_other_sites(records: MariaDbServer) -> None:
    del records
    keep(1)
    device = a_device()
    answer = device.post("/api/session", json={"name": " marlo quist ", "passphrase": GOOD})
    assert answer.status_code == 200, answer.text
    said = answer.headers["set-cookie"].lower()
    for word in ("httponly", "samesite=strict", "path=/"):
        assert word in said
    assert "secure" not in said
    assert who(device) == "Marlo Quist"
    with session():
        kept = [r.token_hash for r in SignInSession.select()]
    assert device.cookies[COOKIE] not in kept


def test_over_tls_the_cookie_is_bound_to_tls_and_to_this_host(records: MariaDbServer) -> None:
    del records
    keep(1)
    device = TestClient(shop_app(), base_url="https://127.0.0.1")
    answer = device.post("/api/session", json={"name": "Marlo Quist", "passphrase": GOOD})
    said = answer.headers.get_list("set-cookie")
    assert {one.partition("=")[0] for one in said} == {
        "__Host-orange_crank_443",
        "__Host-orange_crank_443_device",
    }
    assert all("secure" in one.lower() and "httponly" in one.lower() for one in said)


@pytest.mark.parametrize(
    ("name", "passphrase"),
    [("Marlo Quist", OTHER), ("Marlo Quist", ""), ("Nobody Here", GOOD), ("Ines Tarrow", GOOD), ("", "")],
)
def test_what_does_not_match_is_refused_in_the_same_words(
    records: MariaDbServer, name: str, passphrase: str
) -> None:
    del records
    keep(1)
    device = a_device()
    answer = device.post("/api/session", json={"name": name, "passphrase": passphrase})
    assert (answer.status_code, answer.json()["detail"]) == (401, "Name and passphrase do not match.")
    assert "set-cookie" not in answer.headers
    assert who(device) is None


def test_after_some_tries_one_waits_also_with_the_right_one_and_others_do_not(records: MariaDbServer) -> None:
    del records
    keep(1)
    keep(2, OTHER)
    device = a_device()
    assert [sign_in(device, passphrase="not it at all") for _ in range(6)] == [401] * 5 + [429]
    refused = device.post("/api/session", json={"name": "MARLO QUIST", "passphrase": GOOD})
    assert refused.status_code == 429
    assert 0 < int(refused.headers["retry-after"]) <= 60
    assert "Wait 1 min" in refused.json()["detail"]
    assert "invite" in refused.json()["next_step"]
    assert sign_in(a_device(), "Ines Tarrow", OTHER) == 200
    with session():
        earlier("vain_try", timedelta(seconds=61), "last_at")
    assert sign_in(device) == 200
    # Matched once, nothing is held against the name any more.
    assert [sign_in(device, passphrase="not it at all") for _ in range(5)] == [401] * 5


def test_a_clock_set_back_makes_no_wait_longer(records: MariaDbServer) -> None:
    """The server's clock was a day fast while a stranger guessed; set right, the wait is a minute."""
    del records
    keep(1)
    device = a_device()
    assert [sign_in(device, passphrase="not it at all") for _ in range(6)][-1] == 429
    with session():
        earlier("vain_try", timedelta(days=-1), "last_at")
    refused = device.post("/api/session", json={"name": "Marlo Quist", "passphrase": GOOD})
    assert (refused.status_code, int(refused.headers["retry-after"]) <= 60) == (429, True)
    with session():
        earlier("vain_try", timedelta(seconds=61), "last_at")
    assert sign_in(device) == 200


def test_no_other_writing_of_a_name_gets_tries_of_its_own(records: MariaDbServer) -> None:
    del records
    keep(1)
    for name in ("Márlo Quist", "Marlo Quíst", "MARLO QUIST", " marlo quist ", "Ｍarlo Quist"):
        tried = sign_in(a_device(), name)
        # Letters that are the same letter are the same name, and count as such; others are nobody's.
        assert tried == (401 if name in ("Márlo Quist", "Marlo Quíst") else 200), name


def test_many_names_from_one_place_are_not_tried_through(records: MariaDbServer) -> None:
    del records
    device = a_device()
    told = [sign_in(device, f"Name {i}") for i in range(credentials.FREE_FROM_ADDRESS + 2)]
    assert told[: credentials.FREE_FROM_ADDRESS] == [401] * credentials.FREE_FROM_ADDRESS
    assert told[-1] == 429


@pytest.mark.parametrize(
    "weak",
    [
        "",
        "short",
        "eleven char",
        "aaaaaaaaaaaaaaaa",
        "abababababababab",
        "Marlo Quist",
        "marloquistmarloquist",
        201 * "xyzab",
        "password1234",
        "123456789012",
        "qwertyuiopas",
        "passwordpassword",
        "P@ssw0rd-2026!",
        "Quillback Cooling 2026",
    ],
)
def test_a_passphrase_that_would_be_guessed_is_not_taken_and_not_repeated(
    records: MariaDbServer, weak: str
) -> None:
    del records
    with session():
        token = invite(1, None).token
    device = a_device()
    refused = device.post("/api/invitations/accept", json={"token": token, "passphrase": weak})
    assert refused.status_code == 422
    [wrong] = refused.json()["errors"]
    assert (wrong["field"].rpartition(".")[2], weak in ("", wrong["got"])) == ("passphrase", weak == "")
    # The invitation is still good.
    again = device.post("/api/invitations/accept", json={"token": token, "passphrase": GOOD})
    assert again.status_code == 200
    assert who(device) == "Marlo Quist"


def test_an_invitation_is_good_once_for_its_time_and_till_the_next(records: MariaDbServer) -> None:
    del records
    keep(3)
    lead = a_device()
    assert sign_in(lead, "Bettany Rook") == 200
    first = lead.post("/api/people/1/invitation").json()
    second = lead.post("/api/people/1/invitation").json()
    assert first["path"].startswith("/join#")
    assert second["code_svg"].startswith("<svg")

    def accept(made: dict[str, dict[str, str]]) -> int:
        body = {"token": made["invitation"]["token"], "passphrase": GOOD}
        return a_device().post("/api/invitations/accept", json=body).status_code

    look = {"token": second["invitation"]["token"]}
    assert a_device().post("/api/invitations/look", json=look).json()["name"] == "Marlo Quist"
    assert (accept(first), accept(second), accept(second)) == (401, 200, 401)
    third = lead.post("/api/people/1/invitation").json()
    with session():
        Invitation.update(ends_at=Invitation.made_at).execute()
    assert accept(third) == 401
    # Nowhere does the word itself lie.
    with session():
        assert third["invitation"]["token"] not in [r.token_hash for r in Invitation.select()]


def test_a_new_passphrase_signs_every_other_device_out(records: MariaDbServer) -> None:
    del records
    keep(1)
    here, there = a_device(), a_device()
    assert (sign_in(here), sign_in(there)) == (200, 200)
    refused = here.put("/api/passphrase", json={"now": OTHER, "passphrase": OTHER})
    assert refused.status_code == 401
    assert who(there) == "Marlo Quist"
    assert here.put("/api/passphrase", json={"now": GOOD, "passphrase": OTHER}).status_code == 200
    assert (who(here), who(there)) == ("Marlo Quist", None)
    assert (sign_in(there), sign_in(there, passphrase=OTHER)) == (401, 200)


def test_devices_are_listed_and_ended_ones_own_or_by_the_lead(records: MariaDbServer) -> None:
    del records
    for person in (1, 2, 3):
        keep(person)
    phone = a_device(**{"user-agent": "Mozilla/5.0 (Linux; Android 14) Chrome/126 Mobile Safari/537.36"})
    desk, ines, lead = a_device(), a_device(), a_device()
    sign_in(phone), sign_in(desk), sign_in(ines, "Ines Tarrow"), sign_in(lead, "Bettany Rook")
    listed = desk.get("/api/people/1/devices").json()
    assert sorted((d["device"], d["this"]) for d in listed) == [
        ("Android phone", False),
        ("Another program", True),
    ]
    number = next(d["id"] for d in listed if not d["this"])
    assert ines.get("/api/people/1/devices").status_code == 403
    assert ines.delete(f"/api/people/1/devices/{number}").status_code == 403
    # Not by another's list either: the number is of no device of hers.
    assert ines.delete(f"/api/people/2/devices/{number}").status_code == 404
    assert who(phone) == "Marlo Quist"
    assert lead.delete(f"/api/people/1/devices/{number}").status_code == 200
    assert (who(phone), who(desk)) == (None, "Marlo Quist")
    assert phone.post("/api/calls/4/readings", json={"quantity": "running_a", "value": 12}).status_code == 401


def test_who_is_retired_is_out_and_taken_back_needs_an_invitation(records: MariaDbServer) -> None:
    """Cookie, calendar key, passphrase and PIN of before open nothing ever again."""
    del records
    keep(1, pin="4821")
    keep(3)
    device, lead, program = a_device(), a_device(), a_device()
    sign_in(device), sign_in(lead, "Bettany Rook")
    key = device.post("/api/calendar-key").json()["key"]
    for active in (False, True):
        with session():
            p = Person.get_by_id(1)
        edit = {"name": p.name, "role": "technician", "initials": "MQ", "version": p.version}
        assert lead.put("/api/people/1", json=edit | {"active": active}).status_code == 200
        assert device.get("/api/calls").status_code == 401
        assert program.get(f"/api/people/1/calendar.ics?key={key}").status_code == 401
        assert sign_in(device) == 401
    with session():
        assert not credentials.has_pin(1)
        token = invite(1, None).token
    accepted = device.post("/api/invitations/accept", json={"token": token, "passphrase": OTHER})
    assert accepted.status_code == 200


def test_a_tablet_goes_from_hand_to_hand_by_pin(records: MariaDbServer) -> None:
    del records
    keep(1, pin="2870")
    keep(2, pin="9137")
    keep(3, pin="4821")
    tablet = a_device()
    assert tablet.post("/api/session/hand-over", json={"person_id": 2, "pin": "9137"}).status_code == 401
    # A technician's own phone is no shared tablet, whatever is ticked on it.
    sign_in(tablet, shared=True)
    refused = tablet.post("/api/session/hand-over", json={"person_id": 3, "pin": "4821"})
    assert (refused.status_code, "not registered as shared" in refused.json()["detail"]) == (409, True)
    sign_in(tablet, "Bettany Rook", shared=True)
    sign_in(tablet, shared=True)
    before = tablet.cookies[COOKIE]
    assert tablet.post("/api/session/hand-over", json={"person_id": 2, "pin": "2870"}).status_code == 401
    assert who(tablet) == "Marlo Quist"
    assert (
        tablet.post("/api/session/hand-over", json={"person_id": 2, "pin": "9137"}).json()["shared"] is True
    )
    assert who(tablet) == "Ines Tarrow"
    # What Marlo's browser held opens nothing any more.
    assert who(TestClient(shop_app(), base_url="http://127.0.0.1", cookies={COOKIE: before})) is None
    # Nobody without a PIN is taken over, and tries are counted.
    told = [
        tablet.post("/api/session/hand-over", json={"person_id": 4, "pin": f"{i}00{i}"}).status_code
        for i in range(1, 8)
    ]
    assert told[:5] == [401] * 5
    assert told[5:] == [429, 429]


@pytest.mark.parametrize(
    "pin",
    [
        "",
        "123",
        "1234",
        "9876",
        "1111",
        "123456789",
        "12a4",
        "2580",
        "1122",
        "1990",
        "2024",
        "1212",
        "１２８５",
    ],
)
def test_a_pin_anybody_would_try_is_not_taken(records: MariaDbServer, pin: str) -> None:
    del records
    keep(1)
    device = a_device()
    sign_in(device)
    # Full-width digits are the same digits.
    wanted = 200 if pin == "１２８５" else 422
    assert device.put("/api/pin", json={"now": GOOD, "pin": pin}).status_code == wanted


@pytest.mark.parametrize(
    ("heads", "taken"),
    [
        ({"sec-fetch-site": "same-origin", "origin": "http://127.0.0.1"}, True),
        ({"sec-fetch-site": "none"}, True),
        ({}, True),
        ({"origin": "http://127.0.0.1"}, True),
        ({"sec-fetch-site": "cross-site", "origin": "http://other.example"}, False),
        ({"sec-fetch-site": "same-site", "origin": "http://127.0.0.1:81"}, False),
        ({"origin": "http://127.0.0.1:81"}, False),
        ({"origin": "null"}, False),
        ({"sec-fetch-site": "cross-site"}, False),
    ],
)
def test_what_another_sites_page_sends_is_not_done(
    client: TestClient, heads: dict[str, str], taken: bool
) -> None:
    entry = {"quantity": "running_a", "value": 12.0}
    before = len(client.get("/api/calls/4").json()["readings"])
    answer = client.post("/api/calls/4/readings", json=entry, headers=heads)
    assert answer.status_code == (201 if taken else 403), answer.text
    assert len(client.get("/api/calls/4").json()["readings"]) == before + taken


@pytest.mark.parametrize("host", ["127.0.0.1:abc", "127.0.0.1:99999", "127.0.0.1:", "localhost:-1"])
def test_a_host_no_browser_sends_is_nobody_signed_in_and_no_fault(records: MariaDbServer, host: str) -> None:
    del records
    device = a_device()
    for path in ("/api/session", "/api/calls", "/api/live"):
        assert device.get(path, headers={"host": host}).status_code in (200, 400, 401)
    assert device.post(
        "/api/session", json={"name": "a", "passphrase": "b"}, headers={"host": host}
    ).status_code in (
        400,
        401,
    )


def test_who_only_reads_may_do_so_on_a_full_disk(
    records: MariaDbServer, monkeypatch: pytest.MonkeyPatch
) -> None:
    del records
    keep(1)
    device = a_device()
    sign_in(device)
    with session():
        earlier("sign_in_session", timedelta(minutes=9), "seen_at")

    def full(*_: object, **__: object) -> None:
        raise peewee.OperationalError(1114, "The table is full")

    monkeypatch.setattr(SignInSession, "update", full)
    assert device.get("/api/calls/4").status_code == 200


def test_a_shops_server_knows_no_demo_sign_in(records: MariaDbServer) -> None:
    del records
    device = a_device()
    assert device.post("/api/session/demo", json={"person_id": 3}).status_code == 409
    told = device.get("/api/session").json()
    assert (told["people"], told["can_sign_in"], told["begun"]) == ([], False, True)


def test_a_calendar_programs_key_opens_calendars_alone_and_ends_like_a_device(records: MariaDbServer) -> None:
    del records
    keep(1)
    device = a_device()
    sign_in(device)
    key = device.post("/api/calendar-key").json()["key"]
    program = a_device()
    feed = f"/api/people/1/calendar.ics?key={key}"
    assert program.get("/api/people/1/calendar.ics").status_code == 401
    assert program.get(feed).status_code == 200
    assert program.get(f"/api/calls?key={key}").status_code == 401
    # Nor does it open anything as a browser's cookie.
    thief = TestClient(shop_app(), base_url="http://127.0.0.1", cookies={COOKIE: key})
    assert thief.get("/api/calls").status_code == 401
    assert program.get(f"/api/people/1/calendar.ics?key={device.cookies[COOKIE]}").status_code == 401
    [listed] = [d for d in device.get("/api/people/1/devices").json() if d["way"] == "calendar"]
    device.delete(f"/api/people/1/devices/{listed['id']}")
    assert program.get(feed).status_code == 401


def test_who_signs_in_is_what_the_trail_and_the_record_say(records: MariaDbServer) -> None:
    del records
    keep(2)
    keep(3)
    ines, lead = a_device(), a_device()
    sign_in(ines, "Ines Tarrow"), sign_in(lead, "Bettany Rook")
    call = ines.get("/api/calls/4").json()
    ines.patch(
        "/api/calls/4",
        json={"version": call["version"], "note": "hers"},
        headers={"Orange-Crank-Person": "1", "As-Person": "1"},
    )
    [line, *_] = lead.get("/api/audit/trail?table=service_call").json()
    assert (line["person"], line["becomes"]["note"]) == ("Ines Tarrow", "hers")


class Devices(RuleBasedStateMachine):
    """Any order of signing in and out, handing over, ending and time going by: who is in is who should be."""

    def __init__(self) -> None:
        super().__init__()
        with session():
            SignInSession.delete().execute()
            VainTry.delete().execute()
        self.devices = [a_device() for _ in range(3)]
        # Registered as shared by the lead, who signs out again; the last one is not.
        for device in self.devices[:2]:
            assert sign_in(device, "Bettany Rook", shared=True) == 200
            device.delete("/api/session")
        self.held: list[tuple[int, bool] | None] = [None, None, None]
        self.idle = [0.0, 0.0, 0.0]
        self.age = [0.0, 0.0, 0.0]

    NAMES = {1: "Marlo Quist", 2: "Ines Tarrow"}  # noqa: RUF012
    which = st.integers(0, 2)
    whom = st.sampled_from([1, 2])

    def over(self, i: int) -> bool:
        held = self.held[i]
        if held is None:
            return True
        return (
            (self.idle[i] > 1 or self.age[i] > 12) if held[1] else (self.idle[i] > 720 or self.age[i] > 4320)
        )

    @rule(i=which, person=whom, shared=st.booleans())
    def enters(self, i: int, person: int, shared: bool) -> None:
        assert sign_in(self.devices[i], self.NAMES[person], shared=shared) == 200
        self.held[i], self.idle[i], self.age[i] = (person, shared), 0.0, 0.0

    @rule(i=which)
    def leaves(self, i: int) -> None:
        assert self.devices[i].delete("/api/session").json()["person"] is None
        self.held[i] = None

    @rule(i=which, person=whom)
    def hands_over(self, i: int, person: int) -> None:
        pin = {1: "2870", 2: "9137"}[person]
        told = self.devices[i].post("/api/session/hand-over", json={"person_id": person, "pin": pin})
        if self.over(i):
            assert told.status_code == 401
        elif i == 2:
            assert told.status_code == 409
        else:
            assert told.status_code == 200, told.text
            self.held[i], self.idle[i], self.age[i] = (person, True), 0.0, 0.0

    @rule(i=which, j=which)
    def ends_from_afar(self, i: int, j: int) -> None:
        one, two = self.held[i], self.held[j]
        if i == j or self.over(i) or self.over(j) or one is None or two is None or one[0] != two[0]:
            return
        # What one device does with the other's number, which it reads from its own list.
        with session():
            [number] = [
                r.id
                for r in SignInSession.select()
                if r.token_hash == sessions.digest(self.devices[j].cookies[COOKIE])
            ]
        listed = [d["id"] for d in self.devices[i].get(f"/api/people/{one[0]}/devices").json()]
        assert number in listed
        assert self.devices[i].delete(f"/api/people/{one[0]}/devices/{number}").status_code == 200
        self.idle[i] = 0.0
        self.held[j] = None

    @rule(hours=st.sampled_from([0.5, 0.9, 1.5, 11.0, 24.0, 24.0 * 29, 24.0 * 31]))
    def time_goes_by(self, hours: float) -> None:
        gone = timedelta(hours=hours)
        with session():
            earlier("sign_in_session", gone, "began_at", "seen_at")
        self.idle = [x + hours for x in self.idle]
        self.age = [x + hours for x in self.age]

    @precondition(lambda self: any(self.held))
    @invariant()
    def who_is_in_is_who_should_be(self) -> None:
        for i, device in enumerate(self.devices):
            held = self.held[i]
            wanted = None if held is None or self.over(i) else self.NAMES[held[0]]
            assert who(device) == wanted
            if wanted is None:
                assert device.get("/api/calls").status_code == 401
                self.held[i] = None
            else:
                self.idle[i] = 0.0


def test_any_order_of_signing_in_and_out(records: MariaDbServer) -> None:
    del records
    keep(1, pin="2870")
    keep(2, pin="9137")
    keep(3)
    run_state_machine_as_test(
        Devices,
        settings=settings(max_examples=12, stateful_step_count=18, deadline=None, phases=[Phase.generate]),
    )
    with session():
        assert Credential.select().count() == 3


def test_how_one_reads_follows_one_and_nobody_else(records: MariaDbServer) -> None:
    del records
    app = shop_app()
    marlo, ines, lead = (signed_in_client(app, person) for person in (1, 2, 3))
    written = {"temperature": "F", "distance": "ft", "region": "en-US", "hours": 12, "language": "en"}
    metric = {"temperature": "C", "distance": "m", "region": "en-GB", "hours": 12, "language": "en"}
    assert marlo.get("/api/session").json()["reads"] == written
    assert marlo.put("/api/reads", json=metric).json()["reads"] == metric
    assert signed_in_client(app, 1).get("/api/session").json()["reads"] == metric
    assert ines.get("/api/session").json()["reads"] == written
    # The shop's own way is for its papers, and for whoever has not chosen.
    shop = lead.get("/api/shop").json()
    details = shop["details"] | {"reads": {**written, "temperature": "C"}}
    assert lead.put("/api/shop", json={"details": details, "version": shop["version"]}).status_code == 200
    assert ines.get("/api/session").json()["reads"]["temperature"] == "C"
    assert marlo.get("/api/session").json()["reads"] == metric
    assert marlo.put("/api/reads", json=written).json()["reads"] == written
    # Nothing of the record is told otherwise by the server: the screens do that, each for who looks.
    assert "°C" not in marlo.get("/api/calls/4").text


@pytest.mark.parametrize(
    ("field", "value"),
    [("temperature", "K"), ("distance", "yd"), ("region", "de-DE"), ("hours", 13), ("hours", "24"), ("x", 1)],
)
def test_a_way_of_reading_that_is_none_is_refused_by_name(
    records: MariaDbServer, field: str, value: object
) -> None:
    del records
    refused = signed_in_client(shop_app(), 1).put("/api/reads", json={field: value})
    assert refused.status_code == 422
    assert [e["field"] for e in refused.json()["errors"]] == [field]


def test_offers_of_a_passkey_lock_nobody_out_and_refused_ones_are_counted(records: MariaDbServer) -> None:
    """Thirty-four offers cancelled behind one router; then thirty false answers."""
    del records
    keep(1)
    device = a_device()
    for _ in range(34):
        assert device.post("/api/session/passkey/begin").status_code == 200
    assert sign_in(device) == 200
    assert device.put("/api/pin", json={"now": GOOD, "pin": "4821"}).status_code == 200
    false = {"credential": {"id": "x", "response": {"clientDataJSON": "e30"}}}
    told = [device.post("/api/session/passkey", json=false).status_code for _ in range(32)]
    assert (told[0], told[-1]) == (401, 429)
    # Who is signed in already is not held up by the address.
    assert device.put("/api/pin", json={"now": GOOD, "pin": "4822"}).status_code == 200


def test_a_strangers_tries_do_not_lock_the_owner_out_of_a_device_they_used(records: MariaDbServer) -> None:
    del records
    keep(1)
    mine, stranger, fresh = a_device(), a_device(), a_device()
    assert sign_in(mine) == 200
    mine.delete("/api/session")
    assert [sign_in(stranger, passphrase="not it at all") for _ in range(6)][-1] == 429
    assert sign_in(fresh) == 429
    assert sign_in(mine) == 200
    # A stolen phone has five tries too, and then waits.
    mine.delete("/api/session")
    assert [sign_in(mine, passphrase="not it at all") for _ in range(6)] == [401] * 5 + [429]


def test_managing_from_a_shared_device_takes_the_passphrase_again(records: MariaDbServer) -> None:
    """A PIN, or a passphrase of a quarter of an hour ago, reads and works but does not manage."""
    del records
    keep(1)
    keep(3, pin="4821")
    tablet = a_device()
    sign_in(tablet, "Bettany Rook", shared=True)
    new = {"name": "Wren Holloway", "role": "helper", "initials": "WH"}
    assert tablet.post("/api/people", json=new).status_code == 201
    sign_in(tablet, shared=True)
    assert tablet.post("/api/session/hand-over", json={"person_id": 3, "pin": "4821"}).status_code == 200
    assert tablet.get("/api/calls").status_code == 200
    for way, path, body in (
        ("POST", "/api/people", new | {"name": "Another One"}),
        ("POST", "/api/people/1/invitation", None),
        ("GET", "/api/security", None),
        ("GET", "/api/people/1/devices", None),
    ):
        refused = tablet.request(way, path, json=body)
        assert (refused.status_code, "passphrase" in refused.json()["next_step"]) == (403, True), path
    assert tablet.post("/api/session/confirm", json={"passphrase": "not it"}).status_code == 401
    assert tablet.post("/api/session/confirm", json={"passphrase": GOOD}).status_code == 200
    assert tablet.get("/api/security").status_code == 200
    with session():
        earlier("sign_in_session", timedelta(minutes=16), "proved_at")
    assert tablet.get("/api/security").status_code == 403
    # The server's clock was a day fast when the passphrase was entered, and is right now.
    with session():
        earlier("sign_in_session", timedelta(days=-1), "proved_at")
    assert tablet.get("/api/security").status_code == 403


def test_a_save_names_the_person_it_is_meant_for(records: MariaDbServer) -> None:
    """A page that Marlo opened saves nothing once Ines took the browser over."""
    del records
    keep(1)
    keep(2)
    browser = a_device()
    sign_in(browser)
    sign_in(browser, "Ines Tarrow")
    entry = {"quantity": "running_a", "value": 12.0}
    before = len(browser.get("/api/calls/4").json()["readings"])
    refused = browser.post("/api/calls/4/readings", json=entry, headers={"For-Person": "1"})
    assert (refused.status_code, refused.headers["wrong-person"]) == (409, "true")
    assert "Ines Tarrow is signed in" in refused.json()["detail"]
    assert len(browser.get("/api/calls/4").json()["readings"]) == before
    kept = browser.post("/api/calls/4/readings", json=entry, headers={"For-Person": "2"})
    assert kept.status_code == 201
    # Reading is nobody's save.
    assert browser.get("/api/calls/4", headers={"For-Person": "1"}).status_code == 200


def test_the_lead_sees_tries_locks_devices_invitations_and_ends_every_session(records: MariaDbServer) -> None:
    del records
    keep(1)
    keep(3, pin="4821")
    phone, lead, stranger = a_device(**{"user-agent": "Android Mobile"}), a_device(), a_device()
    sign_in(phone), sign_in(lead, "Bettany Rook", shared=True)
    [sign_in(stranger, passphrase="not it at all") for _ in range(7)]
    [sign_in(stranger, "Nobody Here", "not it at all") for _ in range(3)]
    lead.post("/api/session/hand-over", json={"person_id": 3, "pin": "1357"})
    lead.post("/api/people/2/invitation")
    assert phone.get("/api/security").status_code == 403
    seen = lead.get("/api/security").json()
    events = {(e["kind"], e["name"]): e["tries"] for e in seen["events"]}
    assert events[("failed", "Marlo Quist")] == 5
    assert events[("locked", "Marlo Quist")] == 2
    assert events[("failed", "Nobody Here")] == 3
    assert events[("failed_pin", "Bettany Rook")] == 1
    assert events[("new_device", "Marlo Quist")] == 1
    assert events[("invited", "Ines Tarrow")] == 1
    assert [i["person"] for i in seen["invitations"]] == ["Ines Tarrow"]
    assert {(d["person"], d["this"]) for d in seen["devices"]} == {
        ("Marlo Quist", False),
        ("Bettany Rook", True),
    }
    assert seen["locked_today"] == 1
    assert all(e["address"] for e in seen["events"] if e["kind"] == "failed")
    wrong = lead.post("/api/security/end-sessions", json={"confirm": "yes"})
    assert wrong.status_code == 422
    assert lead.post("/api/security/end-sessions", json={"confirm": "end every session"}).status_code == 200
    assert (who(phone), who(lead)) == (None, None)
    assert sign_in(lead, "Bettany Rook") == 200
    assert lead.get("/api/security").json()["events"][0]["kind"] == "ended_all"


@pytest.mark.parametrize(
    ("way", "path", "body"),
    [
        ("POST", "/api/people/3/invitation", None),
        ("POST", "/api/people", {"name": "Wren Holloway", "role": "lead", "initials": "WH"}),
        ("PUT", "/api/people/4", {"role": "lead"}),
        ("PUT", "/api/people/3", {"role": "office"}),
        ("PUT", "/api/people/3", {"active": False}),
    ],
)
def test_the_office_makes_nobody_lead_and_touches_no_lead(
    client: TestClient, way: str, path: str, body: dict[str, object] | None
) -> None:
    if way == "PUT":
        with session():
            p = Person.get_by_id(int(path.rpartition("/")[2]))
        known = {"name": p.name, "role": p.role, "initials": p.initials, "version": p.version}
        body = known | (body or {})
    refused = client.request(way, path, json=body, headers={"As-Person": "4"})
    assert (refused.status_code, "lead" in refused.json()["detail"]) == (409, True), refused.text
    with session():
        assert [p.id for p in Person.select().where((Person.role == "lead") & Person.active)] == [3]
        assert not Invitation.select().exists()
