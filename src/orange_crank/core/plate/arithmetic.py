"""Minimum circuit ampacity and maximum overcurrent device from a plate's own loads."""

from collections.abc import Sequence

from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.plate.model import Edition, PlateRead, split_other
from orange_crank.core.tables import overcurrent_at_most


class CircuitFigures(Frozen):
    """What the branch-circuit rules make of a plate's loads."""

    largest_a: float
    others_a: float
    mca_a: float
    mocp_limit_a: float
    mocp_a: float
    mocp_start_limit_a: float
    mocp_start_a: float
    mca_working: Prose
    mocp_working: Prose
    mocp_start_working: Prose
    largest_is_motor: bool
    most_pct: float = 225.0


HEAT = 1.25
# Table 430.52: an inverse-time breaker for a motor.
MOTOR_BREAKER = 2.5


def circuit_figures(
    compressors_a: Sequence[float], motors_a: Sequence[float], other_a: float = 0.0, heat_a: float = 0.0
) -> CircuitFigures:
    """Return MCA and both MOCP figures of a plate's loads.

    Parameters
    ----------
    compressors_a : the greater of rated load amps and selection current, each [A]; at least one
    motors_a : full-load amps, each [A]
    other_a : what else runs on the same plate [A]
    heat_a : electric heat on the same plate [A]; a continuous load, so a quarter more of it in the MCA

    Returns
    -------
    CircuitFigures : amperes; ``mocp_a`` and ``mocp_start_a`` are standard sizes, rounded down

    Raises
    ------
    BeyondTable : the limit lies above the largest standard overcurrent device

    Notes
    -----
    MCA takes 125 % of the largest motor *or* motor-compressor and 100 % of the rest. MOCP takes
    225 % (first try 175 %) of the largest motor-compressor and 100 % of the rest, rounded down. Where a motor
    draws more than any compressor, that motor counts instead: 250 % of it for a breaker, 175 % for the first
    try.

    References
    ----------
    NEC 440.32, 440.33 (ampacity); 440.22(A), 440.22(B)(1) (overcurrent device), 440.22(B)(2) with
    430.53(C)(4) and Table 430.52 where a motor is the largest; 240.6(A); 424.4(B) (heat).

    >>> figures = circuit_figures([16.7], [1.4])
    >>> round(figures.mca_a, 3), figures.mocp_a, figures.mocp_start_a
    (22.275, 35.0, 30.0)

    """
    total = sum(compressors_a) + sum(motors_a) + other_a

    largest = max(*compressors_a, *motors_a, 0.0)
    mca = 1.25 * largest + (total - largest) + HEAT * heat_a

    most = 2.25 if largest <= max(compressors_a) else MOTOR_BREAKER
    rest = total - largest + heat_a
    limit = most * largest + rest
    start_limit = 1.75 * largest + rest
    mocp = overcurrent_at_most(limit)
    start = overcurrent_at_most(start_limit)

    def working(factor: float, load: float, others: float, result: float, heat: str = "") -> str:
        return msg(
            "{factor:g} × {load:g} A + {others:g} A{heat} = {result:.6g} A",
            factor=factor,
            load=load,
            others=others,
            heat=heat,
            result=result,
        )

    others = round(total - largest, 6)
    rest = round(rest, 6)
    heated = msg(" + {heat:g} × {heat_a:g} A of heat", heat=HEAT, heat_a=heat_a) if heat_a else ""
    return CircuitFigures(
        largest_a=largest,
        others_a=others,
        mca_a=round(mca, 6),
        mocp_limit_a=round(limit, 6),
        mocp_a=float(mocp),
        mocp_start_limit_a=round(start_limit, 6),
        mocp_start_a=float(start),
        mca_working=working(1.25, largest, others, mca, heated),
        mocp_working=working(most, largest, rest, limit) + f" → {mocp} A",
        mocp_start_working=working(1.75, largest, rest, start_limit) + f" → {start} A",
        largest_is_motor=largest > max(compressors_a),
        most_pct=100 * most,
    )


def most_clause(figures: CircuitFigures) -> str:
    """Name what sets the largest device: of a compressor, or of the motor that draws more."""
    return "440.22(B)(2), 430.53(C)(4)" if figures.largest_is_motor else "440.22(B)(1)"


def figures_of(plate: PlateRead) -> CircuitFigures | None:
    """Return MCA and MOCP of a plate's loads as far as it can be read; None where a load is missing.

    LRA is not needed for either.
    """
    compressors = [c for c in plate.compressors if c.rla_a is not None]
    motors = [m for m in plate.motors if m.fla_a is not None]
    if not compressors or len(compressors) < len(plate.compressors) or len(motors) < len(plate.motors):
        return None
    motor_a, heat_a, other_a = split_other(plate.other_a)
    more = [motor_a] if motor_a else []
    return circuit_figures(
        [max(c.rla_a or 0.0, c.bcsc_a or 0.0) for c in compressors],
        [m.fla_a or 0.0 for m in motors] + more,
        other_a,
        heat_a,
    )


def clause(edition: Edition, number: str) -> str:
    """Name a clause with its edition, as findings cite it.

    >>> clause("2023", "440.33")
    'NEC 2023 440.33'
    """
    return msg("NEC {edition} {number}", edition=edition, number=number)
