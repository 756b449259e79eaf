"""What a source of limited strength does with its volts: a generator's regulator, an inverter's limit."""

import math
from typing import Any

from numba import njit

from orange_crank.core.motor import layout as at

# An inverter lets its volts come back by at most so much a cycle.
RELEASE_PER_CYCLE = 1.03
LEAST_EMF = 0.05


@njit(cache=True, inline="always")
def regulated(p: Any, emf: float, line_rms_v: float, half_s: float) -> float:
    """Return a generator's volts, of no load, after half a cycle of its slow regulator."""
    rated = p[at.P_VPEAK] / math.sqrt(2.0)
    more = emf + (rated - line_rms_v) / rated * half_s / p[at.P_AVR_S]
    value: float = min(max(more, 1.0), p[at.P_AVR_MAX])
    return value


@njit(cache=True, inline="always")
def limited(p: Any, emf: float, cycle_rms_a: float) -> float:
    """Return an inverter's volts, of no load, after a whole cycle of that current.

    Notes
    -----
    Set once a cycle and never within one: each whole cycle of volts sums to nothing, so that the limit puts
    no direct current into the winding. Cut at once, released slowly.

    """
    room = p[at.P_LIMIT_A] / max(cycle_rms_a, 1e-6)
    value: float = min(1.0, max(LEAST_EMF, emf * min(room, RELEASE_PER_CYCLE)))
    return value
