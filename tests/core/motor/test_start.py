"""The time simulation: an independent solution, energy, convergence, limits, refusals."""

import json
import math
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

from orange_crank.core.errors import InputProblem
from orange_crank.core.motor import StartIn, compute_start
from orange_crank.core.motor.assemble import assemble
from orange_crank.core.motor.house import HOUSE_OHM
from orange_crank.core.motor.phasor import branch_impedance, steady_state
from orange_crank.core.motor.start import StartResult, simulate
from orange_crank.core.topics import calculate
from tests.core.motor.machines import (
    PLATES,
    QUARTER_HORSE,
    RUN_BRANCH,
    START_BRANCH,
    THREE_TONS,
    plate_start,
    textbook_start,
)


def by_another_hand(duration_s: float, times: np.ndarray) -> np.ndarray:
    """Solve the quarter horse with both branches in, written out again in currents, by an adaptive method."""
    m, w = QUARTER_HORSE, QUARTER_HORSE.omega
    a, pp = m.turns_ratio, m.poles / 2
    lm = m.xm_ohm / w
    lq, ld, lr = m.xlq_ohm / w + lm, m.xld_ohm / w + a * a * lm, m.xlr_ohm / w + lm
    inductance = np.array(
        [[lq, 0, lm, 0], [0, ld, 0, a * a * lm], [lm, 0, lr, 0], [0, a * a * lm, 0, a * a * lr]]
    )
    inverse = np.linalg.inv(inductance)
    (c1, r1), (c2, r2) = (RUN_BRANCH[0] * 1e-6, RUN_BRANCH[1]), (START_BRANCH[0] * 1e-6, START_BRANCH[1])

    def rates(t: float, y: np.ndarray) -> np.ndarray:
        iq, i_d, iqr, idr, v1, v2, wm = y
        v = math.sqrt(2) * 110 * math.sin(w * t)
        into_start = (v1 - v2 + r1 * i_d) / (r1 + r2)
        branch = v2 + r2 * into_start
        psi_qr, psi_dr = lr * iqr + lm * iq, a * a * (lr * idr + lm * i_d)
        flux = np.array(
            [
                v - m.rq_ohm * iq,
                v - m.rd_ohm * i_d - branch,
                -m.rr_ohm * iqr + pp * wm * psi_dr / a,
                -a * a * m.rr_ohm * idr - a * pp * wm * psi_qr,
            ]
        )
        torque = pp * (a * psi_qr * idr - psi_dr * iqr / a)
        return np.array(
            [
                *(inverse @ flux),
                (i_d - into_start) / c1,
                into_start / c2,
                (torque - 0.3 * math.tanh(wm)) / m.inertia_kgm2,
            ]
        )

    found = solve_ivp(
        rates, (0, duration_s), np.zeros(7), method="DOP853", rtol=1e-10, atol=1e-10, t_eval=times
    )
    return np.array([found.y[0] + found.y[1], found.y[6]])


def test_the_samples_agree_with_an_independent_adaptive_solution() -> None:
    aid = {
        "kind": "start_capacitor",
        "start_cap_uf": START_BRANCH[0],
        "start_cap_ohm": START_BRANCH[1],
        "pickup_v": 999.0,
    }
    made = assemble(
        textbook_start(aid=aid, load={"start_torque_nm": 0.3, "run_torque_nm": 0.3}, duration_s=0.25)
    )
    ran = simulate(made)
    times = np.arange(made.steps + 1) * made.step_s
    other = by_another_hand(0.25, times[times <= 0.25])
    count = other.shape[1]
    assert other[0] == pytest.approx(ran.out[0, :count], abs=2e-4 * float(np.max(np.abs(other[0]))))
    assert other[1] == pytest.approx(ran.out[2, :count], abs=2e-4 * float(np.max(other[1])))


