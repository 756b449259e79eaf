"""What of a hand-over stands on the record of a call."""

from pydantic import AwareDatetime, Field

from orange_crank.core.diagnosis.model import Hypothesis
from orange_crank.core.handover.agreement import Agreement
from orange_crank.core.handover.money import ClosedBill
from orange_crank.core.nomenclature import Flag, Frozen, Sentence, Word


class Confirmed(Frozen):
    """What it was in the end."""

    hypothesis: Hypothesis
    note: Sentence = Field(default="", description="How it was seen to be so")


class ConfirmedAt(Frozen):
    """What it was in the end, as it stands on record."""

    confirmed: Confirmed
    at: AwareDatetime
    person: Word


class Agreed(Frozen):
    """An agreement as it stands on record."""

    agreement: Agreement
    at: AwareDatetime
    person: Word
    place: float = Field(default=0.0, description="Its place in the order of recording of the call")


class AgreedOut(Agreed):
    """An agreement, and whether it came after the work."""

    after_work: Flag = Field(default=False, description="Given after something was changed on the unit")


class LeftAtClosing(Frozen):
    """A point that was open when a call was closed."""

    code: Word = Field(description="As in what is left open: FAIL, PAST_GATE, NOT_BILLED")
    text: Sentence


class Closing(Frozen):
    """The bill and the reason kept when a call is closed."""

    bill: ClosedBill | None = Field(default=None, description="None where nothing was charged")
    reason: Sentence = Field(default="", description="Why what was left open stayed open")
    left: list[LeftAtClosing] = Field(default_factory=list, description="What closing left open")


class ClosedAt(Frozen):
    """A closing on record."""

    closing: Closing
    at: AwareDatetime
    person: Word


class HandedOver(Frozen):
    """The hand-over itself: to whom, and how."""

    to: Word = Field(description="Who of the customer's side")
    how: Word = Field(default="shown on the screen", description="Shown, printed, sent")
    left_why: Sentence = Field(default="", description="Why what is left undone is left")
    running: Flag | None = Field(default=None, description="Whether the unit is left running, as seen")


class HandedOverAt(Frozen):
    """The hand-over as it stands on record."""

    handed: HandedOver
    at: AwareDatetime
    person: Word
