"""Circuits as a whole: properties over thousands, the audit, what is refused, what is said."""

import json
import random
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from orange_crank.core.circuit import AuditIn, CircuitIn, CircuitOut, audit_circuit, size_circuit
from orange_crank.core.errors import BeyondTable, CrankError, InputProblem
from orange_crank.core.tables.code import RANK, drop_v, horsepower_by_full_load, sizes_of
from orange_crank.core.topics import calculate

SPLIT: dict[str, Any] = {
    "volts": 230.0,
    "phase": 1,
    "compressors": [{"rla_a": 17.9, "lra_a": 112.0}],
    "motors": [{"fla_a": 1.4}],
    "mca_a": 23.8,
    "mocp_a": 40.0,
    "overcurrent_allowed": "fuse_or_breaker",
}


def size(**more: Any) -> CircuitOut:
    return size_circuit(CircuitIn.model_validate(SPLIT | more))


def codes(out: CircuitOut) -> dict[str, str]:
    return {f.code: f.verdict for f in out.findings}


def audit(installed: dict[str, Any], **more: Any) -> Any:
    seen = {
        "insulation": "THWN-2",
        "material": "copper",
        "ambient_f": 86.0,
        "outdoors": False,
        "wet": False,
        "dwelling": True,
        "length_ft": 40.0,
    }
    there = {
        "overcurrent_a": 40.0,
        "overcurrent_kind": "breaker",
        "conductor_awg": "10",
        "egc_awg": "10",
        "disconnect_a": 60.0,
        "disconnect_hp": 10.0,
        "poles": 2,
    } | installed
    return audit_circuit(AuditIn.model_validate(SPLIT | seen | more | {"installed": there}))


def verdict(out: Any, code: str) -> Any:
    return next(c for c in out.checks if c.code == code)


def _random(dice: random.Random) -> dict[str, Any]:
    phase = dice.choice([1, 1, 3])
    volts = dice.choice([115.0, 208.0, 230.0, 240.0]) if phase == 1 else dice.choice([208.0, 230.0, 460.0])
    count = dice.choice([1, 1, 1, 2, 3])
    rated = [round(dice.uniform(4, 50), 1) for _ in range(count)]
    compressors = [{"rla_a": r, "lra_a": round(r * dice.uniform(4.2, 6.8), 0)} for r in rated]
    entry: dict[str, Any] = {
        "volts": volts,
        "phase": phase,
        "compressors": compressors,
        "motors": [{"fla_a": round(dice.uniform(0.5, 6), 1)} for _ in range(dice.choice([0, 1, 2]))],
        "material": dice.choice(["copper", "aluminum"]),
        "edition": dice.choice(["2017", "2020", "2023"]),
        "insulation": dice.choice(["THHN", "THWN", "THWN-2", "XHHW", "XHHW-2"]),
        "ambient_f": dice.choice([70.0, 86.0, 104.0, 115.0, 125.0]),
        "length_ft": dice.uniform(10, 400),
        "current_carrying_conductors": dice.choice([3, 4, 7]),
        "raceway": dice.choice(["EMT", "PVC-40", "PVC-80"]),
        "school": dice.choice(["mca", "breaker"]),
    }
    if dice.random() < 0.3:
        entry["drop_limit_pct"] = dice.choice([2.0, 3.0, 5.0])
    if dice.random() < 0.3:
        entry["termination_c"] = dice.choice([60, 75])
    return entry


def as_built(entry: CircuitIn, out: CircuitOut, **other: Any) -> AuditIn:
    """Return the audit of a sizing put in as it was answered, or with one part other."""
    there = {
        "overcurrent_a": float(out.overcurrent_a),
        "overcurrent_kind": out.overcurrent_kind,
        "conductor_awg": out.conductor_awg,
        "egc_awg": out.egc_awg,
        "egc_material": entry.egc_material or entry.material,
        "disconnect_a": float(out.disconnect_a),
        "disconnect_hp": out.disconnect_hp,
        "disconnect_fused": out.overcurrent_kind == "fuse",
        "poles": out.poles,
    }
    return AuditIn.model_validate(entry.model_dump(exclude_unset=True) | {"installed": there | other})


