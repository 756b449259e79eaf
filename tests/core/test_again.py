"""A value typed over another: a slip of the finger is corrected, a second measurement is kept beside it."""

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from orange_crank.core.measure.again import is_second_measurement
from orange_crank.core.measure.reading import NewReading

AT = datetime(2026, 7, 1, 12, tzinfo=UTC)


def reading(value: Any, **more: Any) -> NewReading:
    return NewReading.model_validate(
        {"quantity": "winding_cs_ohm", "value": value, "without_make_safe": "bench", **more}
    )


@pytest.mark.parametrize(
    ("old", "new", "seconds", "changed_after", "second"),
    [
        (2.6, 2.9, 20, None, False),
        (2.6, 2.9, 600, None, True),
        ("open", 2.6, 5, None, True),
        (2.6, "open", 5, None, True),
        ("open", "open", 900, None, False),
        (2.6, 2.6, 900, None, False),
        (2.6, 2.9, 20, 10, True),
        (2.6, 2.9, 20, -60, False),
    ],
)
def test_which_it_is(old: Any, new: Any, seconds: int, changed_after: int | None, second: bool) -> None:
    changed = [] if changed_after is None else [AT + timedelta(seconds=changed_after)]
    apart = timedelta(seconds=seconds)
    assert is_second_measurement(reading(old), reading(new), apart, changed, AT) is second
