"""Ampacity by insulation, ambient, bundling, roof and termination; the smallest conductor that carries it."""

from dataclasses import dataclass

from orange_crank.core.circuit.entry import CircuitIn
from orange_crank.core.errors import BeyondTable, FieldProblem, InputProblem
from orange_crank.core.plate.arithmetic import clause
from orange_crank.core.tables.code import (
    NEEDS_ENGINEER,
    Column,
    ambient_factor,
    ampacity_a,
    bundling_factor,
    sizes_of,
)

ROOFTOP_ADDER_F = 60.0
ROOFTOP_IN = {"2017": 0.875, "2020": 0.75, "2023": 0.75}
INSULATION_C: dict[str, Column] = {
    "THHN": 90, "THWN": 75, "THWN-2": 90, "XHHW": 90, "XHHW-2": 90, "NM-B": 90, "UF-B": 60,
}  # fmt: skip
DRY_ONLY = ("THHN", "NM-B")
CABLES = ("NM-B", "UF-B")


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


def conditions(entry: CircuitIn, overcurrent_a: float) -> Conditions:
    """Return the factors that bear on a circuit.

    Raises
    ------
    InputProblem : too hot for the insulation

    """
    column = INSULATION_C[entry.insulation]
    if entry.insulation == "XHHW" and entry.wet:
        column = 75
    termination: Column = (
        entry.termination_c if entry.termination_c is not None else (60 if overcurrent_a <= 100 else 75)
    )
    if entry.insulation in CABLES:
        termination = 60
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
                    field="ambient_f", wanted=f"cooler than {entry.insulation} bears", got=entry.ambient_f
                )
            ],
            next_step="Another insulation, or raise it off the roof.",
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
        f"{amps:g} A is above what the largest conductor of the table carries here.", next_step=NEEDS_ENGINEER
    )


def table_clause(edition: str) -> str:
    """Name the ampacity table by edition."""
    return f"NEC {edition} Table " + ("310.15(B)(16)" if edition == "2017" else "310.16")


def correction_clauses(edition: str, roof: bool) -> str:
    """Name the clauses of ambient, bundling and roof by edition."""
    if edition == "2017":
        numbers = "310.15(B)(2)(a), 310.15(B)(3)(a)" + (", 310.15(B)(3)(c)" if roof else "")
    else:
        numbers = "310.15(B)(1), 310.15(C)(1)" + (", 310.15(B)(2)" if roof else "")
    return f"NEC {edition} {numbers}"


__all__ = [
    "CABLES", "DRY_ONLY", "Conditions", "clause", "conditions", "corrected_a", "smallest_for", "table_clause",
    "usable_a",
]  # fmt: skip
