"""The inner loop: fixed-step fourth-order Runge–Kutta over one start, compiled ahead of first use.

Scalar code, no allocation. States: four flux linkages (source inductance included in the stator's), two
capacitor voltages, shaft speed. Everything that switches does so at the end of a step and is written down.
"""

import math
from typing import Any

import numpy as np
from numba import njit

from orange_crank.core.motor.layout import (
    B_BRANCH,
    B_COPPER,
    B_COUNT,
    B_FAN,
    B_IN,
    B_LOAD,
    B_MECH,
    B_ROTOR,
    B_SOURCE_LOSS,
    B_SWITCH,
    E_BREAKER,
    E_BYPASS,
    E_CONTACTOR_CLOSE,
    E_CONTACTOR_OPEN,
    E_OVERLOAD,
    E_RELAY_CLOSE,
    E_RELAY_OPEN,
    NO_AID,
    P_A,
    P_ANGLE,
    P_AVR_MAX,
    P_AVR_S,
    P_BLEED,
    P_BREAKER_A,
    P_BREAKER_MAG,
    P_BREAKER_TAU,
    P_BREAKER_TRIP,
    P_BYPASS,
    P_C1,
    P_C2,
    P_CEILING,
    P_COIL_IN,
    P_COIL_OUT,
    P_COIL_S,
    P_DROPOUT,
    P_FAN_EXTRA,
    P_FAN_PEAK,
    P_FAN_PHASE,
    P_FAN_TAU,
    P_FIRE,
    P_HOLD,
    P_J,
    P_LD,
    P_LIMIT_A,
    P_LM,
    P_LOCKED,
    P_LQ,
    P_LR,
    P_LS,
    P_OMEGA,
    P_OVERLOAD_J,
    P_OVERLOAD_TAU,
    P_PICKUP,
    P_POLES,
    P_PTC_HOT,
    P_PTC_J,
    P_PTC_TAU,
    P_PULSE,
    P_R1,
    P_R2,
    P_RAMP,
    P_RD,
    P_RISE,
    P_RQ,
    P_RR,
    P_RS,
    P_TR,
    P_TS,
    P_VPEAK,
    PTC,
    SOFT,
    START_CAPACITOR,
)

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
    c1, r1, c2, bleed = p[P_C1], p[P_R1], p[P_C2], p[P_BLEED]
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
def _write_down(events: Any, count: int, step: int, what: int, value: float) -> int:
    """Add an event to the list, while there is room; return how many there are."""
    if count >= events.shape[0]:
        return count
    events[count, 0], events[count, 1], events[count, 2] = step, what, value
    return count + 1


@njit(cache=True, inline="always")
def _tanh(x: float) -> float:
    """Return tanh x, by one exponential where the library takes several."""
    if x > 19.0:
        return 1.0
    if x < -19.0:
        return -1.0
    return 1.0 - 2.0 / (math.exp(2.0 * x) + 1.0)


@njit(cache=True, inline="always")
def _stored(p: Any, g: Any, x0: float, x1: float, x2: float, x3: float, v1: float, v2: float) -> float:
    """Return the energy in inductances (the source's too) and capacitors [J]."""
    field = 0.0
    for j in range(4):
        i = g[j, 0] * x0 + g[j, 1] * x1 + g[j, 2] * x2 + g[j, 3] * x3
        field += i * (x0 if j == 0 else (x1 if j == 1 else (x2 if j == 2 else x3)))
    total: float = 0.5 * field + 0.5 * p[P_C1] * v1 * v1 + 0.5 * p[P_C2] * v2 * v2
    return total


