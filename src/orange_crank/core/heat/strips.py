"""Electric heat: power at the volts there are, circuits of at most 48 A, what measured amps and air say."""

import math
from dataclasses import dataclass
from itertools import combinations
from typing import Annotated, Literal

from pydantic import Field, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.circuit.conductor import DRY_ONLY, conditions, table_clause, usable_a
from orange_crank.core.circuit.entry import AmbientF, CircuitIn, Conductors, Insulation, Material, Termination
from orange_crank.core.errors import BeyondTable
from orange_crank.core.nomenclature import Finding, Flag, Frozen, Volts, ZeroOrMoreAmps, say
from orange_crank.core.plate.arithmetic import clause
from orange_crank.core.plate.model import Edition, Phase
from orange_crank.core.tables import overcurrent_at_least
from orange_crank.core.tables.code import (
    NEEDS_ENGINEER,
    RANK,
    grounding_size,
    sizes_of,
    small_conductor_limit_a,
)

CONTINUOUS = 1.25
SUBDIVISION_A, SUBDIVISION_DEVICE_A = 48.0, 60.0
BTU_PER_WH, AIR = 3.412, 1.08
LAPSE, LAPSE_POWER = 6.8754e-6, 5.2559
COLD_SHARE = 0.95

Kilowatts = Annotated[float, Field(strict=True, gt=0, le=200, allow_inf_nan=False)]
DeltaF = Annotated[float, Field(strict=True, gt=0, le=200, allow_inf_nan=False)]
AltitudeFt = Annotated[float, Field(strict=True, ge=-1_500, le=20_000, allow_inf_nan=False)]
StageSeconds = Annotated[float, Field(strict=True, ge=0, le=600, allow_inf_nan=False)]


class HeatKit(Frozen):
    """One element, or a group that is one piece of the circuit."""

    kw: Kilowatts
    rated_v: Volts
    stage: Annotated[int, Field(strict=True, ge=1, le=8)] | None = None
    on_after_s: StageSeconds | None = Field(default=None, description="Sequencer closes after [s]")


class HeatMeasured(Frozen):
    """What was measured while it heats."""

    volts: Volts
    amps: ZeroOrMoreAmps
    delta_t_f: DeltaF | None = None
    altitude_ft: AltitudeFt | None = None


class HeatIn(Frozen):
    """Heat strips on a supply."""

    kits: list[HeatKit] = Field(min_length=1, max_length=24)
    supply_v: Volts
    phase: Phase
    blower_fla_a: ZeroOrMoreAmps
    edition: Edition = "2023"
    termination_c: Termination | None = None
    insulation: Insulation = "THWN-2"
    material: Material = "copper"
    ambient_f: AmbientF = 86.0
    current_carrying_conductors: Conductors | None = None
    wet: Flag = False
    single_point: Flag | None = Field(default=None, description="A listed single-point kit")
    rise_low_f: DeltaF | None = Field(default=None, description="Temperature rise from, on the plate [°F]")
    rise_high_f: DeltaF | None = Field(default=None, description="Temperature rise to, on the plate [°F]")
    heat_pump_mca_a: ZeroOrMoreAmps | None = Field(
        default=None, description="Outdoor unit at the same time [A]"
    )
    needed_kw: Kilowatts | None = Field(default=None, description="Heat loss less heat pump, at design [kW]")
    listed_kits_kw: list[Kilowatts] | None = Field(
        default=None, max_length=30, description="The air handler's own list, at rated volts [kW]"
    )
    listed_rated_v: Volts = 240.0
    measured: HeatMeasured | None = None

    @model_validator(mode="after")
    def _supported(self) -> "HeatIn":
        wrong: tuple[str, str] | None = None
        if self.phase == 1 and self.supply_v > 250:
            wrong = ("supply_v", "at most 250 V single-phase: 277 V single-phase is not supported here")
        for kit in self.kits:
            if wrong is None and self.supply_v > 1.1 * kit.rated_v:
                wrong = ("supply_v", f"at most the element's {kit.rated_v:g} V and 10 %: it would burn")
        if self.rise_low_f and self.rise_high_f and self.rise_low_f > self.rise_high_f:
            wrong = ("rise_high_f", f"at least {self.rise_low_f:g} °F")
        if wrong:
            raise PydanticCustomError("value_error", "{error}", {"field": wrong[0], "error": wrong[1]})
        return self


