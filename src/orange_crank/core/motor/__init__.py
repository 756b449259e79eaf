"""The start model: a single-phase compressor motor from standstill to speed."""

from orange_crank.core.motor.entry import StartIn
from orange_crank.core.motor.start import StartResult, compute_start

__all__ = ["StartIn", "StartResult", "compute_start"]
