"""The code's tables, every cell that can be held against another."""

import math
from itertools import pairwise
from typing import Any

import pytest

from orange_crank.core.errors import BeyondTable, InputProblem
from orange_crank.core.tables import overcurrent_within, rows, standard_breaker, standard_ratings
from orange_crank.core.tables.code import (
    SIZES,
    ambient_factor,
    ampacity_a,
    area_kcmil,
    bundling_factor,
    conductor_area_in2,
    disconnect_frame_a,
    grounding_size,
    horsepower_by_full_load,
    horsepower_by_locked_rotor,
    raceway_size,
    size_word,
    sizes_of,
    small_conductor_limit_a,
)


@pytest.mark.parametrize("material", ["copper", "aluminum"])
@pytest.mark.parametrize("column", [60, 75, 90])
def test_ampacity_grows_with_size_and_with_temperature(material: Any, column: Any) -> None:
    held = [ampacity_a(s, material, column) for s in sizes_of(material)]
    assert all(a < b for a, b in pairwise(held))
    for s in sizes_of(material):
        assert ampacity_a(s, material, 60) <= ampacity_a(s, material, 75) <= ampacity_a(s, material, 90)
        if material == "aluminum":
            assert ampacity_a(s, "aluminum", column) <= ampacity_a(s, "copper", column)


def test_columns_stand_to_one_another_as_heat_says() -> None:
    """I² grows with the rise over 30 °C: √(45/30) = 1.22 from 60 to 75, √(60/45) = 1.15 from 75 to 90."""
    for material in ("copper", "aluminum"):
        for s in sizes_of(material):
            low, mid, high = (ampacity_a(s, material, c) for c in (60, 75, 90))
            assert mid / low == pytest.approx(math.sqrt(45 / 30), abs=0.13), s
            assert high / mid == pytest.approx(math.sqrt(60 / 45), abs=0.13), s


def test_ambient_factors_are_the_formula_at_the_top_of_their_row() -> None:
    """√((Tc − Ta)/(Tc − 30)), printed to two places."""
    checked = 0
    for r in rows("ambient_factors"):
        for column in (60, 75, 90):
            printed = r[f"factor_{column}"]
            if printed:
                made = (
                    math.sqrt((column - float(r["to_c"])) / (column - 30))
                    if column > float(r["to_c"])
                    else 0.0
                )
                assert float(printed) == pytest.approx(made, abs=0.006), (r, column)
                checked += 1
    assert checked >= 35


def test_the_fahrenheit_rows_are_the_celsius_ones() -> None:
    for r in rows("ambient_factors"):
        assert float(r["to_f"]) == pytest.approx(32 + 1.8 * float(r["to_c"]), abs=0.5)
    assert ambient_factor(86.0, 75) == 1.0
    assert ambient_factor(87.0, 75) == 0.94
    assert ambient_factor(200.0, 90) is None
    assert ambient_factor(150.0, 60) is None


def test_bundling_has_no_gap() -> None:
    assert [1.0, 1.0, 0.8, 0.8, 0.7, 0.5, 0.45, 0.4, 0.35] == [
        bundling_factor(n) for n in (1, 3, 4, 6, 7, 10, 21, 31, 41)
    ]
    held = [bundling_factor(n) for n in range(1, 60)]
    assert held == sorted(held, reverse=True)


def test_grounding_grows_and_aluminium_is_never_smaller() -> None:
    kinds = [
        (grounding_size(a, "copper"), grounding_size(a, "aluminum"))
        for a in (15, 20, 60, 100, 200, 300, 400, 500, 600, 800)
    ]
    assert [("14", "12"), ("12", "10"), ("10", "8"), ("8", "6"), ("6", "4")] == kinds[:5]
    for (a, b), (c, d) in pairwise(kinds):
        assert area_kcmil(a) < area_kcmil(c)
        assert area_kcmil(b) < area_kcmil(d)
    assert all(area_kcmil(a) < area_kcmil(b) for a, b in kinds)
    assert "10" == grounding_size(45, "copper")
    with pytest.raises(BeyondTable):
        grounding_size(1000, "copper")


def test_small_conductor_limits() -> None:
    assert [15.0, 20.0, 30.0, None] == [small_conductor_limit_a(s, "copper") for s in ("14", "12", "10", "8")]
    assert [None, 15.0, 25.0] == [small_conductor_limit_a(s, "aluminum") for s in ("14", "12", "10")]


def test_areas_grow_with_size() -> None:
    for insulation in ("THWN-2", "XHHW-2"):
        held = [conductor_area_in2(s, insulation) for s in SIZES]
        assert all(a < b for a, b in pairwise(held))
    for s in SIZES:  # bare metal fits inside its insulation
        assert conductor_area_in2(s, "THWN-2") > area_kcmil(s) * 1000 * math.pi / 4 / 1e6


# Printed counts for EMT and THHN (Annex C): so many fit, one more does not, where the sum is not rounded up.
@pytest.mark.parametrize(
    ("trade", "size", "count"),
    [
        ("1/2", "14", 12),
        ("1/2", "12", 9),
        ("1/2", "10", 5),
        ("1/2", "8", 3),
        ("3/4", "12", 16),
        ("3/4", "10", 10),
        ("1", "10", 16),
        ("1", "8", 9),
        ("1", "6", 6),
        ("1-1/4", "6", 11),
        ("1-1/4", "4", 7),
        ("1-1/2", "4", 9),
        ("2", "2", 11),
        ("2", "1", 8),
    ],
)
def test_printed_fill_counts(trade: str, size: str, count: int) -> None:
    one = conductor_area_in2(size, "THHN")
    inside = next(
        float(r["total_in2"])
        for r in rows("raceway_areas")
        if (r["raceway"], r["trade_size"]) == ("EMT", trade)
    )
    assert 0.4 * inside / one == pytest.approx(count, abs=1.0)
    assert 0.4 * inside / one >= count - 0.2, "a part of eight tenths is counted as one"