class HeatCircuit(Frozen):
    """One circuit of the heat."""

    kits: list[int] = Field(description="Which kits, by place")
    heater_a: float
    blower_a: float
    load_a: float
    mca_a: float
    overcurrent_a: int
    conductor_awg: str
    ampacity_a: float
    egc_awg: str
    disconnect_min_a: float


class HeatStage(Frozen):
    """What is on once a stage has closed."""

    stage: int
    after_s: float | None
    kw: float
    total_a: float


class HeatOut(Frozen):
    """Heat strips sized, and checked against what was measured."""

    kw_actual: float
    heater_a: float
    load_a: float
    mca_a: float
    circuits: list[HeatCircuit]
    subdivisions: int
    stages: list[HeatStage]
    resistance_hot_ohm: list[float]
    kit_choice_kw: float | None
    all_at_once_a: float | None
    elements_working: int | None
    expected_a: float | None
    airflow_cfm: float | None
    findings: list[Finding]


def kit_watts(kit: HeatKit, volts: float) -> float:
    """Return a kit's power at some volts [W]: it follows their square.

    >>> round(kit_watts(HeatKit(kw=10.0, rated_v=240.0), 208.0))
    7511
    """
    return 1000 * kit.kw * (volts / kit.rated_v) ** 2


def kit_amps(kit: HeatKit, volts: float, phase: int) -> float:
    """Return a kit's line amps at some volts [A]."""
    return kit_watts(kit, volts) / (volts * (math.sqrt(3) if phase == 3 else 1.0))


def air_density_ratio(altitude_ft: float) -> float:
    """Return the density of air at a height over that at sea level (standard atmosphere)."""
    return math.pow(max(0.0, 1 - LAPSE * altitude_ft), LAPSE_POWER)


def airflow_cfm(watts: float, delta_t_f: float, altitude_ft: float = 0.0) -> float:
    """Return the airflow that carries so much heat away [ft³/min].

    >>> round(airflow_cfm(9600.0, 30.0))
    1011
    """
    return BTU_PER_WH * watts / (AIR * air_density_ratio(altitude_ft) * delta_t_f)


@dataclass(frozen=True)
class _Made:
    circuit: HeatCircuit
    over: bool
    alone: bool


def size_heat(entry: HeatIn) -> HeatOut:
    """Size the circuits of electric heat, and judge what was measured.

    Parameters
    ----------
    entry : kits [kW at rated volts], supply [V], blower [A]

    Raises
    ------
    InputProblem : too hot for the insulation
    BeyondTable : more than the largest conductor carries

    Notes
    -----
    Each kit is one indivisible group; circuits are filled in order up to 48 A of heater; the blower rides on
    circuit 1. Small-conductor limits bind here.

    References
    ----------
    NEC 424.3(B) (2017), 424.4(B) (2020 on), 424.22(B), 240.4(B), 240.4(D), 250.122.

    """
    amps = [kit_amps(k, entry.supply_v, entry.phase) for k in entry.kits]
    heater = sum(amps)
    load = heater + entry.blower_fla_a
    made = [_circuit(entry, group, amps, i == 0) for i, group in enumerate(_groups(entry, amps))]
    kw = sum(kit_watts(k, entry.supply_v) for k in entry.kits) / 1000
    choice = _choice(entry)
    working = expected = flow = None
    if entry.measured is not None:
        working, expected, flow = _measured(entry)
    out = HeatOut(
        kw_actual=round(kw, 4),
        heater_a=round(heater, 4),
        load_a=round(load, 4),
        mca_a=round(CONTINUOUS * load, 4),
        circuits=[m.circuit for m in made],
        subdivisions=len(made),
        stages=_stages(entry),
        resistance_hot_ohm=[_hot_ohm(k, entry.phase) for k in entry.kits],
        kit_choice_kw=choice,
        all_at_once_a=None
        if entry.heat_pump_mca_a is None
        else round(CONTINUOUS * load + entry.heat_pump_mca_a, 2),
        elements_working=working,
        expected_a=None if expected is None else round(expected, 3),
        airflow_cfm=None if flow is None else round(flow, 1),
        findings=[],
    )
    return out.model_copy(update={"findings": _findings(entry, out, made)})


