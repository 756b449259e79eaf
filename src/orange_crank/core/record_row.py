"""One line of a record as it leaves: what it is of, what it says, how it was taken."""

from dataclasses import dataclass
from datetime import datetime


@dataclass(frozen=True, kw_only=True)
class RecordRow:
    """One line: what it is of, what it says, how it was taken."""

    shop: str
    site: str
    unit: str
    call: int
    kind: str
    local_time: datetime
    what: str
    value: object
    value_unit: str = ""
    code: str = ""
    meter_mode: str | None = None
    conductor: str | None = None
    place: str | None = None
    line_v: float | None = None
    outdoor_f: float | None = None
    rest_min: float | None = None
    learning_starts: int | None = None
    outcome: str | None = None
    start_s: float | None = None
    later_a: float | None = None
    plus_minus: float | None = None
    timed_by: str | None = None
    aid: str | None = None
    past_gate: str | None = None
    person: str = ""
    number: int = 0
    corrected_by: int | None = None
    note: str = ""
