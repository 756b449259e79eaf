"""What speaks for and against each candidate, and their order."""

import math

from orange_crank.core.aids.entry import AidAnswer, AidIn, AidRanked, Goal, School
from orange_crank.core.messages import joined, msg
from orange_crank.core.nomenclature import Finding, say
from orange_crank.core.tables.refrigerants import find_refrigerant
from orange_crank.core.tables.standards import Standards


def judged(
    r: AidRanked,
    bare: AidRanked,
    entry: AidIn,
    school: School,
    answer: AidAnswer | None,
    limits: Standards,
) -> AidRanked:
    """Return a candidate with what speaks for and against it."""
    why: list[str] = []
    against: list[str] = []
    got, was = r.predicted, bare.predicted
    started = got.verdict in ("started", "late")
    if started:
        why.append(msg("Up to speed in {time_to_speed_s:.2f} s.", time_to_speed_s=got.time_to_speed_s))
        if was.time_to_speed_s is None:
            why.append(msg("Without it the motor stalls here."))
        elif (
            r.aid != "none" and got.time_to_speed_s is not None and got.time_to_speed_s < was.time_to_speed_s
        ):
            why.append(
                msg(
                    "{time_to_speed_s:.2f} s faster than with no aid.",
                    time_to_speed_s=was.time_to_speed_s - got.time_to_speed_s,
                )
            )
    else:
        against.append(got.sentence)
    gentler = got.max_cycle_rms_a < 0.85 * was.max_cycle_rms_a
    if gentler:
        why.append(
            msg(
                "Largest cycle {max_cycle_rms_a:.0f} A instead of {max_cycle_rms_a_2:.0f} A.",
                max_cycle_rms_a=got.max_cycle_rms_a,
                max_cycle_rms_a_2=was.max_cycle_rms_a,
            )
        )
    on = r.on_source
    if on is not None and on.verdict != "starts":
        against.append(on.why)
    if entry.goal == "backup_power" and on is None:
        against.append(msg("No source is given: whether it starts there is not known."))
    # On a source the source decides; where only flicker counts, the first cycles do.
    wants_gentle = entry.goal == "flicker"
    if (wants_gentle or entry.goal == "backup_power") and not gentler and r.aid != "none":
        against.append(msg("It does not lower the first-cycle amps; a small generator still sees them."))
    if r.aid == "ptc_two_wire":
        against.append(msg("Needs 3 to 5 minutes or more to cool between starts."))
        if school == "three_wire":
            against.append(msg("Too hot here, or too many starts per hour, for a PTC kit."))
    if r.aid == "soft_starter" and r.range is not None and r.range_note:
        against.append(r.range_note)
    if r.aid == "soft_starter" and r.range is not None:
        took = r.range.half_time_to_speed_s
        half = msg("set to half of LRA, {half_ceiling_a:.0f} A", half_ceiling_a=r.range.half_ceiling_a)
        why.append(
            msg("Current limit {ceiling_a:.0f} A; {half}: ", ceiling_a=r.range.ceiling_a, half=half)
            + (f"{took:.2f} s." if took else msg("it stalls too."))
        )
    if r.aid == "soft_starter":
        against.append(
            msg("Less torque than the same capacitor across the line; not a cure for a tight compressor.")
        )
        against.append(
            msg(
                "It adjusts over {learning_starts:.0f} starts. Judge it after that.",
                learning_starts=r.learning_starts,
            )
        )
    if r.aid == "three_in_one":
        against.append(msg("A universal overload replaces the matched one."))
    if r.aid == "relay_three_wire":
        why.append(msg("Most predictable; relay must be mounted arrow-up."))
        if r.relay is not None and not r.relay.window.measured:
            against.append(
                msg(
                    "Volts S to C not known, so the lowest-rated relay is used. Measure the run "
                    "capacitor and clamp the start lead while it runs for a better match."
                )
            )
    if r.aid == "relay_two_wire":
        against.append(
            msg("Its built-in relay was not checked for this motor: the start is computed as if it suits.")
        )
    if r.aid == "time_delay" and (entry.metering or entry.plate.metering) == "txv":
        against.append(msg("A hard-shutting valve may hold the pressures apart however long it waits."))
    fits = (
        started
        and (entry.goal != "backup_power" if on is None else on.verdict == "starts")
        and not (wants_gentle and not gentler)
        and not (r.aid == "ptc_two_wire" and school == "three_wire")
    )
    if r.aid == "none":
        fits = fits and got.verdict == "started" and not wants_gentle
        if fits:
            why.append(msg("It starts as it should: no aid is needed."))
    if answer is not None and r.aid != "none":
        delay = answer.kind == "delay" and r.aid == "time_delay"
        fits = fits and delay
        if not delay:
            against.insert(0, answer.text)
    return r.model_copy(update={"fits": fits, "why": why, "against": against})


