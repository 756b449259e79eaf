"""What the trade sees at the unit, on three machine sizes."""

from typing import Any

import pytest

from orange_crank.core.motor import StartResult, compute_start
from orange_crank.core.motor.lab import TakeIn, what_it_takes
from tests.core.motor.machines import PLATES, plate_start

SIZES = pytest.mark.parametrize("plate", PLATES.values(), ids=PLATES)


def start(plate: dict[str, Any], torque_pct: float, **more: Any) -> StartResult:
    return compute_start(
        plate_start(plate, load={"start_torque_pct": torque_pct, "run_torque_pct": 90.0}, **more)
    )


def kit(plate: dict[str, Any]) -> dict[str, Any]:
    """Return a start capacitor of about three times the run capacitor, its relay fitted."""
    return {"kind": "start_capacitor", "start_cap_uf": 3.0 * plate["run_cap_uf"]}


@SIZES
def test_with_a_start_capacitor_the_first_cycles_are_no_lower(plate: dict[str, Any]) -> None:
    bare, aided = start(plate, 20.0), start(plate, 20.0, aid=kit(plate))
    assert bare.max_cycle_rms_a == pytest.approx(aided.max_cycle_rms_a, rel=0.15)
    assert aided.max_cycle_rms_a > 0.97 * bare.max_cycle_rms_a


@SIZES
def test_but_the_100_ms_reading_drops_because_the_rotor_is_away_sooner(plate: dict[str, Any]) -> None:
    bare, aided = start(plate, 5.0), start(plate, 5.0, aid=kit(plate))
    assert aided.time_to_speed_s is not None
    assert bare.time_to_speed_s is not None
    assert aided.time_to_speed_s < 0.7 * bare.time_to_speed_s
    assert 0.15 < 1 - aided.inrush_100ms_a / bare.inrush_100ms_a < 0.45


@SIZES
def test_where_both_starts_outlast_the_window_the_reading_hardly_moves(plate: dict[str, Any]) -> None:
    slow = {"inertia_factor": 5.0}
    bare, aided = start(plate, 10.0, **slow), start(plate, 10.0, aid=kit(plate), **slow)
    assert aided.time_to_speed_s is not None
    assert aided.time_to_speed_s > 0.1
    assert aided.time_to_speed_s < (bare.time_to_speed_s or 9.0)
    assert bare.inrush_100ms_a == pytest.approx(aided.inrush_100ms_a, rel=0.1)


@SIZES
def test_against_a_high_load_the_bare_machine_stalls_and_the_aided_one_starts(plate: dict[str, Any]) -> None:
    assert start(plate, 75.0).verdict == "stalled"
    assert start(plate, 75.0, aid=kit(plate)).verdict == "started"


@SIZES
def test_a_soft_starter_holds_the_largest_cycle_down(plate: dict[str, Any]) -> None:
    lra = plate["compressors"][0]["lra_a"]
    soft = {"kind": "soft_starter", "start_cap_uf": 1.5 * plate["run_cap_uf"], "ceiling_a": 0.6 * lra}
    held = start(plate, 10.0, aid=soft)
    assert held.verdict == "started"
    assert 0.5 < held.max_cycle_rms_a / lra < 0.75


@SIZES
def test_a_soft_starter_has_less_torque_than_its_capacitor_straight_across(plate: dict[str, Any]) -> None:
    lra, uf = plate["compressors"][0]["lra_a"], 2.0 * plate["run_cap_uf"]
    soft = {"kind": "soft_starter", "start_cap_uf": uf, "ceiling_a": 0.6 * lra}
    straight = {"kind": "start_capacitor", "start_cap_uf": uf}
    held, across = start(plate, 10.0, aid=soft), start(plate, 10.0, aid=straight)
    assert (held.time_to_speed_s or 9.0) > (across.time_to_speed_s or 9.0)

    def most(aid: dict[str, Any]) -> float:
        sought = what_it_takes(TakeIn(start=plate_start(plate, aid=aid), seek="highest_start_torque"))
        return sought.value or 0.0

    assert most(soft) < 0.8 * most(straight)


@SIZES
def test_a_soft_starter_without_a_start_capacitor_may_stall_at_the_lightest_load(
    plate: dict[str, Any],
) -> None:
    bare = {"kind": "soft_starter", "ceiling_a": 0.5 * plate["compressors"][0]["lra_a"]}
    assert start(plate, 20.0, aid=bare).verdict in ("stalled", "late")


@SIZES
def test_a_weak_run_capacitor_stretches_the_start(plate: dict[str, Any]) -> None:
    good, weak = start(plate, 10.0), start(plate, 10.0, run_cap_uf=0.8 * plate["run_cap_uf"])
    assert (weak.time_to_speed_s or 9.0) > 1.1 * (good.time_to_speed_s or 9.0)


@SIZES
def test_low_voltage_stretches_it_more_than_in_proportion(plate: dict[str, Any]) -> None:
    volts = plate["volts"]
    good, low = (start(plate, 10.0, source={"volts": v}) for v in (volts, 0.88 * volts))
    assert (low.time_to_speed_s or 9.0) > (good.time_to_speed_s or 9.0) / 0.88
    assert 0.88 * good.max_cycle_rms_a == pytest.approx(low.max_cycle_rms_a, rel=0.02)


@SIZES
def test_the_first_peak_is_as_the_trade_knows_it(plate: dict[str, Any]) -> None:
    """Bare 1.07 to 1.10 × √2·LRA at the worst angle; more with a start capacitor."""
    root2_lra = 2**0.5 * plate["compressors"][0]["lra_a"]

    def worst(**more: Any) -> float:
        return max(
            start(plate, 20.0, closing_angle_deg=float(a), duration_s=0.1, **more).peak_a
            for a in range(0, 180, 15)
        )

    assert 1.03 < worst() / root2_lra < 1.14
    assert 1.1 < worst(aid=kit(plate)) / root2_lra < 1.35


@SIZES
def test_a_kit_does_not_save_a_small_generator_and_a_soft_starter_does(plate: dict[str, Any]) -> None:
    first = plate["compressors"][0]
    kva = 0.40 * plate["volts"] * first["lra_a"] / 1000
    source = {"kind": "generator", "rated_kva": kva}
    soft = {
        "kind": "soft_starter",
        "start_cap_uf": 2.0 * plate["run_cap_uf"],
        "ceiling_a": 0.55 * first["lra_a"],
    }
    aided = start(plate, 10.0, aid=kit(plate), source=source)
    held = start(plate, 10.0, aid=soft, source=source)
    assert held.sag_pct < aided.sag_pct
    assert held.start_kva < 0.85 * aided.start_kva
