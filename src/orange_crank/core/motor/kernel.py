"""The inner loop: fixed-step fourth-order Runge–Kutta over one start, compiled ahead of first use.

Scalar code, no allocation. States: four flux linkages (source inductance included in the stator's), two
capacitor voltages, shaft speed. Everything that switches does so at the end of a step and is written down.
"""

import math
from pathlib import Path
from typing import Any

import numpy as np
from numba import njit

from orange_crank.core.motor import layout as at
from orange_crank.core.motor.branch import MERGED, branch_coefficients, stator_rows
from orange_crank.core.motor.energy import powers, stored
from orange_crank.core.motor.protection import breaker_heated, overload_heated
from orange_crank.core.motor.source import limited, regulated
from orange_crank.core.motor.step import tanh
from orange_crank.core.motor.switches import (
    FULL_CONDUCTION,
    LATEST_FIRING,
    PUT_BACK,
    fired_at,
    ptc_ohms,
    ramped,
    write_down,
)


def _forget_stale() -> None:
    """Drop a compiled loop older than one of its pieces: its compiler looks at this file alone."""
    here = Path(__file__)
    newest = max(f.stat().st_mtime for f in here.parent.glob("*.py"))
    for index in (here.parent / "__pycache__").glob(f"{here.stem}.*.nbi"):
        if index.stat().st_mtime < newest:
            try:
                index.unlink(missing_ok=True)
            except OSError:  # a read-only tree: it cannot have been edited either
                return


