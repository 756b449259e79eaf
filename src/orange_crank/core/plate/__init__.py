"""The nameplate: what it says, and whether its own numbers agree with one another."""

from orange_crank.core.plate.arithmetic import CircuitFigures, circuit_figures
from orange_crank.core.plate.checks import PlateResult, Suspect, check_plate
from orange_crank.core.plate.model import Compressor, Motor, Plate, PlateRead

__all__ = [
    "CircuitFigures",
    "Compressor",
    "Motor",
    "Plate",
    "PlateRead",
    "PlateResult",
    "Suspect",
    "check_plate",
    "circuit_figures",
]
