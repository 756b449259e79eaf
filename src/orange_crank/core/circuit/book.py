"""Sums that otherwise need the code book: service load, fault current, cover over a trench, torque."""

import math
from typing import Annotated, Literal

from pydantic import Field, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.circuit.entry import Feet, Material, RacewayMetal, Size
from orange_crank.core.errors import BeyondTable
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Amps, Finding, Flag, Frozen, Volts, ZeroOrMoreAmps, feet, say
from orange_crank.core.plate.arithmetic import clause
from orange_crank.core.plate.model import Edition, Phase
from orange_crank.core.tables import conductor_ohms, overcurrent_at_least, rows
from orange_crank.core.tables.code import size_word

Watts = Annotated[float, Field(strict=True, ge=0, le=1e6, allow_inf_nan=False)]
SquareFeet = Annotated[float, Field(strict=True, gt=0, le=100_000, allow_inf_nan=False)]
Circuits = Annotated[int, Field(strict=True, ge=0, le=20)]
KVA = Annotated[float, Field(strict=True, gt=0, le=10_000, allow_inf_nan=False)]
ImpedancePct = Annotated[float, Field(strict=True, gt=0, le=20, allow_inf_nan=False)]
WHO = msg("Local code, the AHJ and a licensed person decide.")

# NEC 220.82(B), 220.83: volt-amperes a square foot and a small-appliance or laundry circuit.
VA_A_SQUARE_FOOT, VA_A_CIRCUIT = 3.0, 1_500.0
# 220.82(B) takes 40 % above 10 kVA; 220.83 above 8 kVA.
NEW_FULL_VA, OLD_FULL_VA, REST = 10_000.0, 8_000.0, 0.4
SUPPLEMENTAL, FEW_UNITS, MANY_UNITS = 0.65, 0.65, 0.4
MANY = 4


class ServiceIn(Frozen):
    """A dwelling's loads, and the heating and cooling that goes in."""

    volts: Volts = Field(default=240.0, description="Single-phase service [V]")
    area_ft2: SquareFeet | None = Field(default=None, description="Floor area [ft²]")
    small_appliance_circuits: Circuits = Field(default=2, description="Of the kitchen, 20 A each")
    laundry_circuits: Circuits = 1
    appliances_w: Watts = Field(
        default=0.0, description="Range, dryer, water heater, dishwasher … by nameplate [W]"
    )
    cooling_a: ZeroOrMoreAmps = Field(
        default=0.0, description="Air conditioner or heat pump, by nameplate [A]"
    )
    heat_pump: Flag = Field(default=False, description="Whether that is a heat pump")
    strips_kw: Annotated[float, Field(strict=True, ge=0, le=200, allow_inf_nan=False)] = Field(
        default=0.0, description="Central electric heat, or the heat pump's strips [kW]"
    )
    together: Flag = Field(default=True, description="Whether the heat pump may run with its strips")
    separate_units: Circuits = Field(
        default=1, description="Separately controlled units of electric heat without a heat pump"
    )
    existing: Flag = Field(default=False, description="An existing dwelling: 220.83 instead of 220.82")
    peak_a: Amps | None = Field(
        default=None,
        description="Highest demand of a year from bills or a recorder, instead of the loads [A]",
    )
    service_a: Amps | None = Field(default=None, description="The service that is there [A]")
    edition: Edition = "2023"

    @model_validator(mode="after")
    def _enough(self) -> "ServiceIn":
        if self.area_ft2 is None and self.peak_a is None:
            raise PydanticCustomError(
                "value_error",
                "{error}",
                {"field": "area_ft2", "error": msg("the floor area, or the highest demand of a year")},
            )
        return self


class ServiceOut(Frozen):
    """What the service must carry."""

    load_va: float
    amps: float
    service_a: int = Field(description="The standard size at or above it [A]")
    hvac_va: float = Field(description="What heating and cooling count in it [VA]")
    fits: bool | None = Field(description="Whether the service that is there carries it")
    findings: list[Finding]