def _hot_ohm(kit: HeatKit, phase: int) -> float:
    """Return a single-phase element's hot resistance, V²/P [Ω]; for three-phase that of the whole."""
    del phase
    return round(kit.rated_v**2 / (1000 * kit.kw), 4)


def _groups(entry: HeatIn, amps: list[float]) -> list[list[int]]:
    if entry.single_point or sum(amps) <= SUBDIVISION_A + 1e-9:
        return [list(range(len(amps)))]
    groups: list[list[int]] = [[]]
    filled = 0.0
    for i, a in enumerate(amps):
        if groups[-1] and filled + a > SUBDIVISION_A + 1e-9:
            groups.append([])
            filled = 0.0
        groups[-1].append(i)
        filled += a
    return groups


def _as_circuit(entry: HeatIn) -> CircuitIn:
    """Return the wiring of the heat in the words of a circuit, for the same ampacity rules."""
    return CircuitIn.model_construct(
        volts=entry.supply_v,
        phase=entry.phase,
        edition=entry.edition,
        material=entry.material,
        insulation=entry.insulation,
        termination_c=entry.termination_c,
        ambient_f=entry.ambient_f,
        current_carrying_conductors=entry.current_carrying_conductors,
        rooftop_clearance_in=None,
        wet=entry.wet,
    )


def _circuit(entry: HeatIn, group: list[int], amps: list[float], first: bool) -> _Made:
    heater = sum(amps[i] for i in group)
    blower = entry.blower_fla_a if first else 0.0
    mca = CONTINUOUS * (heater + blower)
    device = overcurrent_at_least(max(mca, 15.0))
    wiring = _as_circuit(entry)
    c = conditions(wiring, device)
    for size in sizes_of(entry.material):
        small = small_conductor_limit_a(size, entry.material)
        usable = usable_a(size, wiring, c)
        if usable >= mca - 1e-9 and (small is None or device <= small):
            break
    else:
        raise BeyondTable(
            f"{mca:g} A is above what the largest conductor carries here.", next_step=NEEDS_ENGINEER
        )
    ground = grounding_size(device, entry.material)
    over = not entry.single_point and device > SUBDIVISION_DEVICE_A
    return _Made(
        HeatCircuit(
            kits=group,
            heater_a=round(heater, 4),
            blower_a=blower,
            load_a=round(heater + blower, 4),
            mca_a=round(mca, 4),
            overcurrent_a=device,
            conductor_awg=size,
            ampacity_a=round(usable, 4),
            egc_awg=size if RANK[ground] > RANK[size] else ground,
            disconnect_min_a=round(mca, 4),
        ),
        over,
        heater > SUBDIVISION_A + 1e-9,
    )


def _stages(entry: HeatIn) -> list[HeatStage]:
    order = sorted({k.stage or 1 for k in entry.kits})
    stages = []
    for s in order:
        on = [k for k in entry.kits if (k.stage or 1) <= s]
        here = [k.on_after_s for k in entry.kits if (k.stage or 1) == s and k.on_after_s is not None]
        stages.append(
            HeatStage(
                stage=s,
                after_s=max(here) if here else None,
                kw=round(sum(kit_watts(k, entry.supply_v) for k in on) / 1000, 4),
                total_a=round(
                    sum(kit_amps(k, entry.supply_v, entry.phase) for k in on) + entry.blower_fla_a, 4
                ),
            )
        )
    return stages


def _choice(entry: HeatIn) -> float | None:
    """Return the smallest listed kit that gives what is needed at this supply's volts, by its rated kW."""
    if entry.needed_kw is None or not entry.listed_kits_kw:
        return None
    share = (entry.supply_v / entry.listed_rated_v) ** 2
    return next((kw for kw in sorted(entry.listed_kits_kw) if kw * share >= entry.needed_kw - 1e-9), None)


