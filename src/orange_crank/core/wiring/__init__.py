"""Wiring plans: one model of terminals and conductors gives drawing, moves, check and start."""

from orange_crank.core.wiring.plan_wiring import WiringIn, WiringOut, plan_wiring

__all__ = ["WiringIn", "WiringOut", "plan_wiring"]
