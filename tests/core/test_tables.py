"""Every table's shape: sources named, ascending, known ends, hand-checked cells."""

import pytest

from orange_crank.core.errors import BeyondTable, InputProblem
from orange_crank.core.tables import (
    nominal_volts,
    overcurrent_at_least,
    overcurrent_at_most,
    overcurrent_sizes_a,
    rows,
    sources,
)
from orange_crank.core.tables.standards import shipped_standards, with_standard


def test_every_table_has_a_source_and_units_for_its_numbers() -> None:
    for name, note in sources().items():
        table = rows(name)
        assert table, name
        assert note.source
        numeric = [k for k, v in table[0].items() if v.replace(".", "").isdigit()]
        assert set(numeric) <= set(note.units), name


def test_overcurrent_sizes_ascend_from_15_to_6000() -> None:
    sizes = overcurrent_sizes_a()
    assert sorted(set(sizes)) == list(sizes)
    assert (15, 6000, 37) == (sizes[0], sizes[-1], len(sizes))
    assert {30, 45, 110, 225, 1200} <= set(sizes)


@pytest.mark.parametrize(("limit", "size"), [(15, 15), (19.99, 15), (20, 20), (59, 50), (129, 125), (3, 15)])
def test_rounding_down_chooses_a_standard_size(limit: float, size: int) -> None:
    assert size == overcurrent_at_most(limit)


@pytest.mark.parametrize(("floor", "size"), [(15, 15), (15.01, 20), (51, 60), (101, 110)])
def test_rounding_up_chooses_a_standard_size(floor: float, size: int) -> None:
    assert size == overcurrent_at_least(floor)


def test_above_the_largest_is_an_error() -> None:
    with pytest.raises(BeyondTable, match="6000 A"):
        overcurrent_at_least(6001)


def test_the_usual_nameplate_volts_are_known() -> None:
    assert {115, 208, 230} <= set(nominal_volts(1))
    assert {208, 230, 460, 575} <= set(nominal_volts(3))


def test_every_shop_standard_has_unit_reason_and_other_practice() -> None:
    listed = shipped_standards().all()
    assert len(listed) == len({s.name for s in listed})
    for standard in listed:
        assert standard.unit
        assert len(standard.reason) > 20
        assert len(standard.other_practice) > 5


def test_an_unknown_standard_cannot_be_set() -> None:
    with pytest.raises(InputProblem, match="the name of a shop standard"):
        with_standard(shipped_standards(), "no_such", 1)