def order(r: AidRanked, goal: Goal, school: School, answer: AidAnswer | None) -> tuple[int, float, float]:
    """Return what ranks: fitting first, then the goal's own figure, then simpler before dearer."""
    if answer is not None:
        # The cause decides: no aid, or the delay it asks for, stands before every kit.
        own = r.aid == ("time_delay" if answer.kind == "delay" else "none")
        if own:
            return -1, 0.0, 0.0
    got = r.predicted
    seconds = got.time_to_speed_s if got.time_to_speed_s is not None else math.inf
    figure = got.max_cycle_rms_a if goal in ("backup_power", "flicker") else round(seconds, 1)
    # A delay gives no torque: it is the answer where pressure is the cause, and last elsewhere.
    simple = {
        "none": 0, "time_delay": 7, "three_in_one": 2,
        "relay_three_wire": 2 if school == "three_wire" else 4,
        "relay_two_wire": 3, "ptc_two_wire": 2 if school == "two_wire" else 6, "soft_starter": 5,
    }[r.aid]  # fmt: skip
    if r.aid == "none" and r.fits and goal != "faster":
        return 0, -1.0, 0.0
    return (0 if r.fits else 1), figure, simple + (r.price or 0.0) / 1e4


def findings_of(
    entry: AidIn,
    ranked: list[AidRanked],
    answer: AidAnswer | None,
    school: School,
    school_why: str,
    limits: Standards,
) -> list[Finding]:
    """Return what is said of the whole choice."""
    found = []
    best = ranked[0]
    if answer is not None:
        code = {"fix": "ROOT_CAUSE_FIRST", "stop": "STOP_FIRST", "ask": "ASK_FIRST"}.get(
            answer.kind, "CAUSE_DECIDES"
        )
        step = {
            "stop": msg("Clear the stop first; no start before that."),
            "ask": msg("Enter it, then choose."),
            "fix": msg("Fix it, measure the start again, then decide."),
            "delay": msg("Fit the delay, or wait it out; then prove a start on equal pressures."),
            "trial": msg("Get the trial approved in writing. Install, start once, and enter the result."),
            "buys_time": msg("Tell the customer. A kit is only a stopgap."),
        }[answer.kind]
        found.append(
            Finding(
                code=code,
                verdict="fail" if answer.kind == "stop" else "watch",
                text=answer.text,
                rule="field practice: aids",
                next_step=step,
            )
        )
    else:
        found.append(
            Finding(
                code="BEST_FIT",
                verdict="pass" if best.fits else "unknown",
                text=msg(
                    "{title}: {sentence}",
                    title=best.title,
                    sentence=joined(best.why, " ") or best.predicted.sentence,
                ),
                rule="start model",
                inputs={"goal": entry.goal, "start_torque_nm": best.predicted.start_torque_nm},
                next_step=None
                if best.fits
                else msg("Enter the source: its kilowatts, and what else is on.")
                if entry.goal == "backup_power" and best.on_source is None
                else msg("No start aid here fits. Try more torque, less load, or another goal."),
            )
        )
    if entry.plate.refrigerant is None or find_refrigerant(entry.plate.refrigerant) is None:
        named = entry.plate.refrigerant
        found.append(
            Finding(
                code="REFRIGERANT",
                verdict="unknown",
                text=msg("Refrigerant not entered. If it is A2L or A3, use only parts listed for it.")
                if named is None
                else msg("Refrigerant {named} is not on the list, so treat it as flammable.", named=named),
                rule="ASHRAE 34 safety class; the part's own listing",
                next_step=msg(
                    "Read it on the nameplate before anything with a contact or a thermistor is fitted."
                ),
            )
        )
    found.append(
        Finding(
            code="SCHOOL",
            verdict="note",
            text=msg(
                "{school}: {school_why}.",
                school="Three-wire kit preferred" if school == "three_wire" else "Two-wire kit is enough",
                school_why=school_why,
            ),
            rule=limits.rule("hot_climate_f"),
            inputs={"outdoor_design_f": entry.outdoor_design_f, "cycles_per_hour": entry.cycles_per_hour},
        )
    )
    pct = best.predicted.start_torque_nm
    fit = best.predicted.fit
    if fit is not None and fit.rated_torque_nm > 0:
        share = 100 * pct / fit.rated_torque_nm
        found.append(
            Finding(
                code="LOAD_TAKEN",
                verdict="note",
                text=msg(
                    "Every start here is computed against {share:.0f} % of rated torque at standstill, ",
                    share=share,
                )
                + (
                    msg("by the start time measured. ")
                    if entry.start_torque_pct is not None
                    else msg("by its goal. ")
                )
                + msg("Start lab shows the same start once its load is set to that."),
                rule="start model: load",
                inputs={"start_torque_pct": round(share, 1)},
            )
        )
    if entry.running_s_c_from and entry.running_s_c_v is not None:
        found.append(
            Finding(
                code="S_C_FROM_AMPS",
                verdict="note",
                text=msg(
                    "S–C runs at about {running_s_c_v:.0f} V: {running_s_c_from}. No probe near "
                    "live terminals.",
                    running_s_c_v=entry.running_s_c_v,
                    running_s_c_from=entry.running_s_c_from,
                ),
                rule="start model: start lead amps through the run capacitor",
                inputs={"running_s_c_v": round(entry.running_s_c_v, 1)},
            )
        )
    sized = next((r for r in ranked if r.start_cap_range is not None and r.start_cap_uf is not None), None)
    if entry.plate.tons is not None and sized is not None and sized.start_cap_uf is not None:
        each = sized.start_cap_uf / entry.plate.tons
        low, high = limits.start_uf_per_ton_low, limits.start_uf_per_ton_high
        usual = low <= each <= high
        found.append(
            Finding(
                code="SANITY",
                verdict="note" if usual else "watch",
                text=msg(
                    "{start_cap_uf} by the start winding's current; for {tons:g} tons {low:.0f} to "
                    "{high:.0f} µF is usual.",
                    start_cap_uf=say(sized.start_cap_uf, "µF", 3),
                    tons=entry.plate.tons,
                    low=low * entry.plate.tons,
                    high=high * entry.plate.tons,
                ),
                rule=limits.rule("start_uf_per_ton_low" if each < low else "start_uf_per_ton_high"),
                inputs={"start_cap_uf": sized.start_cap_uf, "tons": entry.plate.tons},
                arithmetic=msg(
                    "{start_cap_uf:g} µF ÷ {tons:g} tons = {each:.0f} µF a ton",
                    start_cap_uf=sized.start_cap_uf,
                    tons=entry.plate.tons,
                    each=each,
                ),
                next_step=None if usual else msg("Hold tons, volts and LRA against the nameplate once more."),
            )
        )
    return found
