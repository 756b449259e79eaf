"""The logbook of one unit: what its visits say of it over the years, each part by itself."""

from collections.abc import Sequence
from datetime import datetime

from pydantic import Field

from orange_crank.core.call.changes import OWN_READINGS, PartKind
from orange_crank.core.call.facts import CallFacts
from orange_crank.core.call.visits import EarlierReading, Visit, same_part
from orange_crank.core.logbook.baseline import Baseline, Drawn, against_baseline, baseline
from orange_crank.core.logbook.switchings import Switchings, counted, switchings
from orange_crank.core.logbook.trend import TrendLine, trend
from orange_crank.core.logbook.wear import (
    CAPACITOR,
    CONTACT_DROP,
    CYCLES,
    START_TIME,
    Forecast,
    Seen,
    Wear,
    forecast,
)
from orange_crank.core.measure.capacitor import Capacitor, judge_capacitor
from orange_crank.core.measure.reading import QUANTITIES, Quantity
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Finding, Frozen
from orange_crank.core.plate import Plate
from orange_crank.core.tables.standards import Standards

# Amps read within so many minutes of a temperature belong to it.
TRENDS: tuple[Quantity, ...] = ("inrush_a", "start_time_s", "contactor_drop_v", "line_v_idle")


class Band(Frozen):
    """Between which figures a quantity is in tolerance on this unit."""

    quantity: Quantity
    low: float | None
    high: float | None


class Logbook(Frozen):
    """What a unit's visits say over the years."""

    forecasts: list[Forecast] = Field(description="Of parts that wear out and are replaced")
    slowing: Forecast | None = Field(
        description="When starts are expected to take longer than the shop's limit: a sign, not a part"
    )
    switchings: Switchings | None = Field(description="Starts a day, by an electronic contactor's count")
    baseline: Baseline | None
    latest_amps: Finding | None = Field(
        description="The last running amps against this unit's own line, drawn from the visits before"
    )
    trends: list[TrendLine]
    bands: list[Band]


def read_logbook(visits: Sequence[Visit], plate: Plate | None, limits: Standards, now: datetime) -> Logbook:
    """Return what a unit's visits say over the years, of the parts that are there now.

    Parameters
    ----------
    visits : calls on the unit in order, the present one last
    plate : as read; None where it is not
    limits : the shop's limits
    now : when it is asked

    """
    kept = same_part(visits)
    drawn = _drawn(kept)
    today = drawn[-1] if drawn else None
    past = [d for d in drawn if today is not None and d.at.date() < today.at.date()]
    line = baseline(past)
    return Logbook(
        forecasts=_forecasts(kept, visits, plate, limits, now),
        slowing=_slowing(kept, visits, limits, now),
        switchings=switchings(_seen(kept, "cycles_count")),
        baseline=baseline(drawn),
        latest_amps=against_baseline(line, today) if line is not None and today is not None else None,
        trends=[t for q in TRENDS if (t := _trend(kept, q)) is not None],
        bands=bands(plate, limits),
    )


def logbook_of_call(facts: CallFacts, limits: Standards, now: datetime) -> Logbook:
    """Return the logbook of a call's unit, the call itself included, as far as it knew."""
    return read_logbook([*facts.visits, _visit_of(facts)], facts.plate, limits, now)


def _visit_of(facts: CallFacts) -> Visit:
    readings = [
        EarlierReading(
            r.entry.quantity,
            r.figure,
            r.taken_at,
            r.place,
            r.entry.plus_minus,
            r.entry.outdoor_f,
            r.entry.volts,
            r.person,
            r.entry.seconds,
        )
        for r in facts.readings
        if r.trouble is None and r.figure is not None
    ]
    return Visit(0, readings, list(facts.changes))


def bands(plate: Plate | None, limits: Standards) -> list[Band]:
    """Return the tolerance bands of this unit's figures, by the rules that judge its readings."""
    found = []
    for quantity, label in _labels(plate):
        low, high = capacitor_band(label, limits)
        found.append(Band(quantity=quantity, low=low, high=high))
    if plate is not None:
        off = limits.supply_tolerance_pct / 100
        found.append(Band(quantity="line_v_idle", low=plate.volts * (1 - off), high=plate.volts * (1 + off)))
    found.append(Band(quantity="contactor_drop_v", low=None, high=limits.contactor_drop_replace_v))
    found.append(Band(quantity="start_time_s", low=None, high=limits.start_seconds))
    return found


def capacitor_band(label_uf: float, limits: Standards) -> tuple[float, float]:
    """Return between which values a run capacitor of a label is in tolerance [µF]."""
    judged = judge_capacitor(Capacitor(label_uf=label_uf, measured_uf=label_uf), limits)
    return judged.low_uf, judged.high_uf


