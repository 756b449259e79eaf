"""Backup power: does this source start this compressor, with what else on, and for how long."""

from orange_crank.core.backup.demand import check_backup
from orange_crank.core.backup.entry import BackupIn, BackupOut, BackupSupply

__all__ = ["BackupIn", "BackupOut", "BackupSupply", "check_backup"]
