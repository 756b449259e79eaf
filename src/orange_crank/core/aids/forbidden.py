"""Where no start aid belongs at all."""

from orange_crank.core.aids.entry import AidIn
from orange_crank.core.messages import msg


def why_forbidden(entry: AidIn) -> str | None:
    """Return why no aid belongs on this machine, or None."""
    if entry.plate.is_inverter:
        return msg("An inverter starts its compressor itself: a start aid does not belong there.")
    if entry.plate.phase == 3:
        return msg("Three-phase: single-phase start aids do not belong there.")
    if entry.warranty_forbids:
        return msg("The warranty rule noted for this unit forbids a start aid.")
    return None
