"""What a value that a meter gives live may be taken as: which reading, with which wire, mode and volts."""

from collections.abc import Sequence

from pydantic import Field

from orange_crank.core.measure.meter import Conductor, MeterMode
from orange_crank.core.measure.reading import QUANTITIES, Quantity
from orange_crank.core.nomenclature import Frozen

# (what the meter measures, where, in which mode) → the reading it is, the wire, the mode.
_FILLS: dict[tuple[str, str, str | None], tuple[Quantity, Conductor | None, MeterMode | None]] = {
    ("line_v", "line", None): ("line_v_idle", None, None),
    ("line_v", "load", None): ("line_v_run", None, None),
    ("contactor_drop_v", "pole", None): ("contactor_drop_v", None, None),
    ("coil_v", "coil", None): ("coil_v", None, None),
    ("running_a", "common", None): ("running_a", "common", None),
    ("run_a", "run", None): ("run_a", None, None),
    ("start_a", "start", None): ("start_a", None, None),
    ("fan_a", "fan", None): ("fan_a", None, None),
    ("inrush_a", "common", "inrush"): ("inrush_a", "common", "inrush"),
    ("inrush_a", "whole_unit", "inrush"): ("inrush_a", "whole_unit", "inrush"),
    ("inrush_a", "common", "max_hold"): ("inrush_a", "common", "max_hold"),
    ("inrush_a", "common", "peak"): ("inrush_a", "common", "peak"),
}
# Points that a make-safe record proves dead.
LINE_PLACES = frozenset({"line", "load", "pole"})


class Fill(Frozen):
    """A reading a live value may be taken as."""

    quantity: Quantity
    conductor: Conductor | None
    mode: MeterMode | None
    volts: float | None = Field(description="Line volts at this moment, where the meter gives them too [V]")


def fill_of(measured: str, place: str, mode: str | None, value: float, line_v: float | None) -> Fill | None:
    """Return what a live value may be taken as; None where it is no reading, or none such a meter can show.

    >>> fill_of("inrush_a", "common", "inrush", 108.0, 236.0).quantity
    'inrush_a'
    """
    found = _FILLS.get((measured, place, mode))
    if found is None:
        return None
    quantity, conductor, kept_mode = found
    note = QUANTITIES[quantity]
    if not note.low <= value <= note.high:
        return None
    return Fill(quantity=quantity, conductor=conductor, mode=kept_mode, volts=line_v)


def volts_on_dead(state: str, seen: Sequence[tuple[str, float]], stop_v: float) -> tuple[str, float] | None:
    """Return the place and volts that contradict a record which says dead; None where nothing does.

    Parameters
    ----------
    state : of the call
    seen : places with the volts a meter gives there now [V]
    stop_v : the shop's stop-work voltage [V]

    """
    if state not in ("dead_proved", "control_live"):
        return None
    over = [(place, volts) for place, volts in seen if place in LINE_PLACES and volts > stop_v]
    return max(over, key=lambda p: p[1], default=None)