_forget_stale()


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
    aid : NO_AID, START_CAPACITOR, PTC, SOFT or CURRENT_RELAY
    n, h : steps and step [s]
    book : whether energies are added up (slower)
    out : shape (3, n + 1): line current, line voltage at the motor, shaft speed
    detail : shape (4, n + 1), or (4, 0) to leave it out: run and start current, start winding volts, torque
    events : shape (m, 3): step, event number, a figure that goes with it
    final : shape (F_COUNT,): booked energies [J], then states at the end

    Returns
    -------
    number of events; −1 when a state stopped being a number

    """
    rq, rd, rr, a = p[at.P_RQ], p[at.P_RD], p[at.P_RR], p[at.P_A]
    rdr = a * a * rr
    pp = 0.5 * p[at.P_POLES]
    inv_a = 1.0 / a
    rs, ls = p[at.P_RS], p[at.P_LS]
    w = p[at.P_OMEGA]
    vpk = p[at.P_VPEAK]
    inv_j = 0.0 if (p[at.P_LOCKED] > 0.0 or p[at.P_HOLD] >= 0.0) else 1.0 / p[at.P_J]
    sync = w / pp
    lr, lm = p[at.P_LR], p[at.P_LM]

    lam_q, lam_d, pqr, pdr = 0.0, 0.0, 0.0, 0.0
    v1, v2 = 0.0, 0.0
    wm = p[at.P_HOLD] if p[at.P_HOLD] >= 0.0 else 0.0
    theta = 0.0

    # How things stand.
    has_run = p[at.P_C1] > 0.0
    # A current relay's contact is open at rest.
    start_in = aid != at.NO_AID and aid != at.CURRENT_RELAY and (p[at.P_C2] > 0.0 or aid == at.PTC)
    fired = aid != at.SOFT
    bypassed = aid != at.SOFT
    line_on = True
    tripped = False
    r2 = p[at.P_R2]
    ptc_j = p[at.P_PTC_J0]
    if aid == at.PTC:
        r2 = ptc_ohms(p, ptc_j)
    k, rows = np.zeros(9), np.zeros((2, 4))
    mode = (1 if has_run else 0) + (2 if start_in else 0)
    branch_coefficients(p, mode, r2, h, k)
    top = 0
    events_n = 0

    # Half-cycle windows of the relay and everything slow.
    half = math.pi / w
    window_end = 1
    # A soft starter counts from the line's own zero; all else from closing.
    ahead = (p[at.P_ANGLE] % math.pi) / w if aid == at.SOFT else 0.0
    next_window = max(1, round((half - ahead) / h))
    sum_sw, sum_lv, sum_il, sum_i, sum_iq, window_count = 0.0, 0.0, 0.0, 0.0, 0.0, 0
    emf = p[at.P_EMF]
    half_mean_square, half_mean = 0.0, 0.0
    last_iq_square = 0.0
    breaker_heat, overload_heat = 0.0, 0.0
    alpha = p[at.P_FIRE]
    ramp = p[at.P_FIRE]
    coil_open_s = 0.0

    # The source as a turning pair, half a step at a time.
    c_h, s_h = math.cos(0.5 * w * h), math.sin(0.5 * w * h)
    sn, cs = math.sin(p[at.P_ANGLE]), math.cos(p[at.P_ANGLE])
    fan_pk, fan_c, fan_s = p[at.P_FAN_PEAK], math.cos(p[at.P_FAN_PHASE]), math.sin(p[at.P_FAN_PHASE])

    tau = -1.0
    rise_left = 1.0
    rise_step = math.exp(-h / p[at.P_RISE]) if p[at.P_RISE] > 0.0 else 0.0
    ts, tr = p[at.P_TS], p[at.P_TR]

    for j in range(at.B_COUNT):
        final[j] = 0.0
    last_power, now, currents, fan_now = np.zeros(at.B_COUNT), np.zeros(at.B_COUNT), np.zeros(5), np.zeros(2)
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
            fan_k = fan_pk * (1.0 + p[at.P_FAN_EXTRA] * math.exp(-t / p[at.P_FAN_TAU]))
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
            vt = rq * i_q + p[at.P_LQ] * diq + lm * diqr
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
        sum_i += il
        sum_iq += i_q * i_q
        window_count += 1

        # --- load: its own clock begins when the rotor turns -----------------------------------
        if tau < 0.0 and wm > 0.05 * sync:
            tau = 0.0
        elif tau >= 0.0:
            tau += h
            rise_left *= rise_step
        grown = ts + (tr - ts) * (1.0 - rise_left) if tau >= 0.0 else ts
        if p[at.P_PULSE] > 0.0:
            # Equal pressures do not pulse; only the difference does.
            grown += p[at.P_PULSE] * max(0.0, grown - p[at.P_SMOOTH]) * math.sin(theta)
        tl = grown * tanh(wm)

        if book:
            currents[0], currents[1], currents[2], currents[3], currents[4] = i_q, i_d, iqr, idr, i_line
            fan_now[0], fan_now[1] = i_f, di_f
            powers(p, currents, mode, r2, h, vpk * emf * sn, fan_now, te, tl, wm, v1, v2, now)
            for j in range(at.B_COUNT):
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
            mean_square, mean = sum_il / count, sum_i / count
            rms_il = math.sqrt(mean_square)
            cycle_iq = math.sqrt(0.5 * (last_iq_square + sum_iq / count))
            last_iq_square = sum_iq / count
            sum_sw, sum_lv, sum_il, sum_i, sum_iq, window_count = 0.0, 0.0, 0.0, 0.0, 0.0, 0
            window_end += 1
            next_window = round((window_end * half - ahead) / h)
            if aid == at.START_CAPACITOR or (aid == at.SOFT and p[at.P_C2] > 0.0 and p[at.P_PICKUP] > 0.0):
                if start_in and p[at.P_PICKUP] > 0.0 and rms_sw > p[at.P_PICKUP]:
                    start_in = False
                    switched = True
                    events_n = write_down(events, events_n, step, at.E_RELAY_OPEN, rms_sw)
                    if aid == at.SOFT and not bypassed:
                        # Without the capacitor's leading amps the line takes more: fire later at once.
                        alpha = min(LATEST_FIRING, alpha + PUT_BACK)
                elif not start_in and rms_sw < p[at.P_DROPOUT]:
                    start_in = True
                    switched = True
                    events_n = write_down(events, events_n, step, at.E_RELAY_CLOSE, rms_sw)
            # A relay's armature follows the whole cycle.
            if aid == at.CURRENT_RELAY and window_end > 2:
                if not start_in and cycle_iq > p[at.P_RELAY_IN_A]:
                    start_in = True
                    switched = True
                    events_n = write_down(events, events_n, step, at.E_CURRENT_CLOSE, cycle_iq)
                elif start_in and cycle_iq < p[at.P_RELAY_OUT_A]:
                    start_in = False
                    switched = True
                    events_n = write_down(events, events_n, step, at.E_CURRENT_OPEN, cycle_iq)
            pending_emf = p[at.P_AVR_S] > 0.0 or p[at.P_LIMIT_A] > 0.0
            if p[at.P_AVR_S] > 0.0:
                emf = regulated(p, emf, rms_lv, half)
            if p[at.P_LIMIT_A] > 0.0 and window_end % 2 == 1:
                # The alternating part over the whole cycle: what the closing angle leaves dies by itself.
                both = 0.5 * (half_mean + mean)
                square = 0.5 * (half_mean_square + mean_square) - both * both
                emf = limited(p, emf, math.sqrt(max(square, 0.0)))
            half_mean_square, half_mean = mean_square, mean
            if p[at.P_BREAKER_A] > 0.0 and not tripped:
                m = rms_il / p[at.P_BREAKER_A]
                breaker_heat = breaker_heated(p, breaker_heat, rms_il, half)
                if breaker_heat >= p[at.P_BREAKER_TRIP] or m > p[at.P_BREAKER_MAG]:
                    tripped = True
                    events_n = write_down(events, events_n, step, at.E_BREAKER, m)
            if p[at.P_OVERLOAD_J] > 0.0 and not tripped:
                overload_heat = overload_heated(p, overload_heat, rms_il, half)
                if overload_heat >= p[at.P_OVERLOAD_J]:
                    tripped = True
                    events_n = write_down(events, events_n, step, at.E_OVERLOAD, rms_il)
            if p[at.P_COIL_OUT] > 0.0 and not tripped:
                if line_on and rms_lv < p[at.P_COIL_OUT]:
                    line_on = False
                    switched = True
                    coil_open_s = t
                    events_n = write_down(events, events_n, step, at.E_CONTACTOR_OPEN, rms_lv)
                elif not line_on and rms_lv > p[at.P_COIL_IN] and t - coil_open_s >= p[at.P_COIL_S]:
                    line_on = True
                    switched = True
                    events_n = write_down(events, events_n, step, at.E_CONTACTOR_CLOSE, rms_lv)
            if aid == at.SOFT and not bypassed:
                ramp = ramped(p, ramp, half)
                alpha = fired_at(p, alpha, ramp, rms_il)
            if aid == at.PTC:
                # Heats by its own loss, cools slowly; its resistance leaps once it is hot.
                r2 = ptc_ohms(p, ptc_j)
                branch_coefficients(p, mode, r2, h, k)
        if aid == at.PTC:
            i2 = i_d
            if mode == 3:
                if p[at.P_C2] > 0.0:
                    i2 = i_d - (v2 - v1 + r2 * i_d) / (p[at.P_R1] + r2)
                else:
                    i2 = (v1 + p[at.P_R1] * i_d) / (p[at.P_R1] + r2)
            ptc_j += (r2 * i2 * i2 - ptc_j / p[at.P_PTC_TAU]) * h
        if aid == at.SOFT and not bypassed and wm >= p[at.P_BYPASS] * sync and alpha <= FULL_CONDUCTION:
            bypassed = True
            events_n = write_down(events, events_n, step, at.E_BYPASS, wm)
            if p[at.P_PICKUP] <= 0.0 and start_in:
                start_in = False
                events_n = write_down(events, events_n, step, at.E_RELAY_OPEN, 0.0)
            switched = True
            fired = True
        if tripped:
            # Everything open: the rest of the record is silence while the rotor coasts.
            for rest in range(step + 1, n + 1):
                wm = max(0.0, wm - grown * tanh(wm) * inv_j * h) if wm > 0.0 else wm
                out[0, rest] = 0.0
                out[1, rest] = vpk * math.sin(w * rest * h + p[at.P_ANGLE])
                out[2, rest] = wm
                if detail_on:
                    for j in range(4):
                        detail[j, rest] = 0.0
            break

        # --- thyristors: by phase of the source, block at current zero ---------------------------
        if aid == at.SOFT and not bypassed and line_on:
            if fired:
                if i_q * last_iq < 0.0 and step > 0:
                    fired = False
                    switched = True
            else:
                phase = (w * t + p[at.P_ANGLE]) % math.pi
                if phase >= alpha and phase < math.pi - 0.05:
                    fired = True
                    just_fired = True
                    switched = True

        if switched:
            # Rotor flux carries over, and the stator currents that may go on; what a chopped current
            # held, and what two unlike capacitors lose on meeting, is booked as switching.
            if book:
                before = stored(p, g, lam_q, lam_d, pqr, pdr, v1, v2)
            c1, c2 = p[at.P_C1], p[at.P_C2]
            new_mode = (1 if has_run else 0) + (2 if start_in else 0)
            if (
                new_mode == 3
                and mode == 1
                and c2 > 0.0
                and (p[at.P_R1] + r2) * c1 * c2 / (c1 + c2) < MERGED * h
            ):
                shared = (c1 * v1 + c2 * v2) / (c1 + c2)
                v1, v2 = shared, shared
            run_on = fired and line_on
            start_on = new_mode != 0 and line_on
            new_top = 0 if (run_on and start_on) else (2 if run_on else (1 if start_on else 3))
            if not line_on and new_mode != 0 and fired:
                new_top = 4
            if new_top != top:
                if new_top == 4:
                    lam_q = p[at.P_LQ] * i_q + lm * iqr - p[at.P_LD] * i_d - a * a * lm * idr
                    lam_d = 0.0
                else:
                    keep_q = i_q if run_on else 0.0
                    keep_d = i_d if start_on else 0.0
                    total = ls * (keep_q + keep_d)
                    lam_q = p[at.P_LQ] * keep_q + lm * (pqr - lm * keep_q) / lr + total
                    lam_d = p[at.P_LD] * keep_d + lm * (pdr - a * a * lm * keep_d) / lr + total
                top = new_top
                g = gammas[top]
            mode = new_mode
            branch_coefficients(p, mode, r2, h, k)
            i_q = (g[0, 0] * lam_q + g[0, 1] * lam_d) + (g[0, 2] * pqr + g[0, 3] * pdr)
            if book:
                final[at.B_SWITCH] += before - stored(p, g, lam_q, lam_d, pqr, pdr, v1, v2)
                i_d = (g[1, 0] * lam_q + g[1, 1] * lam_d) + (g[1, 2] * pqr + g[1, 3] * pdr)
                iqr = (g[2, 0] * lam_q + g[2, 1] * lam_d) + (g[2, 2] * pqr + g[2, 3] * pdr)
                idr = (g[3, 0] * lam_q + g[3, 1] * lam_d) + (g[3, 2] * pqr + g[3, 3] * pdr)
                te = pp * (a * pqr * idr - pdr * iqr * inv_a)
                currents[0], currents[1], currents[2], currents[3] = i_q, i_d, iqr, idr
                currents[4] = i_q + i_d if line_on else 0.0
                powers(p, currents, mode, r2, h, vpk * emf * sn, fan_now, te, tl, wm, v1, v2, last_power)
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
        if switched or step == 0 or aid == at.PTC:
            stator_rows(p, g, k[2], top, rows)
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
            # The source was set again at the window's end.
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
            d6 = (te_ - grown * tanh(x6)) * inv_j
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
            turned = w * (step + 1) * h + p[at.P_ANGLE]
            sn, cs = math.sin(turned), math.cos(turned)
        else:
            sn, cs = se, ce

    final[at.F_STORED] = stored(p, g, lam_q, lam_d, pqr, pdr, v1, v2)
    final[at.F_KINETIC] = 0.5 * p[at.P_J] * wm * wm
    final[at.F_BREAKER] = breaker_heat
    final[at.F_OVERLOAD] = overload_heat
    final[at.F_START_IN] = 1.0 if start_in else 0.0
    final[at.F_BRANCH_OHM] = r2
    final[at.F_EMF] = emf
    final[at.F_PTC_J] = ptc_j
    return events_n
