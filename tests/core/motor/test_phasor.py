"""The steady state against the revolving-field circuit, and the time simulation against the steady state."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from orange_crank.core.motor.assemble import assemble
from orange_crank.core.motor.fit import StartPlate, fit_machine
from orange_crank.core.motor.phasor import branch_impedance, steady_state
from orange_crank.core.motor.start import cycle_rms, simulate
from tests.core.motor.machines import PLATES, QUARTER_HORSE, RUN_BRANCH, START_BRANCH, textbook_start


@pytest.mark.parametrize("speed", [0.0, 0.3, 0.75, 0.95, 0.99])
def test_the_run_winding_alone_agrees_with_the_revolving_field_circuit(speed: float) -> None:
    """Forward and backward field, each half the magnetising branch beside half the rotor at its own slip."""
    m = QUARTER_HORSE
    s = 1 - speed

    def field(slip: float) -> complex:
        rotor = complex(m.rr_ohm / (2 * slip) if slip else 1e12, m.xlr_ohm / 2)
        magnetising = 1j * m.xm_ohm / 2
        return rotor * magnetising / (rotor + magnetising)

    forward, backward = field(s), field(2 - s)
    current = 110 / (complex(m.rq_ohm, m.xlq_ohm) + forward + backward)
    torque = abs(current) ** 2 * (forward.real - backward.real) / m.synchronous_rad_s
    got = steady_state(m, 110.0, speed, None)
    assert abs(current) == pytest.approx(abs(got.i_q), rel=1e-9)
    assert torque == pytest.approx(got.torque_nm, rel=1e-9, abs=1e-9)


def test_the_textbook_machine_gives_a_quarter_horse_near_its_rated_speed() -> None:
    """About 1 N·m at 1,700 odd turns a minute on the run winding alone, run branch open."""
    slips = np.linspace(0.01, 0.08, 200)
    watts = [
        steady_state(QUARTER_HORSE, 110.0, 1 - s, None).torque_nm * QUARTER_HORSE.synchronous_rad_s * (1 - s)
        for s in slips
    ]
    at = slips[int(np.argmin(np.abs(np.array(watts) - 746 / 4)))]
    assert 1700 < 1800 * (1 - at) < 1770


@pytest.mark.parametrize("speed", [0.0, 0.2, 0.5, 0.8, 0.96])
@pytest.mark.parametrize("with_start", [False, True])
def test_the_simulation_held_at_a_speed_settles_to_the_phasors(speed: float, with_start: bool) -> None:
    aid = (
        {
            "kind": "start_capacitor",
            "start_cap_uf": START_BRANCH[0],
            "start_cap_ohm": START_BRANCH[1],
            "pickup_v": 999.0,
        }
        if with_start
        else {"kind": "none"}
    )
    source = {"volts": 110.0, "resistance_ohm": 0.3, "inductance_mh": 0.5}
    made = assemble(textbook_start(aid=aid, source=source, duration_s=1.5))
    ran = simulate(made, detail=True, hold_pu=speed)
    w = QUARTER_HORSE.omega
    branch = branch_impedance(w, RUN_BRANCH, *([START_BRANCH] if with_start else []))
    wanted = steady_state(QUARTER_HORSE, 110.0, speed, branch, complex(0.3, w * 0.5e-3))
    cycle = ran.cycle
    assert abs(wanted.line_a) == pytest.approx(cycle_rms(ran.out[0], cycle)[-1], rel=2e-4)
    assert abs(wanted.i_d) == pytest.approx(cycle_rms(ran.detail[1], cycle)[-1], rel=2e-4)
    assert abs(wanted.line_v) == pytest.approx(cycle_rms(ran.out[1], cycle)[-1], rel=2e-4)
    assert abs(wanted.start_winding_v) == pytest.approx(cycle_rms(ran.detail[2], cycle)[-1], rel=3e-4)
    whole = round(3 * cycle)
    assert wanted.torque_nm == pytest.approx(float(np.mean(ran.detail[3, -whole:])), rel=1e-3, abs=1e-3)


def test_an_open_start_winding_shows_what_the_rotor_induces() -> None:
    made = assemble(textbook_start(run_cap_uf="open", duration_s=1.5))
    ran = simulate(made, detail=True, hold_pu=0.9)
    wanted = steady_state(QUARTER_HORSE, 110.0, 0.9, None)
    assert abs(wanted.start_winding_v) == pytest.approx(cycle_rms(ran.detail[2], ran.cycle)[-1], rel=1e-3)


def test_at_standstill_an_open_start_winding_gives_no_torque() -> None:
    assert steady_state(QUARTER_HORSE, 110.0, 0.0, None).torque_nm == pytest.approx(0.0, abs=1e-12)


@pytest.mark.parametrize("plate", PLATES.values(), ids=PLATES)
def test_a_fit_meets_its_plate(plate: dict[str, object]) -> None:
    given_plate = StartPlate.model_validate(plate)
    machine, fit = fit_machine(given_plate)
    first = given_plate.compressors[0]
    branch = branch_impedance(machine.omega, (fit.run_cap_uf, 0.0))
    run = steady_state(machine, given_plate.volts, 0.96, branch)
    stall = steady_state(machine, given_plate.volts, 0.0, branch)
    assert first.rla_a == pytest.approx(abs(run.line_a), rel=0.03)
    assert first.lra_a == pytest.approx(abs(stall.line_a), rel=0.03)
    assert stall.line_a.real / abs(stall.line_a) == pytest.approx(0.75, abs=0.05)
    assert fit.worst_pct < 3
    assert "inertia" in fit.typical


def test_measured_winding_ohms_are_pinned_at_running_temperature() -> None:
    plate = StartPlate.model_validate(
        PLATES["three tons, 230 V"] | {"winding_cr_ohm": 0.62, "winding_cs_ohm": 2.31}
    )
    machine, fit = fit_machine(plate)
    assert 0.62 * (1 + 0.0039 * 50) == pytest.approx(machine.rq_ohm)
    assert 2.31 * (1 + 0.0039 * 50) == pytest.approx(machine.rd_ohm)
    assert "winding ohms" not in fit.typical
    assert not any("C–R" in s for s in fit.sharpen)


@settings(max_examples=60, deadline=None)
@given(
    volts=st.sampled_from([115.0, 208.0, 230.0, 265.0]),
    rla=st.floats(2.0, 60.0),
    ratio=st.floats(3.0, 8.5),
    share=st.floats(0.15, 0.6),
)
def test_any_plate_of_the_trade_has_a_machine(volts: float, rla: float, ratio: float, share: float) -> None:
    uf = share * rla / (2 * math.pi * 60 * volts) * 1e6
    plate = StartPlate.model_validate(
        {
            "volts": volts,
            "phase": 1,
            "compressors": [{"rla_a": rla, "lra_a": rla * ratio}],
            "run_cap_uf": uf,
        }
    )
    machine, fit = fit_machine(plate)
    assert fit.worst_pct < 6
    assert machine.rq_ohm > 0
    assert 0.3 < machine.turns_ratio < 4
