"""What opens when it has had enough: the branch breaker and the internal overload."""

from typing import Any

from numba import njit

from orange_crank.core.motor import layout as at


@njit(cache=True, inline="always")
def breaker_heated(p: Any, heat: float, rms_a: float, half_s: float) -> float:
    """Return the breaker's heat, (amps ÷ rating)², after half a cycle."""
    multiple = rms_a / p[at.P_BREAKER_A]
    value: float = heat + (multiple * multiple - heat) * half_s / p[at.P_BREAKER_TAU]
    return value


@njit(cache=True, inline="always")
def overload_heated(p: Any, heat: float, rms_a: float, half_s: float) -> float:
    """Return the overload's heat [A²·s] after half a cycle."""
    value: float = heat + (rms_a * rms_a - heat / p[at.P_OVERLOAD_TAU]) * half_s
    return value
