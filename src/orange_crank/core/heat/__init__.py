"""Electric heat: elements, circuits, stages, and the measured check."""

from orange_crank.core.heat.entry import HeatIn
from orange_crank.core.heat.on_call import HeatStrips, HeatStripsOut, judge_strips
from orange_crank.core.heat.size import HeatOut, size_heat

__all__ = ["HeatIn", "HeatOut", "HeatStrips", "HeatStripsOut", "judge_strips", "size_heat"]
