"""One-cycle RMS that rolls over samples."""

import math
from typing import Any

from numba import njit


@njit(cache=True)
def rolling_cycle_rms(values: Any, cycle: float, out: Any) -> None:
    """Write the RMS over the ``cycle`` samples that end at each sample, from the first whole cycle on.

    Trapezoids; a cycle that is no whole number of samples begins between two. ``out`` is (n − ⌈cycle⌉,).
    """
    whole = math.ceil(cycle)
    part, per_cycle = whole - cycle, 1.0 / cycle
    area = 0.0
    for j in range(whole):
        a, b = values[j], values[j + 1]
        area += 0.5 * (a * a + b * b)
    for i in range(out.shape[0]):
        a, b = values[i], values[i + 1]
        first = 0.5 * (a * a + b * b)
        mean = (area - part * first) * per_cycle
        out[i] = math.sqrt(mean) if mean > 0.0 else 0.0
        if i + whole + 1 < values.shape[0]:
            c, d = values[i + whole], values[i + whole + 1]
            area += 0.5 * (c * c + d * d) - first


@njit(cache=True)
def cycle_rms_ends(values: Any, cycle: float) -> tuple[float, float, float]:
    """Return smallest, largest and last one-cycle RMS; NaN where there is less than a cycle."""
    whole = math.ceil(cycle)
    part, per_cycle = whole - cycle, 1.0 / cycle
    n = values.shape[0]
    if n <= whole:
        return math.nan, math.nan, math.nan
    area = 0.0
    for j in range(whole):
        a, b = values[j], values[j + 1]
        area += 0.5 * (a * a + b * b)
    low, high, mean = math.inf, 0.0, 0.0
    for i in range(n - whole):
        a, b = values[i], values[i + 1]
        first = 0.5 * (a * a + b * b)
        mean = (area - part * first) * per_cycle
        low, high = min(low, mean), max(high, mean)
        if i + whole + 1 < n:
            c, d = values[i + whole], values[i + whole + 1]
            area += 0.5 * (c * c + d * d) - first
    return math.sqrt(max(low, 0.0)), math.sqrt(high), math.sqrt(max(mean, 0.0))