CASES: dict[str, dict[str, Any]] = {
    "bare": {},
    "relay": {"aid": {"kind": "start_capacitor", "start_cap_uf": 130.0}},
    "thermistor": {"aid": {"kind": "ptc", "cold_ohm": 25.0}},
    "thermistor and capacitor": {"aid": {"kind": "ptc", "cold_ohm": 12.0, "start_cap_uf": 90.0}},
    "soft starter": {"aid": {"kind": "soft_starter", "start_cap_uf": 60.0, "ceiling_a": 70.0}},
    "generator": {"source": {"kind": "generator", "rated_kva": 9.0}},
    "inverter": {"source": {"kind": "inverter", "rated_kva": 8.0, "surge_kva": 16.0}},
    "fan, long wire": {
        "fan_a": 1.4,
        "source": {"resistance_ohm": 0.2, "inductance_mh": 0.4},
        "aid": {"kind": "start_capacitor", "start_cap_uf": 130.0},
    },
    "chatter": {
        "source": {"resistance_ohm": 2.2, "inductance_mh": 0.5},
        "control": {"dropout_pct": 62.0, "delay_s": 0.05},
    },
}


@pytest.mark.parametrize("case", CASES.values(), ids=CASES)
def test_energy_balances_within_a_twentieth_of_a_per_cent(case: dict[str, Any]) -> None:
    result = compute_start(plate_start(energy=True, **case))
    assert result.energy is not None
    assert result.energy.residual_pct < 0.05
    assert result.energy.load_j + result.energy.kinetic_j > 0


@pytest.mark.parametrize("case", ["bare", "relay", "generator"])
def test_halving_the_step_changes_nothing_that_is_read(case: str) -> None:
    coarse, fine = (compute_start(plate_start(step_us=step, **CASES[case])) for step in (50.0, 25.0))
    assert coarse.time_to_speed_s == pytest.approx(fine.time_to_speed_s, abs=1e-4)
    for name in ("inrush_100ms_a", "max_cycle_rms_a", "peak_a", "settled_a", "i2t"):
        assert getattr(coarse, name) == pytest.approx(getattr(fine, name), rel=5e-4), name


def test_the_integration_is_of_fourth_order() -> None:
    """Between switches the error falls sixteenfold with half the step."""

    def speed(step_us: float) -> float:
        made = assemble(textbook_start(duration_s=0.2, step_us=step_us))
        return float(simulate(made).out[2, -1])

    exact = speed(10.0)
    ratio = abs(speed(400.0) - exact) / abs(speed(200.0) - exact)
    assert 12 < ratio < 20


@pytest.mark.parametrize("plate", PLATES.values(), ids=PLATES)
def test_a_locked_rotor_draws_the_phasors_stall_current(plate: dict[str, Any]) -> None:
    stiff = {"resistance_ohm": 0.0, "inductance_mh": 0.0}
    result = compute_start(plate_start(plate, load={"locked": True}, source=stiff))
    machine = result.machine
    branch = branch_impedance(machine.omega, (float(result.run_cap_uf or 0), 0.0))
    assert abs(steady_state(machine, result.volts, 0.0, branch).line_a) == pytest.approx(
        result.settled_a, rel=1e-3
    )
    assert result.verdict == "stalled"
    assert 0 == result.final_speed_pct


def test_without_load_it_runs_just_under_synchronous_speed() -> None:
    result = compute_start(plate_start(load={"start_torque_pct": 0.0, "run_torque_pct": 0.0}))
    assert 99 < result.final_speed_pct < 100


def test_an_open_run_capacitor_gives_no_starting_torque() -> None:
    result = compute_start(plate_start(run_cap_uf="open", load={"start_torque_pct": 1.0}))
    assert result.verdict == "stalled"
    assert result.final_speed_pct < 1


def test_the_relay_acts_at_the_end_of_a_half_cycle_above_its_pickup() -> None:
    result = compute_start(
        plate_start(aid={"kind": "start_capacitor", "start_cap_uf": 130.0, "pickup_v": 300.0})
    )
    opened = [e for e in result.events if e.what == "relay_opened"]
    assert len(opened) == 1
    assert opened[0].value > 300
    half_cycles = opened[0].at_s * 120
    assert half_cycles == pytest.approx(round(half_cycles), abs=0.01)
    assert result.relay_opened_s == opened[0].at_s


def test_a_relay_of_too_high_a_class_never_drops_the_capacitor_out() -> None:
    result = compute_start(
        plate_start(aid={"kind": "start_capacitor", "start_cap_uf": 130.0, "pickup_v": 700.0})
    )
    assert result.relay_opened_s is None
    assert "RELAY_NEVER_OPENED" in [f.code for f in result.findings]
    assert result.settled_a > 1.5 * compute_start(plate_start()).settled_a


