"""Backup power: derating by hand, what starts, what may stay on, how long it lasts, what is refused."""

import json
from typing import Any

import pytest

from orange_crank.core.backup import BackupIn, BackupOut, check_backup
from orange_crank.core.backup.entry import BackupSource
from orange_crank.core.backup.supply import derated_kw
from orange_crank.core.errors import InputProblem
from orange_crank.core.tables import cord_ampacity_a
from orange_crank.core.topics import calculate
from tests.core.motor.machines import THREE_TONS

SOFT = {"label": "soft", "aid": {"kind": "soft_starter", "start_cap_uf": 68.0, "ceiling_a": 60.0}}
KIT = {"label": "kit", "aid": {"kind": "start_capacitor", "start_cap_uf": 136.0}}
BARE = {"label": "bare"}


def check(kw: float = 9.0, **more: Any) -> BackupOut:
    source = {"kind": "portable_synchronous", "continuous_kw": kw, "volts": 240.0} | more.pop("source", {})
    entry = {"plate": THREE_TONS, "source": source, "aids": [BARE, KIT, SOFT], "transfer": "interlock"}
    return check_backup(BackupIn.model_validate(entry | more))


def verdicts(out: BackupOut) -> dict[str, str]:
    return {r.label: r.verdict for r in out.results}


def test_derating_is_fuel_then_height_then_heat() -> None:
    source = BackupSource(
        kind="standby", continuous_kw=10.0, fuel="natural_gas", altitude_ft=4300.0, ambient_f=105.0
    )
    kw, told = derated_kw(source)
    # 10 × 0.80 × (1 − 0.035 × 3.8) × (1 − 0.01 × 2) = 6.797
    assert 6.797 == pytest.approx(kw, abs=0.001)
    assert "0.867 height" in told
    assert 10.0 == derated_kw(source.model_copy(update={"derated_by_maker": True}))[0]
    battery = BackupSource(kind="battery_inverter", continuous_kw=10.0, fuel="battery", altitude_ft=9000.0)
    assert 10.0 == derated_kw(battery)[0]


def test_a_kit_does_not_save_a_small_generator_and_a_soft_starter_does() -> None:
    out = check(7.0)
    told = {r.label: r for r in out.results}
    assert "fails" != told["soft"].verdict
    assert told["soft"].dip_pct < told["kit"].dip_pct
    assert told["soft"].start_kva < 0.85 * told["kit"].start_kva


def test_a_large_source_starts_everything_with_a_margin() -> None:
    out = check(30.0)
    assert {"starts"} == set(verdicts(out).values())
    assert all(r.margin_pct > 20 for r in out.results)


@pytest.mark.parametrize("label", ["bare", "soft"])
def test_what_may_stay_on_is_the_most_that_still_starts(label: str) -> None:
    free = next(r for r in check(14.0).results if r.label == label)
    assert free.other_load_max_w > 0

    def beside(watts: float) -> str:
        others = [{"name": "house", "watts": watts}]
        return verdicts(check(14.0, others=others))[label]

    assert "fails" != beside(max(0.0, free.other_load_max_w - 100))
    assert "fails" == beside(free.other_load_max_w + 600)
    assert "fails" != verdicts(check(14.0, others=[{"name": "range", "watts": 9000.0, "on": False}]))[label]


def test_a_coil_that_lets_go_late_may_hold_where_the_conservative_one_does_not() -> None:
    weak = check(4.6)
    held = check(4.6, coil_dropout_v=6.0)
    assert [r.contactor_holds for r in weak.results] <= [r.contactor_holds for r in held.results]
    assert any(r.contactor_holds for r in held.results)


def test_run_time_is_interpolated_between_the_makers_points() -> None:
    burn = [{"load_pct": 50.0, "per_hour": 0.6}, {"load_pct": 100.0, "per_hour": 1.0}]
    out = check(10.0, source={"tank": 6.0, "burn": burn})
    load_pct = out.running_w / 100
    used = 0.6 if load_pct <= 50 else 0.6 + (load_pct - 50) / 50 * 0.4
    assert 6.0 / used == pytest.approx(out.run_hours, abs=0.02)
    battery = check(
        12.0, source={"kind": "battery_inverter", "fuel": "battery", "tank": 13.5, "surge_kw": 25.0}
    )
    assert 13_500 / battery.running_w == pytest.approx(battery.run_hours, abs=0.02)
    assert check(10.0).run_hours is None


def test_without_a_transfer_device_the_plan_is_refused_and_carbon_monoxide_is_named() -> None:
    with pytest.raises(InputProblem) as refused:
        check(transfer="none")
    assert "interlock or transfer switch" in (refused.value.next_step or "")
    assert "OUTDOORS" in {f.code for f in check().findings}


BAD: dict[str, tuple[dict[str, Any], str]] = {
    "surge under continuous": (
        {"source": {"kind": "standby", "continuous_kw": 9, "surge_kw": 5}},
        "source.surge_kw",
    ),
    "gasoline in a battery": ({"source": {"kind": "battery_inverter", "continuous_kw": 9}}, "source.fuel"),
    "no watts": ({"others": [{"name": "pump"}]}, "others[0].watts"),
}


