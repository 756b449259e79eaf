"""Steady state at a constant speed, by phasors: the same equations with d/dt = jω."""

from dataclasses import dataclass

import numpy as np

from orange_crank.core.motor.machine import Machine


@dataclass(frozen=True)
class SteadyState:
    """RMS phasors at one speed, the line voltage as reference at the source."""

    i_q: complex
    i_d: complex
    i_qr: complex
    i_dr: complex
    torque_nm: float
    line_v: complex
    start_winding_v: complex

    @property
    def line_a(self) -> complex:
        """Line current [A]."""
        return self.i_q + self.i_d


def branch_impedance(omega: float, *branches: tuple[float | None, float]) -> complex | None:
    """Return the impedance of capacitors (µF or None for a plain resistance, Ω) in parallel, or None.

    >>> z = branch_impedance(377.0, (45.0, 0.5))
    >>> round(z.real, 2), round(z.imag, 1)
    (0.5, -58.9)
    """
    admittance = 0j
    for uf, ohm in branches:
        z = complex(ohm, 0.0 if uf is None else -1e6 / (omega * uf))
        admittance += 1 / z
    return 1 / admittance if admittance != 0 else None


def steady_state(
    machine: Machine,
    volts: float,
    speed_pu: float,
    branch: complex | None,
    source: complex = 0j,
    run_open: bool = False,
) -> SteadyState:
    """Solve the machine at a constant speed.

    Parameters
    ----------
    machine : the machine
    volts : source voltage, RMS [V]
    speed_pu : speed over synchronous speed
    branch : impedance in series with the start winding [Ω]; None leaves the start winding open
    source : source impedance [Ω]
    run_open : whether the run winding is open

    Notes
    -----
    Torque is the average over a cycle; the part at twice the line frequency averages out.

    """
    w, a = machine.omega, machine.turns_ratio
    wr = w * speed_pu
    lq, ld, lr, lm, _ = machine.inductances()
    jw = 1j * w
    m = np.array(
        [
            [machine.rq_ohm + jw * lq + source, source, jw * lm, 0],
            [source, machine.rd_ohm + jw * ld + (branch or 0) + source, 0, jw * a * a * lm],
            [jw * lm, -wr * a * lm, machine.rr_ohm + jw * lr, -wr * a * lr],
            [
                a * wr * lm,
                jw * a * a * lm,
                a * wr * lr,
                a * a * machine.rr_ohm + jw * a * a * lr,
            ],
        ]
    )
    v = np.array([volts, volts, 0, 0], dtype=complex)
    closed = [i for i in range(4) if not (i == 1 and branch is None) and not (i == 0 and run_open)]
    x = np.zeros(4, dtype=complex)
    x[closed] = np.linalg.solve(m[np.ix_(closed, closed)], v[closed])
    i_q, i_d, i_qr, i_dr = (complex(c) for c in x)
    psi_qr = lr * i_qr + lm * i_q
    psi_dr = a * a * (lr * i_dr + lm * i_d)
    torque = machine.poles / 2 * (a * (psi_qr * i_dr.conjugate()).real - (psi_dr * i_qr.conjugate()).real / a)
    line_v = volts - source * (i_q + i_d)
    # An open winding shows what the rotor induces in it.
    start_v = jw * a * a * lm * i_dr if branch is None else line_v - branch * i_d
    return SteadyState(i_q, i_d, i_qr, i_dr, torque, line_v, start_v)