def test_a_breaker_or_an_overload_ends_a_long_stall() -> None:
    stalled: dict[str, Any] = {"load": {"locked": True}, "duration_s": 8.0}
    assert compute_start(plate_start(breaker={"rating_a": 20.0}, **stalled)).verdict == "tripped"
    assert compute_start(plate_start(overload={"trip_a2s": 40_000.0}, **stalled)).verdict == "tripped"
    held = compute_start(plate_start(breaker={"rating_a": 60.0}, **stalled))
    assert held.verdict == "stalled"
    assert 0 < (held.breaker_heat_pct or 0) < 100


def test_a_contactor_chatters_on_a_supply_that_cannot_hold_it() -> None:
    result = compute_start(plate_start(**CASES["chatter"], load={"locked": True}))
    assert len([e for e in result.events if e.what == "contactor_opened"]) >= 2


def test_the_meter_modes_are_those_of_a_recorded_waveform() -> None:
    """A fan that starts a moment before uses up the one shot; here both start at once."""
    result = compute_start(plate_start())
    assert result.meter.inrush == pytest.approx(result.inrush_100ms_a, rel=0.02)
    assert result.meter.peak == pytest.approx(result.peak_a)
    assert result.meter.max_hold < result.inrush_100ms_a
    assert 0.5 < (result.meter.energy_monitor_w or 0) / (result.volts * result.settled_a) < 4


def test_a_pulsing_load_ripples_the_speed() -> None:
    def ripple(shape: str) -> float:
        ran = simulate(assemble(plate_start(load={"shape": shape, "run_torque_pct": 80.0})))
        tail = ran.out[2, -4000:]
        return float(np.ptp(tail) / np.mean(tail))

    assert ripple("pulsing") > 2 * ripple("smooth")


def test_a_time_delay_lets_pressures_meet() -> None:
    load = {"start_torque_pct": 60.0, "run_torque_pct": 80.0}
    assert compute_start(plate_start(load=load)).verdict == "stalled"
    waited = compute_start(plate_start(load=load, aid={"kind": "time_delay", "off_s": 240.0}))
    assert waited.verdict == "started"
    assert "EQUALISED" in [f.code for f in waited.findings]


def test_a_run_that_ends_before_it_settles_says_so_and_a_settled_one_does_not() -> None:
    def codes(duration_s: float) -> set[str]:
        result = compute_start(plate_start(duration_s=duration_s, inertia_factor=2.0))
        return {f.code for f in result.findings}

    assert "NOT_SETTLED" in codes(0.31)
    assert "NOT_SETTLED" not in codes(2.0)


def test_of_several_compressors_the_first_is_started_and_that_is_said() -> None:
    two = THREE_TONS | {"compressors": [{"rla_a": 17.9, "lra_a": 112.0}, {"rla_a": 9.0, "lra_a": 60.0}]}
    found = compute_start(plate_start(two))
    assert "FIRST_COMPRESSOR" in {f.code for f in found.findings}
    assert compute_start(plate_start()).time_to_speed_s == found.time_to_speed_s


def test_conductors_add_their_table_resistance_out_and_back() -> None:
    made = assemble(plate_start(source={"conductors": {"size": "10", "length_ft": 250.0}}))
    assert made.source_ohm.real == pytest.approx(HOUSE_OHM + 2 * 0.25 * 1.2)


@pytest.mark.parametrize("cold_ohm", [1.0, 3.0, 25.0])
@pytest.mark.parametrize(("rla_a", "lra_a"), [(2.1, 12.0), (6.7, 36.0)])
def test_a_low_cold_ptc_gets_a_finer_step_by_itself(rla_a: float, lra_a: float, cold_ohm: float) -> None:
    plate = {"volts": 230, "phase": 1, "compressors": [{"rla_a": rla_a, "lra_a": lra_a}]}
    aided = StartIn.model_validate({"plate": plate, "aid": {"kind": "ptc", "cold_ohm": cold_ohm}})
    assert compute_start(aided).verdict == "started"


