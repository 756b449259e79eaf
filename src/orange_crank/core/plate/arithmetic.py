"""Minimum circuit ampacity and maximum overcurrent device from a plate's own loads."""

from orange_crank.core.nomenclature import Frozen
from orange_crank.core.plate.model import Edition, Plate
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
    mca_working: str
    mocp_working: str
    mocp_start_working: str
    largest_is_motor: bool


def circuit_figures(plate: Plate) -> CircuitFigures:
    """Return MCA and both MOCP figures of a plate.

    Parameters
    ----------
    plate : loads [A]

    Returns
    -------
    CircuitFigures : amperes; ``mocp_a`` and ``mocp_start_a`` are standard sizes, rounded down

    Raises
    ------
    BeyondTable : the limit lies above the largest standard overcurrent device

    Notes
    -----
    MCA takes 125 % of the largest motor *or* motor-compressor and 100 % of the rest. MOCP takes
    225 % (first try 175 %) of the largest motor-compressor and 100 % of the rest, rounded down.

    References
    ----------
    NEC 440.32, 440.33 (ampacity); 440.22(A), 440.22(B)(1) (overcurrent device); 240.6(A).

    >>> from orange_crank.core.plate.model import Compressor, Motor
    >>> plate = Plate(volts=230, phase=1, compressors=[Compressor(rla_a=16.7, lra_a=97)],
    ...               motors=[Motor(fla_a=1.4)])
    >>> figures = circuit_figures(plate)
    >>> round(figures.mca_a, 3), figures.mocp_a, figures.mocp_start_a
    (22.275, 35.0, 30.0)

    """
    compressors = [c.sizing_a for c in plate.compressors]
    motors = [m.fla_a for m in plate.motors]
    total = sum(compressors) + sum(motors) + (plate.other_a or 0.0)

    largest = max(compressors + motors)
    mca = 1.25 * largest + (total - largest)

    largest_compressor = max(compressors)
    rest = total - largest_compressor
    limit = 2.25 * largest_compressor + rest
    start_limit = 1.75 * largest_compressor + rest
    mocp = overcurrent_at_most(limit)
    start = overcurrent_at_most(start_limit)

    def working(factor: float, load: float, others: float, result: float) -> str:
        return f"{factor:g} × {load:g} A + {others:g} A = {result:.6g} A"

    others = round(total - largest, 6)
    rest = round(rest, 6)
    return CircuitFigures(
        largest_a=largest,
        others_a=others,
        mca_a=round(mca, 6),
        mocp_limit_a=round(limit, 6),
        mocp_a=float(mocp),
        mocp_start_limit_a=round(start_limit, 6),
        mocp_start_a=float(start),
        mca_working=working(1.25, largest, others, mca),
        mocp_working=working(2.25, largest_compressor, rest, limit) + f" → {mocp} A",
        mocp_start_working=working(1.75, largest_compressor, rest, start_limit) + f" → {start} A",
        largest_is_motor=largest > largest_compressor,
    )


def clause(edition: Edition, number: str) -> str:
    """Name a clause with its edition, as findings cite it.

    >>> clause("2023", "440.33")
    'NEC 2023 440.33'
    """
    return f"NEC {edition} {number}"
