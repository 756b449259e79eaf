"""Simulated histories of a unit: what time does to it, seen through changing meters and hands; seeded.

Rates are drawn as ``handbook`` of wear tells them: film capacitors 0.3 to 1.5 % a year, doubled for every
10 °C hotter, in small self-healing steps; contacts by switchings, with steps of dust; running amps by outdoor
temperature and volts, with dirt and scatter. The forecaster is never told the truth it is scored against.
"""

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

import numpy as np

from orange_crank.core.logbook.baseline import Drawn
from orange_crank.core.logbook.wear import YEAR_DAYS, Seen

START = datetime(2015, 5, 12, 15, 0, tzinfo=UTC)


@dataclass(frozen=True)
class CapacitorHistory:
    """Yearly readings of one run capacitor up to today, and the day it truly leaves its tolerance."""

    label_uf: float
    low_uf: float
    seen: list[Seen]
    now: datetime
    leaves_at: datetime | None


def capacitor_history(seed: int, visits: int = 6) -> CapacitorHistory:
    """Return the history of one run capacitor, yearly visits with a month's slack."""
    rng = np.random.default_rng(seed)
    label = float(rng.choice([25, 30, 35, 40, 45, 50, 55, 60, 70, 80]))
    low = label * 0.94
    rate = rng.uniform(0.003, 0.015) * 2 ** (rng.normal(0, 5) / 10)
    true = label * (1 + rng.normal(0.0, 0.015))
    step_days, horizon = 30, int(40 * YEAR_DAYS)
    values = [true]
    for _ in range(horizon // step_days):
        # Self-healing: small steps, now and then a larger one after a hot spell.
        fall = label * rate * step_days / YEAR_DAYS
        values.append(values[-1] - float(rng.gamma(0.6, fall / 0.6)))
    days = np.arange(len(values)) * step_days
    leaves = next((float(d) for d, v in zip(days, values, strict=True) if v < low), None)
    first = rng.uniform(0.2, 4.0) * YEAR_DAYS
    people = rng.choice(["A", "B", "C"], size=visits, p=[0.5, 0.35, 0.15])
    bias = {p: rng.normal(0, 0.006) for p in "ABC"}
    meter = rng.uniform(0.004, 0.01)
    seen = []
    for k in range(visits):
        day = first + k * YEAR_DAYS + rng.normal(0, 25)
        value = float(np.interp(day, days, values))
        read = value * (1 + bias[str(people[k])] + rng.normal(0, meter))
        if rng.random() < 0.02:
            read *= 1 + rng.normal(0, 0.05)  # a lead left on, a wrong section
        at = START + timedelta(days=float(day))
        seen.append(Seen(round(read, 1), at, str(people[k])))
    return CapacitorHistory(
        label_uf=label,
        low_uf=low,
        seen=seen,
        now=seen[-1].at,
        leaves_at=START + timedelta(days=leaves) if leaves is not None else None,
    )


@dataclass(frozen=True)
class StartHistory:
    """Yearly start times of one unit up to today, and the day its mean start truly passes the limit."""

    limit_s: float
    seen: list[Seen]
    now: datetime
    passes_at: datetime | None


def start_history(seed: int, visits: int = 6, limit_s: float = 0.5) -> StartHistory:
    """Return a unit whose drag grows: one start scatters by a fifth from the instant of closing alone."""
    rng = np.random.default_rng(seed)
    first, rate = float(rng.uniform(0.15, 0.42)), 0.015 * float(np.exp(rng.normal(0, 0.9)))
    days = np.arange(0, int(40 * YEAR_DAYS), 30)
    steps = rng.normal(0, 0.018 * np.sqrt(30 / YEAR_DAYS), len(days))
    true = first + rate * days / YEAR_DAYS + np.cumsum(steps)
    over = np.flatnonzero(true > limit_s)
    people = rng.choice(["A", "B", "C"], size=visits, p=[0.5, 0.35, 0.15])
    hand = {p: float(rng.normal(0, 0.03)) for p in "ABC"}
    seen = []
    for k in range(visits):
        day = (0.5 + k) * YEAR_DAYS + float(rng.normal(0, 25))
        mean = float(np.interp(day, days, true))
        read = mean * (1 + float(rng.uniform(-0.2, 0.2))) + hand[str(people[k])] + float(rng.normal(0, 0.04))
        seen.append(Seen(round(max(0.03, read), 2), START + timedelta(days=day), str(people[k])))
    return StartHistory(
        limit_s=limit_s,
        seen=seen,
        now=seen[-1].at,
        passes_at=START + timedelta(days=float(days[over[0]])) if len(over) else None,
    )


def amps_history(seed: int, visits: int = 6) -> tuple[list[Drawn], float, float]:
    """Return a unit's running amps over the visits, its true amps at 95 °F, and its true rise per °F."""
    rng = np.random.default_rng(seed)
    level, rise = float(rng.uniform(6, 30)), float(rng.uniform(0.007, 0.012))
    drawn = []
    for k in range(visits):
        outdoor = float(rng.uniform(70, 108))
        volts = float(rng.normal(236, 4))
        dirt = float(rng.uniform(5, 20)) if rng.random() < 0.12 else 0.0
        amps = level * np.exp(rise * (outdoor + dirt - 95) - 0.5 * np.log(volts / 236) + rng.normal(0, 0.025))
        at = START + timedelta(days=k * YEAR_DAYS + float(rng.normal(0, 40)))
        drawn.append(Drawn(round(float(amps), 1), round(outdoor), round(volts), at))
    return drawn, level, rise
