"""Which start capacitor, and what it sees and does."""

from itertools import combinations

from orange_crank.core.messages import msg
from orange_crank.core.motor.machine import Machine
from orange_crank.core.motor.phasor import branch_impedance, steady_state
from orange_crank.core.tables import StartCapacitorRange, start_capacitor_ranges
from orange_crank.core.tables.standards import Standards


def start_capacitor_volts(
    machine: Machine, volts: float, run_cap_uf: float | None, start_cap_uf: float, pickup_v: float
) -> float:
    """Return the most volts across a start capacitor until the relay opens, on plate volts [V].

    Notes
    -----
    Across the capacitors stands the line less the start winding, as phasors, at every speed until the winding
    reaches the relay's pick-up.

    """
    run = [(run_cap_uf, 0.0)] if run_cap_uf is not None else []
    branch = branch_impedance(machine.omega, *run, (start_cap_uf, 0.0))
    most = 0.0
    for step in range(19):
        at = steady_state(machine, volts, 0.05 * step, branch)
        if step and abs(at.start_winding_v) > pickup_v:
            break
        most = max(most, abs(volts - at.start_winding_v))
    return most


def start_winding_share(
    machine: Machine, volts: float, run_cap_uf: float | None, start_cap_uf: float
) -> float:
    """Return the start winding's amps at stall over what it would draw straight across the line [1]."""
    run = [(run_cap_uf, 0.0)] if run_cap_uf is not None else []
    branch = branch_impedance(machine.omega, *run, (start_cap_uf, 0.0))
    with_it = steady_state(machine, volts, 0.0, branch)
    across = steady_state(machine, volts, 0.0, complex(1e-9))
    return abs(with_it.i_d) / abs(across.i_d)


def overdrives(
    machine: Machine, volts: float, run_cap_uf: float | None, start_cap_uf: float, limits: Standards
) -> bool:
    """Tell whether a start capacitor drives the start winding past what the shop allows of a kit."""
    share = start_winding_share(machine, volts, run_cap_uf, start_cap_uf)
    return share > limits.start_capacitor_overdrive


def best_start_capacitor(
    machine: Machine, volts: float, run_cap_uf: float | None, limits: Standards
) -> StartCapacitorRange | None:
    """Return the standard range with the best accelerating torque within the start winding's own current.

    Notes
    -----
    Torque is averaged over standstill to half speed; the start winding's amps at stall stay within the shop's
    share of what it would draw straight across the line; the smallest range there is may pass it, short of
    overdriving.

    """
    run = [(run_cap_uf, 0.0)] if run_cap_uf is not None else []
    best: tuple[float, StartCapacitorRange] | None = None
    for n, size in enumerate(start_capacitor_ranges()):
        middle = (size.low_uf + size.high_uf) / 2
        share = start_winding_share(machine, volts, run_cap_uf, middle)
        # A small compressor takes the smallest there is, as long as that does not overdrive it.
        most = limits.start_capacitor_overdrive if n == 0 else limits.start_capacitor_current
        if share > most:
            continue
        branch = branch_impedance(machine.omega, *run, (middle, 0.0))
        torque = sum(steady_state(machine, volts, s, branch).torque_nm for s in (0.0, 0.25, 0.5)) / 3
        if best is None or torque > best[0]:
            best = (torque, size)
    return None if best is None else best[1]


def sections(sizes: list[float], wanted: float) -> list[float]:
    """Return the sections that come nearest to a value, fewest first."""
    ways = [list(w) for n in range(1, len(sizes) + 1) for w in combinations(sizes, n)]
    return min(ways, key=lambda w: (round(abs(sum(w) - wanted), 3), len(w)))


def jumpers(taps: list[float]) -> str | None:
    """Return the jumpers between joined sections, in words."""
    if not taps:
        return None
    if len(taps) == 1:
        return msg("The {taps:g} µF section alone; no jumper.", taps=taps[0])
    joined = " to ".join(f"{t:g}" for t in taps)
    return msg(
        "{taps} jumper{taps_2}: {joined} µF, {sum:g} µF together.",
        taps=len(taps) - 1,
        taps_2="s" if len(taps) > 2 else "",
        joined=joined,
        sum=sum(taps),
    )
