"""Electric heat: elements, circuits, stages, and the measured check."""

from orange_crank.core.heat.entry import HeatIn
from orange_crank.core.heat.size import HeatOut, size_heat

__all__ = ["HeatIn", "HeatOut", "size_heat"]
