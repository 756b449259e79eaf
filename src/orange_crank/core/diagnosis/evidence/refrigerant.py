"""The refrigerant side, as facts."""

from orange_crank.core.diagnosis.evidence.readings import Observed, Readings
from orange_crank.core.diagnosis.table import engine
from orange_crank.core.measure.refrigerant import Refrigerant, judge_refrigerant
from orange_crank.core.nomenclature import apart

ATMOSPHERE_PSI = 14.7


def pressures(r: Readings) -> Observed | None:
    """Return whether the pressures are equal at rest."""
    equal = r.get("pressures_equal")
    if equal is not None:
        return r.observed(
            "pressures",
            "equal" if equal.value is True else "unequal",
            f"Pressures {'equal' if equal.value else 'not equal'}.",
        )
    low, high = r.get("suction_psig"), r.get("discharge_psig")
    if low is None or high is None or low.state != "idle" or high.state != "idle":
        return None
    result = judge_refrigerant(
        Refrigerant(idle_suction_psig=low.number, idle_discharge_psig=high.number), r.limits
    )
    return r.observed(
        "pressures",
        "equal" if result.pressures_equal else "unequal",
        f"{low.number:g} and {high.number:g} psig at rest.",
    )


def head(r: Readings) -> Observed | None:
    """Return whether the head is high while running."""
    low, high = r.get("suction_psig"), r.get("discharge_psig")
    if low is None or high is None or low.state == "idle" or high.state == "idle":
        return None
    result = judge_refrigerant(
        Refrigerant(
            suction_psig=low.number,
            discharge_psig=high.number,
            refrigerant=r.entry.plate.refrigerant,
            outdoor_f=r.number("outdoor_f"),
        ),
        r.limits,
    )
    if result.condensing_over_f is not None:
        over = result.condensing_over_f
        hot = over > r.limits.condensing_over_high_f
        return r.observed(
            "head", "high" if hot else "ordinary", f"Condensing {apart(over, 0)} over the outdoor air."
        )
    if result.pressure_ratio is None:
        return None
    outcome = "high" if result.pressure_ratio > r.limits.pressure_ratio_high else "ordinary"
    return r.observed("head", outcome, f"Pressure ratio {result.pressure_ratio:.1f}.")


def rotation(r: Readings) -> Observed | None:
    """Return which way the compressor turns: as seen, else by gauges and amps.

    Notes
    -----
    Running backward it turns easily and does not pump: pressures that do not move apart, at well under rated
    amps. Pressures that moved apart prove that it turns the right way.

    """
    seen = r.get("rotation_ok")
    if seen is not None:
        right = seen.value is True
        text = "It turns the right way." if right else "It turns the wrong way."
        return r.observed("rotation", "right" if right else "wrong", text)
    low, high, amps = r.get("suction_psig"), r.get("discharge_psig"), r.number("running_a")
    if low is None or high is None or not amps or low.state == "idle" or high.state == "idle":
        return None
    if low.number is None or high.number is None or low.number <= 0:
        return None
    ratio = (high.number + ATMOSPHERE_PSI) / (low.number + ATMOSPHERE_PSI)
    share = amps / r.entry.plate.compressors[0].rla_a
    gauges = f"{low.number:g} and {high.number:g} psig running"
    if ratio >= engine().pumping_ratio:
        return r.observed("rotation", "right", f"{gauges}: it pumps.")
    if share <= engine().backward_share:
        return r.observed("rotation", "wrong", f"{gauges} at {share:.2f} × RLA: it turns and does not pump.")
    return None


def charge(r: Readings) -> Observed | None:
    """Return how the charge is, told or by subcooling."""
    told = r.get("charge")
    if told is not None:
        if told.value == "unknown":
            return None
        return r.observed("charge", str(told.value), f"Charge {told.value}.")
    heat, cool = r.number("superheat_f"), r.number("subcooling_f")
    if cool is None and heat is None:
        return None
    if cool is not None and cool > r.limits.subcooling_high_f:
        return r.observed("charge", "over", f"Subcooling {apart(cool)}.")
    low = _is_low(heat, cool, r)
    if cool is None and not low:
        return None  # superheat alone tells a low charge, and no right one
    words = [f"superheat {apart(heat)}"] if heat is not None else []
    words += [f"subcooling {apart(cool)}"] if cool is not None else []
    text = ", ".join(words)
    return r.observed("charge", "low" if low else "right", f"{text[:1].upper()}{text[1:]}.")


def _is_low(heat: float | None, cool: float | None, r: Readings) -> bool:
    """Tell a low charge: either figure far off, or both half off; a flooding evaporator is none."""
    far_heat, far_cool = r.limits.superheat_high_f, r.limits.subcooling_low_f
    hot, starved = heat is not None and heat > far_heat, cool is not None and cool < far_cool
    floods = heat is not None and heat < engine().flooding_superheat_f
    half_hot = heat is not None and heat > engine().half_off * far_heat
    half_starved = cool is not None and cool < far_cool / engine().half_off
    return hot or (starved and not floods) or (half_hot and half_starved)
