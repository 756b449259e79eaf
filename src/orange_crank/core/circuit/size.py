"""A branch circuit for cooling equipment: device, conductor, drop, ground, disconnect, raceway, by clause."""

from dataclasses import dataclass
from typing import Literal

from pydantic import Field

from orange_crank.core.circuit.conductor import (
    Conditions,
    conditions,
    corrected_a,
    smallest_for,
    usable_a,
)
from orange_crank.core.circuit.entry import CircuitIn, Raceway, RacewayMetal
from orange_crank.core.circuit.one_line import Material, Station, StationOut, materials, stations
from orange_crank.core.circuit.said import said
from orange_crank.core.errors import BeyondTable
from orange_crank.core.nomenclature import Finding, Frozen
from orange_crank.core.plate.arithmetic import CircuitFigures, circuit_figures
from orange_crank.core.plate.model import Compressor, Motor, Plate
from orange_crank.core.tables import overcurrent_at_least, overcurrent_at_most
from orange_crank.core.tables.code import (
    NEEDS_ENGINEER,
    RANK,
    ampacity_a,
    area_kcmil,
    conductor_area_in2,
    disconnect_frame_a,
    drop_v,
    grounding_size,
    horsepower_by_full_load,
    horsepower_by_locked_rotor,
    raceway_size,
    size_of_area,
    sizes_of,
)

START_POWER_FACTOR = 0.75
FAN_LOCKED = 6.0
STEEL: tuple[Raceway, ...] = ("EMT", "LFMC")


class OtherSchool(Frozen):
    """What the other way of sizing the conductor would take."""

    school: Literal["mca", "breaker"]
    conductor_awg: str | None
    why: str


class CircuitOut(Frozen):
    """A sized circuit."""

    mca_a: float
    mocp_a: float
    overcurrent_a: int
    overcurrent_225_a: float | None = Field(description="Largest by the 225 % rule, where it is computed [A]")
    conductor_awg: str
    minimum_conductor_awg: str = Field(description="Before voltage drop")
    ampacity_a: float = Field(description="Usable: the lesser of corrected and termination ampacity [A]")
    corrected_a: float
    termination_a: float
    egc_awg: str
    drop_at_a: float = Field(description="RLA and FLA together, else MCA: what the drop is taken at [A]")
    reactance_of: RacewayMetal = Field(description="Raceway metal taken for reactance")
    voltage_drop_v: float | None
    voltage_drop_pct: float | None
    start_drop_pct: float | None
    disconnect_a: int
    disconnect_min_a: float
    disconnect_hp: float | None
    raceway_trade_size: str | None
    raceway_fill_pct: float | None
    poles: int
    other_school: OtherSchool
    stations: list[StationOut] = Field(description="The circuit as one line, panel first")
    materials: list[Material]
    findings: list[Finding]


@dataclass(frozen=True)
class Loads:
    """What a circuit carries, from whichever figures of the plate are for this supply."""

    compressors: tuple[Compressor, ...]
    motors: tuple[Motor, ...]
    other_a: float
    figures: CircuitFigures | None
    mca_a: float
    plate_mca_a: float | None
    plate_mocp_a: float | None
    paired: bool = False

    @property
    def running_a(self) -> float | None:
        """RLA and FLA together [A]; None where the plate gives no compressor."""
        if not self.compressors:
            return None
        return sum(c.rla_a for c in self.compressors) + sum(m.fla_a for m in self.motors)

    @property
    def disconnect_a(self) -> float | None:
        """Selection current or RLA of the compressors, and the rest [A]."""
        if not self.compressors:
            return None
        return sum(c.sizing_a for c in self.compressors) + sum(m.fla_a for m in self.motors) + self.other_a

    @property
    def compressor_lra_a(self) -> float | None:
        """Locked rotor of all compressors [A]."""
        if not self.compressors or any(c.lra_a is None for c in self.compressors):
            return None
        return sum(float(c.lra_a or 0) for c in self.compressors)

    @property
    def locked_a(self) -> float | None:
        """Locked rotor of everything [A]; a motor without says six times its full load."""
        compressors = self.compressor_lra_a
        if compressors is None:
            return None
        motors = sum(m.lra_a if m.lra_a is not None else FAN_LOCKED * m.fla_a for m in self.motors)
        return compressors + motors + self.other_a


