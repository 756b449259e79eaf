"""A unit wired as drawn: what is joined to what becomes what the simulated unit does."""

from collections.abc import Sequence
from dataclasses import replace

from orange_crank.bench.unit import Setup
from orange_crank.core.motor.entry import Aid
from orange_crank.core.wiring.check import Wired, WiringFault, read_nets
from orange_crank.core.wiring.plan_wiring import WiringIn, plan_of
from orange_crank.core.wiring.wired_start import wired_elements

# Mistakes after which a start capacitor stays in circuit.
STAYS_IN = frozenset({"RELAY_5_WRONG_LEG", "RELAY_BRIDGED", "START_CAP_NOT_THROUGH_RELAY"})


def as_wired(setup: Setup, wiring: WiringIn, faults: Sequence[WiringFault]) -> Setup:
    """Return a unit as its leads are.

    Parameters
    ----------
    setup : the unit were it wired by its diagram, its aid the one that is being wired
    wiring : plan and nets
    faults : what the check found in them

    Raises
    ------
    InputProblem : an unknown terminal

    Notes
    -----
    Read electrically, terminal by terminal: leads that have changed places without any difference change
    nothing. A relay whose coil does not see the start winding never opens.

    """
    plan, _, _ = plan_of(wiring)
    keys = frozenset(c.key for c in plan.after.components)
    bus = any(c.key == "contactor" and c.joined for c in plan.after.components)
    found = wired_elements(Wired(read_nets(plan.after, wiring.nets or []), keys, bus))
    codes = {f.code for f in faults}
    stays = bool(codes & STAYS_IN)
    return replace(
        setup,
        no_path=setup.no_path or not found.path,
        swapped=found.swapped,
        run_cap_uf=setup.run_cap_uf if found.capacitor else "open",
        aid=setup.aid if found.aided or stays else Aid(),
        relay_stays_in=setup.relay_stays_in or stays,
        control_fuse_open=setup.control_fuse_open or bool(codes & {"CONTROL_SHORTED", "CONTROL_ON_LOAD"}),
        control_v=setup.control_v if found.coil else 0.1,
    )