def _labels(plate: Plate | None) -> list[tuple[Quantity, float]]:
    if plate is None:
        return []
    both: list[tuple[Quantity, float | None]] = [
        ("run_cap_uf", plate.run_cap_uf),
        ("fan_cap_uf", plate.fan_cap_uf),
    ]
    return [(q, uf) for q, uf in both if uf is not None]


def _forecasts(
    kept: Sequence[EarlierReading],
    visits: Sequence[Visit],
    plate: Plate | None,
    limits: Standards,
    now: datetime,
) -> list[Forecast]:
    found: list[Forecast | None] = []
    for quantity, plate_uf in _labels(plate):
        # The label of the can that is there outranks the plate where both were read.
        labels = [r.value for r in kept if r.quantity == "can_label_uf"]
        label = labels[-1] if labels and quantity == "run_cap_uf" else plate_uf
        low, _ = capacitor_band(label, limits)
        found.append(_forecast(kept, visits, quantity, CAPACITOR, label, low, now))
    replace_v = limits.contactor_drop_replace_v
    found.append(_forecast(kept, visits, "contactor_drop_v", CONTACT_DROP, replace_v, replace_v, now))
    life = limits.contactor_life_count
    found.append(_forecast(kept, visits, "cycles_count", CYCLES, life, life, now))
    return [f for f in found if f is not None]


# A start is another start once one of these was changed.
_OF_A_START: frozenset[PartKind] = frozenset(
    {"compressor", "run_capacitor", "dual_capacitor", "start_kit", "soft_starter", "contactor", "supply"}
)


def _slowing(
    kept: Sequence[EarlierReading], visits: Sequence[Visit], limits: Standards, now: datetime
) -> Forecast | None:
    """Return when starts pass the shop's limit, by those since what makes a start was last changed."""
    changed = [c.made_at for v in visits for c in v.changes if c.part in _OF_A_START]
    since = max(changed, default=None)
    seen = [
        Seen(seconds, r.taken_at, r.person, r.plus_minus if r.quantity == "start_time_s" else None)
        for r in sorted(kept, key=lambda r: r.taken_at)
        if (seconds := r.value if r.quantity == "start_time_s" else _seconds(r)) is not None
        and seconds > 0
        and (since is None or r.taken_at > since)
    ]
    limit = limits.start_seconds
    return forecast(
        seen,
        wear=START_TIME,
        scale=limit,
        limit=limit,
        now=now,
        quantity="start_time_s",
        title=msg("Start time"),
        unit="s",
    )


def _seconds(r: EarlierReading) -> float | None:
    return r.seconds if r.quantity == "inrush_a" else None


def _forecast(
    kept: Sequence[EarlierReading],
    visits: Sequence[Visit],
    quantity: Quantity,
    wear: Wear,
    scale: float,
    limit: float,
    now: datetime,
) -> Forecast | None:
    note = QUANTITIES[quantity]
    titles = {
        "run_cap_uf": msg("Run capacitor"),
        "fan_cap_uf": msg("Fan capacitor"),
        "cycles_count": "Contactor",
    }
    title = titles.get(quantity, msg("Contactor drop"))
    seen = _seen(kept, quantity)
    return forecast(
        counted(seen) if quantity == "cycles_count" else seen,
        wear=wear,
        scale=scale,
        limit=limit,
        now=now,
        quantity=quantity,
        title=title,
        unit=note.unit,
        fitted_at=_fitted_at(visits, quantity),
    )


def _fitted_at(visits: Sequence[Visit], quantity: Quantity) -> datetime | None:
    """Return when the part a quantity speaks of was put in, where that is on record."""
    for visit in reversed(visits):
        for change in reversed(visit.changes):
            if change.part is not None and quantity in OWN_READINGS.get(change.part, frozenset()):
                return change.made_at
    return None


def _seen(kept: Sequence[EarlierReading], quantity: Quantity) -> list[Seen]:
    return [
        Seen(r.value, r.taken_at, r.person, r.plus_minus)
        for r in sorted(kept, key=lambda r: r.taken_at)
        if r.quantity == quantity and r.value > 0
    ]


def _trend(kept: Sequence[EarlierReading], quantity: Quantity) -> TrendLine | None:
    note = QUANTITIES[quantity]
    return trend(_seen(kept, quantity), quantity, note.label, note.unit)


def _drawn(kept: Sequence[EarlierReading]) -> list[Drawn]:
    """Return running amps with the outdoor temperature they were read at, or the same day's."""
    by_day = {r.taken_at.date(): r.value for r in kept if r.quantity == "outdoor_f"}
    found = []
    for r in sorted(kept, key=lambda r: r.taken_at):
        outdoor = r.outdoor_f if r.outdoor_f is not None else by_day.get(r.taken_at.date())
        if r.quantity == "running_a" and r.value > 0 and outdoor is not None:
            found.append(Drawn(r.value, outdoor, r.line_v, r.taken_at))
    return found
