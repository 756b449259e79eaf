"""Kits with a start capacitor: two-wire and three-wire, one value or several."""

from orange_crank.core.aids.kinds.job import Fitted, Job, NotOffered
from orange_crank.core.aids.own_relay import own_relay, why_no_relay
from orange_crank.core.messages import msg
from orange_crank.core.motor.entry import Aid
from orange_crank.core.motor.gear import own_start_uf, starting_of
from orange_crank.core.motor.relay import choose_relay, relay_window
from orange_crank.core.motor.start_capacitor import (
    best_start_capacitor,
    overdrives,
    sections,
    start_capacitor_volts,
)
from orange_crank.core.tables import StartCapacitorRange

MOST_OVER_OWN = 1.2
NO_SIZE = msg("No standard start capacitor suits without overdriving the start winding.")


def fit_start_kit(job: Job) -> Fitted:
    """Choose capacitor and relay together.

    Raises
    ------
    NotOffered : a rating is missing, the winding would be overdriven, or no relay suits

    """
    part, plate, run_uf = job.part, job.entry.plate, job.run_uf
    named = part.start_cap_uf is not None or part.sections_uf is not None
    if job.entry.stock is not None and part.aid != "three_in_one" and not named:
        raise NotOffered(msg("Its start capacitor's µF are not in the parts list: no guess is made."))
    uf, taps, size = part.start_cap_uf, [], None
    if part.sections_uf is not None:
        wanted = _best(job)
        taps = sections(part.sections_uf, (wanted.low_uf + wanted.high_uf) / 2)
        uf = sum(taps)
    if uf is None:
        size = _best(job)
        uf = _with_a_relay(job, size)
    if job.entry.stock is not None and _overdriven(job, uf):
        raise NotOffered(msg("{uf:g} µF would overdrive the start winding of this compressor.", uf=uf))
    window = relay_window(job.machines, plate.volts, run_uf, uf, job.entry.running_s_c_v)
    relay = own_relay(part, window) if part.pickup_low_v is not None else choose_relay(window)
    three_wire = part.aid == "relay_three_wire"
    if relay is None and three_wire:
        raise NotOffered(why_no_relay(part, window))
    if relay is not None and three_wire and part.volts_ac is not None:
        across = start_capacitor_volts(job.machines[0], plate.volts, run_uf, uf, relay.pickup_high_v)
        if part.volts_ac < across:
            raise NotOffered(
                msg(
                    "Its capacitor is rated {volts_ac:g} V; the model finds {across:.0f} V across it.",
                    volts_ac=part.volts_ac,
                    across=across,
                )
            )
    # A two-wire kit senses C–HERM: its own classes do not apply; its card says it is not checked.
    pickup = None if relay is None else (relay.pickup_low_v + relay.pickup_high_v) / 2
    return Fitted(
        aid=Aid(kind="start_capacitor", start_cap_uf=uf, start_cap_rated_v=part.volts_ac, pickup_v=pickup),
        start_cap_uf=uf,
        size=size,
        taps_uf=taps,
        relay=relay if three_wire else None,
    )


def _best(job: Job) -> StartCapacitorRange:
    size = best_start_capacitor(job.machines[0], job.entry.plate.volts, job.run_uf, job.limits)
    if size is None:
        raise NotOffered(NO_SIZE)
    return size


def _overdriven(job: Job, uf: float) -> bool:
    """Tell whether a start capacitor drives the start winding too hard.

    Notes
    -----
    The winding of a capacitor-start motor is made for its own capacitor: a fifth over it is too much. Any
    other is judged by its amps across the line.

    """
    plate = job.entry.plate
    if starting_of(plate) == "current_relay_capacitor":
        return uf > MOST_OVER_OWN * own_start_uf(plate.volts, job.lra_a, plate.line_hertz)
    return overdrives(job.machines[0], plate.volts, job.run_uf, uf, job.limits)


def _with_a_relay(job: Job, size: StartCapacitorRange) -> float:
    """Return a value of a range for which some relay suits: the middle, or an end beside it [µF].

    Capacitor and relay are one choice: a size beside this one may have a relay where it has none.
    """
    volts, run_uf, measured = job.entry.plate.volts, job.run_uf, job.entry.running_s_c_v
    middle = (size.low_uf + size.high_uf) / 2
    for at in (middle, size.high_uf, size.low_uf):
        if choose_relay(relay_window(job.machines, volts, run_uf, at, measured)):
            return at
    return middle