def test_ten_thousand_sizings_hold_together_and_pass_their_own_audit() -> None:
    """Ampacity ≥ MCA; device ≤ MOCP or raised; disconnect ≥ 115 %; ground no larger; our own work passes."""
    dice, sized = random.Random(20261125), 0
    for _ in range(10_000):
        entry = CircuitIn.model_validate(_random(dice))
        try:
            out = size_circuit(entry)
        except BeyondTable:
            continue
        sized += 1
        assert out.ampacity_a >= out.mca_a - 1e-6
        raised = any(f.code == "ROUNDED_UNDER_MCA" for f in out.findings)
        assert out.mocp_a is not None
        assert out.overcurrent_a <= out.mocp_a or raised
        assert out.overcurrent_a >= out.mca_a - 1e-6
        loads = sum(c.rla_a for c in entry.compressors) + sum(m.fla_a for m in entry.motors)
        assert out.disconnect_min_a == pytest.approx(1.15 * loads, abs=1e-3)
        assert out.disconnect_a >= out.disconnect_min_a - 1e-6
        assert RANK[out.egc_awg] <= RANK[out.conductor_awg]
        assert RANK[out.conductor_awg] >= RANK[out.minimum_conductor_awg]
        if entry.drop_limit_pct is not None:
            assert out.voltage_drop_pct is not None
            assert out.voltage_drop_pct <= entry.drop_limit_pct + 1e-6
        if sized % 10 == 0:
            installed = {
                "overcurrent_a": float(out.overcurrent_a),
                "overcurrent_kind": "breaker",
                "conductor_awg": out.conductor_awg,
                "egc_awg": out.egc_awg,
                "disconnect_a": float(out.disconnect_a),
                "disconnect_hp": out.disconnect_hp,
                "poles": out.poles,
            }
            own = audit_circuit(AuditIn.model_validate(entry.model_dump() | {"installed": installed}))
            assert own.ok, (entry, [c for c in own.checks if c.verdict == "fail"])
    assert sized > 8_000


@settings(max_examples=100, deadline=None)
@given(
    material=st.sampled_from(["copper", "aluminum"]),
    metal=st.sampled_from(["pvc", "steel", "aluminum"]),
    length=st.floats(1, 1000),
    amps=st.floats(1, 300),
    power=st.floats(0.75, 1.0),
    phase=st.sampled_from([1, 3]),
)
def test_more_metal_never_drops_more_and_more_length_or_amps_never_less(
    material: Any, metal: str, length: float, amps: float, power: float, phase: int
) -> None:
    drops = [drop_v(s, material, metal, length, amps, power, phase) for s in sizes_of(material)]
    assert drops == sorted(drops, reverse=True)
    longer = drop_v("10", material, metal, 2 * length, amps, power, phase)
    assert longer == pytest.approx(2 * drop_v("10", material, metal, length, amps, power, phase))


@settings(max_examples=150, deadline=None)
@given(st.floats(5, 90), st.floats(5, 90), st.sampled_from([86.0, 104.0, 122.0]))
def test_more_load_never_takes_less_of_anything(one: float, two: float, ambient: float) -> None:
    low, high = sorted((one, two))

    def made(rla: float) -> CircuitOut:
        entry = {
            "volts": 230.0,
            "phase": 1,
            "compressors": [{"rla_a": rla, "lra_a": 6 * rla}],
            "ambient_f": ambient,
        }
        return size_circuit(CircuitIn.model_validate(entry))

    small, large = made(low), made(high)
    assert small.overcurrent_a <= large.overcurrent_a
    assert RANK[small.conductor_awg] <= RANK[large.conductor_awg] or large.overcurrent_a > 100
    assert small.disconnect_a <= large.disconnect_a


def test_what_is_left_out_is_said_aloud() -> None:
    told = {a.field: (a.value, a.label, a.why) for a in size().assumed}
    assert {"edition", "material", "insulation", "ambient_f", "school", "termination_c", "power_factor",
            "wet", "current_carrying_conductors", "raceway", "motors.lra_a"} == set(told)  # fmt: skip
    assert (86.0, "Highest ambient") == told["ambient_f"][:2]
    whole = size(edition="2023", material="copper", insulation="THWN-2", ambient_f=86.0, school="mca",
                 termination_c=60, power_factor=0.85, wet=False, current_carrying_conductors=2,
                 raceway="EMT", motors=[{"fla_a": 1.4, "lra_a": 7.0}])  # fmt: skip
    assert [] == whole.assumed
    assert "unknown" == codes(size(wet=True))["AMBIENT"]
    assert "AMBIENT" not in codes(size(wet=True, ambient_f=86.0))
    assert "unknown" == codes(size())["VOLTAGE_DROP"]


@pytest.mark.parametrize("insulation", ["THHN", "NM-B"])
def test_dry_insulation_fails_in_a_wet_place(insulation: str) -> None:
    assert "fail" == codes(size(insulation=insulation, wet=True, ambient_f=95.0))["WET_LOCATION"]
    assert "WET_LOCATION" not in codes(size(insulation=insulation, wet=False))


def test_clauses_follow_the_edition() -> None:
    def rules(edition: str) -> str:
        out = size(edition=edition, wet=True, ambient_f=95.0, rooftop_clearance_in=0.2)
        return " ".join(f.rule for f in [*out.findings, *out.always])

    assert "Table 310.15(B)(16)" in rules("2017")
    assert "310.15(B)(3)(c)" in rules("2017")
    assert "Table 310.16" in rules("2020")
    assert "440.11" in rules("2023")
    assert "440.11" not in rules("2020")
    assert "2020" not in rules("2023")


