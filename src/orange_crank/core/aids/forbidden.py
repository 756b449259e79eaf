"""Where no start aid belongs at all."""

from orange_crank.core.aids.entry import AidIn


def why_forbidden(entry: AidIn) -> str | None:
    """Return why no aid belongs on this machine, or None."""
    if entry.plate.is_inverter:
        return "An inverter starts its compressor itself: a start aid does not belong there."
    if entry.plate.phase == 3:
        return "Three-phase: single-phase start aids do not belong there."
    if entry.warranty_forbids:
        return "The warranty rule noted for this unit forbids a start aid."
    return None
