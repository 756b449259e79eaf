"""Heating elements: power at the volts there are, amps, and the ohms a person can measure."""

import math
from collections.abc import Sequence
from typing import Annotated, Literal

from pydantic import Field

from orange_crank.core.nomenclature import Frozen, Volts

Kilowatts = Annotated[float, Field(strict=True, gt=0, le=200, allow_inf_nan=False)]
StageSeconds = Annotated[float, Field(strict=True, ge=0, le=600, allow_inf_nan=False)]
Stage = Annotated[int, Field(strict=True, ge=1, le=8)]
USUAL_KW = 4.9
ONE_ELEMENT_KW = 6.0


class HeatKit(Frozen):
    """A kit as it is sold: so many kW in so many equal elements."""

    kw: Kilowatts = Field(description="Of the whole kit at its rated volts [kW]")
    rated_v: Volts
    elements: Annotated[int, Field(strict=True, ge=1, le=24)] | None = Field(
        default=None, description="Equal elements inside; one if left out"
    )
    connection: Literal["delta", "wye"] | None = Field(
        default=None, description="Three-phase: how its elements are joined"
    )
    stage: Stage | None = None
    on_after_s: StageSeconds | None = Field(default=None, description="Sequencer closes after [s]")

    @property
    def count(self) -> int:
        """How many elements are inside."""
        return self.elements or 1


class KitElements(Frozen):
    """The elements of one kit, at its rated volts unless said."""

    kit: int = Field(description="Which kit, by place")
    count: int
    each_kw: float
    each_a: float = Field(description="At the supply's volts; three-phase per line [A]")
    hot_ohm: float | None = Field(description="One element, hot; none where the connection is not said [Ω]")
    cold_ohm: float | None = Field(description="One element alone, cold and off its leads [Ω]")
    between_leads_ohm: float | None = Field(
        description="Three-phase: between any two leads of one group, cold; the same in delta and wye [Ω]"
    )


def kit_watts(kit: HeatKit, volts: float) -> float:
    """Return a kit's power at some volts [W]: it follows their square.

    >>> round(kit_watts(HeatKit(kw=10.0, rated_v=240.0), 208.0))
    7511
    """
    return 1000 * kit.kw * (volts / kit.rated_v) ** 2


def kit_amps(kit: HeatKit, volts: float, phase: int) -> float:
    """Return a kit's line amps at some volts [A]."""
    return kit_watts(kit, volts) / (volts * (math.sqrt(3) if phase == 3 else 1.0))


def line_amps(parts: Sequence[tuple[HeatKit, int]], volts: float, phase: int) -> float:
    """Return the amps in the fullest line of some elements of some kits [A].

    Notes
    -----
    Three-phase elements are joined line to line, spread as evenly as their number allows. Where three does
    not divide it the lines differ: with a and b elements on the two fullest pairs, the line they share
    carries √(a² + b² + a·b) times one element's amps. A kit whose elements were not entered is balanced.

    >>> round(line_amps([(HeatKit(kw=10.0, rated_v=240.0, elements=2), 2)], 240.0, 3), 2)
    36.08

    """
    if phase != 3:
        return sum(kit_amps(kit, volts, phase) / kit.count * n for kit, n in parts)
    balanced, alike = 0.0, dict[float, int]()
    for kit, n in parts:
        if kit.elements is None or kit.connection == "wye":
            balanced += kit_amps(kit, volts, phase) / kit.count * n
        else:
            one = round(kit_watts(kit, volts) / kit.count / volts, 6)
            alike[one] = alike.get(one, 0) + n
    return balanced + sum(one * _fullest(n) for one, n in alike.items())


def _fullest(count: int) -> float:
    """How many elements' amps the fullest of three lines carries."""
    each, rest = divmod(count, 3)
    a, b = each + (rest > 0), each + (rest > 1)
    return math.sqrt(a * a + b * b + a * b)


def usual_elements(kw: float) -> int:
    """Return how many elements a kit of so many kW usually has: of 4.8 or 5 kW each.

    >>> [usual_elements(kw) for kw in (5, 9.6, 14.4, 20)]
    [1, 2, 3, 4]
    """
    return max(1, round(kw / USUAL_KW))


def elements_of(index: int, kit: HeatKit, supply_v: float, phase: int, cold_ohms_pct: float) -> KitElements:
    """Return a kit's elements with their ohms.

    Notes
    -----
    Single-phase: R = V² ÷ P. Three-phase, a group of power P on line volts V: in wye each element is V² ÷ P
    and two of them lie between any two leads; in delta each is 3·V² ÷ P and two thirds of it lie between two
    leads. Both read 2·V² ÷ P there. Cold reads a few percent less than hot.

    """
    watts = 1000 * kit.kw / kit.count
    base = kit.rated_v**2 / watts
    cold = 1 - cold_ohms_pct / 100
    one: float | None = base
    between = None
    if phase == 3:
        between = 2 * base * cold
        one = {"wye": base, "delta": 3 * base, None: None}[kit.connection]
    return KitElements(
        kit=index,
        count=kit.count,
        each_kw=round(kit.kw / kit.count, 4),
        each_a=round(kit_amps(kit, supply_v, phase) / kit.count, 4),
        hot_ohm=None if one is None else round(one, 3),
        cold_ohm=None if one is None else round(one * cold, 3),
        between_leads_ohm=None if between is None else round(between, 3),
    )
