"""What was told to be saved is saved, once, whatever kills the server."""

from pathlib import Path

from tests.product import Line, running
from tests.running.killing import rounds


def test_nothing_acknowledged_is_lost_when_the_power_goes(tmp_path: Path) -> None:
    with running(tmp_path / "data") as product:
        tally = rounds(product, 3)
        assert tally.rounds == 3
        assert tally.acknowledged > 20
        assert (tally.lost, tally.twice) == ([], [])
        # An interrupted save is settled by its key: the same again saves it once or finds it saved.
        line = Line(product)
        call = line.send("GET", "/api/calls?status=open").body[0]["id"]
        key = "settle-" + "x" * 12
        entry = {"quantity": "running_a", "value": 15.0}
        first = line.send("POST", f"/api/calls/{call}/readings", entry, key)
        product.kill()
        product.start()
        second = Line(product).send("POST", f"/api/calls/{call}/readings", entry, key)
        assert (first.status, second.status) == (201, 200)
        assert first.body["reading"]["id"] == second.body["reading"]["id"]
        assert second.body["repeated"] is True
