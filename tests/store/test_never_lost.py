"""The server deletes nothing by itself: it says what happened and what to do."""

import json
from collections.abc import Iterator
from pathlib import Path

import pytest

from orange_crank.store.server import MariaDbServer, ServerTrouble


@pytest.fixture
def server(tmp_path: Path) -> Iterator[MariaDbServer]:
    made = MariaDbServer(tmp_path / "mariadb")
    made.start()
    yield made
    made.stop()


def everything(folder: Path) -> set[str]:
    return {str(p.relative_to(folder)) for p in folder.rglob("*") if p.is_file() and p.suffix == ".frm"}


@pytest.mark.parametrize("left", [None, "", "{}", "not json", '{"user": "x"}'])
def test_a_lost_or_broken_password_stops_and_keeps_the_records(
    server: MariaDbServer, left: str | None
) -> None:
    server.stop()
    before = everything(server.data)
    assert before
    server.secret.unlink() if left is None else server.secret.write_text(left)
    with pytest.raises(ServerTrouble, match=r"untouched|Nothing was changed") as caught:
        MariaDbServer(server.folder).start()
    assert "new-password" in str(caught.value.next_step)
    assert before == everything(server.data)
    fresh = MariaDbServer(server.folder)
    fresh.write_secret()
    fresh.start()
    assert json.loads(fresh.secret.read_text())["password"]
    assert fresh.connection().password.get_secret_value()
    fresh.stop()


def test_a_half_made_folder_is_put_aside_and_never_deleted(tmp_path: Path) -> None:
    folder = tmp_path / "mariadb"
    (folder / "data.making").mkdir(parents=True)
    (folder / "data.making" / "begun").write_text("half")
    server = MariaDbServer(folder)
    server.start()
    server.stop()
    aside = list(folder.glob("data.unfinished-*/begun"))
    assert ["half"] == [p.read_text() for p in aside]


def test_somebody_elses_files_at_its_place_are_left_alone(tmp_path: Path) -> None:
    theirs = tmp_path / "mariadb" / "data" / "theirs.txt"
    theirs.parent.mkdir(parents=True)
    theirs.write_text("keep")
    with pytest.raises(ServerTrouble, match="Nothing was changed") as caught:
        MariaDbServer(tmp_path / "mariadb").start()
    assert "backup" in str(caught.value.next_step)
    assert "keep" == theirs.read_text()