def service_load(entry: ServiceIn) -> ServiceOut:
    """Return a dwelling's service load when heating or cooling goes in.

    Raises
    ------
    BeyondTable : larger than the standard sizes

    Notes
    -----
    By loads: 220.82 (new), 220.83 (existing): the general load at 100 % up to 10 or 8 kVA, 40 % above, and
    the larger of cooling and heating. A heat pump that may run with its strips counts at 100 % and its strips
    at 65 %; strips alone at 65 %, or at 40 % from four separately controlled units. In 220.83 heating and
    cooling count at 100 %. By demand: 220.87, 125 % of the highest and the new load at 100 %.

    References
    ----------
    NEC 220.82(B), 220.82(C), 220.83(B), 220.87.

    """
    hvac, hvac_sum = _hvac_va(entry)
    if entry.peak_a is not None:
        load = 1.25 * entry.peak_a * entry.volts + hvac
        rule = clause(entry.edition, "220.87")
        sum_ = msg(
            "1.25 × {peak:g} A × {volts:g} V + {hvac:.0f} VA = {load:.0f} VA",
            peak=entry.peak_a,
            volts=entry.volts,
            hvac=hvac,
            load=load,
        )
    else:
        full = OLD_FULL_VA if entry.existing else NEW_FULL_VA
        circuits = entry.small_appliance_circuits + entry.laundry_circuits
        general = VA_A_SQUARE_FOOT * (entry.area_ft2 or 0.0) + VA_A_CIRCUIT * circuits + entry.appliances_w
        counted = min(general, full) + REST * max(general - full, 0.0)
        load = counted + hvac
        rule = clause(entry.edition, "220.83(B)" if entry.existing else "220.82(B), 220.82(C)")
        sum_ = msg(
            "general {general:.0f} VA: {full:.0f} + 40 % of the rest = {counted:.0f} VA; {hvac_sum}; "
            "in all {load:.0f} VA",
            general=general,
            full=min(general, full),
            counted=counted,
            hvac_sum=hvac_sum,
            load=load,
        )
    amps = load / entry.volts
    size = overcurrent_at_least(max(amps, 100.0))
    fits = None if entry.service_a is None else amps <= entry.service_a + 1e-9
    verdict = "note" if fits is None else "pass" if fits else "fail"
    text = msg("{amps} of service load.", amps=say(amps, "A", 4))
    if entry.service_a is not None:
        text = (
            msg("{amps} on a {service:g} A service.", amps=say(amps, "A", 4), service=entry.service_a)
            if fits
            else msg(
                "{amps} is more than the {service:g} A service.",
                amps=say(amps, "A", 4),
                service=entry.service_a,
            )
        )
    return ServiceOut(
        load_va=round(load, 2),
        amps=round(amps, 3),
        service_a=size,
        hvac_va=round(hvac, 2),
        fits=fits,
        findings=[
            Finding(
                code="SERVICE_LOAD",
                verdict=verdict,
                text=text,
                rule=rule,
                arithmetic=sum_,
                inputs={"amps_a": round(amps, 3)},
                next_step=msg("Cut the strips, keep pump and strips apart, or upgrade the service.")
                if fits is False
                else None,
            ),
            Finding(
                code="SERVICE_LIMITS",
                verdict="note",
                text=msg("One single-phase dwelling. Electric vehicles, solar and apartments are not in it."),
                rule=rule,
                next_step=WHO,
            ),
        ],
    )


