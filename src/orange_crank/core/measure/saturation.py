"""Saturation of refrigerants at gauge pressure: what the gauges say in degrees."""

from functools import lru_cache

from orange_crank.core.heat.measured import LAPSE, LAPSE_POWER
from orange_crank.core.tables.refrigerants import find_refrigerant
from orange_crank.core.tables.standards import Standards

SEA_LEVEL_PSI = 14.696
PASCAL_PER_PSI = 6894.757


def atmosphere_psi(altitude_ft: float = 0.0) -> float:
    """Return the pressure of the air at a height, standard atmosphere [psi].

    >>> round(atmosphere_psi(4300.0), 1)
    12.6
    """
    return SEA_LEVEL_PSI * float(max(0.0, 1 - LAPSE * altitude_ft) ** LAPSE_POWER)


@lru_cache(maxsize=4096)
def saturation_f(
    refrigerant: str | None, psig: float, altitude_ft: float = 0.0
) -> tuple[float, float] | None:
    """Return the bubble and dew temperatures of a refrigerant at a gauge pressure [°F].

    Returns
    -------
    None where the refrigerant or its properties are not known, or the pressure is beyond its dome

    References
    ----------
    CoolProp 8.0, Helmholtz-energy equations of state; blends as predefined mixtures.

    >>> [round(t) for t in saturation_f("R-410A", 118.0) or ()]
    [40, 40]

    """
    found = find_refrigerant(refrigerant)
    if found is None or found.fluid is None:
        return None
    # The library takes seconds to load: only when a gauge is read.
    from CoolProp.CoolProp import PropsSI

    pascal = (psig + atmosphere_psi(altitude_ft)) * PASCAL_PER_PSI
    try:
        bubble, dew = (PropsSI("T", "P", pascal, "Q", quality, found.fluid) for quality in (0, 1))
    except ValueError:
        return None
    return _fahrenheit(bubble), _fahrenheit(dew)


def _fahrenheit(kelvin: float) -> float:
    return float(kelvin - 273.15) * 9 / 5 + 32


def is_vacuum(psig: float, refrigerant: str | None, limits: Standards, altitude_ft: float = 0.0) -> bool:
    """Tell whether a suction is a vacuum for its refrigerant.

    Notes
    -----
    Below the air's pressure, and colder at saturation than any evaporator of this trade: a small R-600a low
    side near 0 psig is healthy. Without the refrigerant every suction below zero gauge is taken for one.

    """
    if psig >= 0:
        return False
    at = saturation_f(refrigerant, psig, altitude_ft)
    return at is None or at[1] < limits.vacuum_saturation_f