def test_a_device_far_above_the_conductor_is_explained() -> None:
    out = size()
    assert (40, 30.0) == (out.overcurrent_a, out.ampacity_a)
    assert "240.4(G)" in next(f.rule for f in out.findings if f.code == "OCPD_ABOVE_CONDUCTOR")


def test_lugs_are_held_against_the_conductor() -> None:
    lug = {"at": "Contactor", "low_awg": "14", "high_awg": "8", "metals": ["copper"]}
    fits = size(lugs=[lug])
    assert "pass" == codes(fits)["LUG"]
    long = size(lugs=[lug], length_ft=400.0, drop_limit_pct=2.0)
    text = next(f.text for f in long.findings if f.code == "LUG")
    assert "bigger is not always safe" in text
    assert "not marked for aluminum" in next(
        f.text for f in size(lugs=[lug], material="aluminum").findings if f.code == "LUG"
    )
    two = size(lugs=[lug | {"wires_on_it": 2}])
    assert "takes 1 wire, not 2" in next(f.text for f in two.findings if f.code == "LUG")


def test_a_provisional_sizing_asks_for_the_plate() -> None:
    assert "watch" == codes(size(provisional=True))["PROVISIONAL"]


@pytest.mark.parametrize(
    ("entry", "field"),
    [
        ({"volts": 230, "phase": 1}, "mca_a"),
        ({"volts": 230, "phase": 1, "mca_a": 20}, "mocp_a"),
        ({"volts": 400, "phase": 1, "mca_a": 20, "mocp_a": 30}, "volts"),
        ({"volts": 115, "phase": 3, "mca_a": 20, "mocp_a": 30}, "volts"),
        ({"volts": 230, "phase": 1, "mca_a": 20, "mocp_a": 30, "insulation": "TW"}, "insulation"),
        ({"volts": 230, "phase": 1, "mca_a": 20, "mocp_a": 30, "edition": "2014"}, "edition"),
        (
            {"volts": 230, "phase": 1, "mca_a": 20, "mocp_a": 30, "ambient_f": 180, "insulation": "THWN"},
            "ambient_f",
        ),
        ({"volts": 230, "phase": 1, "mca_a": 20, "mocp_a": 30, "length_ft": 0}, "length_ft"),
        (
            {
                "volts": 230,
                "phase": 1,
                "mca_a": 20,
                "mocp_a": 30,
                "material": "aluminum",
                "insulation": "NM-B",
            },
            "material",
        ),
        ({"volts": "230", "phase": 1, "mca_a": 20, "mocp_a": 30}, "volts"),
        ({"volts": 230, "phase": 1, "mca_a": 20, "mocp_a": 30, "colour": "red"}, "colour"),
    ],
)
def test_bad_input_is_refused_by_field(entry: dict[str, Any], field: str) -> None:
    with pytest.raises(InputProblem) as refused:
        calculate("circuit", json.dumps(entry))
    assert field in {e.field for e in refused.value.errors}
    assert all(e.wanted for e in refused.value.errors)


def test_beyond_the_tables_an_engineer_is_named() -> None:
    with pytest.raises(BeyondTable) as refused:
        size(mca_a=400.0, mocp_a=600.0)
    assert "engineer" in (refused.value.next_step or "")
    with pytest.raises(BeyondTable):
        size(length_ft=5000.0, drop_limit_pct=0.5)
    assert "beyond the table" in size(mca_a=300.0, mocp_a=600.0, termination_c=75).other_school.why


def test_horsepower_beyond_the_table_is_unknown_and_not_guessed() -> None:
    assert horsepower_by_full_load(80.0, 230.0, 1) is None
    out = size(compressors=[{"rla_a": 60.0, "lra_a": 340.0}], mca_a=80.0, mocp_a=110.0)
    assert out.disconnect_hp is None
    assert "unknown" == codes(out)["DISCONNECT_HP"]


def test_a_new_unit_with_a_lower_mocp_fails_on_the_old_breaker_until_it_is_changed() -> None:
    """The cheapest fix stands first: a breaker, before any conductor."""
    out = audit({"overcurrent_a": 60.0, "egc_awg": "12"}, mocp_a=35.0)
    assert out.ok is False
    assert ["OCPD_ABOVE_MOCP", "EGC_SMALL"] == [c.code for c in out.checks if c.verdict == "fail"]
    assert "35 A breaker" in out.checks[0].fix
    assert audit({"overcurrent_a": 35.0}, mocp_a=35.0).ok


