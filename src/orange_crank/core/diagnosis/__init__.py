"""Why it starts hard: evidence, next best test, condemnation guard."""

from orange_crank.core.diagnosis.diagnose import diagnose
from orange_crank.core.diagnosis.model import DiagnoseIn, DiagnoseOut

__all__ = ["DiagnoseIn", "DiagnoseOut", "diagnose"]
