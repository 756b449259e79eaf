"""What was read off a file on record, kept beside it: the file is not read again at every list.

It is known by the file's checksum and by the code that read it; other code reads it again.
"""

import hashlib
import inspect
from collections.abc import Callable
from contextlib import suppress
from functools import cache
from types import ModuleType
from typing import TypeVar

import peewee
from pydantic import BaseModel, ValidationError

from orange_crank.core.measure import captured, meter, start_sound, waveform
from orange_crank.store.database import transaction
from orange_crank.store.models import AnalysisRow

M = TypeVar("M", bound=BaseModel)

# Everything that has a part in reading a recording or a sound.
_READERS: tuple[ModuleType, ...] = (waveform, start_sound, captured, meter)


@cache
def _code() -> str:
    return "".join(inspect.getsource(module) for module in _READERS)


@cache
def _read_by(sha256: str) -> str:
    return hashlib.sha256((_code() + sha256).encode()).hexdigest()


def analysed(kind: str, number: int, sha256: str, model: type[M], read: Callable[[], M]) -> M:
    """Return what is read off a file: as it was kept, where the same code read the same file before.

    Parameters
    ----------
    kind, number : whose file it is
    sha256 : the file's checksum, as its row has it
    model : what is read off it
    read : reads the file

    """
    mark = _read_by(sha256)
    row = AnalysisRow.get_or_none((AnalysisRow.kind == kind) & (AnalysisRow.number == number))
    if row is not None and row.read_by == mark:
        with suppress(ValidationError):
            return model.model_validate_json(row.body)
    found = read()
    # Where it cannot be kept, as on a full disk, it is read again next time.
    with suppress(peewee.DatabaseError), transaction():
        AnalysisRow.insert(
            kind=kind, number=number, read_by=mark, body=found.model_dump_json()
        ).on_conflict_replace().execute()
    return found