def _measured(entry: HeatIn) -> tuple[int, float, float | None]:
    m = entry.measured
    assert m is not None
    each = [kit_amps(k, m.volts, entry.phase) for k in entry.kits]
    expected = sum(each) + entry.blower_fla_a
    heater = m.amps - entry.blower_fla_a
    near = min(
        (g for n in range(len(each) + 1) for g in (combinations(each, n) if len(each) <= 10 else [each[:n]])),
        key=lambda g: (abs(sum(g) - heater), -len(g)),
    )
    flow = None
    if m.delta_t_f is not None:
        watts = m.volts * m.amps * (math.sqrt(3) if entry.phase == 3 else 1.0)
        flow = airflow_cfm(watts, m.delta_t_f, m.altitude_ft or 0.0)
    return len(near), expected, flow


def _findings(entry: HeatIn, out: HeatOut, made: list[_Made]) -> list[Finding]:
    e = entry.edition
    heat = clause(e, "424.3(B)" if e == "2017" else "424.4(B)")
    roots = "√3 × " if entry.phase == 3 else ""
    found = [
        Finding(
            code="POWER",
            verdict="note",
            text=f"{out.kw_actual:.2f} kW at {entry.supply_v:g} V, {out.heater_a:.1f} A.",
            rule="P = P_rated · (V ÷ V_rated)²",
            inputs={"supply_v": entry.supply_v},
            arithmetic=" + ".join(f"{k.kw:g} kW × ({entry.supply_v:g}/{k.rated_v:g})²" for k in entry.kits)
            + f"; I = P ÷ ({roots}{entry.supply_v:g} V)",
        ),
        Finding(
            code="CONTINUOUS",
            verdict="note",
            text=f"A continuous load: conductors and devices for {say(out.mca_a, 'A', 5)}.",
            rule=heat,
            arithmetic=f"1.25 × ({out.heater_a:.2f} + {entry.blower_fla_a:g}) A = {out.mca_a:.2f} A",
        ),
    ]
    for i, m in enumerate(made, 1):
        found += _circuit_findings(entry, i, m)
    if entry.single_point and out.heater_a > SUBDIVISION_A:
        found.append(
            Finding(
                code="SINGLE_POINT",
                verdict="watch",
                text="One circuit to a listed single-point kit, which divides itself inside.",
                rule=clause(e, "424.22(B)"),
                next_step="See its listing and its own fuses.",
            )
        )
    found.append(
        Finding(
            code="DISCONNECTS",
            verdict="note",
            text="A disconnect for each circuit, in sight or as the clause allows; all marked.",
            rule=clause(e, "424.19"),
        )
    )
    if entry.wet and entry.insulation in DRY_ONLY:
        found.append(
            Finding(
                code="WET_LOCATION",
                verdict="fail",
                text=f"{entry.insulation} is for dry places.",
                rule=clause(e, "300.9, 310.10(C)"),
                next_step="Take THWN-2 or XHHW-2.",
            )
        )
    found += _choice_findings(entry, out)
    found += _measured_findings(entry, out)
    found.append(
        Finding(
            code="BLOWER_FIRST",
            verdict="watch",
            text="Never with the blower off; never bypass a limit.",
            rule="field practice: electric heat",
        )
    )
    given = entry.model_fields_set
    for name, text in (
        ("edition", "Edition not said: 2023 is taken."),
        ("insulation", "Insulation not said: THWN-2 is taken."),
        ("material", "Metal not said: copper is taken."),
        ("ambient_f", "Air not said: 86 °F is taken."),
        ("termination_c", "Assumed: 60 °C terminals up to 100 A, 75 °C above."),
        ("single_point", "Single-point or not was not said: the circuits are divided."),
    ):
        if name not in given:
            found.append(
                Finding(
                    code="DEFAULT",
                    verdict="note",
                    text=text,
                    rule="assumed",
                    inputs={"field": name},
                )
            )
    return found


