"""Orange Crank: the arithmetic, the record and the judgement of an HVAC service call."""

__version__ = "0.1.0"
