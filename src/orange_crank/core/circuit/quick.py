"""Quick sums: voltage drop with its neighbors, kilowatts and amps, airflow."""

import math
from typing import Annotated, Literal

from pydantic import Field, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.circuit.entry import Feet, Material, PowerFactor, RacewayMetal, Size
from orange_crank.core.heat.entry import DeltaF
from orange_crank.core.heat.measured import air_density_ratio, airflow_cfm
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import AltitudeFt, Amps, Finding, Frozen, Volts, say
from orange_crank.core.plate.model import Phase
from orange_crank.core.tables.code import drop_v, drop_working, sizes_of
from orange_crank.core.tables.standards import Standards, shipped_standards

POINTS = 25


class DropIn(Frozen):
    """A run and what it carries."""

    conductor_awg: Size
    length_ft: Feet
    amps: Amps
    volts: Volts
    phase: Phase
    material: Material = "copper"
    raceway_metal: RacewayMetal = "pvc"
    power_factor: PowerFactor = 0.85


class DropCurve(Frozen):
    """Drop against length of one size."""

    conductor_awg: str
    length_ft: list[float]
    drop_pct: list[float]


class DropOut(Frozen):
    """The drop, and what neighboring sizes would do."""

    drop_v: float
    drop_pct: float
    curves: list[DropCurve]
    findings: list[Finding]


def voltage_drop(entry: DropIn, standards: Standards | None = None) -> DropOut:
    """Return the voltage drop of a run, and curves over length for it and its neighbors.

    Raises
    ------
    InputProblem : a size the metal does not come in

    """
    limits = standards or shipped_standards()

    def drop(size: str, length: float) -> float:
        return drop_v(
            size, entry.material, entry.raceway_metal, length, entry.amps, entry.power_factor, entry.phase
        )

    own = drop(entry.conductor_awg, entry.length_ft)
    sizes = sizes_of(entry.material)
    at = sizes.index(entry.conductor_awg)
    near = sizes[max(0, at - 1) : at + 3]
    lengths = [round(2 * entry.length_ft * i / (POINTS - 1), 2) for i in range(POINTS)]
    curves = [
        DropCurve(
            conductor_awg=s,
            length_ft=lengths,
            drop_pct=[round(100 * drop(s, x) / entry.volts, 4) for x in lengths],
        )
        for s in near
    ]
    pct = 100 * own / entry.volts
    fits = pct <= limits.voltage_drop_pct
    return DropOut(
        drop_v=round(own, 4),
        drop_pct=round(pct, 4),
        curves=curves,
        findings=[
            Finding(
                code="VOLTAGE_DROP",
                verdict="pass" if fits else "watch",
                text=msg(
                    "{own:.2f} V, {pct:.2f} %; {voltage_drop_pct:g} % recommended limit.",
                    own=own,
                    pct=pct,
                    voltage_drop_pct=limits.voltage_drop_pct,
                ),
                rule=f"NEC 2023 210.19(A) note; Chapter 9 Table 9; {limits.rule('voltage_drop_pct')}",
                inputs={"length_ft": entry.length_ft, "amps_a": entry.amps},
                arithmetic=drop_working(
                    entry.conductor_awg,
                    entry.material,
                    entry.raceway_metal,
                    entry.length_ft,
                    entry.amps,
                    entry.power_factor,
                    entry.phase,
                ),
                next_step=None if pct <= limits.voltage_drop_pct else msg("Larger wire or a shorter run."),
            )
        ],
    )


class PowerIn(Frozen):
    """Two of three: kilowatts, amps, volts."""

    phase: Phase
    volts: Volts
    kw: Annotated[float, Field(strict=True, gt=0, le=10_000, allow_inf_nan=False)] | None = None
    amps: Amps | None = None
    power_factor: PowerFactor = 1.0

    @model_validator(mode="after")
    def _one_of_them(self) -> "PowerIn":
        if (self.kw is None) == (self.amps is None):
            raise PydanticCustomError(
                "value_error", "{error}", {"field": "kw", "error": msg("kilowatts or amps, one of the two")}
            )
        return self


class PowerOut(Frozen):
    """All three."""

    kw: float
    amps: float
    apparent_kva: float
    findings: list[Finding]


def power_and_amps(entry: PowerIn) -> PowerOut:
    """Return kilowatts and amps of a load: P = V · I · cos φ, times √3 for three-phase."""
    root = math.sqrt(3) if entry.phase == 3 else 1.0
    if entry.kw is not None:
        kw, amps = entry.kw, 1000 * entry.kw / (root * entry.volts * entry.power_factor)
    else:
        assert entry.amps is not None
        amps, kw = entry.amps, root * entry.volts * entry.amps * entry.power_factor / 1000
    roots = "√3 × " if entry.phase == 3 else ""
    return PowerOut(
        kw=round(kw, 4),
        amps=round(amps, 4),
        apparent_kva=round(root * entry.volts * amps / 1000, 4),
        findings=[
            Finding(
                code="POWER",
                verdict="note",
                text=f"{say(kw, 'kW')}, {say(amps, 'A')}.",
                rule="P = V · I · cos φ",
                arithmetic=msg(
                    "{roots}{volts:g} V × {amps:.4g} A × {power_factor:g} = {kw:.4g} kW",
                    roots=roots,
                    volts=entry.volts,
                    amps=amps,
                    power_factor=entry.power_factor,
                    kw=kw,
                ),
            )
        ],
    )


class AirflowIn(Frozen):
    """Electric heat and the rise it makes."""

    volts: Volts
    amps: Amps
    delta_t_f: DeltaF
    altitude_ft: AltitudeFt = 0.0
    phase: Literal[1, 3] = 1


class AirflowOut(Frozen):
    """The airflow."""

    airflow_cfm: float
    findings: list[Finding]


def airflow(entry: AirflowIn) -> AirflowOut:
    """Return airflow from measured volts, amps and temperature rise of electric heat."""
    watts = entry.volts * entry.amps * (math.sqrt(3) if entry.phase == 3 else 1.0)
    flow = airflow_cfm(watts, entry.delta_t_f, entry.altitude_ft)
    ratio = air_density_ratio(entry.altitude_ft)
    return AirflowOut(
        airflow_cfm=round(flow, 1),
        findings=[
            Finding(
                code="AIRFLOW",
                verdict="note",
                text=msg("{flow:.0f} CFM.", flow=flow),
                rule="CFM = 3.412 · W ÷ (1.08 · density · ΔT)",
                inputs={"altitude_ft": entry.altitude_ft},
                arithmetic=f"3.412 × {watts:.0f} W ÷ (1.08 × {ratio:.3f} × {entry.delta_t_f:g} °F)",
            )
        ],
    )
