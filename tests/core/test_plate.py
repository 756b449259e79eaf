"""A plate's own arithmetic, worked by hand, and the slips it suggests."""

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from orange_crank.core.errors import BeyondTable, input_problem
from orange_crank.core.motor.gear import starting_of
from orange_crank.core.plate import Compressor, Motor, Plate, PlateRead, PlateResult, check_plate
from orange_crank.core.tables import overcurrent_sizes_a


def plate(rla: float = 16.7, lra: float | None = 97, fla: float | None = 1.4, **more: Any) -> Plate:
    return Plate(
        **{
            "volts": 230,
            "phase": 1,
            "compressors": [Compressor(rla_a=rla, lra_a=lra)],
            "motors": [Motor(fla_a=fla)] if fla else [],
            **more,
        }
    )


def suspects(entry: Plate) -> set[tuple[str, float, float]]:
    return {(s.field, s.got, s.maybe) for s in check_plate(entry).suspects}


def codes(entry: Plate) -> dict[str, str]:
    return {f.code: f.verdict for f in check_plate(entry).findings}


@pytest.mark.parametrize(
    ("entry", "mca", "mocp", "start"),
    [
        # 1.25·16.7 + 1.4 = 22.275; 2.25·16.7 + 1.4 = 38.975 → 35; 1.75·16.7 + 1.4 = 30.625 → 30
        (plate(), 22.275, 35, 30),
        # single motor-compressor: 1.25·9 = 11.25; 20.25 → 20; 15.75 → 15
        (plate(9, 50, None), 11.25, 20, 15),
        # selection current outranks RLA: 1.25·20 = 25; 45 → 45; 35 → 35
        (plate(compressors=[Compressor(rla_a=16.7, lra_a=97, bcsc_a=20)], fla=None), 25, 45, 35),
        # two compressors: 1.25·13.1 + 13.1 + 1.7 + 1.7 + 5.8 = 38.675; 51.775 → 50; 45.225 → 45
        (
            plate(
                volts=208,
                phase=3,
                compressors=[Compressor(rla_a=13.1, lra_a=83)] * 2,
                motors=[Motor(fla_a=1.7), Motor(fla_a=1.7), Motor(fla_a=5.8)],
            ),
            38.675,
            50,
            45,
        ),
        # other load counts in full: 1.25·10 + 1 + 4 = 17.5; 27.5 → 25; 22.5 → 20
        (plate(10, 55, 1, other_a=4), 17.5, 25, 20),
        # never under 15 A: 2.25·4 = 9
        (plate(4, 22, None), 5, 15, 15),
        # 2.25·20 = 45.0 lands on a size exactly and keeps it
        (plate(20, 110, None), 25, 45, 35),
    ],
)
def test_mca_and_mocp_agree_with_the_sum_done_by_hand(
    entry: Plate, mca: float, mocp: float, start: float
) -> None:
    result = check_plate(entry)
    assert pytest.approx(mca) == result.mca_a
    assert (mocp, start) == (result.mocp_a, result.mocp_start_a)


def test_a_motor_larger_than_the_compressor_carries_the_extra_quarter() -> None:
    # NEC 440.33: 1.25·12 + 8 = 23; 440.22(B)(2), 430.53(C)(4): 2.5·12 + 8 = 38 → 35
    result = check_plate(plate(8, 45, 12))
    assert (23.0, 35.0) == (result.mca_a, result.mocp_a)
    assert "LARGEST_IS_A_MOTOR" in {f.code for f in result.findings}


