"""Which unit fails next, and what that would cost: the fleet in order of what waiting risks."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from pydantic import Field

from orange_crank.core.logbook.wear import YEAR_DAYS, Forecast
from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.tables.standards import Standards

SUMMER = range(5, 10)  # May to September: when a failure is an emergency
AHEAD_MONTH = 5  # what is due in the season is seen to in May


@dataclass(frozen=True)
class UnitAhead:
    """One unit with what its logbook expects."""

    unit_id: int
    unit: str
    site: str
    forecasts: Sequence[Forecast]
    age_years: int | None
    last_visit: date | None
    open_tasks: int = 0


class FleetLine(Frozen):
    """One unit of the fleet, with what is expected of it next."""

    unit_id: int
    unit: str
    site: str
    what: str = Field(description="What is expected to fail next; empty where nothing can be told")
    likely: date | None
    earliest: date | None
    see_to_by: date | None = Field(description="When to see to it: before the season it would fail in")
    chance_pct: float = Field(description="Chance that it passes its limit within a year [%]")
    breakdown_cost: float = Field(description="Of one breakdown then, in the shop's currency")
    at_risk: float = Field(description="Chance within a year times what a breakdown would cost")
    age_years: int | None
    last_visit: date | None
    open_tasks: int
    words: Prose


def fleet_lines(units: Sequence[UnitAhead], limits: Standards, today: date) -> list[FleetLine]:
    """Return the fleet in order of what waiting risks, units nothing can be told of last.

    Notes
    -----
    A breakdown in summer costs ``summer_cost_factor`` times one in winter: an emergency visit, and a house
    without cooling. The chance within a year is read off the forecast's interval.

    """
    lines = [_line(u, limits, today) for u in units]
    far = date.max
    return sorted(lines, key=lambda line: (-line.at_risk, line.likely or far, line.site, line.unit))


def _line(u: UnitAhead, limits: Standards, today: date) -> FleetLine:
    dated = [f for f in u.forecasts if f.state in ("passed", "due")]
    first = min(dated, key=lambda f: f.likely or today, default=None)
    when = (first.likely or today) if first is not None else None
    chance = max((chance_within(f, today, 1.0) for f in u.forecasts), default=0.0)
    cost = breakdown_cost(when, limits)
    return FleetLine(
        unit_id=u.unit_id,
        unit=u.unit,
        site=u.site,
        what=first.title if first is not None else "",
        likely=when,
        earliest=first.earliest if first is not None else None,
        see_to_by=see_to_by(first, today) if first is not None else None,
        chance_pct=round(100 * chance, 1),
        breakdown_cost=round(cost, 2),
        at_risk=round(chance * cost, 2),
        age_years=u.age_years,
        last_visit=u.last_visit,
        open_tasks=u.open_tasks,
        words=first.words if first is not None else msg("No forecast yet. It needs three visits."),
    )


def chance_within(f: Forecast, today: date, years: float) -> float:
    """Return the chance that a forecast's limit is passed within some years, from its three dates."""
    if f.state == "passed":
        return 1.0
    ahead = today + timedelta(days=years * YEAR_DAYS)
    known = [(d, p) for d, p in ((f.earliest, 0.05), (f.likely, 0.5), (f.latest, 0.95)) if d is not None]
    below = [(d, p) for d, p in known if d <= ahead]
    above = [(d, p) for d, p in known if d > ahead]
    if not above:
        return below[-1][1] if below else 0.02
    d1, p1 = below[-1] if below else (today, 0.0)
    d0, p0 = above[0]
    share = (ahead - d1).days / max(1, (d0 - d1).days)
    return p1 + (p0 - p1) * min(1.0, max(0.0, share))


def see_to_by(f: Forecast, today: date) -> date | None:
    """Return when to see to a part: by its earliest likely date, and before the season it would fail in."""
    if f.state == "passed":
        return today
    when = f.earliest or f.likely
    if when is None or f.likely is None:
        return None
    # Halfway from the earliest to the likely date: late enough to use the part, early enough to be sure.
    when = when + (f.likely - when) / 2
    if when.month in SUMMER:
        when = date(when.year, AHEAD_MONTH, 1)
    elif when.month > max(SUMMER):
        when = min(when, date(when.year + 1, AHEAD_MONTH, 1))
    return max(today, when)


def breakdown_cost(when: date | None, limits: Standards) -> float:
    """Return what a breakdown costs the customer, weighted by the season it would come in."""
    base = limits.labor_rate_per_hour * limits.breakdown_hours
    return base * (limits.summer_cost_factor if when is not None and when.month in SUMMER else 1.0)
