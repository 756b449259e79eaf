"""Tables of facts and of judgement, as data with their sources beside them.

Standard sizes are chosen, never interpolated; above the largest is an error, not a guess.
"""

import csv
import json
from bisect import bisect_left, bisect_right
from collections.abc import Mapping
from functools import cache
from importlib.resources import files

from pydantic import Field

from orange_crank.core.errors import BeyondTable, FieldProblem, InputProblem
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen


class TableSource(Frozen):
    """Where a table comes from."""

    title: str
    source: str
    units: dict[str, str]
    note: str


@cache
def sources() -> Mapping[str, TableSource]:
    """Return the source note of every table, by table name."""
    text = (files(__package__) / "sources.json").read_text("utf-8")
    return {name: TableSource(**row) for name, row in json.loads(text).items()}


@cache
def rows(table: str) -> tuple[dict[str, str], ...]:
    """Return the rows of a table as printed in its file."""
    text = (files(__package__) / f"{table}.csv").read_text("utf-8")
    return tuple(csv.DictReader(text.splitlines()))


class StandardRating(Frozen):
    """A standard rating of breakers or fuses."""

    rating_a: int
    fuse: bool = Field(description="A standard fuse")
    breaker_from: str | None = Field(description="First edition in which it is a standard breaker")


@cache
def standard_ratings() -> tuple[StandardRating, ...]:
    """Return every standard rating, ascending."""
    return tuple(
        StandardRating(
            rating_a=int(r["rating_a"]), fuse="fuse" in r["kind"], breaker_from=r["breaker_from"] or None
        )
        for r in rows("overcurrent_sizes")
    )


LEAST_COMPUTED_A = 15


@cache
def overcurrent_sizes_a() -> tuple[int, ...]:
    """Return the standard ratings of breakers and fuses from 15 A [A], ascending."""
    return tuple(r.rating_a for r in standard_ratings() if r.rating_a >= LEAST_COMPUTED_A)


def is_standard(rating_a: float) -> bool:
    """Return whether a fuse or a breaker of that rating is standard in any edition."""
    return any(r.rating_a == rating_a for r in standard_ratings())


def standard_breaker(rating_a: float, edition: str) -> bool:
    """Return whether a breaker of that rating is standard in an edition.

    >>> standard_breaker(10, "2020"), standard_breaker(10, "2023")
    (False, True)

    References
    ----------
    NEC 240.6(A).

    """
    return any(
        r.rating_a == rating_a and r.breaker_from is not None and r.breaker_from <= edition
        for r in standard_ratings()
    )


def _beyond_ratings(amps: float) -> BeyondTable:
    return BeyondTable(
        msg(
            "{amps:g} A is above the largest standard breaker, {overcurrent_sizes_a} A.",
            amps=amps,
            overcurrent_sizes_a=overcurrent_sizes_a()[-1],
        ),
        next_step=msg("Get an engineer: this circuit is too large for these tables."),
    )


def overcurrent_at_most(limit_a: float) -> int:
    """Return the largest standard overcurrent device not above ``limit_a`` [A], where it is computed.

    A computed branch circuit for cooling equipment is never put under 15 A.

    >>> overcurrent_at_most(44.9)
    40
    >>> overcurrent_at_most(9.0)
    15

    References
    ----------
    NEC 240.6(A); 440.22(A).

    """
    sizes = overcurrent_sizes_a()
    if limit_a > sizes[-1]:
        raise _beyond_ratings(limit_a)
    return sizes[max(bisect_right(sizes, limit_a + 1e-9) - 1, 0)]


def overcurrent_within(maximum_a: float) -> int:
    """Return the largest standard overcurrent device a plate's maximum allows [A]: never one above it.

    >>> overcurrent_within(44.9), overcurrent_within(12.0)
    (40, 10)

    Raises
    ------
    InputProblem : a maximum below the smallest standard fuse

    References
    ----------
    NEC 240.6(A); 440.4(B).

    """
    if maximum_a >= LEAST_COMPUTED_A:
        return overcurrent_at_most(maximum_a)
    sizes = [r.rating_a for r in standard_ratings() if r.rating_a <= maximum_a + 1e-9]
    if not sizes:
        raise InputProblem(
            [
                FieldProblem(
                    field="mocp_a", wanted=msg("1 A or more: no standard fuse is smaller"), got=maximum_a
                )
            ],
            next_step=msg("Read the maximum fuse or breaker on the nameplate again."),
        )
    return sizes[-1]


