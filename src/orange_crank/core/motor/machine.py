"""The machine: a two-winding single-phase induction motor by its seven resistances and reactances.

Two stator windings in space quadrature, run (q) and start (d), turns ratio a = N_d/N_q, a cage rotor
referred to the run winding. Stationary reference frame.
"""

import math
from functools import lru_cache
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from orange_crank.core.nomenclature import Frozen

Reactance = Annotated[
    float, Field(strict=True, gt=0, le=100_000, allow_inf_nan=False, json_schema_extra={"unit": "Ω"})
]
Resistance = Annotated[
    float, Field(strict=True, gt=0, le=10_000, allow_inf_nan=False, json_schema_extra={"unit": "Ω"})
]
Hertz = Annotated[
    float, Field(strict=True, ge=40, le=70, allow_inf_nan=False, json_schema_extra={"unit": "Hz"})
]


class Machine(Frozen):
    """One machine; reactances at its own frequency, rotor referred to the run winding.

    References
    ----------
    Two-axis theory of the unsymmetrical two-phase machine: P. C. Krause, Analysis of Electric Machinery,
    chapter on symmetrical and unsymmetrical two-phase machines.

    """

    rq_ohm: Resistance = Field(description="Run winding [Ω]")
    xlq_ohm: Reactance = Field(description="Run winding leakage [Ω]")
    xm_ohm: Reactance = Field(description="Magnetising, run winding [Ω]")
    rr_ohm: Resistance = Field(description="Rotor, referred to the run winding [Ω]")
    xlr_ohm: Reactance = Field(description="Rotor leakage, referred to the run winding [Ω]")
    rd_ohm: Resistance = Field(description="Start winding [Ω]")
    xld_ohm: Reactance = Field(description="Start winding leakage [Ω]")
    turns_ratio: Annotated[float, Field(strict=True, ge=0.3, le=4, allow_inf_nan=False)] = Field(
        description="Start winding turns over run winding turns"
    )
    inertia_kgm2: Annotated[float, Field(strict=True, gt=0, le=100, allow_inf_nan=False)] = Field(
        description="Rotor and what turns with it [kg·m²]"
    )
    poles: Annotated[int, Field(strict=True, ge=2, le=12, multiple_of=2)] = 2
    hertz: Hertz = 60.0

    @property
    def omega(self) -> float:
        """Electrical angular frequency [rad/s]."""
        return 2 * math.pi * self.hertz

    @property
    def synchronous_rad_s(self) -> float:
        """Synchronous speed of the shaft [rad/s]."""
        return self.omega * 2 / self.poles

    def inductances(self) -> tuple[float, float, float, float, float]:
        """Return L_q, L_d, L_r, L_m and a (self inductances with their magnetising part) [H, 1]."""
        w, a = self.omega, self.turns_ratio
        lm = self.xm_ohm / w
        return (self.xlq_ohm / w + lm, self.xld_ohm / w + a * a * lm, self.xlr_ohm / w + lm, lm, a)


Matrix = NDArray[np.float64]


def flux_matrix(machine: Machine, source_h: float = 0.0) -> Matrix:
    """Return the matrix from (i_q, i_d, i_qr, i_dr) to flux linkages, source inductance included, (4, 4)."""
    lq, ld, lr, lm, a = machine.inductances()
    return np.array(
        [
            [lq + source_h, source_h, lm, 0.0],
            [source_h, ld + source_h, 0.0, a * a * lm],
            [lm, 0.0, lr, 0.0],
            [0.0, a * a * lm, 0.0, a * a * lr],
        ]
    )


@lru_cache(maxsize=256)
def current_matrices(machine: Machine, source_h: float) -> Matrix:
    """Return the matrices from flux linkages to currents for each way the windings are joined, (5, 4, 4).

    Notes
    -----
    0 both windings fed; 1 run winding open; 2 start winding open; 3 both open; 4 line open, the windings
    still in a loop through the run capacitor (its first flux is then that of run less start).

    """
    flux = flux_matrix(machine, source_h)
    out = np.zeros((5, 4, 4))
    for case, kept in enumerate(([0, 1, 2, 3], [1, 2, 3], [0, 2, 3], [2, 3])):
        sub = np.linalg.inv(flux[np.ix_(kept, kept)])
        out[case][np.ix_(kept, kept)] = sub
    bare = flux_matrix(machine, 0.0)
    # i_d = −i_q: columns join, and the flux of the loop is that of run less start.
    join = np.array([[1.0, 0.0, 0.0], [-1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]])
    loop = np.linalg.inv(join.T @ bare @ join)
    full = join @ loop
    out[4][:, [0, 2, 3]] = full
    return out
