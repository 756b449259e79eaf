"""Heat measured while it runs: how many elements work, and the air that carries it away."""

import math
from dataclasses import dataclass
from itertools import product

from orange_crank.core.heat.elements import kit_amps
from orange_crank.core.heat.entry import HeatIn
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Finding, Verdict, apart
from orange_crank.core.tables.standards import Standards

BTU_PER_WH, AIR = 3.412, 1.08
LAPSE, LAPSE_POWER = 6.8754e-6, 5.2559
MOST_COMBINATIONS = 20_000


def air_density_ratio(altitude_ft: float) -> float:
    """Return the density of air at a height over that at sea level (standard atmosphere)."""
    return math.pow(max(0.0, 1 - LAPSE * altitude_ft), LAPSE_POWER)


def airflow_cfm(watts: float, delta_t_f: float, altitude_ft: float = 0.0) -> float:
    """Return the airflow that carries so much heat away [ft³/min].

    >>> round(airflow_cfm(9600.0, 30.0))
    1011
    """
    return BTU_PER_WH * watts / (AIR * air_density_ratio(altitude_ft) * delta_t_f)


@dataclass(frozen=True)
class Checked:
    """What the readings say."""

    called: int
    working: int
    expected_a: float
    airflow_cfm: float | None


def stages_called(entry: HeatIn) -> set[int]:
    """Return the stages that are called; all where nobody said."""
    stages = {k.stage or 1 for k in entry.kits}
    said = entry.measured.stages_called if entry.measured else None
    if said is None:
        return stages
    return {s for s in stages if s <= said} if isinstance(said, int) else stages & set(said)


def check(entry: HeatIn) -> Checked | None:
    """Return how many of the called elements seem to heat, and the airflow; None without readings."""
    m = entry.measured
    if m is None:
        return None
    called = stages_called(entry)
    each: dict[float, int] = {}
    for k in entry.kits:
        if (k.stage or 1) in called:
            amps = round(kit_amps(k, m.volts, entry.phase) / k.count, 6)
            each[amps] = each.get(amps, 0) + k.count
    heater = m.amps - entry.blower_fla_a
    flow = None
    if m.delta_t_f is not None:
        watts = m.volts * m.amps * (math.sqrt(3) if entry.phase == 3 else 1.0)
        flow = airflow_cfm(watts, m.delta_t_f, m.altitude_ft or 0.0)
    return Checked(
        called=sum(each.values()),
        working=_nearest(each, heater),
        expected_a=sum(a * n for a, n in each.items()) + entry.blower_fla_a,
        airflow_cfm=flow,
    )


def _nearest(each: dict[float, int], heater_a: float) -> int:
    """Return how many elements come nearest to some amps; the more of two that come as near."""
    if math.prod(n + 1 for n in each.values()) <= MOST_COMBINATIONS:
        ways = list(product(*(range(n + 1) for n in each.values())))
    else:
        flat = [i for i, n in enumerate(each.values()) for _ in range(n)]
        ways = [tuple(flat[:k].count(i) for i in range(len(each))) for k in range(len(flat) + 1)]
    best = min(
        ways,
        key=lambda way: (abs(sum(a * n for a, n in zip(each, way, strict=True)) - heater_a), -sum(way)),
    )
    return sum(best)


def judge(entry: HeatIn, checked: Checked, limits: Standards) -> list[Finding]:
    """Judge the count of elements, and the temperature rise against the plate."""
    m = entry.measured
    assert m is not None
    whole = checked.working == checked.called
    near = abs(m.amps - checked.expected_a) <= limits.element_amps_pct / 100 * checked.expected_a
    staged = len({k.stage or 1 for k in entry.kits}) > 1
    unsure = staged and m.stages_called is None and not whole
    verdict: Verdict = "unknown" if unsure else "fail" if not whole else "pass" if near else "watch"
    text = msg(
        "{working} of {called} elements heat: {amps:g} A; ",
        working=checked.working,
        called=checked.called,
        amps=m.amps,
    )
    text += msg("{expected_a:.1f} A expected", expected_a=checked.expected_a)
    found = [
        Finding(
            code="ELEMENTS",
            verdict=verdict,
            text=text + (msg(" with every stage called. Was it?") if unsure else "."),
            rule=f"I = P ÷ V at the measured volts; {limits.rule('element_amps_pct')}",
            inputs={"measured_v": m.volts, "measured_a": m.amps},
            arithmetic=msg(
                "elements at {volts:g} V and {blower_fla_a:g} A of blower",
                volts=m.volts,
                blower_fla_a=entry.blower_fla_a,
            ),
            next_step=msg("Enter the stages that are called while it is measured.")
            if unsure
            else None
            if whole
            else (
                msg(
                    "Locked out, find the dead element. Check link, limit, sequencer, element, in "
                    "that order. Ohms cold."
                )
            ),
        )
    ]
    if checked.airflow_cfm is not None and m.delta_t_f is not None:
        found.append(_air(entry, checked.airflow_cfm, m.delta_t_f, m.altitude_ft))
    return found


def _air(entry: HeatIn, flow: float, rise_f: float, altitude_ft: float | None) -> Finding:
    low, high = entry.rise_low_f, entry.rise_high_f
    hot, cool = high is not None and rise_f > high, low is not None and rise_f < low
    known = low is not None and high is not None
    asked = altitude_ft is None
    verdict: Verdict = (
        "fail" if hot else "watch" if cool else "pass" if known else "unknown" if asked else "note"
    )
    text = msg("{flow:.0f} CFM at {apart} of rise", flow=flow, apart=apart(rise_f))
    text += msg(" at sea level, more higher up. Elevation: not entered") if asked else ""
    if low is not None and high is not None:
        text += msg("; the nameplate shows {low:g} to {apart}", low=low, apart=apart(high))
    step = None
    if hot:
        step = msg("Low airflow: check filter, coil, blower speed, registers. It trips limits.")
    elif asked:
        step = msg("Enter the elevation of this place.")
    return Finding(
        code="AIRFLOW",
        verdict=verdict,
        text=text + ".",
        rule="CFM = 3.412 · W ÷ (1.08 · density · ΔT)",
        inputs={} if altitude_ft is None else {"altitude_ft": altitude_ft},
        arithmetic=msg(
            "density {air_density_ratio:.3f}", air_density_ratio=air_density_ratio(altitude_ft or 0.0)
        ),
        next_step=step,
    )
