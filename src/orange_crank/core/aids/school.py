"""Two schools of two-wire and three-wire kits, and which is the default here."""

from orange_crank.core.aids.entry import AidIn, School
from orange_crank.core.messages import msg
from orange_crank.core.tables.standards import Standards


def school_of(entry: AidIn, limits: Standards) -> tuple[School, str]:
    """Return the school taken and why."""
    if entry.school is not None:
        return entry.school, "chosen"
    hot = entry.outdoor_design_f is not None and entry.outdoor_design_f > limits.hot_climate_f
    often = entry.cycles_per_hour is not None and entry.cycles_per_hour > limits.ptc_cycles_per_hour
    if hot or often:
        return "three_wire", msg("hot climate or frequent starts: a thermistor would not cool")
    return "two_wire", msg("mild climate and few starts, or not entered")