def test_raceways_grow_and_thicker_walls_hold_less() -> None:
    kinds: dict[str, dict[str, float]] = {}
    for r in rows("raceway_areas"):
        kinds.setdefault(r["raceway"], {})[r["trade_size"]] = float(r["total_in2"])
    for sizes in kinds.values():
        held = list(sizes.values())
        assert all(a < b for a, b in pairwise(held))
    for trade, emt in kinds["EMT"].items():
        assert kinds["PVC-80"][trade] < kinds["PVC-40"][trade] < emt
    trade, fill = raceway_size("EMT", [0.152])
    assert "1/2" == trade
    assert fill == pytest.approx(50.0)
    with pytest.raises(BeyondTable):
        raceway_size("EMT", [9.0, 9.0, 9.0])


def test_raceway_areas_are_those_of_their_inside_diameters() -> None:
    """π/4·d² to the third place; a row taken from another raceway would show."""
    for r in rows("raceway_areas"):
        made = math.pi / 4 * float(r["inside_in"]) ** 2
        assert float(r["total_in2"]) == pytest.approx(made, rel=0.004), r
    held = {(r["raceway"], r["trade_size"]): r for r in rows("raceway_areas")}
    for trade in ("1/2", "3/4", "1", "1-1/4", "1-1/2", "2"):
        assert held["LFMC", trade]["total_in2"] == held["LFNC-B", trade]["total_in2"], (
            "one family of fittings"
        )
        assert held["LFMC", trade]["total_in2"] != held["FMC", trade]["total_in2"]


def test_ten_amps_is_a_breaker_from_2023_and_a_fuse_always() -> None:
    small = {r.rating_a: r for r in standard_ratings() if r.rating_a < 15}
    assert [1, 3, 6, 10] == list(small)
    assert all(r.fuse for r in small.values())
    assert {"2017": False, "2020": False, "2023": True} == {
        e: standard_breaker(10, e) for e in ("2017", "2020", "2023")
    }
    assert not standard_breaker(6, "2023")
    assert all(standard_breaker(r.rating_a, "2017") for r in standard_ratings() if r.rating_a >= 15)
    assert [10, 6, 1, 15, 40] == [overcurrent_within(a) for a in (14.9, 6.0, 2.9, 15.0, 44.0)]


def test_sizes_above_4_0_are_kcmil() -> None:
    words = [size_word(s) for s in SIZES]
    assert "4/0 AWG" in words
    assert ["250 kcmil", "300 kcmil"] == words[13:15]
    for s, word in zip(SIZES, words, strict=True):
        assert word.endswith("kcmil") == (area_kcmil(s) >= 250), s


def test_motor_currents_grow_with_horsepower_and_fall_with_volts() -> None:
    by: dict[tuple[str, str], list[tuple[float, float, float | None]]] = {}
    for r in rows("motor_currents"):
        locked = float(r["lra_a"]) if r["lra_a"] else None
        by.setdefault((r["phase"], r["volts"]), []).append((float(r["rated_hp"]), float(r["fla_a"]), locked))
    for table in by.values():
        for (hp, fla, lra), (hp2, fla2, lra2) in pairwise(table):
            assert hp < hp2
            assert fla < fla2
            assert lra is None or lra2 is None or lra < lra2
        for _, fla, lra in table:
            assert lra is None or 4.0 < lra / fla < 10.5
    for phase, volts in (("1", "230"), ("3", "230"), ("3", "460")):
        other = {"230": "208", "460": "230"}[volts]
        for (hp, fla, _), (hp2, fla2, _) in zip(by[(phase, volts)], by[(phase, other)], strict=False):
            assert hp == hp2
            assert fla < fla2
    for hp, fla, lra in by[("3", "460")]:
        double = next(t for t in by[("3", "230")] if t[0] == hp)
        assert fla == pytest.approx(double[1] / 2, rel=0.02)
        assert lra == pytest.approx(float(double[2] or 0) / 2, rel=0.02)


def test_horsepower_is_the_next_at_or_above() -> None:
    assert 5.0 == horsepower_by_full_load(28.0, 230.0, 1)
    assert 7.5 == horsepower_by_full_load(28.1, 230.0, 1)
    assert 5.0 == horsepower_by_locked_rotor(168.0, 230.0, 1)
    assert 7.5 == horsepower_by_locked_rotor(168.5, 240.0, 1)
    assert 3.0 == horsepower_by_full_load(10.6, 208.0, 3)
    assert horsepower_by_full_load(10.0, 277.0, 1) is None


def test_frames_and_unknown_sizes() -> None:
    assert [30, 60, 100, 200, 400] == [disconnect_frame_a(a) for a in (30.0, 30.1, 100.0, 101.0, 400.0)]
    with pytest.raises(BeyondTable):
        disconnect_frame_a(401.0)
    with pytest.raises(InputProblem):
        ampacity_a("14", "aluminum", 60)
