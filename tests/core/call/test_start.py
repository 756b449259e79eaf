"""What a call's readings say of its start."""

from datetime import UTC, datetime
from typing import Any

import pytest

from orange_crank.core.call.start import held_by, start_of_call
from orange_crank.core.measure.reading import NewReading
from orange_crank.core.measure.taken import TakenReading
from orange_crank.core.motor import compute_start
from orange_crank.core.motor.typical import TypicalIn, typical_aids
from orange_crank.core.plate import Plate
from tests.core.motor.machines import PLATES, THREE_TONS, plate_start


def taken(number: int, **entry: Any) -> TakenReading:
    return TakenReading(
        id=number,
        entry=NewReading.model_validate(entry),
        taken_at=datetime(2026, 7, 1, 12, number, tzinfo=UTC),
        person="Marlo Quist",
    )


@pytest.mark.parametrize("seconds", [0.2, 0.35, 0.8, 1.5])
def test_the_start_takes_as_long_as_it_was_heard_to(seconds: float) -> None:
    torque, inertia = held_by(plate_start(), seconds)
    again = plate_start(load={"start_torque_pct": torque}, inertia_factor=inertia, duration_s=3.0)
    assert compute_start(again).time_to_speed_s == pytest.approx(seconds, rel=0.1)


def test_a_start_quicker_than_the_typical_machine_has_less_to_turn() -> None:
    torque, inertia = held_by(plate_start(), 0.06)
    assert 0 == torque
    assert inertia < 1


def test_the_newest_reading_counts_and_the_last_visit_stands_in() -> None:
    readings = [
        taken(1, quantity="line_v_idle", value=231.0),
        taken(2, quantity="line_v_idle", value=228.0),
        taken(3, quantity="inrush_a", value=100.0, volts=210.0, mode="inrush", conductor="common"),
        taken(4, quantity="run_cap_uf", value=38.9),
        taken(5, quantity="winding_cs_ohm", value="open"),
    ]
    found = start_of_call(
        Plate.model_validate(THREE_TONS), readings, {"winding_cr_ohm": 0.6, "run_cap_uf": 44.0}
    )
    assert 228.0 == found.start.source.volts
    assert 38.9 == found.start.run_cap_uf
    assert found.start.plate is not None
    assert 0.6 == found.start.plate.winding_cr_ohm
    assert found.start.plate.winding_cs_ohm is None
    ohm = found.start.source.resistance_ohm
    mh = found.start.source.inductance_mh
    assert ohm is not None
    assert mh is not None
    henry = mh / 1000
    assert ((228 - 210) / 100) ** 2 == pytest.approx(ohm**2 + (377 * henry) ** 2, rel=0.01)
    assert {2, 3, 4} <= {t.reading_id for t in found.taken}


@pytest.mark.parametrize("plate", PLATES.values(), ids=PLATES)
def test_every_ordinary_aid_starts_a_motor_whose_pressures_have_met(plate: dict[str, Any]) -> None:
    out = typical_aids(TypicalIn.model_validate({"plate": plate}))
    for typical in out.aids:
        result = compute_start(
            plate_start(plate, aid=typical.aid.model_dump(), load={"start_torque_pct": 12.0})
        )
        assert result.verdict == "started", typical.label
    assert out.run_cap_uf == pytest.approx(plate["run_cap_uf"])