@pytest.mark.parametrize(
    ("installed", "more", "code", "wanted"),
    [
        ({"conductor_awg": "12"}, {}, "AMPACITY", "fail"),
        ({"overcurrent_a": 20.0}, {}, "OCPD_BELOW_MCA", "watch"),
        ({}, {"overcurrent_allowed": "fuse"}, "FUSE_REQUIRED", "unknown"),
        ({"disconnect_fused": False}, {"overcurrent_allowed": "fuse"}, "FUSE_REQUIRED", "fail"),
        ({"disconnect_fused": True}, {"overcurrent_allowed": "fuse"}, "FUSE_REQUIRED", "pass"),
        ({"overcurrent_kind": "fuse"}, {"overcurrent_allowed": "fuse"}, "FUSE_REQUIRED", "pass"),
        ({}, {"overcurrent_allowed": None}, "FUSE_REQUIRED", "unknown"),
        ({}, {}, "OCPD_ABOVE_CONDUCTOR", "pass"),
        ({}, {}, "SMALL_CONDUCTOR", "pass"),
        ({"egc_awg": "14"}, {}, "EGC_SMALL", "fail"),
        ({"egc_awg": None}, {}, "EGC_SMALL", "unknown"),
        ({"conductor_awg": "6", "egc_awg": "10"}, {}, "EGC_SMALL", "pass"),
        ({"conductor_awg": "6", "egc_awg": "6"}, {}, "EGC_SMALL", "pass"),
        ({"disconnect_a": 20.0}, {}, "DISCONNECT_SMALL", "fail"),
        ({"disconnect_a": None}, {}, "DISCONNECT_SMALL", "unknown"),
        ({"disconnect_hp": 3.0}, {}, "DISCONNECT_HP", "fail"),
        ({"disconnect_hp": None}, {}, "DISCONNECT_HP", "unknown"),
        ({"insulation": "THHN"}, {"wet": True}, "WET_LOCATION", "fail"),
        ({"poles": 1}, {}, "POLES", "fail"),
        ({"poles": None}, {}, "POLES", "unknown"),
        ({}, {"length_ft": 300.0}, "VOLTAGE_DROP", "watch"),
        ({}, {"length_ft": None}, "VOLTAGE_DROP", "unknown"),
        ({"overcurrent_a": 40.0, "conductor_awg": "10"}, {"load": "heat"}, "SMALL_CONDUCTOR", "fail"),
        ({"overcurrent_a": 30.0, "conductor_awg": "10"}, {"load": "heat"}, "SMALL_CONDUCTOR", "pass"),
        ({"overcurrent_a": 50.0, "conductor_awg": "10"}, {"load": "heat"}, "OCPD_ABOVE_CONDUCTOR", "fail"),
    ],
)
def test_each_clause_of_the_audit(
    installed: dict[str, Any], more: dict[str, Any], code: str, wanted: str
) -> None:
    out = audit(installed, **more)
    check = verdict(out, code)
    assert wanted == check.verdict
    assert check.clause
    assert out.ok == (not any(c.verdict == "fail" for c in out.checks))
    if wanted != "pass":
        assert check.fix


def test_the_audit_names_every_code_and_puts_what_fails_first() -> None:
    out = audit(
        {"overcurrent_a": 60.0, "conductor_awg": "12", "egc_awg": "14", "disconnect_a": 20.0, "poles": 1}
    )
    wanted = {
        "AMPACITY",
        "OCPD_ABOVE_MOCP",
        "OCPD_BELOW_MCA",
        "FUSE_REQUIRED",
        "OCPD_ABOVE_CONDUCTOR",
        "SMALL_CONDUCTOR",
        "EGC_SMALL",
        "DISCONNECT_SMALL",
        "DISCONNECT_HP",
        "WET_LOCATION",
        "POLES",
        "VOLTAGE_DROP",
    }
    assert wanted == {c.code for c in out.checks}
    fails = [c.code for c in out.checks if c.verdict == "fail"]
    assert fails == [c.code for c in out.checks[: len(fails)]]
    assert "OCPD_ABOVE_MOCP" == fails[0]
    assert "AMPACITY" == fails[-1]


@settings(max_examples=200, deadline=None)
@given(
    st.dictionaries(
        st.sampled_from(
            [
                "volts",
                "phase",
                "mca_a",
                "mocp_a",
                "length_ft",
                "ambient_f",
                "rooftop_clearance_in",
                "drop_limit_pct",
            ]
        ),
        st.one_of(
            st.floats(allow_nan=False, allow_infinity=False, width=32),
            st.integers(-5, 500),
            st.none(),
            st.text(max_size=3),
        ),
    )
)
def test_no_entry_breaks_it(fields: dict[str, Any]) -> None:
    answer = None
    try:
        answer = calculate("circuit", json.dumps(SPLIT | fields)).model_dump_json()
    except CrankError as problem:
        assert problem.detail  # noqa: PT017
    assert answer is None or "NaN" not in answer
