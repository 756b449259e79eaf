"""How it starts and runs, as facts."""

from orange_crank.core.diagnosis.evidence.readings import Observed, Readings
from orange_crank.core.diagnosis.table import engine
from orange_crank.core.measure.inrush import Inrush, InrushResult, far_above_locked_rotor, judge_inrush
from orange_crank.core.measure.legs import judge_start_lead
from orange_crank.core.measure.running import Running, judge_running
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import say


def inrush_result(r: Readings) -> InrushResult | None:
    """Return what the newest inrush reading says by itself; None where there is none."""
    reading = r.get("inrush_a")
    first = r.entry.plate.compressors[0]
    if reading is None or first.lra_a is None or not reading.number:
        return None
    volts = reading.volts or r.number("line_v_start") or r.number("line_v_idle") or r.entry.plate.volts
    return judge_inrush(
        Inrush(
            reading_a=reading.number,
            mode=reading.mode or "inrush",
            conductor=reading.conductor or "common",
            lra_a=first.lra_a,
            volts_start=volts,
            plate_volts=r.entry.plate.volts,
            later_a=reading.later_a,
        ),
        r.limits,
    )


def far_above(r: Readings) -> Observed | None:
    """Return whether more flowed than a stalled rotor can draw."""
    result = inrush_result(r)
    if result is None:
        return None
    above = far_above_locked_rotor(result)
    told = msg("More than locked-rotor amps") if above else msg("Not above locked-rotor amps")
    return r.observed(
        "far_above",
        "yes" if above else "no",
        msg("{told}: {ratio:.2f} × LRA.", told=told, ratio=result.ratio),
    )


def turning(r: Readings) -> Observed | None:
    """Return whether the rotor turns, by inrush and a later reading."""
    result = inrush_result(r)
    if result is None:
        if r.get("start_time_s") is not None:
            return r.observed("turning", "accelerates", msg("It got up to speed."))
        return None
    reading = r.get("inrush_a")
    assert reading is not None
    if far_above_locked_rotor(result):
        return None  # a short says nothing of the rotor
    if reading.state == "stalled" or result.verdict == "not_turning":
        return r.observed(
            "turning", "not_turning", msg("Locked-rotor amps that do not fall: it does not turn.")
        )
    # Without volts at the dip the ratio is only the lowest it can be: it proves no rotor away.
    known_v = reading.volts or r.number("line_v_start")
    if (
        (result.verdict == "accelerating" and known_v)
        or result.later_ratio is not None
        or r.get("start_time_s") is not None
    ):
        return r.observed(
            "turning",
            "accelerates",
            msg("Inrush {ratio:.2f} × LRA at this voltage: it starts turning.", ratio=result.ratio),
        )
    return None


def start_time(r: Readings) -> Observed | None:
    """Return how long a start takes, with its uncertainty."""
    reading = r.get("start_time_s")
    seconds = reading.number if reading is not None else None
    if seconds is None or (reading is not None and reading.state == "stalled"):
        # A try that did not start has no start time.
        return None
    limit, very = r.limits.start_seconds, r.limits.very_slow_seconds
    spread = (
        reading.plus_minus if reading is not None and reading.plus_minus is not None else r.limits.tap_seconds
    )
    among = tuple(
        word
        for word, low, high in (("prompt", 0.0, limit), ("slow", limit, very), ("very_slow", very, 1e9))
        if seconds + spread / 2 > low and seconds - spread / 2 <= high
    )
    return r.observed("start_time", among, msg("A start takes {seconds}.", seconds=say(seconds, "s", 2)))


def carries(r: Readings) -> Observed | None:
    """Return whether the compressor's circuit carries amps at all: present amps speak against "open"."""
    rla = r.entry.plate.compressors[0].rla_a
    amps = [a for q in ("inrush_a", "running_a") if (a := r.number(q)) is not None]
    if not amps:
        return None
    most = max(amps)
    none = most < r.limits.start_branch_dead_pct / 100 * rla
    return r.observed(
        "carries", "none" if none else "amps", msg("{most} to the compressor.", most=say(most, "A", 2))
    )


def running(r: Readings) -> Observed | None:
    """Return how running amps stand to rated ones."""
    amps = r.number("running_a")
    if not amps:
        return None
    plate = r.entry.plate
    result = judge_running(
        Running(
            running_a=amps,
            rla_a=plate.compressors[0].rla_a,
            volts=r.number("line_v_run") or None,
            plate_volts=plate.volts,
            outdoor_f=r.number("outdoor_f"),
        ),
        r.limits,
    )
    low = result.ratio < r.limits.running_low_ratio
    outcome = ("low",) if low else {"pass": ("ok",), "watch": ("ok", "high")}.get(result.verdict, ("high",))
    if result.ratio >= engine().running_far_ratio:
        outcome = ("far_high",)
    return r.observed("running", outcome, msg("Running amps {ratio:.2f} × RLA.", ratio=result.ratio))


def fan(r: Readings) -> Observed | None:
    """Return how the fan draws."""
    amps, motors = r.number("fan_a"), r.entry.plate.motors
    if amps is None or not motors:
        return None
    ratio = amps / motors[0].fla_a
    outcome = (
        "low"
        if ratio < r.limits.running_low_ratio
        else "high"
        if ratio > r.limits.running_fail_ratio
        else "ok"
    )
    return r.observed("fan", outcome, msg("Fan {ratio:.2f} × its amps.", ratio=ratio))


def start_branch(r: Readings) -> Observed | None:
    """Return whether the start lead carries current, or far more than the run capacitor can pass."""
    amps = r.number("start_a")
    if amps is None:
        return None
    rla = r.entry.plate.compressors[0].rla_a
    outcome = "dead" if amps < r.limits.start_branch_dead_pct / 100 * rla else "carries"
    plate = r.entry.plate
    uf = max(plate.run_cap_uf or 0.0, r.number("run_cap_uf") or 0.0)
    if uf and judge_start_lead(amps, uf, plate.volts, plate.hertz or 60.0, r.limits):
        outcome = "far_over"
    return r.observed("start_branch", outcome, msg("{amps} in the start lead.", amps=say(amps, "A", 2)))


def rest(r: Readings) -> Observed | None:
    """Return whether it rested long enough."""
    minutes = r.number("minutes_rest")
    if minutes is None:
        return None
    short = minutes < r.limits.compare_rest_min
    return r.observed(
        "rest", "short" if short else "long", msg("{minutes:g} minutes of rest.", minutes=minutes)
    )
