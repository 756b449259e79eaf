"""What a make-safe record of a unit will want: what its plate implies, and what was said last. No proof."""

from collections.abc import Sequence

from pydantic import AwareDatetime, Field

from orange_crank.core.nomenclature import Frozen, Volts, Word
from orange_crank.core.plate import Plate
from orange_crank.core.safety.bleed import UNREADABLE_RATED_V
from orange_crank.core.safety.make_safe import Section, SupplyKind, implied_sections, implied_supply
from orange_crank.core.safety.state import SafetyEvent


class OpenedLast(Frozen):
    """What was opened and locked last, and who held its key."""

    device: Word
    key_holder: Word | None


class SaidLast(Frozen):
    """What the last record of this unit said, to be confirmed step by step: offered, never taken over."""

    at: AwareDatetime
    here: bool = Field(description="Whether it is of this call")
    fed: Word
    other_sources: list[Word]
    opened: list[OpenedLast]
    source: Word | None = Field(description="Known live source the meter was proved on")
    source_v: Volts | None = Field(description="What that source is known to be [V]")
    rated_v: dict[Section, float] = Field(description="Ratings read off the cans [V]")


class ExpectedMakeSafe(Frozen):
    """Supply and capacitor sections a plate implies, None and empty without one; and what was said last."""

    supply: SupplyKind | None
    sections: list[Section]
    bleed_as_v: Volts = Field(
        default=UNREADABLE_RATED_V,
        description="Rating a capacitor is bled for where its own cannot be read [V]",
    )
    last: SaidLast | None = None


def expected_make_safe(
    plate: Plate | None, events: Sequence[SafetyEvent] = (), earlier: SafetyEvent | None = None
) -> ExpectedMakeSafe:
    """Return what a plate implies of supply and capacitors, and what the last record said.

    Parameters
    ----------
    plate : as read; None where it is not
    events : of this call, in the order of recording
    earlier : the last make-safe record of an earlier call on this unit

    """
    here = next((e for e in reversed(events) if e.record is not None), None)
    last = _said(here, here=True) or _said(earlier, here=False)
    implied = _implied(plate)
    if implied.supply is None and here is not None and here.record is not None:
        implied = implied.model_copy(
            update={"supply": here.record.supply, "sections": list(here.record.sections_present)}
        )
    if not implied.sections:
        # More to measure than the plate implies is never wrong: a start capacitor stands on no plate.
        known = next((e.record for e in (here, earlier) if e is not None and e.record is not None), None)
        implied = implied.model_copy(update={"sections": list(known.sections_present) if known else []})
    return implied.model_copy(update={"last": last})


def _said(event: SafetyEvent | None, here: bool) -> SaidLast | None:
    record = event.record if event is not None else None
    if event is None or record is None or not record.source_identified:
        return None
    return SaidLast(
        at=event.at,
        here=here,
        fed=record.source_identified,
        other_sources=list(record.other_sources or []),
        opened=[OpenedLast(device=o.device, key_holder=o.key_holder) for o in record.opened],
        source=record.proof_before.source if record.proof_before else None,
        source_v=record.proof_before.expected_v if record.proof_before else None,
        rated_v={c.section: c.rated_v for c in record.capacitors if c.rated_v},
    )


def _implied(plate: Plate | None) -> ExpectedMakeSafe:
    if plate is None:
        return ExpectedMakeSafe(supply=None, sections=[])
    return ExpectedMakeSafe(supply=implied_supply(plate), sections=implied_sections(plate))
