"""What a source gives at this place, and what of it is left for a start."""

from orange_crank.core.backup.entry import BackupSource, BackupSupply, Fuel
from orange_crank.core.messages import msg
from orange_crank.core.motor.entry import Source
from orange_crank.core.motor.on_source import DROPOUT_PCT

# What a fuel leaves of a gasoline rating; the conservative end of 10 to 20 % for gas.
FUEL_SHARE: dict[Fuel, float] = {
    "gasoline": 1.0, "diesel": 1.0, "propane": 0.90, "natural_gas": 0.80, "battery": 1.0,
}  # fmt: skip
PCT_PER_1000_FT, FREE_FT = 3.5, 500.0
PCT_PER_10_F, FREE_F = 1.0, 85.0
LEAST_KVA = 0.05


def derated_kw(source: BackupSource) -> tuple[float, str]:
    """Return what a source gives here, and the sum in words.

    Notes
    -----
    Fuel, then 3.5 % a thousand feet above 500 ft, then 1 % a ten degrees above 85 °F; a battery inverter only
    feels the heat.

    """
    if source.derated_by_maker:
        return source.continuous_kw, msg(
            "{continuous_kw:g} kW, as its maker rates it here", continuous_kw=source.continuous_kw
        )
    fuel = FUEL_SHARE[source.fuel]
    feet = 0.0 if source.fuel == "battery" else max(0.0, source.altitude_ft - FREE_FT) / 1000
    height = 1 - PCT_PER_1000_FT / 100 * feet
    heat = 1 - PCT_PER_10_F / 100 * max(0.0, source.ambient_f - FREE_F) / 10
    left = source.continuous_kw * fuel * max(0.0, height) * max(0.0, heat)
    told = msg(
        "{continuous_kw:g} kW × {fuel:g} fuel × {height:.3f} height × {heat:.3f} heat",
        continuous_kw=source.continuous_kw,
        fuel=fuel,
        height=height,
        heat=heat,
    )
    return left, msg("{told} = {left:.2f} kW", told=told, left=left)


def start_source(supply: BackupSupply, kw: float, others_w: float) -> Source | None:
    """Return the source as the start model takes it; None where other loads leave nothing of it.

    Parameters
    ----------
    kw : what the source gives here [kW]
    others_w : what else is on [W]

    """
    made = supply.source
    inverter = made.kind in ("battery_inverter", "portable_inverter")
    surge = (made.surge_kw or made.continuous_kw) * kw / made.continuous_kw if inverter else None
    if min(kw, surge if surge is not None else kw) - others_w / 1000 <= LEAST_KVA:
        return None
    return Source(
        kind="inverter" if inverter else "generator",
        volts=made.volts,
        rated_kva=kw,
        surge_kva=surge,
        others_w=others_w,
        transient_reactance_pu=made.transient_reactance_pu,
        conductors=supply.path.cord,
    )


def dropout_pct(supply: BackupSupply) -> float:
    """Return where this unit's contactor lets go [% of rated volts]: measured, else the conservative end."""
    return 100 * supply.coil_dropout_v / 24 if supply.coil_dropout_v is not None else DROPOUT_PCT