def overcurrent_at_least(floor_a: float) -> int:
    """Return the smallest standard overcurrent device not below ``floor_a``, from 15 A [A].

    >>> overcurrent_at_least(41)
    45

    References
    ----------
    NEC 240.6(A).

    """
    sizes = overcurrent_sizes_a()
    place = bisect_left(sizes, floor_a - 1e-9)
    if place == len(sizes):
        raise _beyond_ratings(floor_a)
    return sizes[place]


@cache
def nominal_volts(phase: int) -> tuple[float, ...]:
    """Return the voltages found on nameplates of that phase [V]."""
    return tuple(float(row["volts"]) for row in rows("nominal_volts") if int(row["phase"]) == phase)


class ConductorOhms(Frozen):
    """Resistance and reactance of one conductor size [Ω per 1000 ft] at 75 °C."""

    size: str
    area_kcmil: float
    resistance_ohm_per_kft: float
    reactance_ohm_per_kft: float


@cache
def conductor_sizes() -> tuple[str, ...]:
    """Return the conductor sizes of the table, smallest first."""
    return tuple(row["size"] for row in rows("conductor_ohms"))


@cache
def conductor_ohms(size: str, material: str = "copper", raceway_metal: str = "pvc") -> ConductorOhms:
    """Return the alternating-current resistance and reactance of a conductor.

    Parameters
    ----------
    size : "14" … "1", "1/0" … "500"
    material : copper or aluminum
    raceway_metal : pvc, steel or aluminum

    References
    ----------
    NEC Chapter 9, Table 9.

    >>> conductor_ohms("10").resistance_ohm_per_kft
    1.2

    """
    row = next((r for r in rows("conductor_ohms") if r["size"] == size), None)
    if row is None:
        wanted = msg("one of ") + ", ".join(conductor_sizes())
        raise InputProblem([FieldProblem(field="conductor_awg", wanted=wanted, got=size)])
    metal = "cu" if material == "copper" else "al"
    resistance = row[f"r_{metal}_{raceway_metal}_ohm_per_kft"]
    if not resistance:
        raise InputProblem(
            [FieldProblem(field="conductor_awg", wanted=msg("12 AWG or larger in aluminum"), got=size)]
        )
    reactance = row["x_steel_ohm_per_kft" if raceway_metal == "steel" else "x_pvc_ohm_per_kft"]
    return ConductorOhms(
        size=size,
        area_kcmil=float(row["area_kcmil"]),
        resistance_ohm_per_kft=float(resistance),
        reactance_ohm_per_kft=float(reactance),
    )


def cord_ampacity_a(size: str) -> float | None:
    """Return what a flexible cord with two current-carrying conductors carries [A], None beyond the table.

    References
    ----------
    NEC Table 400.5(A)(1), column B.

    >>> cord_ampacity_a("10")
    30.0

    """
    row = next((r for r in rows("cord_ampacity") if r["size"] == size), None)
    return float(row["two_a"]) if row is not None else None


class StartCapacitorRange(Frozen):
    """A standard start capacitor: its capacitance may lie anywhere in the range."""

    low_uf: float
    high_uf: float


@cache
def start_capacitor_ranges() -> tuple[StartCapacitorRange, ...]:
    """Return the standard start capacitors, smallest first."""
    return tuple(
        StartCapacitorRange(low_uf=float(r["low_uf"]), high_uf=float(r["high_uf"]))
        for r in rows("start_capacitors")
    )


class RelayClass(Frozen):
    """A potential relay: its pick-up lies anywhere between low and high."""

    pickup_low_v: float
    pickup_high_v: float
    dropout_high_v: float = Field(description="It has let go below this at the latest [V]")
    continuous_v: float = Field(description="What its coil bears for good [V]")


@cache
def relay_classes() -> tuple[RelayClass, ...]:
    """Return the relay classes, lowest pick-up first."""
    return tuple(
        RelayClass.model_validate({name: float(value) for name, value in r.items()})
        for r in rows("relay_classes")
    )
