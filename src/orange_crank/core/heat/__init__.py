"""Electric heat: circuits, stages, and the measured check."""

from orange_crank.core.heat.strips import HeatIn, HeatOut, size_heat

__all__ = ["HeatIn", "HeatOut", "size_heat"]
