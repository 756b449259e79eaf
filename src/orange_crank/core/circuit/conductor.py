"""Ampacity by insulation, ambient, bundling, roof and termination; the smallest conductor that carries it."""

from dataclasses import dataclass

from orange_crank.core.circuit.entry import CircuitIn
from orange_crank.core.errors import BeyondTable, FieldProblem, InputProblem
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import temperature
from orange_crank.core.tables import overcurrent_at_least
from orange_crank.core.tables.code import (
    NEEDS_ENGINEER,
    Column,
    ambient_factor,
    ampacity_a,
    bundling_factor,
    sizes_of,
    small_conductor_limit_a,
)

ROOFTOP_ADDER_F = 60.0
ROOFTOP_IN = {"2017": 0.875, "2020": 0.75, "2023": 0.75}
INSULATION_C: dict[str, Column] = {
    "THHN": 90, "THWN": 75, "THWN-2": 90, "XHHW": 90, "XHHW-2": 90, "NM-B": 90, "UF-B": 60,
}  # fmt: skip
DRY_ONLY = ("THHN", "NM-B")
CABLES = ("NM-B", "UF-B")
BOTH_ENDS = 2


@dataclass(frozen=True)
class Conditions:
    """What lowers a conductor's ampacity here."""

    column_c: Column
    termination_c: Column
    ambient_f: float
    roof_adder_f: float
    ambient: float
    bundling: float
    conductors: int


def termination_c(entry: CircuitIn, lawful_a: float) -> Column:
    """Return the column of the terminals: by their marks, else by the device the circuit may lawfully have.

    Notes
    -----
    One lug marked 60 °C holds the whole circuit to it; all marked 75 °C, at both ends, allow it. Unmarked:
    60 °C up to 100 A, 75 °C above.

    References
    ----------
    NEC 110.14(C)(1); 334.80 and 340.80 for NM and UF cable.

    """
    marks = [lug.marked_c for lug in entry.lugs]
    if entry.insulation in CABLES or 60 in marks:
        return 60
    if entry.termination_c is not None:
        return entry.termination_c
    if len(marks) >= BOTH_ENDS and all(m == 75 for m in marks):
        return 75
    return 60 if lawful_a <= 100 else 75


def conditions(entry: CircuitIn, lawful_a: float) -> Conditions:
    """Return the factors that bear on a circuit whose lawful device is so large [A].

    Raises
    ------
    InputProblem : too hot for the insulation

    """
    column = INSULATION_C[entry.insulation]
    if entry.insulation == "XHHW" and entry.is_wet:
        column = 75
    termination = termination_c(entry, lawful_a)
    adder = 0.0
    if (
        entry.rooftop_clearance_in is not None
        and entry.rooftop_clearance_in < ROOFTOP_IN[entry.edition]
        and entry.insulation != "XHHW-2"
    ):
        adder = ROOFTOP_ADDER_F
    air = entry.ambient_f + adder
    factor = ambient_factor(air, column)
    if factor is None:
        raise InputProblem(
            [
                FieldProblem(
                    field="ambient_f",
                    wanted=msg(
                        "cooler: {insulation} carries nothing at {air}",
                        insulation=entry.insulation,
                        air=temperature(air),
                    ),
                    got=entry.ambient_f,
                )
            ],
            next_step=msg(
                "Take an insulation for 90 °C (THWN-2, XHHW-2), or raise the raceway off the roof."
            ),
        )
    own = 3 if entry.phase == 3 else 2
    count = entry.current_carrying_conductors or own
    return Conditions(column, termination, entry.ambient_f, adder, factor, bundling_factor(count), count)


def corrected_a(size: str, entry: CircuitIn, c: Conditions) -> float:
    """Return a conductor's ampacity after ambient and bundling, at its insulation's column [A]."""
    return ampacity_a(size, entry.material, c.column_c) * c.ambient * c.bundling


def usable_a(size: str, entry: CircuitIn, c: Conditions) -> float:
    """Return what a conductor may carry here: the lesser of corrected and termination ampacity [A]."""
    return min(corrected_a(size, entry, c), ampacity_a(size, entry.material, c.termination_c))


def smallest_for(amps: float, entry: CircuitIn, c: Conditions) -> str:
    """Return the smallest conductor that may carry so much.

    Raises
    ------
    BeyondTable : more than the largest carries

    """
    for size in sizes_of(entry.material):
        if usable_a(size, entry, c) >= amps - 1e-9:
            return size
    raise BeyondTable(
        msg("{amps:g} A is above what the largest conductor of the table carries here.", amps=amps),
        next_step=NEEDS_ENGINEER,
    )


def protected(size: str, device_a: float, entry: CircuitIn, c: Conditions) -> bool:
    """Whether a device protects a conductor by itself: the next size up at most, and the small-wire limits.

    References
    ----------
    NEC 240.4(B), 240.4(D).

    """
    small = small_conductor_limit_a(size, entry.material)
    return device_a <= overcurrent_at_least(usable_a(size, entry, c)) and (small is None or device_a <= small)


def smallest_protected(amps: float, device_a: float, entry: CircuitIn, c: Conditions) -> str:
    """Return the smallest conductor that carries so much and that a device protects by itself.

    Raises
    ------
    BeyondTable : none of the table does

    """
    for size in sizes_of(entry.material):
        if usable_a(size, entry, c) >= amps - 1e-9 and protected(size, device_a, entry, c):
            return size
    raise BeyondTable(
        msg("{amps:g} A is above what the largest conductor of the table carries here.", amps=amps),
        next_step=NEEDS_ENGINEER,
    )


def table_clause(edition: str) -> str:
    """Name the ampacity table by edition."""
    return msg("NEC {edition} Table ", edition=edition) + ("310.15(B)(16)" if edition == "2017" else "310.16")


def correction_clauses(edition: str, roof: bool) -> str:
    """Name the clauses of ambient, bundling and roof by edition."""
    if edition == "2017":
        numbers = "310.15(B)(2)(a), 310.15(B)(3)(a)" + (", 310.15(B)(3)(c)" if roof else "")
    else:
        numbers = "310.15(B)(1), 310.15(C)(1)" + (", 310.15(B)(2)" if roof else "")
    return msg("NEC {edition} {numbers}", edition=edition, numbers=numbers)


__all__ = [
    "CABLES", "DRY_ONLY", "Conditions", "conditions", "corrected_a", "protected", "smallest_for",
    "smallest_protected", "table_clause", "usable_a",
]  # fmt: skip
