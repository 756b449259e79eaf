"""A supply nobody entered, the kind of compressor, and motors without a run capacitor."""

from typing import Any

import pytest

from orange_crank.core.aids import AidIn, choose_aid
from orange_crank.core.backup.demand import check_backup
from orange_crank.core.backup.entry import BackupIn
from orange_crank.core.motor import StartIn, compute_start
from orange_crank.core.motor.fit import StartPlate, fit_machine
from orange_crank.core.motor.gear import starting_of
from orange_crank.core.motor.typical import TypicalIn, typical_aids
from tests.core.motor.machines import PLATES, THREE_TONS, plate_start

SMALL: dict[str, Any] = {
    "volts": 115.0,
    "phase": 1,
    "compressors": [{"rla_a": 8.4, "lra_a": 46.0, "kind": "reciprocating"}],
    "hp": 0.5,
    "refrigerant": "R-134a",
}


def of_kind(kind: str) -> dict[str, Any]:
    return THREE_TONS | {"compressors": [{"rla_a": 17.9, "lra_a": 112.0, "kind": kind}]}


@pytest.mark.parametrize("plate", PLATES.values(), ids=PLATES)
def test_a_supply_not_entered_is_a_house(plate: dict[str, Any]) -> None:
    """240 V behind 0.06 Ω: the dip is the amps times that, and the result says it was assumed."""
    result = compute_start(plate_start(plate))
    assert result.volts == {115.0: 120.0, 230.0: 240.0}[plate["volts"]]
    assert 0.7 * 0.06 < result.sag_pct / 100 * result.volts / result.max_cycle_rms_a < 1.05 * 0.061
    assert "SUPPLY_ASSUMED" in {f.code for f in result.findings}
    entered = compute_start(plate_start(plate, source={"volts": 230.0, "resistance_ohm": 0.0}))
    assert "SUPPLY_ASSUMED" not in {f.code for f in entered.findings}
    assert entered.sag_pct < 0.1


def test_a_reciprocating_compressor_is_heavier_and_pulses() -> None:
    took = {k: compute_start(plate_start(of_kind(k))) for k in ("scroll", "rotary", "reciprocating")}
    seconds = {k: r.time_to_speed_s or 9.0 for k, r in took.items()}
    assert seconds["rotary"] < seconds["scroll"] < seconds["reciprocating"]
    assert 0.1 <= seconds["scroll"] <= 0.3

    def ripple(kind: str) -> float:
        start = plate_start(of_kind(kind), series=True, duration_s=6.0)
        series = compute_start(start).series
        assert series is not None
        late = series.speed_rpm[-len(series.speed_rpm) // 6 :]
        return max(late) - min(late)

    assert ripple("reciprocating") > 2 * ripple("scroll")


@pytest.mark.parametrize("plate", PLATES.values(), ids=PLATES)
def test_no_range_is_shorter_than_a_cycle_and_a_soft_starter_keeps_its_limit(plate: dict[str, Any]) -> None:
    for typical in typical_aids(TypicalIn.model_validate({"plate": plate})).aids[:4]:
        spread = compute_start(plate_start(plate, aid=typical.aid.model_dump(), spread=True)).spread
        assert spread is not None
        if spread.time_to_speed_s is not None:
            assert spread.time_to_speed_s.low > 1 / 60
        if typical.aid.ceiling_a is not None:
            assert spread.max_cycle_a.high < 1.7 * typical.aid.ceiling_a


def test_a_start_capacitor_over_its_rating_is_a_finding() -> None:
    def codes(**aid: Any) -> dict[str, str]:
        aid = {"kind": "start_capacitor", "start_cap_uf": 119.0, "pickup_v": 400.0} | aid
        return {f.code: f.verdict for f in compute_start(plate_start(aid=aid)).findings}

    assert codes(start_cap_rated_v=250.0)["START_CAP_VOLTS"] == "fail"
    assert "START_CAP_VOLTS" not in codes(pickup_v=200.0, start_cap_rated_v=330.0)


def test_a_relay_not_entered_is_a_standard_class_the_same_as_in_start_aid() -> None:
    kit = typical_aids(TypicalIn.model_validate({"plate": THREE_TONS})).aids[1].aid
    lab = compute_start(plate_start(aid=kit.model_dump()))
    ranked = choose_aid(AidIn.model_validate({"plate": THREE_TONS | {"refrigerant": "R-410A"}})).ranked
    chosen = next(r for r in ranked if r.aid == "relay_three_wire")
    assert chosen.relay is not None
    assert lab.pickup_v == (chosen.relay.pickup_low_v + chosen.relay.pickup_high_v) / 2


def start_small(starting: str | None, torque: float, **more: Any) -> Any:
    plate = SMALL | ({} if starting is None else {"starting": starting})
    return compute_start(
        StartIn.model_validate(
            {"plate": plate, "load": {"start_torque_pct": torque}, "duration_s": 3.0} | more
        )
    )


def test_a_motor_without_a_run_capacitor_starts_by_its_own_gear() -> None:
    """RSIR starts on equal pressures and not against full load; CSIR does; no microfarads are invented."""
    for starting in ("current_relay", "current_relay_capacitor", "ptc"):
        light = start_small(starting, 20.0)
        assert light.verdict == "started", starting
        assert light.run_cap_uf is None
        assert light.fit.run_cap_uf is None
        assert light.settled_a < 1.3 * 8.4
        assert "OWN_GEAR" in {f.code for f in light.findings}
    assert start_small("current_relay", 130.0).verdict == "stalled"
    assert start_small("current_relay_capacitor", 130.0).verdict == "started"


def test_a_current_relay_pulls_in_and_drops_out() -> None:
    events = start_small("current_relay", 20.0).events
    assert [e.what for e in events[:2]] == ["relay_closed", "relay_opened"]
    assert events[0].unit == "A"
    assert events[0].value > events[1].value > 8.4
    held = start_small("current_relay", 20.0, load={"locked": True})
    assert [e.what for e in held.events] == ["relay_closed"]
    assert held.settled_a == pytest.approx(46.0 * 120 / 115, rel=0.08)


def test_lab_start_aid_and_backup_give_one_answer_without_a_run_capacitor() -> None:
    plate = StartPlate.model_validate(SMALL)
    assert starting_of(plate) == "current_relay"
    assert fit_machine(plate)[1].run_cap_uf is None
    assert typical_aids(TypicalIn(plate=plate)).run_cap_uf is None
    lab = compute_start(StartIn(plate=plate, load={"start_torque_pct": 20.0}))
    aid = choose_aid(AidIn(plate=plate, goal="faster"))
    bare = next(r for r in aid.ranked if r.aid == "none").predicted
    assert (bare.verdict, bare.time_to_speed_s) == (lab.verdict, lab.time_to_speed_s)
    source = {"kind": "standby", "continuous_kw": 7.0, "volts": 120.0}
    backup = check_backup(
        BackupIn.model_validate(
            {"source": source, "transfer": "interlock", "plate": SMALL, "aids": [{"label": "No aid"}]}
        )
    )
    assert backup.results[0].start_s is not None


def test_a_run_capacitor_that_was_measured_counts_over_the_entry() -> None:
    """Entered as a current relay, 15 µF measured at the unit: the capacitor is there."""
    entry = {"plate": SMALL | {"starting": "current_relay"}, "goal": "faster", "run_cap_uf": 15.0}
    ranked = choose_aid(AidIn.model_validate(entry)).ranked
    assert next(r for r in ranked if r.aid == "none").predicted.run_cap_uf == 15.0
    assert "three_in_one" not in {r.aid for r in ranked}
