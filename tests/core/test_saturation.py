"""Gauges in degrees: printed points, the height of the place, glide, and what is a vacuum."""

import json
from itertools import pairwise
from typing import Any

import pytest

from orange_crank.core.diagnosis import DiagnoseIn, diagnose
from orange_crank.core.errors import InputProblem
from orange_crank.core.measure.refrigerant import Refrigerant, RefrigerantResult, judge_refrigerant
from orange_crank.core.measure.saturation import atmosphere_psi, is_vacuum, saturation_f
from orange_crank.core.tables.refrigerants import refrigerants
from orange_crank.core.tables.standards import shipped_standards
from orange_crank.core.topics import calculate

# psig at 40, 100 and 120 °F, as printed on pressure-temperature cards.
PRINTED = {
    "R-410A": (118, 318, 418),
    "R-22": (69, 196, 260),
    "R-32": (121, 326, 429),
    "R-134a": (35, 124, 171),
    "R-290": (64, 174, 228),
    "R-600a": (12, 58, 82),
}
LIMITS = shipped_standards()


@pytest.mark.parametrize("name", PRINTED)
def test_saturation_is_as_printed_within_a_psi_of_rounding(name: str) -> None:
    for psig, wanted in zip(PRINTED[name], (40.0, 100.0, 120.0), strict=True):
        at = saturation_f(name, float(psig))
        assert at is not None
        assert at[1] == pytest.approx(wanted, abs=1.0)
        assert at[0] <= at[1] + 0.2, "bubble is never above dew"


def test_every_refrigerant_with_a_fluid_grows_with_pressure_and_blends_glide() -> None:
    known = [r for r in refrigerants() if r.fluid is not None]
    assert len(known) >= 20
    for r in known:
        dews = [at[1] for p in (20.0, 60.0, 120.0) if (at := saturation_f(r.name, p)) is not None]
        assert len(dews) == 3, r.name
        assert all(a < b for a, b in pairwise(dews)), r.name
    bubble, dew = saturation_f("R-454B", 112.0) or (0.0, 0.0)
    assert 1.0 < dew - bubble < 4.0
    assert saturation_f("R-421A", 100.0) is None
    assert saturation_f("no such gas", 100.0) is None
    assert saturation_f(None, 100.0) is None


def test_a_gauge_is_against_the_air_outside() -> None:
    """At 4,300 ft the air is 12.5 psia: the same 118 psig is colder by about a degree."""
    assert atmosphere_psi(4300.0) == pytest.approx(12.5, abs=0.1)
    low, high = saturation_f("R-410A", 118.0), saturation_f("R-410A", 118.0, 4300.0)
    assert low is not None
    assert high is not None
    assert 0.5 < low[1] - high[1] < 2.0


@pytest.mark.parametrize(
    ("psig", "name", "vacuum"),
    [
        (-2.0, "R-600a", False),
        (-1.0, "R-134a", False),
        (-2.0, "R-410A", True),
        (-5.0, "R-134a", True),
        (-1.0, None, True),
        (-1.0, "no such gas", True),
        (0.5, None, False),
    ],
)
def test_a_vacuum_is_told_by_saturation_and_never_passed_without_it(
    psig: float, name: str | None, vacuum: bool
) -> None:
    assert vacuum == is_vacuum(psig, name, LIMITS)
    out = judge({"suction_psig": psig} | ({} if name is None else {"refrigerant": name}))
    assert vacuum == out.stop
    plate: dict[str, Any] = {
        "volts": 230, "phase": 1, "compressors": [{"rla_a": 17.9, "lra_a": 112}], "run_cap_uf": 45,
    }  # fmt: skip
    plate |= {} if name is None else {"refrigerant": name}
    told = diagnose(
        DiagnoseIn.model_validate(
            {"plate": plate, "readings": [{"quantity": "suction_psig", "value": psig, "state": "running"}]}
        )
    )
    assert vacuum == (told.stop is not None and told.stop.code == "VACUUM"), "Why and the test say the same"


def judge(entry: dict[str, Any]) -> RefrigerantResult:
    return judge_refrigerant(Refrigerant.model_validate(entry))


GAUGES: dict[str, Any] = {"suction_psig": 118.0, "discharge_psig": 318.0, "refrigerant": "R-410A"}


@pytest.mark.parametrize(
    ("outdoor", "verdict", "words"),
    [(85.0, "pass", "15\u202f°F over"), (65.0, "watch", "high head"), (97.0, "watch", "low; little charge"),
     (None, "unknown", "not entered")],
)  # fmt: skip
def test_the_head_is_judged_in_degrees_over_the_air(outdoor: float | None, verdict: str, words: str) -> None:
    out = judge(GAUGES | ({} if outdoor is None else {"outdoor_f": outdoor}))
    told = next(f for f in out.findings if f.code == "CONDENSING_OVER_AMBIENT")
    assert verdict == told.verdict
    assert words in told.text
    assert "PRESSURE_RATIO" not in {f.code for f in out.findings}
    assert out.condensing_f == pytest.approx(100.0, abs=0.5)


def test_superheat_and_subcooling_come_from_line_and_gauge_with_their_uncertainty() -> None:
    """118 psig is 40 °F dew: a 52 °F line is 12 °F; 318 psig is 100 °F bubble: a 90 °F line is 10 °F."""
    out = judge(GAUGES | {"outdoor_f": 85.0, "suction_line_f": 52.0, "liquid_line_f": 90.0})
    assert out.superheat_f == pytest.approx(12.0, abs=0.6)
    assert out.subcooling_f == pytest.approx(10.0, abs=0.6)
    assert out.plus_minus_f is not None
    assert 0.5 < out.plus_minus_f < 2.0
    assert {"SUPERHEAT": "pass", "SUBCOOLING": "pass"}.items() <= {
        f.code: f.verdict for f in out.findings
    }.items()
    read = judge(GAUGES | {"superheat_f": 3.0, "suction_line_f": 52.0})
    assert 3.0 == read.superheat_f, "what was read stands"


def test_without_the_refrigerant_the_ratio_is_judged_and_degrees_are_asked_for() -> None:
    out = judge({"suction_psig": 118.0, "discharge_psig": 318.0})
    told = next(f for f in out.findings if f.code == "PRESSURE_RATIO")
    assert "Enter the refrigerant" in (told.next_step or "")
    assert out.condensing_f is None


def test_a_pressure_that_cannot_be_is_refused_by_its_field() -> None:
    with pytest.raises(InputProblem) as refused:
        calculate("refrigerant", json.dumps({"suction_psig": -40.0, "refrigerant": "R-410A"}))
    assert "suction_psig" == refused.value.errors[0].field
