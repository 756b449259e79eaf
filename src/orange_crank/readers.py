"""Load every reader of files and the paper engine: the fork server of ``apart`` imports this once."""

from orange_crank.formats import comtrade_files, logger_csv, photo, plate_photo, wav
from orange_crank.formats.documents.paper import warm_papers

__all__ = ["comtrade_files", "logger_csv", "photo", "plate_photo", "wav"]

warm_papers()