def _hvac_va(entry: ServiceIn) -> tuple[float, str]:
    """Return what heating and cooling count, and the sum [VA]."""
    cooling, strips = entry.cooling_a * entry.volts, 1000 * entry.strips_kw
    if entry.existing or entry.peak_a is not None:
        heating = strips + (cooling if entry.heat_pump and entry.together else 0.0)
        return max(cooling, heating), msg("heating or cooling {va:.0f} VA at 100 %", va=max(cooling, heating))
    if entry.heat_pump and strips:
        pump = cooling if entry.together else 0.0
        both = pump + SUPPLEMENTAL * strips
        return max(cooling, both), msg(
            "heat pump {pump:.0f} + 65 % of {strips:.0f} = {both:.0f} VA", pump=pump, strips=strips, both=both
        )
    share = MANY_UNITS if entry.separate_units >= MANY else FEW_UNITS
    heat = share * strips
    return max(cooling, heat), msg(
        "the larger of cooling {cooling:.0f} and {share:.0f} % of heat, {heat:.0f} VA",
        cooling=cooling,
        share=100 * share,
        heat=heat,
    )


class FaultIn(Frozen):
    """A transformer, and the wire from it to the unit."""

    transformer_kva: KVA
    impedance_pct: ImpedancePct = Field(description="On the transformer's nameplate [%]")
    volts: Volts
    phase: Phase
    length_ft: Feet = Field(description="One way, from the transformer [ft]")
    conductor_awg: Size
    material: Material = "copper"
    raceway_metal: RacewayMetal = "pvc"
    parallel: Annotated[int, Field(strict=True, ge=1, le=12)] = 1
    short_circuit_rating_a: Amps | None = Field(default=None, description="Marked on the unit [A]")


class FaultOut(Frozen):
    """Available fault current."""

    at_transformer_a: float
    at_unit_a: float
    findings: list[Finding]


def fault_current(entry: FaultIn) -> FaultOut:
    """Return the available fault current at the end of a run, line to line.

    Notes
    -----
    An endless source ahead of the transformer; the transformer all reactance, the wire its resistance and
    reactance, at right angles: the sum is never larger than the real one, so the current is never smaller.

    References
    ----------
    NEC 110.9, 110.10, 440.10; Chapter 9 Table 9.

    """
    root = math.sqrt(3) if entry.phase == 3 else 1.0
    full_load = 1000 * entry.transformer_kva / (root * entry.volts)
    at_source = 100 * full_load / entry.impedance_pct
    source_ohm = entry.volts / (root * at_source)
    z = conductor_ohms(entry.conductor_awg, entry.material, entry.raceway_metal)
    ways = 2.0 if entry.phase == 1 else 1.0
    run = ways * entry.length_ft / 1000 / entry.parallel
    resistance, reactance = run * z.resistance_ohm_per_kft, run * z.reactance_ohm_per_kft
    ohms = math.hypot(resistance, source_ohm + reactance)
    at_unit = entry.volts / (root * ohms)
    rating = entry.short_circuit_rating_a
    under = rating is not None and rating < at_unit
    text = msg(
        "{at_unit:.0f} A at the unit, {at_source:.0f} A at the transformer.",
        at_unit=at_unit,
        at_source=at_source,
    )
    if rating is not None:
        text = (
            msg(
                "{at_unit:.0f} A at the unit is more than its {rating:g} A rating.",
                at_unit=at_unit,
                rating=rating,
            )
            if under
            else msg(
                "{at_unit:.0f} A at the unit, within its {rating:g} A rating.", at_unit=at_unit, rating=rating
            )
        )
    return FaultOut(
        at_transformer_a=round(at_source, 1),
        at_unit_a=round(at_unit, 1),
        findings=[
            Finding(
                code="FAULT_CURRENT",
                verdict="note" if rating is None else "fail" if under else "pass",
                text=text,
                rule="NEC 2023 110.9, 110.10, 440.10(A)",
                arithmetic=msg(
                    "{full:.0f} A ÷ {pct:g} % = {at_source:.0f} A; "
                    "√({r:.4f}² + ({x:.4f} + {xw:.4f})²) = {ohms:.4f} Ω",
                    full=full_load,
                    pct=entry.impedance_pct,
                    at_source=at_source,
                    r=resistance,
                    x=source_ohm,
                    xw=reactance,
                    ohms=ohms,
                ),
                inputs={"at_unit_a": round(at_unit, 1)},
                next_step=msg("Put a current-limiting fuse ahead, or get a unit with a higher rating.")
                if under
                else None,
            ),
            Finding(
                code="FAULT_LIMITS",
                verdict="note",
                text=msg(
                    "Line to line, no motors feeding back. To neutral at the transformer it may be half more."
                ),
                rule="NEC 2023 110.9",
                next_step=msg("Ask the utility for its figure; it governs."),
            ),
        ],
    )