REFUSED: dict[str, tuple[dict[str, Any], str]] = {
    "three-phase": ({"plate": THREE_TONS | {"phase": 3}}, "plate.phase"),
    "inverter": ({"plate": THREE_TONS | {"inverter": True}}, "plate.inverter"),
    "no such machine": ({"plate": THREE_TONS | {"compressors": [{"rla_a": 97.0, "lra_a": 16.7}]}}, "lra_a"),
    "fan capacitor for run capacitor": ({"plate": THREE_TONS | {"run_cap_uf": 0.9}}, "plate.run_cap_uf"),
    "zero capacitor": ({"plate": THREE_TONS, "run_cap_uf": 0}, "run_cap_uf"),
    "negative impedance": (
        {"plate": THREE_TONS, "source": {"resistance_ohm": -0.1}},
        "source.resistance_ohm",
    ),
    "step too coarse": (
        {"plate": THREE_TONS, "step_us": 500.0, "aid": {"kind": "ptc", "cold_ohm": 3.0}},
        "step_us",
    ),
    "neither plate nor machine": ({}, "plate"),
    "a capacitor kit without its capacitor": (
        {"plate": THREE_TONS, "aid": {"kind": "start_capacitor"}},
        "aid.start_cap_uf",
    ),
    "drop-out over pick-up": (
        {
            "plate": THREE_TONS,
            "aid": {"kind": "start_capacitor", "start_cap_uf": 100.0, "pickup_v": 200.0, "dropout_v": 220.0},
        },
        "aid.dropout_v",
    ),
    "a generator without kVA": ({"plate": THREE_TONS, "source": {"kind": "generator"}}, "source.rated_kva"),
    "per cent of an unknown torque": (
        {
            "machine": QUARTER_HORSE.model_dump(),
            "source": {"volts": 110.0},
            "load": {"start_torque_pct": 20.0},
        },
        "load.start_torque_nm",
    ),
    "too long and too fine": ({"plate": THREE_TONS, "duration_s": 30.0, "step_us": 1.0}, "duration_s"),
}


@pytest.mark.parametrize(("entry", "field"), REFUSED.values(), ids=REFUSED)
def test_what_cannot_be_computed_is_refused_by_field(entry: dict[str, Any], field: str) -> None:
    with pytest.raises(InputProblem) as refused:
        calculate("start", json.dumps(entry))
    assert field in refused.value.errors[0].field


def finite(value: object) -> bool:
    if isinstance(value, dict):
        return all(finite(v) for v in value.values())
    if isinstance(value, list):
        return all(finite(v) for v in value)
    return not isinstance(value, float) or math.isfinite(value)


@settings(max_examples=40, deadline=None)
@given(
    rla=st.floats(3.0, 50.0),
    ratio=st.floats(3.0, 8.0),
    volts=st.floats(0.2, 1.2),
    aid=st.sampled_from(
        [
            {"kind": "none"},
            {"kind": "start_capacitor", "start_cap_uf": 130.0},
            {"kind": "start_capacitor", "start_cap_uf": 5.0, "start_cap_ohm": 0.02, "pickup_v": 20.0},
            {"kind": "ptc", "cold_ohm": 20.0, "switch_j": 5.0},
            {"kind": "soft_starter", "ceiling_a": 10.0},
            {"kind": "soft_starter", "start_cap_uf": 90.0, "firing_deg_start": 170.0, "ramp_s": 0.0},
        ]
    ),
    torque=st.floats(0.0, 400.0),
    ohm=st.floats(0.0, 5.0),
    mh=st.floats(0.0, 20.0),
    run=st.sampled_from([None, "open", 3.0, 200.0]),
    angle=st.floats(0.0, 360.0),
)
def test_no_answer_ever_holds_what_is_not_a_number(
    rla: float,
    ratio: float,
    volts: float,
    aid: dict[str, Any],
    torque: float,
    ohm: float,
    mh: float,
    run: float | str | None,
    angle: float,
) -> None:
    entry = {
        "plate": {"volts": 230.0, "phase": 1, "compressors": [{"rla_a": rla, "lra_a": rla * ratio}]},
        "run_cap_uf": run,
        "aid": aid,
        "source": {"volts": 230.0 * volts, "resistance_ohm": ohm, "inductance_mh": mh},
        "load": {"start_torque_pct": torque, "shape": "pulsing"},
        "closing_angle_deg": angle,
        "duration_s": 0.4,
        "trace": True,
    }
    result: StartResult = compute_start(StartIn.model_validate(entry))
    assert finite(result.model_dump())
    assert result.max_cycle_rms_a >= 0