@pytest.mark.parametrize(
    ("entry", "expected"),
    [
        (plate(mca_a=22.3, mocp_a=35), set()),
        (plate(rla=167, mca_a=22.3), {("compressors[0].rla_a", 167, 16.7)}),
        (plate(lra=970, mca_a=22.3), {("compressors[0].lra_a", 970, 97)}),
        (
            plate(rla=97, lra=16.7),
            {("compressors[0].rla_a", 97, 16.7), ("compressors[0].lra_a", 16.7, 97)},
        ),
        (plate(mca_a=35, mocp_a=22), {("mca_a", 35, 22), ("mocp_a", 22, 35)}),
        (plate(mca_a=223, mocp_a=35), {("mca_a", 223, 22.3)}),
        (plate(mca_a=22.3, mocp_a=350), {("mocp_a", 350, 35)}),
        (plate(volts=460), {("volts", 460, 230), ("phase", 1, 3)}),
        (plate(volts=115, phase=3), {("volts", 115, 208), ("phase", 3, 1)}),
        (plate(volts=23), {("volts", 23, 230)}),
        (plate(volts=115, tons=3), {("volts", 115, 230)}),
        (plate(fla=14, tons=3), {("motors[0].fla_a", 14, 1.4)}),
        (plate(phase=3, volts=208, run_cap_uf=45), {("phase", 3, 1)}),
        (plate(rla=126, lra=None, inverter=True, fla=0.7, mca_a=16.5), {("compressors[0].rla_a", 126, 12.6)}),
    ],
)
def test_a_likely_slip_is_suggested_with_what_was_meant(
    entry: Plate, expected: set[tuple[str, float, float]]
) -> None:
    assert expected == suspects(entry)


def test_a_slip_is_suggested_and_nothing_is_changed() -> None:
    result = check_plate(plate(rla=167, mca_a=22.3))
    assert pytest.approx(1.25 * 167 + 1.4) == result.mca_a


@pytest.mark.parametrize(
    ("entry", "code", "verdict"),
    [
        (plate(mca_a=22.3), "MCA_AGREES", "pass"),
        (plate(mca_a=26), "MCA_DIFFERS", "watch"),
        (plate(mca_a=22.3, mocp_a=35), "MOCP_AGREES", "pass"),
        (plate(mca_a=22.3, mocp_a=45), "MOCP_ABOVE_RULE", "watch"),
        (plate(mca_a=22.3, mocp_a=33), "MOCP_NOT_STANDARD", "watch"),
        (plate(mca_a=35, mocp_a=22), "MOCP_BELOW_MCA", "fail"),
        (plate(), "LRA_RLA_RATIO", "pass"),
        (plate(lra=60), "LRA_RLA_RATIO", "watch"),
        (plate(lra=10), "LRA_RLA_RATIO", "fail"),
        (plate(tons=3), "TONNAGE_GUESS", "note"),
        (plate(lra=None, inverter=True), "INVERTER_NO_AID", "note"),
        (plate(volts=208, phase=3), "THREE_PHASE_NO_SINGLE_PHASE_AID", "note"),
        (plate(5, 28, other_a=22.9), "MOCP_ROUNDS_BELOW_MCA", "note"),
    ],
)
def test_each_finding_appears_with_its_verdict(entry: Plate, code: str, verdict: str) -> None:
    assert verdict == codes(entry)[code]


def test_every_finding_names_its_rule_and_arithmetic_where_there_is_one() -> None:
    for finding in check_plate(plate(mca_a=22.3, mocp_a=35, tons=3)).findings:
        assert finding.rule
        assert finding.inputs
        assert finding.arithmetic