@njit(cache=True)
def _powers(
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
    """Write the powers of one instant [W], shape (B_COUNT,)."""
    i_q, i_d, iqr, idr, i_line = currents[0], currents[1], currents[2], currents[3], currents[4]
    rdr = p[P_A] * p[P_A] * p[P_RR]
    i1, i2 = i_d, 0.0
    if mode == 3:
        c1, c2 = p[P_C1], p[P_C2]
        rsum = p[P_R1] + r2
        if c2 > 0.0 and rsum * c1 * c2 / (c1 + c2) < MERGED * h:
            i1 = i_d * c1 / (c1 + c2)
        elif c2 > 0.0:
            i1 = (v2 - v1 + r2 * i_d) / rsum
        else:
            i1 = i_d - (v1 + p[P_R1] * i_d) / rsum
        i2 = i_d - i1
    elif mode == 2:
        i1, i2 = 0.0, i_d
    bleed = v2 * v2 / p[P_BLEED] if p[P_C2] > 0.0 and mode < 2 else 0.0
    now[B_IN] = emf * (i_line + fan[0])
    now[B_SOURCE_LOSS] = p[P_RS] * i_line * i_line + (p[P_RS] * fan[0] + p[P_LS] * fan[1]) * i_line
    now[B_COPPER] = p[P_RQ] * i_q * i_q + p[P_RD] * i_d * i_d
    now[B_ROTOR] = p[P_RR] * iqr * iqr + rdr * idr * idr
    now[B_BRANCH] = p[P_R1] * i1 * i1 + r2 * i2 * i2 + bleed
    now[B_SWITCH] = 0.0
    now[B_MECH] = te * wm
    now[B_LOAD] = tl * wm
    now[B_FAN] = emf * fan[0]


@njit(cache=True, inline="always")
def _stator_rows(p: Any, g: Any, k2: float, top: int, rows: Any) -> None:
    """Write how the stator's fluxes fall by resistance, as rows over the four fluxes, (2, 4)."""
    for j in range(4):
        i_q, i_d = g[0, j], g[1, j]
        rows[0, j], rows[1, j] = 0.0, 0.0
        if top == 4:
            rows[0, j] = -p[P_RQ] * i_q + (p[P_RD] + k2) * i_d
        else:
            if top == 0 or top == 2:
                rows[0, j] = -(p[P_RS] + p[P_RQ]) * i_q - p[P_RS] * i_d
            if top == 0 or top == 1:
                rows[1, j] = -p[P_RS] * i_q - (p[P_RS] + p[P_RD] + k2) * i_d


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


@njit(cache=True, nogil=True, fastmath={"contract", "arcp", "nsz"})
def integrate(
    p: Any,
    gammas: Any,
    aid: int,
    n: int,
    h: float,
    book: bool,
    out: Any,
    detail: Any,
    events: Any,
    final: Any,
) -> int:
    """Integrate ``n`` steps of ``h`` seconds.

    Parameters
    ----------
    p : parameters, shape (P_COUNT,), SI
    gammas : flux to current, shape (5, 4, 4)
    aid : NO_AID, START_CAPACITOR, PTC or SOFT
    n, h : steps and step [s]
    book : whether energies are added up (slower)
    out : shape (3, n + 1): line current, line voltage at the motor, shaft speed
    detail : shape (4, n + 1), or (4, 0) to leave it out: run and start current, start winding volts, torque
    events : shape (m, 3): step, event number, a figure that goes with it
    final : shape (B_COUNT + 8,): booked energies [J], then states at the end

    Returns
    -------
    number of events; −1 when a state stopped being a number

    """
    rq, rd, rr, a = p[P_RQ], p[P_RD], p[P_RR], p[P_A]
    rdr = a * a * rr
    pp = 0.5 * p[P_POLES]
    inv_a = 1.0 / a
    rs, ls = p[P_RS], p[P_LS]
    w = p[P_OMEGA]
    vpk = p[P_VPEAK]
    inv_j = 0.0 if (p[P_LOCKED] > 0.0 or p[P_HOLD] >= 0.0) else 1.0 / p[P_J]
    sync = w / pp
    lr, lm = p[P_LR], p[P_LM]

    lam_q, lam_d, pqr, pdr = 0.0, 0.0, 0.0, 0.0
    v1, v2 = 0.0, 0.0
    wm = p[P_HOLD] if p[P_HOLD] >= 0.0 else 0.0
    theta = 0.0

    # How things stand.
    has_run = p[P_C1] > 0.0
    start_in = aid != NO_AID and (p[P_C2] > 0.0 or aid == PTC)
    fired = aid != SOFT
    bypassed = aid != SOFT
    line_on = True
    tripped = False
    r2 = p[P_R2]
    ptc_j = 0.0
    k, rows = np.zeros(9), np.zeros((2, 4))
    mode = (1 if has_run else 0) + (2 if start_in else 0)
    branch_coefficients(p, mode, r2, h, k)
    top = 0
    events_n = 0

    # Half-cycle windows of the relay and everything slow.
    half = math.pi / w
    window_end = 1
    next_window = round(half / h)
    sum_sw, sum_lv, sum_il, window_count = 0.0, 0.0, 0.0, 0
    emf = 1.0
    breaker_heat, overload_heat = 0.0, 0.0
    alpha = p[P_FIRE]
    ramped = p[P_FIRE]
    coil_open_s = 0.0

    # The source as a turning pair, half a step at a time.
    c_h, s_h = math.cos(0.5 * w * h), math.sin(0.5 * w * h)
    sn, cs = math.sin(p[P_ANGLE]), math.cos(p[P_ANGLE])
    fan_pk, fan_c, fan_s = p[P_FAN_PEAK], math.cos(p[P_FAN_PHASE]), math.sin(p[P_FAN_PHASE])

    tau = -1.0
    rise_left = 1.0
    rise_step = math.exp(-h / p[P_RISE]) if p[P_RISE] > 0.0 else 0.0
    ts, tr = p[P_TS], p[P_TR]

    for j in range(B_COUNT):
        final[j] = 0.0
    last_power, now, currents, fan_now = np.zeros(B_COUNT), np.zeros(B_COUNT), np.zeros(5), np.zeros(2)
    last_iq = 0.0
    # Topology to begin with.
    run_on, start_on = fired, mode != 0
    top = 0 if (run_on and start_on) else (2 if run_on else (1 if start_on else 3))
    g = gammas[top]
    detail_on = detail.shape[1] > 0
    i_q, i_d = 0.0, 0.0

    for step in range(n + 1):
        # --- what is seen at this instant -----------------------------------------------------
        i_q = (g[0, 0] * lam_q + g[0, 1] * lam_d) + (g[0, 2] * pqr + g[0, 3] * pdr)
        i_d = (g[1, 0] * lam_q + g[1, 1] * lam_d) + (g[1, 2] * pqr + g[1, 3] * pdr)
        iqr = (g[2, 0] * lam_q + g[2, 1] * lam_d) + (g[2, 2] * pqr + g[2, 3] * pdr)
        idr = (g[3, 0] * lam_q + g[3, 1] * lam_d) + (g[3, 2] * pqr + g[3, 3] * pdr)
        t = step * h
        fan_k = 0.0
        i_f = 0.0
        di_f = 0.0
        if fan_pk > 0.0 and line_on:
            fan_k = fan_pk * (1.0 + p[P_FAN_EXTRA] * math.exp(-t / p[P_FAN_TAU]))
            i_f = fan_k * (sn * fan_c - cs * fan_s)
            di_f = fan_k * w * (cs * fan_c + sn * fan_s)
        vs = vpk * emf * sn - rs * i_f - ls * di_f
        i_line = i_q + i_d if line_on else 0.0
        vbr = k[0] * v1 + k[1] * v2 + k[2] * i_d
        wr = pp * wm
        dpqr = -rr * iqr + wr * pdr * inv_a
        dpdr = -rdr * idr - a * wr * pqr
        kq = 1.0 if (top == 0 or top == 2) else 0.0
        kd = 1.0 if (top == 0 or top == 1) else 0.0
        dlq = kq * (vs - rs * i_line - rq * i_q)
        dld = kd * (vs - rs * i_line - rd * i_d - vbr)
        if top == 4:
            dlq = vbr - rq * i_q + rd * i_d
        te = pp * (a * pqr * idr - pdr * iqr * inv_a)
        if line_on:
            if ls > 0.0:
                di = (
                    (g[0, 0] + g[1, 0]) * dlq
                    + (g[0, 1] + g[1, 1]) * dld
                    + (g[0, 2] + g[1, 2]) * dpqr
                    + (g[0, 3] + g[1, 3]) * dpdr
                )
                vt = vs - rs * i_line - ls * di
            else:
                vt = vs - rs * i_line
        else:
            # The line is open: the motor's own terminals show what its flux induces.
            diq = g[0, 0] * dlq + g[0, 2] * dpqr + g[0, 3] * dpdr
            diqr = g[2, 0] * dlq + g[2, 2] * dpqr + g[2, 3] * dpdr
            vt = rq * i_q + p[P_LQ] * diq + lm * diqr
        if mode != 0 or not line_on:
            vsw = vt - vbr
        else:
            # Open start winding: what the rotor induces in it.
            didr = g[3, 0] * dlq + g[3, 2] * dpqr + g[3, 3] * dpdr
            vsw = a * a * lm * didr
        out[0, step] = i_line + i_f
        out[1, step] = vt if line_on else vpk * emf * sn
        out[2, step] = wm
        if detail_on:
            detail[0, step] = i_q
            detail[1, step] = i_d
            detail[2, step] = vsw
            detail[3, step] = te
        if not (abs(i_line) < 1e7 and abs(wm) < 1e6):
            return -1
        lv_seen = out[1, step]
        sum_sw += vsw * vsw
        sum_lv += lv_seen * lv_seen
        il = out[0, step]
        sum_il += il * il
        window_count += 1

        # --- load: its own clock begins when the rotor turns -----------------------------------
        if tau < 0.0 and wm > 0.05 * sync:
            tau = 0.0
        elif tau >= 0.0:
            tau += h
            rise_left *= rise_step
        grown = ts + (tr - ts) * (1.0 - rise_left) if tau >= 0.0 else ts
        if p[P_PULSE] > 0.0:
            grown *= 1.0 + p[P_PULSE] * math.sin(theta)
        tl = grown * _tanh(wm)

        if book:
            currents[0], currents[1], currents[2], currents[3], currents[4] = i_q, i_d, iqr, idr, i_line
            fan_now[0], fan_now[1] = i_f, di_f
            _powers(p, currents, mode, r2, h, vpk * emf * sn, fan_now, te, tl, wm, v1, v2, now)
            for j in range(B_COUNT):
                if step > 0:
                    final[j] += 0.5 * h * (last_power[j] + now[j])
                last_power[j] = now[j]

        # --- switches that wait for a window's end ----------------------------------------------
        switched = False
        just_fired = False
        pending_emf = False
        if step == next_window:
            count = float(window_count)
            rms_sw = math.sqrt(sum_sw / count)
            rms_lv = math.sqrt(sum_lv / count)
            rms_il = math.sqrt(sum_il / count)
            sum_sw, sum_lv, sum_il, window_count = 0.0, 0.0, 0.0, 0
            window_end += 1
            next_window = round(window_end * half / h)
            if aid == START_CAPACITOR or (aid == SOFT and p[P_C2] > 0.0 and p[P_PICKUP] > 0.0):
                if start_in and p[P_PICKUP] > 0.0 and rms_sw > p[P_PICKUP]:
                    start_in = False
                    switched = True
                    events_n = _write_down(events, events_n, step, E_RELAY_OPEN, rms_sw)
                elif not start_in and rms_sw < p[P_DROPOUT]:
                    start_in = True
                    switched = True
                    events_n = _write_down(events, events_n, step, E_RELAY_CLOSE, rms_sw)
            pending_emf = p[P_AVR_S] > 0.0 or p[P_LIMIT_A] > 0.0
            if p[P_AVR_S] > 0.0:
                emf += (vpk / math.sqrt(2.0) - rms_lv) / (vpk / math.sqrt(2.0)) * half / p[P_AVR_S]
                emf = min(max(emf, 1.0), p[P_AVR_MAX])
            if p[P_LIMIT_A] > 0.0:
                if rms_il > p[P_LIMIT_A]:
                    emf = max(0.05, emf * p[P_LIMIT_A] / rms_il)
                else:
                    emf = min(1.0, emf * 1.08)
            if p[P_BREAKER_A] > 0.0 and not tripped:
                m = rms_il / p[P_BREAKER_A]
                breaker_heat += (m * m - breaker_heat) * half / p[P_BREAKER_TAU]
                if breaker_heat >= p[P_BREAKER_TRIP] or m > p[P_BREAKER_MAG]:
                    tripped = True
                    events_n = _write_down(events, events_n, step, E_BREAKER, m)
            if p[P_OVERLOAD_J] > 0.0 and not tripped:
                overload_heat += (rms_il * rms_il - overload_heat / p[P_OVERLOAD_TAU]) * half
                if overload_heat >= p[P_OVERLOAD_J]:
                    tripped = True
                    events_n = _write_down(events, events_n, step, E_OVERLOAD, rms_il)
            if p[P_COIL_OUT] > 0.0 and not tripped:
                if line_on and rms_lv < p[P_COIL_OUT]:
                    line_on = False
                    switched = True
                    coil_open_s = t
                    events_n = _write_down(events, events_n, step, E_CONTACTOR_OPEN, rms_lv)
                elif not line_on and rms_lv > p[P_COIL_IN] and t - coil_open_s >= p[P_COIL_S]:
                    line_on = True
                    switched = True
                    events_n = _write_down(events, events_n, step, E_CONTACTOR_CLOSE, rms_lv)
            if aid == SOFT and not bypassed:
                ramped = max(0.0, ramped - p[P_FIRE] * half / p[P_RAMP]) if p[P_RAMP] > 0.0 else 0.0
                if p[P_CEILING] > 0.0 and rms_il > p[P_CEILING]:
                    alpha = min(2.6, alpha + 0.6 * (rms_il / p[P_CEILING] - 1.0))
                else:
                    alpha = max(ramped, alpha - 0.12)
            if aid == PTC:
                # Heats by its own loss, cools slowly; its resistance leaps once it is hot.
                s = min(max((ptc_j / p[P_PTC_J] - 0.7) / 0.6, 0.0), 1.0)
                s = s * s * (3.0 - 2.0 * s)
                r2 = p[P_R2] * math.exp(s * math.log(p[P_PTC_HOT] / p[P_R2]))
                branch_coefficients(p, mode, r2, h, k)
        if aid == PTC:
            i2 = i_d
            if mode == 3:
                if p[P_C2] > 0.0:
                    i2 = i_d - (v2 - v1 + r2 * i_d) / (p[P_R1] + r2)
                else:
                    i2 = (v1 + p[P_R1] * i_d) / (p[P_R1] + r2)
            ptc_j += (r2 * i2 * i2 - ptc_j / p[P_PTC_TAU]) * h
        if aid == SOFT and not bypassed and wm >= p[P_BYPASS] * sync:
            bypassed = True
            events_n = _write_down(events, events_n, step, E_BYPASS, wm)
            if p[P_PICKUP] <= 0.0 and start_in:
                start_in = False
                events_n = _write_down(events, events_n, step, E_RELAY_OPEN, 0.0)
            switched = True
            fired = True
        if tripped:
            # Everything open: the rest of the record is silence while the rotor coasts.
            for rest in range(step + 1, n + 1):
                wm = max(0.0, wm - grown * _tanh(wm) * inv_j * h) if wm > 0.0 else wm
                out[0, rest] = 0.0
                out[1, rest] = vpk * math.sin(w * rest * h + p[P_ANGLE])
                out[2, rest] = wm
                if detail_on:
                    for j in range(4):
                        detail[j, rest] = 0.0
            break

        # --- thyristors: by phase of the source, block at current zero ---------------------------
        if aid == SOFT and not bypassed and line_on:
            if fired:
                if i_q * last_iq < 0.0 and step > 0:
                    fired = False
                    switched = True
            else:
                phase = (w * t + p[P_ANGLE]) % math.pi
                if phase >= alpha and phase < math.pi - 0.05:
                    fired = True
                    just_fired = True
                    switched = True

        if switched:
            # Rotor flux carries over, and the stator currents that may go on; what a chopped current
            # held, and what two unlike capacitors lose on meeting, is booked as switching.
            if book:
                before = _stored(p, g, lam_q, lam_d, pqr, pdr, v1, v2)
            c1, c2 = p[P_C1], p[P_C2]
            new_mode = (1 if has_run else 0) + (2 if start_in else 0)
            if new_mode == 3 and mode == 1 and c2 > 0.0 and (p[P_R1] + r2) * c1 * c2 / (c1 + c2) < MERGED * h:
                shared = (c1 * v1 + c2 * v2) / (c1 + c2)
                v1, v2 = shared, shared
            run_on = fired and line_on
            start_on = new_mode != 0 and line_on
            new_top = 0 if (run_on and start_on) else (2 if run_on else (1 if start_on else 3))
            if not line_on and new_mode != 0 and fired:
                new_top = 4
            if new_top != top:
                if new_top == 4:
                    lam_q = p[P_LQ] * i_q + lm * iqr - p[P_LD] * i_d - a * a * lm * idr
                    lam_d = 0.0
                else:
                    keep_q = i_q if run_on else 0.0
                    keep_d = i_d if start_on else 0.0
                    total = ls * (keep_q + keep_d)
                    lam_q = p[P_LQ] * keep_q + lm * (pqr - lm * keep_q) / lr + total
                    lam_d = p[P_LD] * keep_d + lm * (pdr - a * a * lm * keep_d) / lr + total
                top = new_top
                g = gammas[top]
            mode = new_mode
            branch_coefficients(p, mode, r2, h, k)
            i_q = (g[0, 0] * lam_q + g[0, 1] * lam_d) + (g[0, 2] * pqr + g[0, 3] * pdr)
            if book:
                final[B_SWITCH] += before - _stored(p, g, lam_q, lam_d, pqr, pdr, v1, v2)
                i_d = (g[1, 0] * lam_q + g[1, 1] * lam_d) + (g[1, 2] * pqr + g[1, 3] * pdr)
                iqr = (g[2, 0] * lam_q + g[2, 1] * lam_d) + (g[2, 2] * pqr + g[2, 3] * pdr)
                idr = (g[3, 0] * lam_q + g[3, 1] * lam_d) + (g[3, 2] * pqr + g[3, 3] * pdr)
                te = pp * (a * pqr * idr - pdr * iqr * inv_a)
                currents[0], currents[1], currents[2], currents[3] = i_q, i_d, iqr, idr
                currents[4] = i_q + i_d if line_on else 0.0
                _powers(p, currents, mode, r2, h, vpk * emf * sn, fan_now, te, tl, wm, v1, v2, last_power)
        # A thyristor that has just fired carries nothing yet: its sign is not known.
        last_iq = 0.0 if just_fired else i_q

        if step == n:
            break

        # --- one Runge–Kutta step -----------------------------------------------------------------
        sm, cm = sn * c_h + cs * s_h, cs * c_h - sn * s_h
        se, ce = sm * c_h + cm * s_h, cm * c_h - sm * s_h
        vpe = vpk * emf
        if fan_k > 0.0 and line_on:
            va = vpe * sn - rs * i_f - ls * di_f
            vb = vpe * sm - fan_k * (rs * (sm * fan_c - cm * fan_s) + ls * w * (cm * fan_c + sm * fan_s))
            vc = vpe * se - fan_k * (rs * (se * fan_c - ce * fan_s) + ls * w * (ce * fan_c + se * fan_s))
        else:
            va, vb, vc = vpe * sn, vpe * sm, vpe * se
        loop = 1.0 if top == 4 else 0.0
        rsl = 0.0 if top == 4 else rs
        if switched or step == 0 or aid == PTC:
            _stator_rows(p, g, k[2], top, rows)
        if switched:
            # The instant is another one now than was seen above.
            kq = 1.0 if (top == 0 or top == 2) else 0.0
            kd = 1.0 if (top == 0 or top == 1) else 0.0
            i_q = (g[0, 0] * lam_q + g[0, 1] * lam_d) + (g[0, 2] * pqr + g[0, 3] * pdr)
            i_d = (g[1, 0] * lam_q + g[1, 1] * lam_d) + (g[1, 2] * pqr + g[1, 3] * pdr)
            iqr = (g[2, 0] * lam_q + g[2, 1] * lam_d) + (g[2, 2] * pqr + g[2, 3] * pdr)
            idr = (g[3, 0] * lam_q + g[3, 1] * lam_d) + (g[3, 2] * pqr + g[3, 3] * pdr)
            vbr = k[0] * v1 + k[1] * v2 + k[2] * i_d
            common = va - rsl * (i_q + i_d)
            dlq = kq * (common - rq * i_q) + loop * (vbr - rq * i_q + rd * i_d)
            dld = kd * (common - rd * i_d - vbr)
            dpqr = -rr * iqr + wr * pdr * inv_a
            dpdr = -rdr * idr - a * wr * pqr
            te = pp * (a * pqr * idr - pdr * iqr * inv_a)
        elif pending_emf:
            # The source was set anew at the window's end.
            dlq += kq * (va - vs)
            dld += kd * (va - vs)
        a00, a01, a02, a03 = rows[0, 0], rows[0, 1], rows[0, 2], rows[0, 3]
        a10, a11, a12, a13 = rows[1, 0], rows[1, 1], rows[1, 2], rows[1, 3]
        g10, g11, g12, g13 = g[1, 0], g[1, 1], g[1, 2], g[1, 3]
        g20, g21, g22, g23 = g[2, 0], g[2, 1], g[2, 2], g[2, 3]
        g30, g31, g32, g33 = g[3, 0], g[3, 1], g[3, 2], g[3, 3]
        k0, k1_, k3_, k4_ = k[0], k[1], k[3], k[4]
        k5, k6, k7, k8 = k[5], k[6], k[7], k[8]
        y0, y1, y2, y3, y4, y5, y6 = lam_q, lam_d, pqr, pdr, v1, v2, wm
        # The first stage is the instant itself.
        d0, d1, d2, d3, d6 = dlq, dld, dpqr, dpdr, (te - tl) * inv_j
        d4 = k3_ * v1 + k4_ * v2 + k5 * i_d
        d5 = k6 * v1 + k7 * v2 + k8 * i_d
        s0, s1, s2, s3, s4, s5, s6 = d0, d1, d2, d3, d4, d5, d6
        for stage in range(1, 4):
            step_h = h if stage == 3 else 0.5 * h
            x0, x1, x2, x3 = y0 + step_h * d0, y1 + step_h * d1, y2 + step_h * d2, y3 + step_h * d3
            x4, x5, x6 = y4 + step_h * d4, y5 + step_h * d5, y6 + step_h * d6
            v = vc if stage == 3 else vb
            id_ = (g10 * x0 + g11 * x1) + (g12 * x2 + g13 * x3)
            iqr_ = (g20 * x0 + g21 * x1) + (g22 * x2 + g23 * x3)
            idr_ = (g30 * x0 + g31 * x1) + (g32 * x2 + g33 * x3)
            vb_ = k0 * x4 + k1_ * x5
            wr_ = pp * x6
            d0 = (a00 * x0 + a01 * x1) + (a02 * x2 + a03 * x3) + (kq * v + loop * vb_)
            d1 = (a10 * x0 + a11 * x1) + (a12 * x2 + a13 * x3) + kd * (v - vb_)
            d2 = wr_ * x3 * inv_a - rr * iqr_
            d3 = -rdr * idr_ - a * wr_ * x2
            d4 = k3_ * x4 + k4_ * x5 + k5 * id_
            d5 = k6 * x4 + k7 * x5 + k8 * id_
            te_ = pp * (a * x2 * idr_ - x3 * iqr_ * inv_a)
            d6 = (te_ - grown * _tanh(x6)) * inv_j
            weight = 1.0 if stage == 3 else 2.0
            s0 += weight * d0
            s1 += weight * d1
            s2 += weight * d2
            s3 += weight * d3
            s4 += weight * d4
            s5 += weight * d5
            s6 += weight * d6
        h6 = h / 6.0
        lam_q, lam_d, pqr, pdr = y0 + h6 * s0, y1 + h6 * s1, y2 + h6 * s2, y3 + h6 * s3
        v1, v2 = y4 + h6 * s4, y5 + h6 * s5
        theta += 0.5 * h * wm
        wm = y6 + h6 * s6
        theta += 0.5 * h * wm
        if step % 512 == 511:
            # Turned by multiplication; set right now and then.
            at = w * (step + 1) * h + p[P_ANGLE]
            sn, cs = math.sin(at), math.cos(at)
        else:
            sn, cs = se, ce

    final[B_COUNT] = _stored(p, g, lam_q, lam_d, pqr, pdr, v1, v2)
    final[B_COUNT + 1] = 0.5 * p[P_J] * wm * wm
    final[B_COUNT + 2] = breaker_heat
    final[B_COUNT + 3] = overload_heat
    final[B_COUNT + 4] = 1.0 if start_in else 0.0
    final[B_COUNT + 5] = r2
    final[B_COUNT + 6] = emf
    return events_n
