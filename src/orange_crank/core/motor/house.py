"""The supply of a house, taken where nothing is known of the line."""

from orange_crank.core.motor.entry import Source
from orange_crank.core.plate import PlateRead

# A 25 kVA transformer (about 1.8 %) and 100 ft of service and branch conductors, out and back.
HOUSE_OHM, HOUSE_MH = 0.05, 0.09
# Rated (utilization) volts of a motor and the nominal volts of the system it is built for (ANSI C84.1).
SYSTEM_VOLTS = {115.0: 120.0, 200.0: 208.0, 230.0: 240.0, 460.0: 480.0, 575.0: 600.0}


def system_volts(rated_v: float) -> float:
    """Return the nominal volts of the system a nameplate is made for [V].

    >>> system_volts(230.0), system_volts(208.0)
    (240.0, 208.0)
    """
    return SYSTEM_VOLTS.get(rated_v, rated_v)


def house_supply(plate: PlateRead) -> Source:
    """Return the supply of a house for a nameplate: 0.06 Ω, at the system's nominal volts."""
    return Source(
        volts=None if plate.volts is None else system_volts(plate.volts),
        resistance_ohm=HOUSE_OHM,
        inductance_mh=HOUSE_MH,
    )
