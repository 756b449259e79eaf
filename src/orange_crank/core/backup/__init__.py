"""Backup power: does this source start this compressor, with what else on, and for how long."""

from orange_crank.core.backup.demand import BackupIn, BackupOut, check_backup

__all__ = ["BackupIn", "BackupOut", "check_backup"]
