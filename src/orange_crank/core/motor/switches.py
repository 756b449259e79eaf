"""What decides at a half cycle's end: relay, soft starter, PTC; and the list of what happened."""

import math
from typing import Any

from numba import njit

from orange_crank.core.motor import layout as at

# Most a soft starter's firing is put back [rad], how fast by its excess of current, how fast it comes again.
LATEST_FIRING, PUT_BACK, COMES_AGAIN = 2.6, 0.6, 0.12
# Below this firing angle the thyristors conduct all through [rad].
FULL_CONDUCTION = 0.15
# A PTC's leap begins and ends at these shares of its heat.
LEAP_FROM, LEAP_OVER = 0.7, 0.6


@njit(cache=True, inline="always")
def write_down(events: Any, count: int, step: int, what: int, value: float) -> int:
    """Add an event to the list, while there is room; return how many there are."""
    if count >= events.shape[0]:
        return count
    events[count, 0], events[count, 1], events[count, 2] = step, what, value
    return count + 1


@njit(cache=True, inline="always")
def ramped(p: Any, angle: float, half_s: float) -> float:
    """Return the firing angle [rad] the ramp allows after another half cycle."""
    value: float = max(0.0, angle - p[at.P_FIRE] * half_s / p[at.P_RAMP]) if p[at.P_RAMP] > 0.0 else 0.0
    return value


@njit(cache=True, inline="always")
def fired_at(p: Any, angle: float, ramp: float, rms_a: float) -> float:
    """Return the next firing angle [rad]: later over the ceiling, else earlier, never ahead of the ramp."""
    if p[at.P_CEILING] > 0.0 and rms_a > p[at.P_CEILING]:
        value: float = min(LATEST_FIRING, angle + PUT_BACK * (rms_a / p[at.P_CEILING] - 1.0))
        return value
    return max(ramp, angle - COMES_AGAIN)


@njit(cache=True, inline="always")
def ptc_ohms(p: Any, heat_j: float) -> float:
    """Return a PTC's ohms at its heat: cold until it leaps."""
    s = min(max((heat_j / p[at.P_PTC_J] - LEAP_FROM) / LEAP_OVER, 0.0), 1.0)
    s = s * s * (3.0 - 2.0 * s)
    value: float = p[at.P_R2] * math.exp(s * math.log(p[at.P_PTC_HOT] / p[at.P_R2]))
    return value
