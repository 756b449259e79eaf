"""Which potential relay: its coil sees start-winding volts, which rise with speed."""

from pydantic import Field

from orange_crank.core.motor.machine import Machine
from orange_crank.core.motor.phasor import branch_impedance, steady_state
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.tables import RelayClass, relay_classes

LATE_SPEED, EARLY_SPEED, RUNNING_SPEED = 0.85, 0.75, 0.98
LINE_SWING = 0.10
MEASURED_CEILING = 0.85
STALL_MARGIN = 1.05


class RelayWindow(Frozen):
    """What the coil sees at stall, on the way up, and once it is out of circuit [V]."""

    stall_v: float = Field(description="S–C at standstill, start capacitor in, line +10 % [V]")
    reached_v: float = Field(
        description="S–C it surely reaches by 75–85 % speed, capacitor in, line −10 % [V]"
    )
    running_low_v: float = Field(description="S–C at full speed, capacitor out, line −10 % [V]")
    running_high_v: float = Field(description="The same, line +10 % [V]")


class RelayChoice(Frozen):
    """The class that fits, with what it must lie between."""

    window: RelayWindow
    pickup_low_v: float
    pickup_high_v: float
    dropout_high_v: float
    continuous_v: float


def relay_window(
    machine: Machine,
    volts: float,
    run_cap_uf: float | None,
    start_cap_uf: float,
    measured_v: float | None = None,
) -> RelayWindow:
    """Return the window a relay must lie in, by the steady state of the machine.

    Parameters
    ----------
    machine : fitted from the plate
    volts : line [V]
    run_cap_uf : run capacitor really there; None is open [µF]
    start_cap_uf : start capacitor [µF]
    measured_v : S–C measured while running, where it was [V]

    Notes
    -----
    Where S–C was measured running, 0.85 of it is the ceiling of pick-up, if that is lower, and what the coil
    sees running is that measurement carried to low and high line: the meter outranks the fitted machine.

    """
    run = [(run_cap_uf, 0.0)] if run_cap_uf is not None else []
    both = branch_impedance(machine.omega, *run, (start_cap_uf, 0.0))
    alone = branch_impedance(machine.omega, *run) if run else None

    def seen(speed: float, line: float, branch: complex | None) -> float:
        return abs(steady_state(machine, line, speed, branch).start_winding_v)

    low, high = volts * (1 - LINE_SWING), volts * (1 + LINE_SWING)
    reached = min(seen(EARLY_SPEED, low, both), seen(LATE_SPEED, low, both))
    truer = 1.0
    if measured_v is not None:
        reached = min(reached, MEASURED_CEILING * measured_v)
        modelled = seen(RUNNING_SPEED, volts, alone)
        truer = measured_v / modelled if modelled > 0 else 1.0
    return RelayWindow(
        stall_v=seen(0.0, high, both),
        reached_v=reached,
        running_low_v=truer * seen(0.97, low, alone),
        running_high_v=truer * seen(0.99, high, alone),
    )


def relay_fits(relay: RelayClass, window: RelayWindow) -> bool:
    """Tell whether a relay lies in a window, with its margin above what it sees at stall."""
    return (
        relay.pickup_low_v > STALL_MARGIN * window.stall_v
        and relay.pickup_high_v < window.reached_v
        and relay.dropout_high_v < window.running_low_v
        and relay.continuous_v > window.running_high_v
    )


def choose_relay(window: RelayWindow) -> RelayChoice | None:
    """Return the class with the highest pick-up that fits, or None: no class lies in the window.

    Notes
    -----
    Pick-up above stall and below what is surely reached; drop-out below what it sees running on low line;
    continuous rating above what it sees on high line. The highest that fits keeps the capacitor in longest.

    """
    found = [c for c in relay_classes() if relay_fits(c, window)]
    if not found:
        return None
    return RelayChoice(window=window, **found[-1].model_dump())
