"""The electrical code's tables as look-ups; sizes are chosen, never interpolated.

Values are the same in the 2017, 2020 and 2023 editions unless a function takes the edition.
"""

import math
from bisect import bisect_left
from functools import cache, lru_cache
from typing import Literal

from orange_crank.core.errors import BeyondTable, FieldProblem, InputProblem
from orange_crank.core.messages import msg
from orange_crank.core.tables import conductor_ohms, conductor_sizes, rows

Material = Literal["copper", "aluminum"]
Column = Literal[60, 75, 90]
NEEDS_ENGINEER = msg("Larger circuits use parallel conductors: that needs an engineer.")
SIZES = conductor_sizes()
RANK = {size: i for i, size in enumerate(SIZES)}


def size_word(size: str) -> str:
    """Return a size as it is spoken, with its unit.

    >>> size_word("10"), size_word("4/0"), size_word("250")
    ('10 AWG', '4/0 AWG', '250 kcmil')
    """
    return f"{size} {'kcmil' if size.isdigit() and int(size) >= 250 else 'AWG'}"


def metal_word(material: str) -> str:
    """Return a metal as it is spelled here."""
    return "aluminum" if material == "aluminum" else "copper"


@cache
def _ampacities(material: Material, column: Column) -> dict[str, float]:
    metal = "cu" if material == "copper" else "al"
    return {r["size"]: float(v) for r in rows("ampacity") if (v := r[f"{metal}_{column}_a"])}


def ampacity_a(size: str, material: Material, column: Column) -> float:
    """Return the table ampacity of a conductor [A].

    >>> ampacity_a("10", "copper", 75)
    35.0

    Raises
    ------
    InputProblem : no such size in that metal

    """
    table = _ampacities(material, column)
    if size not in table:
        wanted = msg("one of ") + ", ".join(table)
        raise InputProblem(
            [FieldProblem(field="conductor_awg", wanted=wanted, got=size)],
            next_step=msg("Read the size and the metal off the conductors again."),
        )
    return table[size]


def sizes_of(material: Material) -> tuple[str, ...]:
    """Return the sizes the table has in a metal, smallest first."""
    return tuple(_ampacities(material, 75))


@cache
def _ambient() -> tuple[list[float], list[dict[int, float | None]]]:
    limits, factors = [], []
    for r in rows("ambient_factors"):
        limits.append(float(r["to_f"]))
        factors.append({c: float(r[f"factor_{c}"]) if r[f"factor_{c}"] else None for c in (60, 75, 90)})
    return limits, factors


def ambient_factor(ambient_f: float, column: Column) -> float | None:
    """Return the correction for ambient temperature, or None: too hot for that insulation.

    >>> ambient_factor(104.0, 75)
    0.88
    """
    limits, factors = _ambient()
    place = bisect_left(limits, ambient_f - 1e-9)
    return None if place == len(limits) else factors[place][column]


@cache
def bundling_factor(conductors: int) -> float:
    """Return the adjustment for so many current-carrying conductors together."""
    return next(
        float(r["factor"])
        for r in rows("bundling_factors")
        if int(r["conductors_from"]) <= conductors <= int(r["conductors_to"])
    )


@cache
def small_conductor_limit_a(size: str, material: Material) -> float | None:
    """Return the largest overcurrent device on a small conductor [A]; None where there is no such limit."""
    metal = "cu" if material == "copper" else "al"
    row = next((r for r in rows("small_conductors") if r["size"] == size), None)
    return float(row[f"{metal}_limit_a"]) if row and row[f"{metal}_limit_a"] else None


def grounding_size(device_a: float, material: Material) -> str:
    """Return the equipment grounding conductor for an overcurrent device.

    Raises
    ------
    BeyondTable : a device larger than the table has

    """
    metal = "cu" if material == "copper" else "al"
    for r in rows("grounding"):
        if device_a <= float(r["device_a"]):
            return r[f"{metal}_size"]
    raise BeyondTable(
        msg("No grounding conductor for {device_a:g} A in the table.", device_a=device_a),
        next_step=NEEDS_ENGINEER,
    )


def area_kcmil(size: str) -> float:
    """Return a conductor's area [kcmil]."""
    return _areas()[size]


@cache
def _areas() -> dict[str, float]:
    return {r["size"]: float(r["area_kcmil"]) for r in rows("conductor_ohms")}


def size_of_area(kcmil: float, material: Material, tolerance_pct: float = 0.0) -> str:
    """Return the smallest size with at least that area, printed areas being rounded by so much."""
    for size in sizes_of(material):
        if area_kcmil(size) >= kcmil * (1 - tolerance_pct / 100 - 1e-9):
            return size
    raise BeyondTable(msg("{kcmil:.0f} kcmil is beyond the table.", kcmil=kcmil), next_step=NEEDS_ENGINEER)


@cache
def _conductor_areas() -> dict[str, tuple[float, float]]:
    return {r["size"]: (float(r["thhn_in2"]), float(r["xhhw_in2"])) for r in rows("conductor_areas")}


def conductor_area_in2(size: str, insulation: str) -> float:
    """Return the area of a conductor with its insulation [in²]."""
    return _conductor_areas()[size][1 if insulation.startswith("XHHW") else 0]


