"""Volts, legs and the breaker, as facts."""

from orange_crank.core.diagnosis.evidence.readings import Observed, Readings
from orange_crank.core.diagnosis.table import engine
from orange_crank.core.measure.legs import Imbalance, LegsToNeutral, judge_imbalance, judge_legs
from orange_crank.core.measure.running import judge_supply
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import say


def _no_line(volts: float, r: Readings) -> bool:
    return volts < r.limits.no_line_pct / 100 * r.entry.plate.volts


def line_at_unit(r: Readings) -> Observed | None:
    """Return whether line volts reach the unit at all."""
    volts = r.number("line_at_unit_v")
    if volts is None:
        volts = r.number("line_v_idle")
        if volts is None or not _no_line(volts, r):
            return None
    none = _no_line(volts, r)
    return r.observed(
        "line_at_unit", "none" if none else "there", msg("{volts:.0f} V of line at the unit.", volts=volts)
    )


def supply_idle(r: Readings) -> Observed | None:
    """Return how the supply stands at rest."""
    volts = r.number("line_v_idle")
    if volts is None or _no_line(volts, r):
        return None  # none at all is not low
    verdict = judge_supply(volts, r.entry.plate.volts, r.limits).verdict
    low = volts < r.entry.plate.volts
    outcome = (
        ("low" if verdict == "fail" else "a_little_low" if verdict == "watch" else "ok") if low else "ok"
    )
    return r.observed("supply_idle", outcome, msg("{volts} idle.", volts=say(volts, "V")))


def panel_dip(r: Readings) -> Observed | None:
    """Return how far the panel dips during a start."""
    start = r.number("line_v_start")
    if start is None:
        return None
    idle = r.number("line_v_idle") or r.entry.plate.volts
    dip = 100 * (idle - start) / idle
    deep, moderate = r.limits.start_dip_pct, r.limits.panel_dip_pct
    outcome = "deep" if dip > deep else "moderate" if dip > moderate else "small"
    return r.observed("panel_dip", outcome, msg("The panel dips {dip:.1f} % during the start.", dip=dip))


def path_loss(r: Readings) -> Observed | None:
    """Return how much is lost between panel and terminals: the walk that names the place comes first."""
    walked = r.get("lossy_segment")
    if walked is not None:
        words = {
            "none": msg("The supply walk loses nothing it should not."),
            "breaker": msg("The supply walk loses volts in the breaker."),
            "joint": msg("The supply walk loses volts in one joint."),
            "contacts": msg("The supply walk loses volts across the contacts."),
        }
        place = str(walked.value)
        return r.observed("path_loss", "none" if place == "none" else "lossy", words[place])
    end, start = r.number("terminal_v_start"), r.number("line_v_start")
    if end is None or not start:
        return None
    loss = 100 * (start - end) / start
    lossy = loss > r.limits.path_loss_pct
    return r.observed(
        "path_loss",
        "lossy" if lossy else "none",
        msg("{loss:.1f} % is lost between panel and terminals.", loss=loss),
    )


def lug(r: Readings) -> Observed | None:
    """Return whether the breaker's lug is tight: as looked at, else by what the walk loses there."""
    seen = r.get("breaker_lug_tight")
    if seen is not None:
        tight = seen.value is True
        return r.observed(
            "lug",
            "tight" if tight else "loose",
            msg("Breaker lug tight and clean.") if tight else msg("Breaker lug loose or burnt."),
        )
    walked = r.get("lossy_segment")
    if walked is None or walked.value != "breaker":
        return None
    return r.observed("lug", "loose", msg("The supply walk loses volts between panel bus and breaker."))


def terminal_volts(r: Readings) -> Observed | None:
    """Return how the volts at the terminals are, where the panel was not read beside them."""
    end = r.number("terminal_v_start")
    if end is None or r.number("line_v_start") is not None:
        return None
    idle = r.number("line_v_idle") or r.entry.plate.volts
    low = 100 * (idle - end) / idle > r.limits.start_dip_pct
    return r.observed(
        "terminal_volts",
        "low" if low else "good",
        msg("{end} at the terminals during the start.", end=say(end, "V")),
    )


def legs(r: Readings) -> Observed | None:
    """Return what the two legs to neutral do during a start."""
    four = [r.number(q, s) for s in ("idle", "starting") for q in ("leg_a_n_v", "leg_b_n_v")]
    states = {(e.quantity, e.state) for e in r.all if e.quantity in ("leg_a_n_v", "leg_b_n_v")}
    a0, b0, a1, b1 = four
    if a0 is None or b0 is None or (len(states) < 4 and {s for _, s in states} != {"idle"}):
        return None
    started = a1 is not None and b1 is not None and len(states) == 4
    result = judge_legs(
        LegsToNeutral(
            leg_a_idle_v=a0,
            leg_b_idle_v=b0,
            leg_a_start_v=a1 if started else None,
            leg_b_start_v=b1 if started else None,
        ),
        r.limits,
    )
    if result.code == "at_rest":
        return None
    outcome = {"open_neutral": "open_neutral", "sag": "sag"}.get(result.code, "steady")
    told = {"open_neutral": result.findings[0].text, "sag": msg("Both legs fall alike.")}
    return r.observed("legs", outcome, told.get(outcome, msg("Both legs stay.")))


def imbalance(r: Readings) -> Observed | None:
    """Return how unequal three phases are, and whether one of them is gone."""
    gone = r.get("phase_lost")
    if gone is not None and gone.value is True:
        return r.observed("imbalance", "lost", msg("One of the three phases is lost."))
    pct = r.number("phase_imbalance_pct")
    if pct is None or r.entry.plate.phase != 3:
        return None
    # As volts that lie so far from their mean: judged by the same rule as three readings.
    mean = r.entry.plate.volts
    volts = [mean * (1 - pct / 100), mean * (1 + pct / 200), mean * (1 + pct / 200)]
    verdict = judge_imbalance(Imbalance(volts=volts), r.limits).verdict if pct < 95 else "fail"
    outcome = "small" if verdict == "pass" else "far" if pct > engine().imbalance_far_pct else "large"
    return r.observed("imbalance", outcome, msg("{pct:.3g} % imbalance of volts.", pct=pct))


def breaker(r: Readings) -> Observed | None:
    """Return whether the breaker is too small for the plate."""
    rating, mca = r.number("breaker_a"), r.entry.plate.mca_a
    if rating is None or mca is None:
        return None
    return r.observed(
        "breaker",
        "small" if rating < mca else "right",
        msg("Breaker {rating:g} A; nameplate MCA {mca:g} A.", rating=rating, mca=mca),
    )
