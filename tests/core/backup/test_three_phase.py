"""A three-phase compressor on a small source."""

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from orange_crank.core.aids import AidIn, choose_aid
from orange_crank.core.backup.demand import check_backup
from orange_crank.core.backup.entry import BackupIn, BackupOut
from orange_crank.core.errors import InputProblem

PLATE: dict[str, Any] = {"volts": 208.0, "phase": 3, "compressors": [{"rla_a": 25.0, "lra_a": 164.0}]}


def on(kw: float, source: dict[str, Any] | None = None, **more: Any) -> BackupOut:
    given_source = {"kind": "standby", "continuous_kw": kw, "volts": 208.0, "fuel": "diesel"} | (source or {})
    entry = {
        "source": given_source,
        "transfer": "transfer_switch",
        "plate": PLATE,
        "aids": [{"label": "No aid"}],
    }
    return check_backup(BackupIn.model_validate(entry | more))


def test_a_tenth_of_reactance_dips_as_ohm_says() -> None:
    """30 kVA at 0.22 per unit is 0.317 Ω; the motor's stall impedance is 0.732 Ω: about 30 % of dip."""
    found = on(30.0).results[0]
    assert found.dip_pct == pytest.approx(29.6, abs=0.5)
    assert found.start_kva == pytest.approx(41.6, rel=0.02)
    assert found.verdict == "starts"
    assert on(15.0).results[0].verdict == "fails"
    assert not on(15.0).results[0].contactor_holds
    assert on(15.0).results[0].margin_pct == 0


@given(kw=st.floats(16.0, 200.0), more=st.floats(1.05, 3.0), others=st.floats(0.0, 5000.0))
def test_a_larger_source_dips_less_and_other_loads_dip_more(kw: float, more: float, others: float) -> None:
    small, large = on(kw), on(kw * more)
    beside = on(kw, others=[{"name": "lights", "watts": others}])
    assert large.results[0].dip_pct <= small.results[0].dip_pct
    assert beside.results[0].dip_pct >= small.results[0].dip_pct
    order = {"fails": 0, "marginal": 1, "starts": 2}
    assert order[large.results[0].verdict] >= order[small.results[0].verdict]


def test_an_inverter_gives_its_surge_and_no_more() -> None:
    battery = {"kind": "battery_inverter", "fuel": "battery", "surge_kw": 24.0}
    assert on(15.0, battery).results[0].start_kva == pytest.approx(24.0, rel=0.01)
    assert on(15.0, battery).results[0].verdict == "fails"


def test_an_electronic_contactor_that_cuts_out_fails_it() -> None:
    cut_out = {"brownout_v": 18.0, "brownout_s": 0.1}
    assert on(30.0, electronic=cut_out).results[0].verdict == "fails"


def test_it_refuses_an_inverter() -> None:
    with pytest.raises(InputProblem) as refused:
        on(30.0, plate=PLATE | {"inverter": True})
    assert refused.value.errors[0].field == "plate.inverter"


def test_the_aid_rung_bars_aids_and_still_answers_for_the_source() -> None:
    supply = {
        "source": {"kind": "standby", "continuous_kw": 30.0, "volts": 208.0, "fuel": "diesel"},
        "transfer": "transfer_switch",
    }
    entry = {"plate": PLATE | {"refrigerant": "R-410A"}, "goal": "backup_power", "backup": supply}
    out = choose_aid(AidIn.model_validate(entry))
    assert out.ranked == []
    assert out.backup is not None
    assert out.backup.results[0].verdict == "starts"
    assert {f.code for f in out.backup.findings} >= {"THREE_PHASE_SOURCE"}
