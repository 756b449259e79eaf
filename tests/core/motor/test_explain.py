"""A start in slow motion says what the start model says, frame by frame, and tells it in its order."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from orange_crank.core.motor.entry import Aid, Load, Source, StartIn
from orange_crank.core.motor.explain import Explained, explain_starts
from orange_crank.core.motor.fit import StartPlate
from orange_crank.core.motor.lab import LabIn, LabStart
from orange_crank.core.motor.start import compute_start
from orange_crank.core.plate import Compressor

PLATE = StartPlate(volts=230.0, phase=1, compressors=[Compressor(rla_a=17.9, lra_a=112.0)], run_cap_uf=45.0)
KIT = Aid(kind="start_capacitor", start_cap_uf=170.0)


def explained(**more: object) -> tuple[Explained, StartIn]:
    start = StartIn(plate=PLATE, duration_s=1.5, **more)
    [told] = explain_starts(LabIn(starts=[LabStart(label="One", start=start)])).starts
    return told, start


def test_its_figures_are_those_of_the_start_itself() -> None:
    told, start = explained(aid=KIT)
    result = compute_start(start)
    up = next(i for i, v in enumerate(told.speed_pct) if v >= 85) * told.frame_s
    assert result.time_to_speed_s is not None
    assert up == pytest.approx(result.time_to_speed_s, abs=told.frame_s)
    assert told.line_rms_a[-1] == pytest.approx(result.settled_a, rel=0.03)
    out = next(i for i, v in enumerate(told.capacitor_in) if not v) * told.frame_s
    assert out == pytest.approx(result.relay_opened_s, abs=2 * told.frame_s)
    assert told.starts


def test_the_two_arrows_together_are_the_lines_current() -> None:
    told, _ = explained(load=Load(start_torque_pct=10.0))
    # The line's current is the two arrows laid end to end, while it stands and when it runs.
    for i in (8, -1):
        run = told.run_a[i] * np.exp(1j * np.radians(told.run_deg[i]))
        begin = told.start_a[i] * np.exp(1j * np.radians(told.start_deg[i]))
        assert abs(run + begin) == pytest.approx(told.line_rms_a[i], rel=0.05)
    assert 70 < told.start_deg[-1] - told.run_deg[-1] < 150


def test_with_a_kit_the_two_currents_stand_about_a_right_angle_apart_and_more_flows() -> None:
    bare, _ = explained()
    kit, _ = explained(aid=KIT)
    i = 6
    assert kit.start_a[i] > 2.5 * bare.start_a[i]
    assert 70 < kit.start_deg[i] - kit.run_deg[i] < 110
    assert max(kit.torque_nm[4:12]) > 2 * max(bare.torque_nm[4:12])


def test_a_locked_rotor_never_turns_and_says_so() -> None:
    told, _ = explained(load=Load(locked=True))
    assert max(told.speed_pct) < 1
    assert not told.starts
    assert "not come up to speed" in told.moments[-1].text
    assert all("Half speed" not in m.text for m in told.moments)


@settings(max_examples=20, deadline=None)
@given(
    st.sampled_from(["none", "start_capacitor", "ptc", "soft_starter"]),
    st.floats(0, 250),
    st.floats(190, 250),
    st.sampled_from([45.0, 30.0, "open"]),
)
def test_frames_are_whole_and_moments_stand_in_their_order(
    kind: str, load: float, volts: float, cap: object
) -> None:
    aid = {
        "none": Aid(),
        "start_capacitor": KIT,
        "ptc": Aid(kind="ptc", cold_ohm=25.0),
        "soft_starter": Aid(kind="soft_starter", start_cap_uf=170.0),
    }[kind]
    told, _ = explained(aid=aid, load=Load(start_torque_pct=load), run_cap_uf=cap, source=Source(volts=volts))
    count = len(told.speed_pct)
    for name in (
        "rotor_deg",
        "line_rms_a",
        "run_a",
        "run_deg",
        "start_a",
        "start_deg",
        "torque_nm",
        "capacitor_in",
    ):
        values = getattr(told, name)
        assert len(values) == count
        assert np.isfinite(np.array(values, dtype=float)).all()
    assert all(-180 <= d <= 180 for d in told.run_deg + told.start_deg)
    assert max(told.run_a + told.start_a) <= told.most_a + 0.01
    moments = [m.at_s for m in told.moments]
    assert moments == sorted(moments)
    assert 0 <= moments[0]
    assert moments[-1] <= count * told.frame_s
