"""Which potential relay: its coil sees start-winding volts, which rise with speed."""

import math
from collections.abc import Sequence

from pydantic import Field

from orange_crank.core.measure.legs import across_run_capacitor
from orange_crank.core.motor.machine import Machine
from orange_crank.core.motor.phasor import branch_impedance, steady_state
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.tables import RelayClass, relay_classes

# Where a relay should open: four fifths of synchronous speed on plate volts, 85 % on low line.
OPENS_SPEED, LOW_LINE_SPEED = 0.80, 0.85
# Where it must have opened on any machine: one that carries its load runs above this.
SURE_SPEED = 0.92
RUNNING_SPEED = 0.98
LINE_SWING = 0.10
MEASURED_CEILING = 0.85
STALL_MARGIN = 1.05


class RelayWindow(Frozen):
    """What the coil sees at stall, on the way up, and once it is out of circuit [V]."""

    stall_v: float = Field(description="S–C at standstill, start capacitor in, line +10 % [V]")
    reached_v: float = Field(
        description="S–C by 80 % speed on plate volts, by 85 % on line −10 %, capacitor in [V]"
    )
    surely_v: float = Field(
        description="S–C near full speed, capacitor in, line −10 %: any machine of this plate [V]"
    )
    running_low_v: float = Field(description="S–C at full speed, capacitor out, line −10 % [V]")
    running_high_v: float = Field(description="The same, line +10 % [V]")
    measured: bool = Field(default=False, description="Whether S–C was measured running")


class RelayChoice(Frozen):
    """The class that fits, with what it must lie between."""

    window: RelayWindow
    pickup_low_v: float
    pickup_high_v: float
    dropout_high_v: float
    continuous_v: float


def relay_window(
    machines: Machine | Sequence[Machine],
    volts: float,
    run_cap_uf: float | None,
    start_cap_uf: float,
    measured_v: float | None = None,
) -> RelayWindow:
    """Return the window a relay must lie in, by the steady state of the machine.

    Parameters
    ----------
    machines : fitted from the plate; or the fitted one first, then others the same plate allows
    volts : line [V]
    run_cap_uf : run capacitor really there; None is open [µF]
    start_cap_uf : start capacitor [µF]
    measured_v : S–C measured while running, where it was [V]

    Notes
    -----
    Stall, what is surely reached and drop-out hold for every machine, so that no relay stays closed on one of
    them; a coil bears what every machine shows on plate volts and the fitted one on high line.
    Where S–C was measured running, 0.85 of it is the ceiling of pick-up, if that is lower, and what the coil
    sees running is that measurement carried to low and high line: the meter outranks the fitted machine.

    """
    every = [machines] if isinstance(machines, Machine) else list(machines)
    fitted = every[0]
    run = [(run_cap_uf, 0.0)] if run_cap_uf is not None else []
    both = branch_impedance(fitted.omega, *run, (start_cap_uf, 0.0))
    alone = branch_impedance(fitted.omega, *run) if run else None

    def seen(machine: Machine, speed: float, line: float, branch: complex | None) -> float:
        return abs(steady_state(machine, line, speed, branch).start_winding_v)

    low, high = volts * (1 - LINE_SWING), volts * (1 + LINE_SWING)
    reached = min(seen(fitted, OPENS_SPEED, volts, both), seen(fitted, LOW_LINE_SPEED, low, both))
    running_high = seen(fitted, RUNNING_SPEED, high, alone)
    if measured_v is not None:
        modelled = seen(fitted, RUNNING_SPEED, volts, alone)
        truer = measured_v / modelled if modelled > 0 else 1.0
        running_low, running_high = (
            truer * seen(fitted, RUNNING_SPEED - 0.01, low, alone),
            truer * running_high,
        )
        reached = min(reached, MEASURED_CEILING * measured_v)
    else:
        running_low = min(seen(m, RUNNING_SPEED - 0.01, low, alone) for m in every)
        running_high = max(running_high, *(seen(m, RUNNING_SPEED, volts, alone) for m in every))
    return RelayWindow(
        stall_v=max(seen(m, 0.0, high, both) for m in every),
        reached_v=reached,
        surely_v=min(seen(m, SURE_SPEED, low, both) for m in every),
        running_low_v=running_low,
        running_high_v=running_high,
        measured=measured_v is not None,
    )


def relay_fits(relay: RelayClass, window: RelayWindow) -> bool:
    """Tell whether a relay lies in a window, with its margin above what it sees at stall."""
    return (
        relay.pickup_low_v > STALL_MARGIN * window.stall_v
        and relay.pickup_high_v < min(window.reached_v, window.surely_v)
        and relay.dropout_high_v < window.running_low_v
        and relay.continuous_v > window.running_high_v
    )


def choose_relay(window: RelayWindow) -> RelayChoice | None:
    """Return the class that fits, or None: no class lies in the window.

    Notes
    -----
    Pick-up above stall and below what is reached; drop-out below what it sees running on low line; continuous
    rating above what it sees on high line. Where S–C was measured, the highest that fits: it keeps the
    capacitor in longest. Where it was not, the lowest: one that never drops out bursts the capacitor.

    """
    found = [c for c in relay_classes() if relay_fits(c, window)]
    if not found:
        return None
    return RelayChoice(window=window, **found[-1 if window.measured else 0].model_dump())


def start_winding_volts(start_a: float, run_cap_uf: float, volts: float, hertz: float = 60.0) -> float | None:
    """Return S–C while running from the amps of the start lead [V]; None where the figures do not fit.

    Parameters
    ----------
    start_a : start lead, running, no start capacitor in circuit [A]
    run_cap_uf : run capacitor as measured [µF]
    volts : line while it runs [V]

    Notes
    -----
    The run capacitor carries the start lead's amps: V_cap = I ÷ (2π f C). Line and start winding are near
    a right angle: S–C = √(V_cap² − V²), 1 to 10 % under what the model shows running, so on the safe side.

    >>> round(start_winding_volts(6.4, 40.0, 240.0))
    350
    """
    across = across_run_capacitor(start_a, run_cap_uf, hertz)
    return math.sqrt(across**2 - volts**2) if across > volts else None
