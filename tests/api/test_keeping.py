"""What has to be looked after so that the record is kept is told to who can, wherever they are."""

from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from orange_crank import network
from orange_crank.api.app import create_app
from orange_crank.bench.push_service import push_service
from orange_crank.certificates import Standing
from orange_crank.keeping import worries
from orange_crank.network import Network
from orange_crank.push import Sender, ShopKey
from orange_crank.store import backup, telling
from orange_crank.store.backup import DRILL, NAME, Drill, Keeper
from orange_crank.store.database import local_time, session
from orange_crank.store.models import CoolingClock, Task
from orange_crank.store.server import MariaDbServer
from orange_crank.teller import Teller
from tests.doing import signed_in_client

NOW = datetime(2026, 11, 27, 18, 0, tzinfo=UTC)
ALONE = Network()


@pytest.fixture
def keeper(demo_copy: MariaDbServer, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Keeper:
    monkeypatch.setattr(backup, "_free", lambda _: 50 * 2**30)
    made = Keeper(demo_copy.owner(), tmp_path / "backups", 24.0)
    made.folder.mkdir()
    return made


def backed_up(keeper: Keeper, ago: timedelta, size: int = 10) -> None:
    (keeper.folder / (NOW - ago).strftime(NAME)).write_bytes(b"x" * size)


def codes(keeper: Keeper | None, reached: Network = ALONE) -> list[str]:
    return [w.code for w in worries(keeper, reached, NOW)]


def test_nothing_is_said_of_a_shop_that_is_well_or_new(keeper: Keeper) -> None:
    assert codes(None) == []
    assert codes(keeper) == []  # the first backup comes within minutes
    backed_up(keeper, timedelta(hours=47))
    assert codes(keeper) == []


def test_an_old_backup_is_said_with_its_age_and_none_by_itself_is_not(keeper: Keeper) -> None:
    backed_up(keeper, timedelta(hours=49))
    assert codes(keeper) == ["BACKUP_LATE"]
    [late] = worries(keeper, ALONE, NOW)
    assert late.text == "The last good backup is 2 days old."
    assert "Shop" in late.next_step
    keeper.every_h = 0.0
    assert codes(keeper) == []
    keeper.every_h = 6.0
    assert (
        worries(keeper, ALONE, NOW - timedelta(hours=30))[0].text == "The last good backup is 19 hours old."
    )


def test_little_room_is_said_while_a_day_of_work_and_its_backups_still_fit(
    keeper: Keeper, monkeypatch: pytest.MonkeyPatch
) -> None:
    backed_up(keeper, timedelta(hours=1), size=1_000_000)
    monkeypatch.setattr(backup, "_free", lambda _: backup.LOW_BYTES + 2_000_000)
    assert codes(keeper) == []
    monkeypatch.setattr(backup, "_free", lambda _: backup.LOW_BYTES + 1_999_999)
    state = keeper.state(NOW)
    [low] = worries(keeper, ALONE, NOW)
    assert low.text == "Only 2.1 GB are free where the records lie."
    assert "before it is full" in low.next_step
    # A shop of many photographs: its backups are large, and so is what counts as little.
    monkeypatch.setattr(Keeper, "state", lambda *_: state.model_copy(update={"free_bytes": 123_400_000_000}))
    assert worries(keeper, ALONE, NOW)[0].text == "Only 123 GB are free where the records lie."


def test_a_try_that_failed_and_a_drill_that_did_not_come_back(keeper: Keeper) -> None:
    backed_up(keeper, timedelta(hours=1))
    drill = Drill(name="x.zip", tried_at=NOW, ok=False, said="a photograph is damaged")
    (keeper.folder / DRILL).write_text(drill.model_dump_json())
    (keeper.folder / backup.TROUBLE).write_text("No space left on device.")
    found = worries(keeper, ALONE, NOW)
    assert [w.code for w in found] == ["BACKUP_FAILED", "DRILL_FAILED"]
    assert found[0].text == "The last backup failed. No space left on device."


def test_a_folder_that_cannot_be_looked_at_is_said_and_stops_no_other_message(
    keeper: Keeper, monkeypatch: pytest.MonkeyPatch
) -> None:
    def away(_: Path) -> int:
        raise PermissionError(13, "Permission denied")

    monkeypatch.setattr(backup, "_free", away)
    [away_now] = worries(keeper, ALONE, NOW)
    assert away_now.text == "The folder of backups cannot be looked at: Permission denied."


def test_a_certificate_that_ends_is_said_with_what_to_do(
    keeper: Keeper, monkeypatch: pytest.MonkeyPatch
) -> None:
    class Clock(datetime):
        @classmethod
        def now(cls, tz: object = None) -> "Clock":
            del tz
            return cls.fromtimestamp(NOW.timestamp(), UTC)

    monkeypatch.setattr(network, "datetime", Clock)
    standing = Standing(("cooling.example",), NOW + timedelta(days=9), own=False, authority_print=None)
    reached = Network(alone=False, standing=standing)
    [ending] = worries(keeper, reached, NOW)
    assert ending.code == "CERTIFICATE"
    assert ending.text == "The server's certificate ends on 2026-12-06."
    assert ending.next_step == "Put a new one in its place, then start again."


def test_it_is_the_leads_and_the_offices_to_read(keeper: Keeper, records: MariaDbServer) -> None:
    del records
    backed_up(keeper, timedelta(days=400))
    app = create_app(keeper=keeper)
    for person, status in ((1, 403), (2, 403), (3, 200), (4, 200)):
        said = signed_in_client(app, person).get("/api/keeping")
        assert said.status_code == status, person
    [late] = said.json()["worries"]
    assert late["code"] == "BACKUP_LATE"


@pytest.fixture
def morning(records: MariaDbServer, monkeypatch: pytest.MonkeyPatch) -> list[datetime]:
    """The shop's clock, at eight of a morning yet to come; what the demo has due is put away."""
    del records
    today = local_time(datetime.now(UTC)).replace(hour=8, minute=0)
    hands = [(today + timedelta(days=1)).astimezone(UTC)]
    monkeypatch.setattr(telling, "now", lambda: hands[0])
    with session():
        CoolingClock.update(ended_at=datetime.now(UTC)).execute()
        Task.update(status="done").execute()
    return hands


def test_it_reaches_the_lead_once_a_day_with_the_program_closed(
    keeper: Keeper, morning: list[datetime], tmp_path: Path
) -> None:
    found = list(worries(keeper, ALONE, NOW))
    asked: list[int] = []

    def ask() -> list[object]:
        asked.append(1)
        return list(found)

    with push_service() as service:
        sender = Sender(ShopKey(tmp_path / "shop.pem"), "https://shop.invalid", frozenset([service.host]))
        teller = Teller(sender, ask)  # type: ignore[arg-type]
        app = create_app(teller=teller, keeper=keeper)

        def told(person: int) -> list[dict[str, str]]:
            device = service.device()
            client = signed_in_client(app, person)
            said = client.put("/api/reminders", json=device.subscription(service.origin))
            assert said.status_code == 200
            return device.messages

        marlo = told(1)
        assert teller.tell_due() == 0
        assert asked == []  # nobody to tell it to: nothing is looked at
        bettany, osk = told(3), told(4)
        assert teller.tell_due() == 0  # all is well
        backed_up(keeper, timedelta(days=3))
        found += worries(keeper, ALONE, NOW)
        assert teller.tell_due() == 2
        assert teller.tell_due() == 0
        [message] = bettany
        assert message["title"] == "Backup or disk problem"
        assert message["body"] == "The last good backup is 3 days old."
        assert message["path"] == "/shop#keeping"
        assert osk == [message]
        assert marlo == []
        morning[0] += timedelta(days=1)
        assert teller.tell_due() == 2
        morning[0] += timedelta(hours=-3)  # five in the morning of the same day
        assert teller.tell_due() == 0
