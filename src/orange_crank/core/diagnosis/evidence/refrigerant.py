"""The refrigerant side, as facts."""

from orange_crank.core.diagnosis.evidence.readings import Observed, Readings
from orange_crank.core.diagnosis.table import engine
from orange_crank.core.measure.refrigerant import Refrigerant, judge_refrigerant
from orange_crank.core.messages import capital, joined, msg, shaped
from orange_crank.core.nomenclature import apart

ATMOSPHERE_PSI = 14.7


def pressures(r: Readings) -> Observed | None:
    """Return whether the pressures are equal at rest."""
    equal = r.get("pressures_equal")
    if equal is not None:
        return r.observed(
            "pressures",
            "equal" if equal.value is True else "unequal",
            msg("Pressures {value}.", value="equal" if equal.value else "not equal"),
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
        msg("{number:g} and {number_2:g} psig at rest.", number=low.number, number_2=high.number),
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
            "head",
            "high" if hot else "ordinary",
            msg("Condensing {apart} over the outdoor air.", apart=apart(over, 0)),
        )
    if result.pressure_ratio is None:
        return None
    outcome = "high" if result.pressure_ratio > r.limits.pressure_ratio_high else "ordinary"
    return r.observed(
        "head", outcome, msg("Pressure ratio {pressure_ratio:.1f}.", pressure_ratio=result.pressure_ratio)
    )


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
        text = msg("It turns the right way.") if right else msg("It turns the wrong way.")
        return r.observed("rotation", "right" if right else "wrong", text)
    low, high, amps = r.get("suction_psig"), r.get("discharge_psig"), r.number("running_a")
    if low is None or high is None or not amps or low.state == "idle" or high.state == "idle":
        return None
    if low.number is None or high.number is None or low.number <= 0:
        return None
    ratio = (high.number + ATMOSPHERE_PSI) / (low.number + ATMOSPHERE_PSI)
    share = amps / r.entry.plate.compressors[0].rla_a
    gauges = msg("{number:g} and {number_2:g} psig running", number=low.number, number_2=high.number)
    if ratio >= engine().pumping_ratio:
        return r.observed("rotation", "right", msg("{gauges}: it pumps.", gauges=gauges))
    if share <= engine().backward_share:
        return r.observed(
            "rotation",
            "wrong",
            msg("{gauges} at {share:.2f} × RLA: it turns and does not pump.", gauges=gauges, share=share),
        )
    return None


def charge(r: Readings) -> Observed | None:
    """Return how the charge is, told or by subcooling."""
    told = r.get("charge")
    if told is not None:
        if told.value == "unknown":
            return None
        return r.observed("charge", str(told.value), msg("Charge {value}.", value=told.value))
    heat, cool = r.number("superheat_f"), r.number("subcooling_f")
    if cool is None and heat is None:
        return None
    if cool is not None and cool > r.limits.subcooling_high_f:
        return r.observed("charge", "over", msg("Subcooling {apart}.", apart=apart(cool)))
    low = _is_low(heat, cool, r)
    if cool is None and not low:
        return None  # superheat alone tells a low charge, and no right one
    words = [msg("superheat {apart}", apart=apart(heat))] if heat is not None else []
    words += [msg("subcooling {apart}", apart=apart(cool))] if cool is not None else []
    text = joined(words, ", ")
    return r.observed("charge", "low" if low else "right", msg("{text}.", text=shaped(text, capital)))


def _is_low(heat: float | None, cool: float | None, r: Readings) -> bool:
    """Tell a low charge: either figure far off, or both half off; a flooding evaporator is none."""
    far_heat, far_cool = r.limits.superheat_high_f, r.limits.subcooling_low_f
    hot, starved = heat is not None and heat > far_heat, cool is not None and cool < far_cool
    floods = heat is not None and heat < engine().flooding_superheat_f
    half_hot = heat is not None and heat > engine().half_off * far_heat
    half_starved = cool is not None and cool < far_cool / engine().half_off
    return hot or (starved and not floods) or (half_hot and half_starved)
