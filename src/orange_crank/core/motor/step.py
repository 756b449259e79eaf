"""Pieces of one Runge–Kutta step."""

import math

from numba import njit


@njit(cache=True, inline="always")
def tanh(x: float) -> float:
    """Return tanh x, by one exponential where the library takes several."""
    if x > 19.0:
        return 1.0
    if x < -19.0:
        return -1.0
    return 1.0 - 2.0 / (math.exp(2.0 * x) + 1.0)