@pytest.mark.parametrize(("more", "field"), BAD.values(), ids=BAD)
def test_bad_input_is_refused_by_field(more: dict[str, Any], field: str) -> None:
    entry = {
        "plate": THREE_TONS,
        "source": {"kind": "portable_synchronous", "continuous_kw": 9},
        "aids": [BARE],
        "transfer": "interlock",
    }
    with pytest.raises(InputProblem) as refused:
        calculate("backup", json.dumps(entry | more))
    assert field in refused.value.errors[0].field


def codes(out: BackupOut) -> dict[str, str]:
    return {f.code: f.verdict for f in out.findings}


def test_the_chart_carries_the_start_and_what_else_is_on() -> None:
    """Load at rest after the start is the compressor and the lights; its peak is the start."""
    out = check(20.0, others=[{"name": "lights", "watts": 1000.0}])
    trace = next(r.trace for r in out.results if r.label == "bare")
    assert trace is not None
    assert trace.time_s == sorted(trace.time_s)
    assert trace.time_s[-1] == pytest.approx(2.0, abs=0.05)
    assert max(trace.load_kva) > 2.5 * trace.load_kva[-1]
    assert min(trace.motor_v) < 0.95 * trace.motor_v[-1]
    alone = next(r.trace for r in check(20.0).results if r.label == "bare")
    assert alone is not None
    assert trace.load_kva[-1] == pytest.approx(alone.load_kva[-1] + 1.0, abs=0.25)


def test_run_time_falls_as_load_grows() -> None:
    burn = [{"load_pct": 50.0, "per_hour": 0.75}, {"load_pct": 100.0, "per_hour": 1.2}]
    curve = check(10.0, source={"tank": 8.0, "burn": burn}).run_time
    hours = [p.run_h for p in curve]
    assert len(curve) == 20
    assert hours == sorted(hours, reverse=True)
    assert hours[0] == pytest.approx(8 / 0.75, abs=0.01)
    assert hours[-1] == pytest.approx(8 / 1.2, abs=0.01)


def test_a_long_thin_cord_deepens_the_dip_and_is_told() -> None:
    near = check(20.0)
    far = check(20.0, path={"cord": {"size": "12", "length_ft": 150.0}, "inlet_a": 20.0, "breaker_a": 60.0})
    dips = [next(r.dip_pct for r in o.results if r.label == "bare") for o in (near, far)]
    assert dips[1] > dips[0] + 3
    assert ("watch", "pass") == (codes(far)["CORD_DROP"], codes(far)["BREAKER_AMPS"])
    assert codes(far)["INLET_AMPS"] in ("watch", "fail")
    assert "unknown" == codes(near)["INLET_UNKNOWN"]


@pytest.mark.parametrize("size", ["14", "12", "10", "8", "6", "4", "2"])
@pytest.mark.parametrize("breaker_a", [None, 15.0, 20.0, 30.0, 60.0])
def test_a_cord_carries_the_running_amps_and_its_breaker_protects_it(
    size: str, breaker_a: float | None
) -> None:
    carries = cord_ampacity_a(size)
    assert carries is not None
    cord = {"size": size, "length_ft": 25.0}
    out = check(20.0, path={"cord": cord, "inlet_a": 30.0, "breaker_a": breaker_a})
    found = {f.code: f for f in out.findings}
    running = found["CORD_AMPACITY"].inputs["running_a"]
    assert isinstance(running, float)
    assert found["CORD_AMPACITY"].inputs["cord_a"] == carries
    assert (found["CORD_AMPACITY"].verdict == "fail") == (running > carries)
    if breaker_a is None:
        assert found["CORD_BREAKER_UNKNOWN"].verdict == "unknown"
    else:
        assert found["CORD_PROTECTED"].inputs == {"breaker_a": breaker_a, "cord_a": carries}
        assert found["CORD_PROTECTED"].verdict == ("fail" if breaker_a > carries else "pass")


def test_a_cord_beyond_the_table_is_not_judged() -> None:
    for cord in ({"size": "12", "material": "aluminum"}, {"size": "1"}):
        out = check(20.0, path={"cord": cord | {"length_ft": 25.0}, "inlet_a": 30.0, "breaker_a": 20.0})
        assert codes(out)["CORD_NOT_LISTED"] == "unknown"
        assert "CORD_AMPACITY" not in codes(out)


def test_an_electronic_contactors_cut_out_is_held_against_the_sag() -> None:
    """At 18 of 24 V it lets go below three quarters; at 8 V it does not; nor when it waits long enough."""
    plain = {r.label: r.verdict for r in check(16.0).results}
    strict = check(16.0, electronic={"brownout_v": 20.0, "brownout_s": 0.02})
    bare = next(r for r in strict.results if r.label == "bare")
    assert ("starts", "fails") == (plain["bare"], bare.verdict)
    assert "cut-out lets go" in bare.why
    patient = check(16.0, electronic={"brownout_v": 20.0, "brownout_s": 5.0})
    assert "fails" != verdicts(patient)["bare"]
    assert "fails" != verdicts(check(16.0, electronic={"brownout_v": 6.0, "brownout_s": 0.0}))["bare"]


def test_a_restart_delay_is_always_asked_for() -> None:
    assert "watch" == codes(check(20.0))["RESTART_DELAY"]
