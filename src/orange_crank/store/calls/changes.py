"""What was changed on the unit during a call."""

from datetime import datetime, timedelta

from pydantic import Field

from orange_crank.core.call.changes import PartKind
from orange_crank.core.call.gates import require
from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen, Moment, Word
from orange_crank.store.calls.journal import Entry, write_on
from orange_crank.store.calls.record import read_call
from orange_crank.store.calls.view import CallOut, get_call
from orange_crank.store.database import transaction
from orange_crank.store.models import ChangeMade


class NewChange(Frozen):
    """Something changed on the unit."""

    what: Word
    part: PartKind | None = Field(
        default=None, description="Which part is new or mended; its old readings then speak of the old one"
    )
    made_at: Moment | None = None


def add_change(call_id: int, change: NewChange, person_id: int, at: datetime | None = None) -> CallOut:
    """Write down something changed on the unit."""
    with transaction():
        journal = write_on(call_id, at)
        record = read_call(call_id, journal.moment)
        require(record.judged.gates["note_change"])
        made_at = change.made_at or journal.moment
        if not record.row.opened_at - timedelta(days=1) <= made_at <= journal.moment + timedelta(minutes=5):
            raise InputProblem(
                [FieldProblem(field="made_at", wanted=msg("a time on this call"), got=made_at.isoformat())]
            )
        put_change(journal, change.what, change.part, made_at, person_id)
        return get_call(call_id, at)


def put_change(journal: Entry, what: str, part: PartKind | None, made_at: datetime, person_id: int) -> None:
    """Append a change under a journal entry."""
    ChangeMade.create(
        call=journal.call.id,
        what=what.strip()[:80],
        part=part,
        made_at=made_at,
        entry_no=journal.number,
        person=person_id,
    )