@cache
def _raceways() -> dict[str, list[tuple[str, float]]]:
    found: dict[str, list[tuple[str, float]]] = {}
    for r in rows("raceway_areas"):
        found.setdefault(r["raceway"], []).append((r["trade_size"], float(r["total_in2"])))
    return found


FILL = {1: 0.53, 2: 0.31}


def raceway_size(raceway: str, areas_in2: list[float]) -> tuple[str, float]:
    """Return the smallest trade size that holds these conductors, and its fill [%].

    Raises
    ------
    BeyondTable : more than the largest holds

    References
    ----------
    NEC Chapter 9, Table 1: 53 % for one, 31 % for two, 40 % for three and more.

    """
    allowed, total = FILL.get(len(areas_in2), 0.40), sum(areas_in2)
    for trade, inside in _raceways()[raceway]:
        if total <= allowed * inside + 1e-12:
            return trade, 100 * total / inside
    raise BeyondTable(
        msg("{raceway}: no trade size holds these conductors.", raceway=raceway),
        next_step=msg("Split the run, or another raceway."),
    )


@cache
def _motors(phase: int, volts: int) -> tuple[list[float], list[float], list[tuple[float, float]]]:
    found = [r for r in rows("motor_currents") if int(r["phase"]) == phase and int(r["volts"]) == volts]
    hps, flas = [float(r["rated_hp"]) for r in found], [float(r["fla_a"]) for r in found]
    locked = [(float(r["rated_hp"]), float(r["lra_a"])) for r in found if r["lra_a"]]
    return hps, flas, locked


def motor_column(volts: float, phase: int) -> int | None:
    """Return the voltage column of the motor tables for a plate, or None where there is none."""
    bounds = (
        (110, 127, 115),
        (187, 203, 200),
        (204, 219, 208),
        (220, 250, 230),
        (440, 500, 460),
        (550, 600, 575),
    )
    for low, high, column in bounds:
        if low <= volts <= high and not (phase == 1 and column > 230):
            return column
    return None


@lru_cache(maxsize=4096)
def horsepower_by_full_load(amps: float, volts: float, phase: int) -> float | None:
    """Return the smallest horsepower whose full-load current covers these amps; None beyond the table."""
    column = motor_column(volts, phase)
    if column is None:
        return None
    hps, flas, _ = _motors(phase, column)
    return next((hp for hp, a in zip(hps, flas, strict=True) if a >= amps - 1e-9), None)


@lru_cache(maxsize=4096)
def horsepower_by_locked_rotor(amps: float, volts: float, phase: int) -> float | None:
    """Return the smallest horsepower whose locked-rotor current covers these amps; None beyond the table."""
    column = motor_column(volts, phase)
    if column is None:
        return None
    if phase == 1 and column == 200:
        column, amps = 208, amps * 208 / 200
    return next((hp for hp, a in _motors(phase, column)[2] if a >= amps - 1e-9), None)


@cache
def disconnect_frames_a() -> tuple[int, ...]:
    """Return the frames of disconnects [A]."""
    return tuple(int(r["frame_a"]) for r in rows("disconnect_frames"))


def disconnect_frame_a(amps: float) -> int:
    """Return the smallest frame that holds these amps [A].

    Raises
    ------
    BeyondTable : more than the largest frame

    """
    for frame in disconnect_frames_a():
        if frame >= amps - 1e-9:
            return frame
    raise BeyondTable(
        msg("Disconnect: {amps:g} A is above the largest frame.", amps=amps), next_step=NEEDS_ENGINEER
    )


def drop_v(
    size: str, material: Material, metal: str, length_ft: float, amps: float, power_factor: float, phase: int
) -> float:
    """Return the voltage drop over a run, out and back [V].

    Notes
    -----
    2·L for single phase, √3·L for three; R cos φ + X sin φ per 1,000 ft, Table 9 at 75 °C.

    """
    z = conductor_ohms(size, material, metal)
    sine = math.sqrt(1 - power_factor**2)
    ohms = z.resistance_ohm_per_kft * power_factor + z.reactance_ohm_per_kft * sine
    return (2.0 if phase == 1 else math.sqrt(3)) * length_ft / 1000 * ohms * amps


def drop_working(
    size: str, material: Material, metal: str, length_ft: float, amps: float, power_factor: float, phase: int
) -> str:
    """Return the sum behind a voltage drop, with its numbers put in."""
    z = conductor_ohms(size, material, metal)
    sine = math.sqrt(1 - power_factor**2)
    volts = drop_v(size, material, metal, length_ft, amps, power_factor, phase)
    return msg(
        "{phase} × {length_ft:g} ft × ({resistance_ohm_per_kft:g} × {power_factor:g} + "
        "{reactance_ohm_per_kft:g} × {sine:.3f}) Ω/1000 ft × {amps:.4g} A = "
        "{volts:.3g} V",
        phase="2" if phase == 1 else "√3",
        length_ft=length_ft,
        resistance_ohm_per_kft=z.resistance_ohm_per_kft,
        power_factor=power_factor,
        reactance_ohm_per_kft=z.reactance_ohm_per_kft,
        sine=sine,
        amps=amps,
        volts=volts,
    )