def loads_of(entry: CircuitIn) -> Loads:
    """Return what the circuit carries; of a plate with two ratings, those for this supply's volts."""
    compressors, motors = entry.compressors, entry.motors
    mca, mocp, second = entry.mca_a, entry.mocp_a, False
    pair = entry.paired
    if pair is not None and pair.volts <= entry.volts * 1.05 and entry.volts < 219 and pair.volts < 219:
        second = True
        compressors, motors = pair.compressors or compressors, pair.motors or motors
        mca, mocp = pair.mca_a or mca, pair.mocp_a or mocp
    figures = None
    if compressors:
        plate = Plate.model_construct(
            volts=entry.volts,
            phase=entry.phase,
            compressors=compressors,
            motors=motors,
            other_a=entry.other_a,
        )
        figures = circuit_figures(plate)
    elif motors and mca is None:
        largest = max(m.fla_a for m in motors)
        mca = 1.25 * largest + sum(m.fla_a for m in motors) - largest + (entry.other_a or 0.0)
    governs = mca if mca is not None else figures.mca_a if figures else 0.0
    return Loads(tuple(compressors), tuple(motors), entry.other_a or 0.0, figures, governs, mca, mocp, second)


@dataclass(frozen=True)
class Device:
    """The overcurrent device and how it came about."""

    amps: int
    mocp_a: float
    raised: bool
    largest_a: float | None


def overcurrent(entry: CircuitIn, loads: Loads) -> Device:
    """Return the overcurrent device.

    Notes
    -----
    The largest standard size at or under the plate's MOCP; without a plate's the 175 % figure, with the 225 %
    figure beside it. If rounding down lands under MCA, the next standard size at or above MCA.

    """
    computed = loads.figures.mocp_a if loads.figures else None
    if loads.plate_mocp_a is not None:
        size, mocp = overcurrent_at_most(loads.plate_mocp_a), loads.plate_mocp_a
        if entry.smallest_device:
            floor = max(loads.mca_a, loads.figures.mocp_start_limit_a if loads.figures else loads.mca_a)
            size = min(size, overcurrent_at_least(floor))
    else:
        assert loads.figures is not None
        size, mocp = int(loads.figures.mocp_start_a), float(loads.figures.mocp_a)
    if size < loads.mca_a - 1e-9:
        return Device(overcurrent_at_least(loads.mca_a), mocp, True, computed)
    return Device(size, mocp, False, computed)


def size_circuit(entry: CircuitIn) -> CircuitOut:
    """Size a branch circuit.

    Parameters
    ----------
    entry : loads [A], wiring method, length [ft], ambient [°F]; whatever is left out is said in the findings

    Raises
    ------
    InputProblem : the place is too hot for the insulation
    BeyondTable : larger than the tables; parallel conductors need an engineer

    References
    ----------
    NEC 440.4(B), 440.22, 440.32 to 440.35, 440.12, 250.122, 310, Chapter 9; edition as asked.

    """
    loads = loads_of(entry)
    device = overcurrent(entry, loads)
    c = conditions(entry, device.amps)
    by_mca = smallest_for(loads.mca_a, entry, c)
    by_breaker = _or_none(max(loads.mca_a, float(device.amps)), entry, c)
    minimum = by_mca if entry.school == "mca" else (by_breaker or _beyond(device.amps))
    metal = metal_of(entry)
    amps = loads.running_a if loads.running_a is not None else loads.mca_a
    chosen = minimum
    if entry.length_ft is not None and entry.drop_limit_pct is not None:
        chosen = _within_drop(entry, minimum, metal, amps)
    drop = start = None
    if entry.length_ft is not None:
        drop = drop_v(chosen, entry.material, metal, entry.length_ft, amps, entry.power_factor, entry.phase)
        if loads.compressor_lra_a is not None:
            dip = drop_v(
                chosen,
                entry.material,
                metal,
                entry.length_ft,
                loads.compressor_lra_a,
                START_POWER_FACTOR,
                entry.phase,
            )
            start = 100 * dip / entry.volts
    ground = grounding(entry, device.amps, minimum, chosen)
    need = disconnect_need_a(loads)
    power = disconnect_hp(entry, loads)
    trade, fill = _raceway(entry, chosen, ground)
    out = CircuitOut(
        mca_a=round(loads.mca_a, 6),
        mocp_a=device.mocp_a,
        overcurrent_a=device.amps,
        overcurrent_225_a=device.largest_a,
        conductor_awg=chosen,
        minimum_conductor_awg=minimum,
        ampacity_a=round(usable_a(chosen, entry, c), 4),
        corrected_a=round(corrected_a(chosen, entry, c), 4),
        termination_a=ampacity_a(chosen, entry.material, c.termination_c),
        egc_awg=ground,
        drop_at_a=round(amps, 4),
        reactance_of=metal,
        voltage_drop_v=None if drop is None else round(drop, 4),
        voltage_drop_pct=None if drop is None else round(100 * drop / entry.volts, 4),
        start_drop_pct=None if start is None else round(start, 4),
        disconnect_a=disconnect_frame_a(need),
        disconnect_min_a=round(need, 4),
        disconnect_hp=power,
        raceway_trade_size=trade,
        raceway_fill_pct=fill,
        poles=entry.poles,
        other_school=_other_school(entry, by_mca, by_breaker, device),
        stations=[],
        materials=materials(entry, chosen, ground, device.amps, disconnect_frame_a(need), trade),
        findings=[],
    )
    findings = said(entry, loads, device, c, out, metal)
    sizes: dict[Station, str] = {
        "device": f"{device.amps} A, {entry.poles} pole{'s' if entry.poles > 1 else ''}",
        "conductor": f"{chosen} {'Cu' if entry.material == 'copper' else 'Al'} {entry.insulation}",
        "ground": ground,
        "disconnect": f"{disconnect_frame_a(need)} A" + (f", {power:g} hp" if power else ""),
        "unit": f"MCA {loads.mca_a:g} A, MOCP {device.mocp_a:g} A",
    }
    if trade is not None:
        sizes["raceway"] = f"{entry.raceway} {trade}"
    return out.model_copy(update={"findings": findings, "stations": stations(sizes, findings)})