def _circuit_findings(entry: HeatIn, number: int, m: _Made) -> list[Finding]:
    e, k = entry.edition, m.circuit
    found = [
        Finding(
            code="CIRCUIT",
            verdict="fail" if m.over else "pass",
            text=f"Circuit {number}: {k.overcurrent_a} A, {k.conductor_awg} with {k.egc_awg} ground"
            + (", blower with it." if k.blower_a else "."),
            rule=f"{table_clause(e)}; {clause(e, '240.4(B), 240.4(D), 250.122')}",
            inputs={"heater_a": k.heater_a, "mca_a": k.mca_a},
            arithmetic=f"1.25 × ({k.heater_a:.2f} + {k.blower_a:g}) A = {k.mca_a:.2f} A → "
            f"{k.overcurrent_a} A; "
            f"{k.ampacity_a:g} A usable",
            next_step="A kit of smaller groups, or a listed single-point kit." if m.over else None,
        )
    ]
    if m.over:
        found.append(
            Finding(
                code="SUBDIVISION_OVER_60",
                verdict="fail",
                text=f"Circuit {number} would need {k.overcurrent_a} A: a subdivision ends at 60 A.",
                rule=clause(e, "424.22(B)"),
                inputs={"heater_a": k.heater_a},
                next_step="Elements over 48 A are divided, each on 60 A at the most.",
            )
        )
    return found


def _choice_findings(entry: HeatIn, out: HeatOut) -> list[Finding]:
    if entry.needed_kw is None:
        return []
    if not entry.listed_kits_kw:
        return [
            Finding(
                code="KIT_LIST",
                verdict="unknown",
                text="The air handler's list of kits was not given: none is named.",
                rule="field practice: electric heat",
                next_step="Read the kits listed on the air handler.",
            )
        ]
    if out.kit_choice_kw is None:
        return [
            Finding(
                code="KIT_CHOICE",
                verdict="fail",
                text=f"No listed kit gives {entry.needed_kw:g} kW at {entry.supply_v:g} V.",
                rule="field practice: electric heat",
                next_step="None that is not on its list: another air handler, or less loss.",
            )
        ]
    real = out.kit_choice_kw * (entry.supply_v / entry.listed_rated_v) ** 2
    return [
        Finding(
            code="KIT_CHOICE",
            verdict="pass",
            text=f"{out.kit_choice_kw:g} kW kit: {real:.2f} kW here for {entry.needed_kw:g} kW.",
            rule="field practice: electric heat",
            arithmetic=f"{out.kit_choice_kw:g} × ({entry.supply_v:g}/{entry.listed_rated_v:g})² = "
            f"{real:.2f} kW",
        )
    ]


def _measured_findings(entry: HeatIn, out: HeatOut) -> list[Finding]:
    m = entry.measured
    if m is None or out.expected_a is None or out.elements_working is None:
        return []
    n = len(entry.kits)
    whole = out.elements_working == n
    near = abs(m.amps - out.expected_a) <= 0.1 * out.expected_a
    verdict: Literal["pass", "watch", "fail"] = "fail" if not whole else "pass" if near else "watch"
    found = [
        Finding(
            code="ELEMENTS",
            verdict=verdict,
            text=f"{out.elements_working} of {n} seem to heat: {m.amps:g} A of {out.expected_a:.1f} A "
            f"expected.",
            rule="I = P ÷ V at the measured volts",
            inputs={"measured_v": m.volts, "measured_a": m.amps},
            arithmetic=f"elements at {m.volts:g} V and {entry.blower_fla_a:g} A of blower",
            next_step=None
            if whole
            else "Dead: link, limit, sequencer, element, in that order. Ohms cold read some 5 % low.",
        )
    ]
    if out.airflow_cfm is not None and m.delta_t_f is not None:
        low, high = entry.rise_low_f, entry.rise_high_f
        said = (low is not None and m.delta_t_f < low, high is not None and m.delta_t_f > high)
        known = low is not None and high is not None
        found.append(
            Finding(
                code="AIRFLOW",
                verdict="fail" if said[1] else "watch" if said[0] else "pass" if known else "note",
                text=f"{out.airflow_cfm:.0f} CFM at {m.delta_t_f:g} °F of rise"
                + (f"; the plate says {low:g} to {high:g} °F." if known else "."),
                rule="CFM = 3.412 · W ÷ (1.08 · density · ΔT)",
                inputs={"altitude_ft": m.altitude_ft},
                arithmetic=f"density {air_density_ratio(m.altitude_ft or 0.0):.3f}",
                next_step="Too little air: filter, coil, blower speed, registers; limits trip of it."
                if said[1]
                else None,
            )
        )
    return found