Location = Literal["ground", "concrete_2in", "driveway_dwelling", "street_or_parking"]
Method = Literal["cable", "metal_raceway", "plastic_raceway", "low_gfci"]
_COLUMN: dict[Method, str] = {
    "cable": "direct_in",
    "metal_raceway": "metal_in",
    "plastic_raceway": "plastic_in",
    "low_gfci": "low_in",
}


class CoverIn(Frozen):
    """A trench, and what lies in it."""

    location: Location
    method: Method = Field(description="low_gfci: dwelling branch circuit, 120 V, GFCI, 20 A or less")
    edition: Edition = "2023"


class CoverOut(Frozen):
    """The least cover."""

    cover_in: int
    findings: list[Finding]


def cover(entry: CoverIn) -> CoverOut:
    """Return the least cover over buried wiring to 1,000 V [in].

    References
    ----------
    NEC Table 300.5(A) (2023), Table 300.5 (2017, 2020); 300.5(D).

    """
    row = next(r for r in rows("burial_depths") if r["location"] == entry.location)
    inches = int(row[_COLUMN[entry.method]])
    table = "Table 300.5(A)" if entry.edition == "2023" else "Table 300.5"
    return CoverOut(
        cover_in=inches,
        findings=[
            Finding(
                code="COVER",
                verdict="note",
                text=msg("{inches} in from the top of it to finished grade.", inches=inches),
                rule=clause(entry.edition, table),
                next_step=msg(
                    "Protect it with a raceway from 18 in below grade to {top} above.", top=feet(8.0)
                ),
            ),
            Finding(
                code="COVER_LIMITS",
                verdict="note",
                text=msg("Rock, slabs and buildings differ. Call for the utility locate before you dig."),
                rule=clause(entry.edition, f"{table}, 300.5(D)"),
                next_step=WHO,
            ),
        ],
    )


Screw = Literal["slot_small", "slot_large", "hex"]


class TorqueIn(Frozen):
    """A lug whose label is gone."""

    conductor_awg: Size
    screw: Screw = Field(description="Slot up to 0.047 in wide and 1/4 in long, larger slot, or hex")


class TorqueOut(Frozen):
    """The fallback torque."""

    torque_lbin: float
    findings: list[Finding]


def torque(entry: TorqueIn) -> TorqueOut:
    """Return the torque of a lug by its screw and wire, where its own label cannot be read [lb-in].

    Raises
    ------
    BeyondTable : no such screw for that size

    References
    ----------
    NEC 110.14(D), Informative Annex I, Tables I.1 and I.2.

    """
    row = next((r for r in rows("lug_torques") if r["size"] == entry.conductor_awg), None)
    printed = row[f"{entry.screw}_lbin"] if row is not None else ""
    if not printed:
        raise BeyondTable(
            msg("No torque in the table for {size} with that screw.", size=size_word(entry.conductor_awg)),
            next_step=msg("Get the torque from the maker of the device."),
        )
    pounds = float(printed)
    return TorqueOut(
        torque_lbin=pounds,
        findings=[
            Finding(
                code="TORQUE_FALLBACK",
                verdict="watch",
                text=msg(
                    "{pounds:g} lb-in for {size}: a fallback, not the label's figure.",
                    pounds=pounds,
                    size=size_word(entry.conductor_awg),
                ),
                rule="NEC 2023 110.14(D), Annex I",
                next_step=msg("Use the maker's figure where you can get it, and record which you used."),
            )
        ],
    )