def _or_none(amps: float, entry: CircuitIn, c: Conditions) -> str | None:
    try:
        return smallest_for(amps, entry, c)
    except BeyondTable:
        return None


def _beyond(amps: float) -> str:
    raise BeyondTable(f"A conductor for {amps:g} A is beyond the table.", next_step=NEEDS_ENGINEER)


def metal_of(entry: CircuitIn) -> RacewayMetal:
    """Return the raceway's metal for reactance: steel for EMT and LFMC unless said otherwise, else PVC."""
    if entry.raceway_metal is not None:
        return entry.raceway_metal
    return "steel" if entry.raceway in STEEL else "pvc"


def _within_drop(entry: CircuitIn, minimum: str, metal: RacewayMetal, amps: float) -> str:
    assert entry.length_ft is not None
    assert entry.drop_limit_pct is not None
    for size in sizes_of(entry.material)[sizes_of(entry.material).index(minimum) :]:
        drop = drop_v(size, entry.material, metal, entry.length_ft, amps, entry.power_factor, entry.phase)
        if 100 * drop / entry.volts <= entry.drop_limit_pct + 1e-9:
            return size
    raise BeyondTable(
        f"No conductor of the table keeps the drop within {entry.drop_limit_pct:g} % over "
        f"{entry.length_ft:g} ft.",
        next_step=f"{NEEDS_ENGINEER} Or allow more drop, or a source nearer by.",
    )


def grounding(entry: CircuitIn, device_a: float, minimum: str, chosen: str) -> str:
    """Return the equipment grounding conductor, enlarged in proportion where the others were.

    Notes
    -----
    The table by the device; times the chosen area over that of the smallest sufficient conductor, corrections
    included: what ambient, bundling or a heavier school ask for is no enlargement. Never larger than the
    circuit's own conductors.

    """
    base = grounding_size(device_a, entry.material)
    if RANK[chosen] > RANK[minimum]:
        wanted = area_kcmil(base) * area_kcmil(chosen) / area_kcmil(minimum)
        base = size_of_area(wanted, entry.material) if wanted <= area_kcmil(chosen) else chosen
    return chosen if RANK[base] > RANK[chosen] else base


def disconnect_need_a(loads: Loads) -> float:
    """Return the least a disconnect must carry [A]: 115 % of selection current and the rest; else MCA."""
    total = loads.disconnect_a
    return loads.mca_a if total is None else 1.15 * total


def disconnect_hp(entry: CircuitIn, loads: Loads) -> float | None:
    """Return the horsepower a disconnect needs: the larger by full load and by locked rotor; None beyond."""
    if loads.disconnect_a is None:
        return None
    by_load = horsepower_by_full_load(loads.disconnect_a, entry.volts, entry.phase)
    if loads.locked_a is None:
        return by_load
    by_start = horsepower_by_locked_rotor(loads.locked_a, entry.volts, entry.phase)
    return None if by_load is None or by_start is None else max(by_load, by_start)


def _raceway(entry: CircuitIn, size: str, ground: str) -> tuple[str | None, float | None]:
    if entry.raceway is None or entry.raceway == "cable" or entry.insulation in ("NM-B", "UF-B"):
        return None, None
    hot = 3 if entry.phase == 3 else 2
    areas = [conductor_area_in2(size, entry.insulation)] * hot + [
        conductor_area_in2(ground, entry.insulation)
    ]
    trade, fill = raceway_size(entry.raceway, areas)
    return trade, round(fill, 2)


def _other_school(entry: CircuitIn, by_mca: str, by_breaker: str | None, device: Device) -> OtherSchool:
    if entry.school == "mca":
        why = f"Sized to the {device.amps} A device: heavier, simpler for the next person."
        if by_breaker is None:
            why = "Sized to the device it is beyond the table: parallel conductors need an engineer."
        return OtherSchool(school="breaker", conductor_awg=by_breaker, why=why)
    return OtherSchool(school="mca", conductor_awg=by_mca, why="The least the code asks for, from MCA.")
