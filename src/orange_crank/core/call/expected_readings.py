"""What a reading is held against on this unit, and what the last visit read: said before it is taken.

The limits are asked of the rules that judge, so that what a field promises is what it is judged by.
"""

from collections.abc import Callable, Mapping, Sequence
from functools import partial

from pydantic import AwareDatetime, Field

from orange_crank.core.call.judging import judged_or_said
from orange_crank.core.call.visits import Visit, same_part
from orange_crank.core.measure.capacitor import Capacitor, judge_capacitor
from orange_crank.core.measure.reading import QUANTITIES, Quantity, expected_range
from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Frozen, say
from orange_crank.core.plate import Plate
from orange_crank.core.tables.standards import Standards


class ExpectedReading(Frozen):
    """What one quantity is held against, and its last value."""

    quantity: Quantity
    limit: Prose | None = Field(description="What it is compared with, in a few words; None where nothing is")
    last: float | None = Field(description="Last value of the part that is still there")
    last_at: AwareDatetime | None
    usual_low: float | None = Field(description="Below it the value is asked about, in its own unit")
    usual_high: float | None = Field(description="Above it the value is asked about, in its own unit")


def expected_readings(
    plate: Plate | None, visits: Sequence[Visit], limits: Standards, can_label_uf: float | None = None
) -> list[ExpectedReading]:
    """Return what can be said of each quantity before it is measured; those with nothing to say are left out.

    Parameters
    ----------
    plate : as read; None where it is not
    visits : earlier calls on the unit
    limits : the shop's limits
    can_label_uf : what the run capacitor that is there says of itself [µF]

    """
    last = {r.quantity: r for r in same_part(visits)}
    found: list[ExpectedReading] = []
    for quantity in QUANTITIES:
        limit = _limit(quantity, plate, limits, can_label_uf)
        past = last.get(quantity)
        usual = expected_range(quantity, plate)
        if limit is not None or past is not None or usual is not None:
            found.append(
                ExpectedReading(
                    quantity=quantity,
                    limit=limit,
                    last=past.value if past else None,
                    last_at=past.taken_at if past else None,
                    usual_low=usual[0] if usual else None,
                    usual_high=usual[1] if usual else None,
                )
            )
    return found


def _limit(
    quantity: Quantity, plate: Plate | None, limits: Standards, can_label_uf: float | None
) -> str | None:
    rule = _LIMITS.get(quantity)
    if rule is None or plate is None:
        return None
    return judged_or_said(partial(rule, plate, limits, can_label_uf), _nothing)


def _nothing(_: str) -> None:
    return None


def _capacitor(uf: float | None, limits: Standards) -> str | None:
    if not uf:
        return None
    range_ = judge_capacitor(Capacitor(label_uf=uf, measured_uf=uf), limits)
    return msg(
        "{low_uf} to {high_uf}", low_uf=say(range_.low_uf, "", 3), high_uf=say(range_.high_uf, "µF", 3)
    )


def _supply(plate: Plate, limits: Standards, _: float | None) -> str:
    share = limits.supply_tolerance_pct / 100
    return msg(
        "{volts:.0f} to {volts_2:.0f} V", volts=plate.volts * (1 - share), volts_2=plate.volts * (1 + share)
    )


def _running(plate: Plate, limits: Standards, _: float | None) -> str:
    rla = plate.compressors[0].rla_a
    return msg(
        "RLA {rla}; fails above {running_fail_ratio}",
        rla=say(rla, "A"),
        running_fail_ratio=say(limits.running_fail_ratio * rla, "A", 3),
    )


def _inrush(plate: Plate, _: Standards, __: float | None) -> str | None:
    lra = plate.compressors[0].lra_a
    return msg("LRA {lra} at {volts}", lra=say(lra, "A"), volts=say(plate.volts, "V")) if lra else None


def _fan(plate: Plate, _: Standards, __: float | None) -> str | None:
    return msg("FLA {fla_a}", fla_a=say(plate.motors[0].fla_a, "A")) if plate.motors else None


_LIMITS: Mapping[Quantity, Callable[[Plate, Standards, float | None], str | None]] = {
    "run_cap_uf": lambda plate, limits, own: _capacitor(own or plate.run_cap_uf, limits),
    "fan_cap_uf": lambda plate, limits, _: _capacitor(plate.fan_cap_uf, limits),
    "can_label_uf": lambda plate, _, __: (
        msg("nameplate: {run_cap_uf}", run_cap_uf=say(plate.run_cap_uf, "µF")) if plate.run_cap_uf else None
    ),
    "line_v_idle": _supply,
    "line_v_run": _supply,
    "running_a": _running,
    "fan_a": _fan,
    "inrush_a": _inrush,
    "contactor_drop_v": lambda _, limits, __: msg(
        "watch from {contactor_drop_watch_v:g} V, replace from {contactor_drop_replace_v:g} V",
        contactor_drop_watch_v=limits.contactor_drop_watch_v,
        contactor_drop_replace_v=limits.contactor_drop_replace_v,
    ),
    "coil_v": lambda _, limits, __: msg(
        "at least {coil_pull_in_v:g} V on a 24 V coil", coil_pull_in_v=limits.coil_pull_in_v
    ),
}
