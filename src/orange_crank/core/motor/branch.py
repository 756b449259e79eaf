"""The start winding's branch: how run capacitor and start branch join, as coefficients of the step."""

from typing import Any

from numba import njit

from orange_crank.core.motor import layout as at

# A loop of two capacitors that settles within this many steps is one capacitor.
MERGED = 1.2


@njit(cache=True, fastmath=False, inline="always")
def branch_coefficients(p: Any, mode: int, r2: float, h: float, k: Any) -> None:
    """Set the nine coefficients of the start winding's branch for a mode.

    v_br = k0 v1 + k1 v2 + k2 i_d; dv1 = k3 v1 + k4 v2 + k5 i_d; dv2 = k6 v1 + k7 v2 + k8 i_d.
    Modes: 0 open, 1 run capacitor alone, 2 start branch alone, 3 both.
    """
    for j in range(9):
        k[j] = 0.0
    c1, r1, c2, bleed = p[at.P_C1], p[at.P_R1], p[at.P_C2], p[at.P_BLEED]
    if mode == 1:
        k[0], k[2], k[5] = 1.0, r1, 1.0 / c1
        if c2 > 0.0:
            k[7] = -1.0 / (bleed * c2)
    elif mode == 0:
        if c2 > 0.0:
            k[7] = -1.0 / (bleed * c2)
    elif mode == 2:
        if c2 > 0.0:
            k[1], k[2], k[8] = 1.0, r2, 1.0 / c2
        else:
            k[2] = r2
    elif c2 > 0.0:
        rs = r1 + r2
        cs = c1 * c2 / (c1 + c2)
        if rs * cs < MERGED * h:
            # The loop between the two settles within a step: one capacitor with the loss of both.
            c = c1 + c2
            k[0], k[2] = 1.0, (r2 * c2 * c2 + r1 * c1 * c1) / (c * c)
            k[5] = 1.0 / c
            k[8] = 1.0 / c
        else:
            k[0], k[1], k[2] = 1.0 - r1 / rs, r1 / rs, r1 * r2 / rs
            k[3], k[4], k[5] = -1.0 / (rs * c1), 1.0 / (rs * c1), r2 / (rs * c1)
            k[6], k[7], k[8] = 1.0 / (rs * c2), -1.0 / (rs * c2), r1 / (rs * c2)
    else:
        rs = r1 + r2
        k[0], k[2] = r2 / rs, r1 * r2 / rs
        k[3], k[5] = -1.0 / (rs * c1), r2 / (rs * c1)


@njit(cache=True, inline="always")
def stator_rows(p: Any, g: Any, k2: float, top: int, rows: Any) -> None:
    """Write how the stator's fluxes fall by resistance, as rows over the four fluxes, (2, 4)."""
    for j in range(4):
        i_q, i_d = g[0, j], g[1, j]
        rows[0, j], rows[1, j] = 0.0, 0.0
        if top == 4:
            rows[0, j] = -p[at.P_RQ] * i_q + (p[at.P_RD] + k2) * i_d
        else:
            if top == 0 or top == 2:
                rows[0, j] = -(p[at.P_RS] + p[at.P_RQ]) * i_q - p[at.P_RS] * i_d
            if top == 0 or top == 1:
                rows[1, j] = -p[at.P_RS] * i_q - (p[at.P_RS] + p[at.P_RD] + k2) * i_d