@pytest.mark.parametrize(
    ("entry", "field", "wanted"),
    [
        ({"volts": 0}, "volts", "a number above 0"),
        ({"volts": -230}, "volts", "a number above 0"),
        ({"volts": "230"}, "volts", "a number"),
        ({"volts": float("nan")}, "volts", "a finite number"),
        ({"volts": float("inf")}, "volts", "a finite number"),
        ({"phase": 2}, "phase", "one of 1, 3"),
        ({"phase": True}, "phase", "the number 1 or 3"),
        ({"compressors": []}, "compressors", "at least 1 entries"),
        ({"compressors": [{"rla_a": 16.7}]}, "compressors[0].lra_a", "the locked-rotor amps"),
        ({"compressors": [{"rla_a": 1e9, "lra_a": 97}]}, "compressors[0].rla_a", "at most 10000"),
        ({"compressors": [{"rla_a": True, "lra_a": 97}]}, "compressors[0].rla_a", "a number"),
        ({"motors": [{}]}, "motors[0].fla_a", "a value"),
        ({"horsepower": 3}, "horsepower", "not known here"),
        ({"inverter": "yes"}, "inverter", "true or false"),
    ],
)
def test_an_impossible_entry_is_refused_at_its_field(entry: dict[str, Any], field: str, wanted: str) -> None:
    good = {"volts": 230, "phase": 1, "compressors": [{"rla_a": 16.7, "lra_a": 97}]}
    with pytest.raises(ValidationError) as caught:
        Plate.model_validate({**good, **entry})
    problem = input_problem(caught.value).problem()
    assert [e.field for e in problem.errors] == [field]
    assert wanted in problem.errors[0].wanted


def test_loads_beyond_the_largest_device_are_refused_not_extrapolated() -> None:
    with pytest.raises(BeyondTable, match="above the largest standard breaker"):
        check_plate(plate(3_000, 9_000))


amps = st.floats(min_value=1, max_value=150)


@given(rla=amps, fla=st.floats(min_value=0.2, max_value=20), other=st.floats(min_value=0, max_value=30))
def test_mocp_is_a_standard_size_never_under_15_nor_above_the_limit(
    rla: float, fla: float, other: float
) -> None:
    result = check_plate(plate(rla, 5.5 * rla, fla, other_a=other))
    limit = (2.25 * rla + fla if rla >= fla else 2.5 * fla + rla) + other
    assert result.mocp_a is not None
    assert result.mocp_start_a is not None
    assert result.mca_a is not None
    assert result.mocp_a in overcurrent_sizes_a()
    assert result.mocp_a <= max(limit + 1e-6, 15)
    assert result.mocp_start_a <= result.mocp_a
    assert result.mca_a >= rla + fla + other


@given(
    rla=st.floats(min_value=4, max_value=60),
    ratio=st.floats(min_value=4.2, max_value=6.8),
    tenths=st.booleans(),
)
def test_a_lost_decimal_point_in_rla_or_lra_is_always_noticed(rla: float, ratio: float, tenths: bool) -> None:
    right = plate(round(rla, 1), round(rla * ratio, 1), None)
    mca = round(check_plate(right).mca_a or 0.0, 1)
    first = right.compressors[0]
    assert first.lra_a is not None
    slipped = (
        plate(first.rla_a * 10, first.lra_a, None, mca_a=mca)
        if tenths
        else plate(first.rla_a, first.lra_a * 10, None, mca_a=mca)
    )
    name = "rla_a" if tenths else "lra_a"
    right_value = first.rla_a if tenths else first.lra_a
    found = {field: maybe for field, _, maybe in suspects(slipped)}
    assert pytest.approx(right_value) == found[f"compressors[0].{name}"]


WORN: dict[str, Any] = {
    "volts": 230,
    "phase": 1,
    "compressors": [{"rla_a": 16.7, "lra_a": 97}],
    "motors": [{"fla_a": 1.4}],
    "mca_a": 22.3,
    "mocp_a": 35,
}


def read(**change: Any) -> PlateResult:
    """Return the check of a worn plate: what is given None cannot be read."""
    entry = {k: v for k, v in (WORN | change).items() if v is not None}
    return check_plate(PlateRead.model_validate(entry))


