"""Where the energy of a start is, and where it goes, instant by instant."""

from typing import Any

from numba import njit

from orange_crank.core.motor import layout as at
from orange_crank.core.motor.branch import MERGED


@njit(cache=True, inline="always")
def stored(p: Any, g: Any, x0: float, x1: float, x2: float, x3: float, v1: float, v2: float) -> float:
    """Return the energy in inductances (the source's too) and capacitors [J]."""
    field = 0.0
    for j in range(4):
        i = g[j, 0] * x0 + g[j, 1] * x1 + g[j, 2] * x2 + g[j, 3] * x3
        field += i * (x0 if j == 0 else (x1 if j == 1 else (x2 if j == 2 else x3)))
    total: float = 0.5 * field + 0.5 * p[at.P_C1] * v1 * v1 + 0.5 * p[at.P_C2] * v2 * v2
    return total


@njit(cache=True)
def powers(
    p: Any,
    currents: Any,
    mode: int,
    r2: float,
    h: float,
    emf: float,
    fan: Any,
    te: float,
    tl: float,
    wm: float,
    v1: float,
    v2: float,
    now: Any,
) -> None:
    """Write the powers of one instant [W], shape (at.B_COUNT,)."""
    i_q, i_d, iqr, idr, i_line = currents[0], currents[1], currents[2], currents[3], currents[4]
    rdr = p[at.P_A] * p[at.P_A] * p[at.P_RR]
    i1, i2 = i_d, 0.0
    if mode == 3:
        c1, c2 = p[at.P_C1], p[at.P_C2]
        rsum = p[at.P_R1] + r2
        if c2 > 0.0 and rsum * c1 * c2 / (c1 + c2) < MERGED * h:
            i1 = i_d * c1 / (c1 + c2)
        elif c2 > 0.0:
            i1 = (v2 - v1 + r2 * i_d) / rsum
        else:
            i1 = i_d - (v1 + p[at.P_R1] * i_d) / rsum
        i2 = i_d - i1
    elif mode == 2:
        i1, i2 = 0.0, i_d
    bleed = v2 * v2 / p[at.P_BLEED] if p[at.P_C2] > 0.0 and mode < 2 else 0.0
    now[at.B_IN] = emf * (i_line + fan[0])
    now[at.B_SOURCE_LOSS] = (
        p[at.P_RS] * i_line * i_line + (p[at.P_RS] * fan[0] + p[at.P_LS] * fan[1]) * i_line
    )
    now[at.B_COPPER] = p[at.P_RQ] * i_q * i_q + p[at.P_RD] * i_d * i_d
    now[at.B_ROTOR] = p[at.P_RR] * iqr * iqr + rdr * idr * idr
    now[at.B_BRANCH] = p[at.P_R1] * i1 * i1 + r2 * i2 * i2 + bleed
    now[at.B_SWITCH] = 0.0
    now[at.B_MECH] = te * wm
    now[at.B_LOAD] = tl * wm
    now[at.B_FAN] = emf * fan[0]
