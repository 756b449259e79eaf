"""A value typed over another in the same field: a slip of the finger or a second measurement."""

from collections.abc import Sequence
from datetime import datetime, timedelta

from orange_crank.core.measure.reading import NewReading

# A slip is put right at once; a second measurement takes a walk, a rest or a meter.
SLIP_WITHIN = timedelta(minutes=2)


def is_second_measurement(
    old: NewReading, new: NewReading, apart: timedelta, changed_at: Sequence[datetime], taken_at: datetime
) -> bool:
    """Tell whether a value typed over another is a measurement of its own.

    Parameters
    ----------
    old, new : the reading on record and the one typed over it
    apart : time between the two
    changed_at : when something was changed on the unit
    taken_at : when the old one was taken

    Notes
    -----
    Open then closed, or closed then open, is two measurements however soon: an overload resets. So are two
    values minutes apart, or with a change in between. The same value with more beside it (volts, a rest)
    completes the first.

    """
    if old.value == new.value:
        return False
    flipped = "open" in (old.value, new.value)
    return flipped or apart > SLIP_WITHIN or any(at >= taken_at for at in changed_at)