@pytest.mark.parametrize(
    ("change", "missing", "mca"),
    [
        ({}, [], 22.275),
        ({"compressors": [{"rla_a": 16.7}]}, ["compressors[0].lra_a"], 22.275),
        ({"compressors": [{"rla_a": 16.7}], "inverter": True}, [], 22.275),
        ({"volts": None}, ["volts"], 22.275),
        ({"phase": None}, ["phase"], 22.275),
        ({"compressors": [{"lra_a": 97}]}, ["compressors[0].rla_a"], None),
        ({"motors": [{}]}, ["motors[0].fla_a"], None),
        ({"compressors": []}, ["compressors"], None),
        ({"mca_a": None, "mocp_a": None}, ["mca_a", "mocp_a"], 22.275),
    ],
)
def test_what_is_legible_is_answered_and_what_is_not_says_what_it_keeps(
    change: dict[str, Any], missing: list[str], mca: float | None
) -> None:
    out = read(**change)
    assert missing == [m.field for m in out.missing]
    assert mca == out.mca_a
    assert (out.mocp_a is None) == (mca is None)
    for m in out.missing:
        assert m.keeps
        assert any(m.label in f.text and m.keeps in f.text for f in out.findings if f.code == "NOT_LEGIBLE")
    if mca is not None and "mca_a" not in missing:
        assert "MCA_AGREES" in {f.code for f in out.findings}


def test_ampacity_needs_no_locked_rotor_and_its_sentence_says_so() -> None:
    (lost,) = read(compressors=[{"rla_a": 16.7}]).missing
    assert "MCA and MOCP need none" in lost.keeps


@given(
    st.fixed_dictionaries(
        {}, optional={k: st.just(v) for k, v in WORN.items() if k not in ("compressors", "motors")}
    ),
    st.lists(
        st.fixed_dictionaries({}, optional={"rla_a": st.just(16.7), "lra_a": st.just(97.0)}), max_size=2
    ),
    st.lists(st.fixed_dictionaries({}, optional={"fla_a": st.just(1.4)}), max_size=2),
)
def test_any_part_of_a_plate_is_answered_without_a_guess(
    rest: dict[str, Any], compressors: list[dict[str, Any]], motors: list[dict[str, Any]]
) -> None:
    out = check_plate(PlateRead.model_validate(rest | {"compressors": compressors, "motors": motors}))
    known = compressors and all("rla_a" in c for c in compressors) and all("fla_a" in m for m in motors)
    assert (out.mca_a is not None) == bool(known)
    assert {"volts", "phase"} - set(rest) <= {m.field for m in out.missing}
    if not known and "volts" in rest:
        assert "pass" != out.verdict


def test_the_whole_plate_and_what_was_read_of_it_say_the_same() -> None:
    assert check_plate(Plate.model_validate(WORN)) == read()


def test_heat_on_the_same_plate_counts_for_a_quarter_more() -> None:
    """1.25 × 16.7 + 1.4 + 1.25 × 20 = 47.275; 2.25 × 16.7 + 1.4 + 20 = 58.975 → 50."""
    out = read(other_a={"amps": 20.0, "kind": "heat"}, mca_a=None, mocp_a=None)
    assert (47.275, 50.0) == (out.mca_a, out.mocp_a)
    plain = read(other_a=20.0, mca_a=None, mocp_a=None)
    assert plain == read(other_a={"amps": 20.0, "kind": "other"}, mca_a=None, mocp_a=None).model_copy()
    assert 42.275 == plain.mca_a


@pytest.mark.parametrize("starting", ["current_relay", "current_relay_capacitor", "ptc"])
def test_a_run_capacitor_and_a_start_without_one_are_doubted_and_the_capacitor_counts(starting: str) -> None:
    small = {"volts": 115, "phase": 1, "compressors": [{"rla_a": 8.4, "lra_a": 46}], "hp": 0.5}
    both = Plate.model_validate(small | {"starting": starting, "run_cap_uf": 15})
    finding = next(f for f in check_plate(both).findings if f.code == "STARTING_AND_RUN_CAPACITOR")
    assert (finding.verdict, bool(finding.next_step)) == ("watch", True)
    assert starting_of(both) == "run_capacitor"
    for fits in ({"starting": starting}, {"starting": "run_capacitor", "run_cap_uf": 15}):
        codes = {f.code for f in check_plate(Plate.model_validate(small | fits)).findings}
        assert "STARTING_AND_RUN_CAPACITOR" not in codes
