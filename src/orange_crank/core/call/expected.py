"""What a make-safe record of a unit will want, as far as its plate tells: no proof."""

from orange_crank.core.nomenclature import Frozen
from orange_crank.core.plate import Plate
from orange_crank.core.safety.make_safe import Section, SupplyKind

# Single-phase equipment up to here is fed by one leg and a neutral.
ONE_LEG_MOST_V = 150.0


class ExpectedMakeSafe(Frozen):
    """Supply and capacitor sections a plate implies; None and empty without a plate."""

    supply: SupplyKind | None
    sections: list[Section]


def expected_make_safe(plate: Plate | None) -> ExpectedMakeSafe:
    """Return what a plate implies of supply and capacitors."""
    if plate is None:
        return ExpectedMakeSafe(supply=None, sections=[])
    supply: SupplyKind = (
        "three_phase"
        if plate.phase == 3
        else "single_phase_one_leg"
        if plate.volts < ONE_LEG_MOST_V
        else "single_phase_two_leg"
    )
    found: list[Section] = []
    if plate.run_cap_uf:
        found.append("c_herm")
    if plate.fan_cap_uf:
        found.append("c_fan")
    if plate.is_inverter:
        found.append("dc_bus")
    return ExpectedMakeSafe(supply=supply, sections=found)
