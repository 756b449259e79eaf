"""When a figure that wears leaves its limit: a drift with wander, seen through meters and people.

A figure drifts steadily and wanders beside it in small steps. The rate is not known: what parts of this kind
usually do is the prior, and each visit narrows it. Given a rate, the time until the limit is first passed is
inverse Gaussian; over all rates it is their mixture, from which the interval is read.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field
from scipy.linalg import cho_factor, cho_solve
from scipy.optimize import brentq
from scipy.special import log_ndtr, ndtr

from orange_crank.core.messages import MonthOf, Prose, msg
from orange_crank.core.nomenclature import Frozen, say

Array = NDArray[np.float64]
YEAR_DAYS = 365.25
LEAST_VISITS = 3  # never a forecast from two
MANY_VISITS = 6  # fewer are said to be few
FARTHEST_YEARS = 30.0
AT_LIMIT_DAYS = 30
TOLD_YEARS = 10.0  # beyond it a date is not told
_RATES = 72
_HALF_A_DAY = 0.5 / YEAR_DAYS
_UNLIKELY = 1e-5  # rates so much less likely than the likeliest are left out
_GAPS, _GAP_WEIGHTS = np.polynomial.hermite_e.hermegauss(9)
_ODD = 2.5  # standard deviations beyond which a reading counts for less


@dataclass(frozen=True)
class Wear:
    """How one figure wears, as a share of ``scale``; each value is an assumption with its reason.

    Parameters
    ----------
    sign : −1 where it falls towards its limit, +1 where it rises
    rate_per_year, rate_spread : median drift, and the standard deviation of its logarithm
    wander : of the figure itself, per root of a year
    meter, person : standard deviation of one reading, and of what one person's meter and hand add
    first, first_spread : the figure when it was first seen, where nothing is known

    """

    sign: int
    rate_per_year: float
    rate_spread: float
    wander: float
    meter: float
    person: float
    first: float
    first_spread: float
    reason: str


CAPACITOR = Wear(
    sign=-1,
    rate_per_year=0.008,
    rate_spread=0.55,
    wander=0.0025,
    meter=0.008,
    person=0.006,
    first=0.985,
    first_spread=0.06,
    reason=msg("Film capacitors lose 0.3 to 1.5 % a year, more in heat, in small steps; meters err by 1 %."),
)
CONTACT_DROP = Wear(
    sign=1,
    rate_per_year=0.06,
    rate_spread=1.0,
    wander=0.03,
    meter=0.02,
    person=0.02,
    first=0.15,
    first_spread=0.15,
    reason=msg("The drop of a contact grows with switchings, faster when it chatters, and steps with dust."),
)

CYCLES = Wear(
    sign=1,
    rate_per_year=0.008,
    rate_spread=0.9,
    wander=0.002,
    meter=0.0002,
    person=0.0,
    first=0.02,
    first_spread=0.3,
    reason=msg("Counted, not worn: starts a year differ by season, thermostat and charge."),
)
START_TIME = Wear(
    sign=1,
    rate_per_year=0.03,
    rate_spread=0.9,
    wander=0.035,
    meter=0.1,
    person=0.06,
    first=0.56,
    first_spread=0.18,
    reason=(
        msg(
            "Single starts vary about 20 % with the closing point; drag or a weak "
            "capacitor makes them longer."
        )
    ),
)


@dataclass(frozen=True)
class Seen:
    """A figure as it was read once."""

    value: float
    at: datetime
    person: str = ""
    plus_minus: float | None = None


class Forecast(Frozen):
    """When a figure is expected to pass its limit."""

    quantity: str
    title: Prose
    unit: str
    limit: float = Field(description="What it leaves, in its own unit")
    latest_value: float
    visits: int
    few: bool = Field(description="Whether so few visits speak that the interval is wide on purpose")
    rate_pct_per_year: float = Field(description="Most likely change, of its rated value [%/year]")
    state: Literal["passed", "due", "far"] = Field(
        description="passed: it is out now; due: within ten years; far: later than can be told"
    )
    at_limit: bool = Field(
        default=False, description="As likely as not past its limit now, though the last reading was not"
    )
    earliest: date | None = Field(description="One chance in twenty that it passes before")
    likely: date | None
    latest: date | None = Field(description="One chance in twenty that it holds longer; none where open")
    words: Prose
    reason: Prose


def forecast(
    seen: Sequence[Seen],
    *,
    wear: Wear,
    scale: float,
    limit: float,
    now: datetime,
    quantity: str = "",
    title: str = "It",
    unit: str = "",
    fitted_at: datetime | None = None,
) -> Forecast | None:
    """Return when a figure passes its limit, or None where too few visits speak.

    Parameters
    ----------
    seen : readings of the one part that is there, oldest first
    wear : how such a part wears
    scale : what is 1.0: the label, or the limit itself
    limit : what it passes
    now : when it is asked
    fitted_at : when the part was put in new, where that is on record

    Notes
    -----
    90 % interval. It speaks of leaving tolerance, never of sudden failure, which comes without warning.
    Visits on one day count once. A reading far off what the others make likely counts for less.

    References
    ----------
    Chhikara, Folks: The Inverse Gaussian Distribution (1989), first passage of Brownian motion with drift.

    """
    days = {s.at.date() for s in seen}
    if len(days) < LEAST_VISITS:
        return None
    last = seen[-1]
    gap_now = -wear.sign * (last.value - limit)
    common = {
        "quantity": quantity,
        "title": title,
        "unit": unit,
        "limit": limit,
        "latest_value": last.value,
        "visits": len(days),
        "few": len(days) < MANY_VISITS,
        "reason": wear.reason,
    }
    rates, weights, gaps, spread = _posterior(seen, wear, scale, limit, now, fitted_at)
    rate = float(np.sum(rates * weights))
    common["rate_pct_per_year"] = round(wear.sign * 100 * rate, 2)
    if gap_now <= 0:
        return Forecast(
            state="passed",
            earliest=None,
            likely=None,
            latest=None,
            words=msg("{title} is already past {figure}.", title=title, figure=_figure(limit, unit)),
            **common,
        )
    dates = [_date_at(q, rates, weights, gaps, spread, wear.wander, now) for q in (0.05, 0.5, 0.95)]
    likely = dates[1]
    if likely is None or (likely - now.date()).days > TOLD_YEARS * YEAR_DAYS:
        early = dates[0]
        words = (
            msg("{title}: not before {month} on these readings.", title=title, month=_month(early))
            if early is not None and (early - now.date()).days < TOLD_YEARS * YEAR_DAYS
            else msg("{title}: not within ten years on these readings.", title=title)
        )
        return Forecast(
            state="far", earliest=early, likely=None, latest=None, words=words + _few(common), **common
        )
    at_limit = (likely - now.date()).days < AT_LIMIT_DAYS
    words = (
        msg("{title} is at its limit of {figure} now.", title=title, figure=_figure(limit, unit))
        if at_limit
        else (
            msg(
                "{title} should reach {figure} {between}, most likely {month}.",
                title=title,
                figure=_figure(limit, unit),
                between=between(dates[0], dates[2]),
                month=_month(likely),
            )
        )
    )
    return Forecast(
        state="due",
        at_limit=at_limit,
        earliest=dates[0],
        likely=likely,
        latest=dates[2],
        words=words + _few(common),
        **common,
    )


def _figure(value: float, unit: str) -> str:
    return f"{value:,.0f} {unit}".strip() if value >= 10_000 else say(value, unit, 3)


def _few(common: dict[str, object]) -> str:
    return (
        msg(" Based on only {visits} visits: a rough estimate.", visits=common["visits"])
        if common["few"]
        else ""
    )


def between(early: date | None, late: date | None) -> str:
    """Write an interval as it is spoken: between March and October 2027."""
    if early is None:
        return msg("date unknown")
    if late is None:
        return msg("after {month}", month=_month(early))
    if (early.year, early.month) == (late.year, late.month):
        return msg("in {month}", month=_month(early))
    first = MonthOf(early, with_year=early.year != late.year)
    return msg("between {first} and {month}", first=first, month=_month(late))


def _month(day: date | None) -> MonthOf | str:
    return MonthOf(day) if day is not None else msg("later than we can predict")


def _posterior(
    seen: Sequence[Seen], wear: Wear, scale: float, limit: float, now: datetime, fitted_at: datetime | None
) -> tuple[Array, Array, Array, float]:
    """Return rates with their weights, and for each the distance to the limit now with its spread."""
    start = fitted_at or seen[0].at
    t = np.array([max(0.0, _years(start, s.at)) for s in seen])
    ahead = max(float(t[-1]), _years(start, now))
    y = wear.sign * np.array([s.value / scale for s in seen])
    people = np.array([s.person for s in seen])
    noise = np.array(
        [max(wear.meter / 2, s.plus_minus / scale / 2) if s.plus_minus else wear.meter for s in seen]
    )
    first, first_sd = (
        (1.0, 0.03) if fitted_at is not None and wear.sign < 0 else (wear.first, wear.first_spread)
    )
    rates = wear.rate_per_year * np.exp(wear.rate_spread * np.linspace(-3.2, 3.2, _RATES))
    prior = -0.5 * np.linspace(-3.2, 3.2, _RATES) ** 2
    model = first_sd**2 + wear.wander**2 * np.minimum.outer(t, t)
    model = model + wear.person**2 * (people[:, None] == people[None, :])
    across = first_sd**2 + wear.wander**2 * np.minimum(t, ahead)
    means = wear.sign * first + rates[:, None] * t[None, :]
    for _ in range(4):
        factor = cho_factor(model + np.diag(noise**2), lower=True)
        off = y[None, :] - means
        solved = cho_solve(factor, off.T)
        log_likely = -0.5 * np.einsum("kn,nk->k", off, solved) + prior
        weights = np.exp(log_likely - log_likely.max())
        weights /= weights.sum()
        # Each reading against what all the others make likely.
        inverse = cho_solve(factor, np.eye(len(t)))
        left_out = (weights @ solved.T) / np.diag(inverse)
        odd = np.abs(left_out) * np.sqrt(np.diag(inverse))
        if not np.any(odd > _ODD) or len(t) < 4:
            break
        noise = np.where(odd > _ODD, noise * odd / _ODD, noise)
    gain = cho_solve(factor, across)
    level = wear.sign * first + rates * ahead + (off @ gain)
    spread = float(np.sqrt(max(1e-12, first_sd**2 + wear.wander**2 * ahead - across @ gain)))
    return rates, weights, wear.sign * limit / scale - level, spread


def _date_at(
    share: float, rates: Array, weights: Array, gaps: Array, spread: float, wander: float, now: datetime
) -> date | None:
    """Return the day before which the limit is passed with a given probability; None beyond thirty years."""
    likely = weights > _UNLIKELY * weights.max()
    rates, gaps, weights = rates[likely], gaps[likely], weights[likely] / weights[likely].sum()

    def over(years: float) -> float:
        return _passed_by(years, rates, weights, gaps, spread, wander) - share

    if over(FARTHEST_YEARS) < 0:
        return None
    years = 0.0 if over(0.0) >= 0 else brentq(over, 0.0, FARTHEST_YEARS, xtol=_HALF_A_DAY)
    return (now + timedelta(days=years * YEAR_DAYS)).date()


def _passed_by(
    years: float, rates: Array, weights: Array, gaps: Array, spread: float, wander: float
) -> float:
    """Return the probability that the limit is passed within so many years."""
    t = max(years, 1e-9)
    d = gaps[:, None] + spread * _GAPS[None, :]
    r = rates[:, None]
    root = wander * np.sqrt(t)
    safe = np.maximum(d, 1e-9)
    chance = ndtr((r * t - safe) / root) + np.exp(
        np.minimum(0.0, 2 * r * safe / wander**2 + log_ndtr(-(r * t + safe) / root))
    )
    chance = np.where(d <= 0, 1.0, np.minimum(chance, 1.0))
    return float(weights @ (chance @ (_GAP_WEIGHTS / _GAP_WEIGHTS.sum())))


def _years(start: datetime, end: datetime) -> float:
    return (end - start).total_seconds() / 86_400 / YEAR_DAYS
