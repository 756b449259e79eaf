"""Readings and symptoms turned into facts, by the measuring core's own judgement.

A fact has one outcome, however many readings speak of it: the most direct source counts, the others only
agree or contradict. No threshold stands here; they are the measuring core's and the shop's.
"""

from collections.abc import Callable
from dataclasses import dataclass, field

from pydantic import ValidationError

from orange_crank.core.diagnosis.model import (
    Contradiction,
    DiagnoseIn,
    Evidence,
    Measured,
    Symptom,
)
from orange_crank.core.errors import CrankError, input_problem
from orange_crank.core.measure.capacitor import Capacitor, judge_capacitor
from orange_crank.core.measure.contactor import Contactor, judge_contactor
from orange_crank.core.measure.inrush import Inrush, judge_inrush
from orange_crank.core.measure.legs import Imbalance, LegsToNeutral, judge_imbalance, judge_legs
from orange_crank.core.measure.refrigerant import Refrigerant, judge_refrigerant
from orange_crank.core.measure.running import Running, judge_running, judge_supply
from orange_crank.core.measure.start_kit import StartKit, judge_start_kit
from orange_crank.core.measure.windings import WindingReference, Windings, judge_windings
from orange_crank.core.nomenclature import say
from orange_crank.core.tables.standards import Standards


@dataclass(frozen=True)
class Observed:
    """One fact with what was seen of it; more than one outcome means it lies among them."""

    fact: str
    outcomes: tuple[str, ...]
    text: str
    source: tuple[str, ...]
    reading_ids: tuple[int, ...] = ()


@dataclass
class Seen:
    """Everything observed, what contradicts itself, and what could not be read."""

    facts: dict[str, Observed] = field(default_factory=dict)
    contradictions: list[Contradiction] = field(default_factory=list)
    crashed: list[str] = field(default_factory=list)


class _Readings:
    """The newest reading of each quantity, with its place and state."""

    def __init__(self, entry: DiagnoseIn, limits: Standards) -> None:
        self.entry, self.limits = entry, limits
        self.all = entry.readings
        self.used: list[Evidence] = []

    def get(self, quantity: Measured, state: str | None = None, where: str | None = None) -> Evidence | None:
        found = [
            r
            for r in self.all
            if r.quantity == quantity
            and (state is None or r.state in (None, state))
            and (where is None or r.where in (None, where))
        ]
        if found and found[-1] not in self.used:
            self.used.append(found[-1])
        return found[-1] if found else None

    def number(self, quantity: Measured, state: str | None = None) -> float | None:
        found = self.get(quantity, state)
        return found.number if found is not None else None

    def observed(self, fact: str, outcomes: str | tuple[str, ...], text: str) -> Observed:
        used, self.used = self.used, []
        return Observed(
            fact=fact,
            outcomes=(outcomes,) if isinstance(outcomes, str) else outcomes,
            text=text,
            source=tuple(r.quantity for r in used),
            reading_ids=tuple(r.reading_id for r in used if r.reading_id is not None),
        )


_BEHAVIOUR: tuple[tuple[Symptom, str, str], ...] = (
    ("trips_at_once", "trips_at_once", "It trips at once."),
    ("hums_no_start", "hums", "It hums and does not start."),
    ("slow_start", "slow", "It starts slowly."),
    ("starts_then_trips", "starts_then_trips", "It starts, then trips."),
    ("trips_after_minutes", "trips_after_minutes", "It trips after minutes."),
    ("fan_only", "fan_only", "Only the fan runs."),
    ("controls_on_nothing_runs", "nothing", "Controls are on and nothing runs."),
    ("no_sound", "nothing", "No sound at all."),
)
_YES: tuple[tuple[Symptom, str, str], ...] = (
    ("lights_dim", "lights_dim", "Lights dim as it starts."),
    ("starts_after_long_rest", "after_long_rest", "It starts after a long rest."),
    ("starts_rarely", "rarely", "It starts only sometimes."),
    ("rattles", "rattles", "It rattles."),
    ("short_cycles", "short_cycles", "It cycles short."),
    ("runs_hot", "runs_hot", "It runs hot."),
    ("upgrade_only", "upgrade", "Only an upgrade is wanted."),
    ("will_not_run_on_backup", "backup", "It will not run on backup power."),
)


def observe(entry: DiagnoseIn, limits: Standards) -> Seen:
    """Turn symptoms and readings into facts.

    Notes
    -----
    If one rule fails on what it was given the others still run, and it is reported.

    """
    seen = Seen()
    for symptom, outcome, text in _BEHAVIOUR:
        if symptom in entry.symptoms:
            seen.facts["start_behaviour"] = Observed("start_behaviour", (outcome,), text, (symptom,))
            break
    for symptom, fact, text in _YES:
        if symptom in entry.symptoms:
            seen.facts[fact] = Observed(fact, ("yes",), text, (symptom,))
    if "upgrade_only" in entry.symptoms and "start_behaviour" not in seen.facts:
        seen.facts["start_behaviour"] = Observed(
            "start_behaviour", ("normal",), "Nothing is complained of.", ("upgrade_only",)
        )
    if entry.supply_restored:
        seen.facts["outage"] = Observed(
            "outage", ("yes",), "Power was out just before.", ("supply_restored",)
        )
    if entry.kit_trial in ("started", "did_not_start"):
        text = (
            "The agreed trial started it."
            if entry.kit_trial == "started"
            else "The agreed trial did not start it."
        )
        seen.facts["kit_trial"] = Observed("kit_trial", (entry.kit_trial,), text, ("kit_trial",))
    readings = _Readings(entry, limits)
    for rule in _RULES:
        readings.used = []
        try:
            found = rule(readings)
        except (CrankError, ValidationError, ArithmeticError) as trouble:
            reason = (
                input_problem(trouble).detail
                if isinstance(trouble, ValidationError)
                else trouble.detail
                if isinstance(trouble, CrankError)
                else "a reading of nought"
            )
            seen.crashed.append(f"{rule.__name__.strip('_').replace('_', ' ')}: {reason}")
            continue
        if found is not None:
            seen.facts[found.fact] = found
    seen.contradictions = _contradictions(entry, readings)
    return seen


def _to_ground(r: _Readings) -> Observed | None:
    last = r.get("to_ground")
    if last is None:
        return None
    # A short once found stands: a clear reading beside it does not say what was put right.
    bad = any(e.quantity == "to_ground" and e.value is True for e in r.all)
    words = "clear" if not bad else "shorted" if last.value is True else "shorted, then clear"
    return r.observed("to_ground", "grounded" if bad else "clear", f"To ground: {words}.")


def _shorted_piece(r: _Readings) -> Observed | None:
    found = r.get("shorted_piece")
    if found is None:
        return None
    piece = str(found.value)
    outcome = piece if piece in ("compressor", "fan", "not_compressor") else "elsewhere"
    words = {
        "compressor": "The compressor itself is shorted to metal.",
        "fan": "The fan motor is shorted to metal.",
        "not_compressor": "The compressor, tested alone, is clear.",
    }
    return r.observed(
        "shorted_piece", outcome, words.get(piece, f"The {piece.replace('_', ' ')} is shorted to metal.")
    )


def _start_relay(r: _Readings) -> Observed | None:
    found = r.get("start_relay_verdict")
    if found is None:
        return None
    return r.observed("start_relay", str(found.value), f"Start relay and overload test {found.value}.")


def _windings(r: _Readings) -> Observed | None:
    pairs = [r.get(q) for q in ("winding_cs_ohm", "winding_cr_ohm", "winding_sr_ohm")]
    if any(p is None for p in pairs):
        return None
    cs, cr, sr = ("open" if p.value == "open" else p.number for p in pairs if p is not None)
    shell = r.get("shell_hot")
    hot = shell.value is True if shell is not None else None
    past = {p.quantity: p.value for p in r.entry.history.readings} if r.entry.history else {}
    reference = (
        WindingReference(
            cs_ohm=past.get("winding_cs_ohm"),
            cr_ohm=past.get("winding_cr_ohm"),
            sr_ohm=past.get("winding_sr_ohm"),
        )
        if any(q.startswith("winding_") for q in past)
        else None
    )
    result = judge_windings(
        Windings.model_validate(
            {
                "cs_ohm": cs,
                "cr_ohm": cr,
                "sr_ohm": sr,
                "hot": hot,
                "phase": r.entry.plate.phase,
                "reference": reference.model_dump() if reference else None,
            }
        ),
        r.limits,
    )
    words: dict[str, tuple[str | tuple[str, ...], str]] = {
        "sound": ("sound", "Windings sound."),
        "start_open": ("start_open", "Start winding open."),
        "run_open": ("run_open", "Run winding open."),
        "all_open": ("all_open", "All three pairs open."),
        "turn_short": ("turn_short", "A winding lies below its earlier value."),
        "not_additive": ("not_additive", "The three readings do not add up."),
        "unequal": ("turn_short", "The three phases are not equal."),
    }
    if result.verdict == "overload_open":
        both = ("common_open_hot", "common_open_cold")
        outcome = both if hot is None else both[0] if hot else both[1]
        text = "Common open to both others" + (
            "." if hot is None else ", shell hot." if hot else ", shell cold."
        )
        return r.observed("windings", outcome, text)
    if result.verdict not in words:
        return None
    return r.observed("windings", *words[result.verdict])


def _run_capacitor(r: _Readings) -> Observed | None:
    reading, label = r.get("run_cap_uf"), r.entry.plate.run_cap_uf
    if reading is None or label is None:
        return None
    if reading.value == "open":
        return r.observed("run_capacitor", "open", "Run capacitor open.")
    return _judged_capacitor(r, reading, label, "run_capacitor", "Run capacitor")


def _judged_capacitor(r: _Readings, reading: Evidence, label: float, fact: str, word: str) -> Observed | None:
    uf = reading.number
    if uf is None:
        return None
    told = f"{word} {say(uf, 'µF', 3)} of {say(label, 'µF', 3)}."
    if uf < r.limits.capacitor_open_pct / 100 * label:
        return r.observed(fact, "open" if fact == "run_capacitor" else "bad", told)
    accuracy = 100 * reading.plus_minus / uf if reading.plus_minus and uf else None
    result = judge_capacitor(
        Capacitor(
            label_uf=label, measured_uf=uf, tolerance_pct=r.limits.run_capacitor_pct, accuracy_pct=accuracy
        ),
        r.limits,
    )
    low = uf < label
    if fact == "fan_capacitor":
        outcome: tuple[str, ...] = {"pass": ("good",), "watch": ("good", "bad")}.get(result.verdict, ("bad",))
    else:
        poor = uf < r.limits.capacitor_poor_pct / 100 * label
        out = ("poor" if poor else "weak") if low else "high"
        outcome = {"pass": ("good",), "watch": ("good", out)}.get(result.verdict, (out,))
    return r.observed(fact, outcome, told)


def _fan_capacitor(r: _Readings) -> Observed | None:
    reading, label = r.get("fan_cap_uf"), r.entry.plate.fan_cap_uf
    if reading is None or label is None:
        return None
    return _judged_capacitor(r, reading, label, "fan_capacitor", "Fan capacitor")


def _contactor_look(r: _Readings) -> Observed | None:
    found = r.get("contactor_look")
    if found is None:
        return None
    return r.observed("contactor_look", str(found.value), f"Contactor {found.value}.")


def _fuse(r: _Readings) -> Observed | None:
    found = r.get("fuse_open")
    if found is None:
        return None
    return r.observed(
        "fuse", "open" if found.value is True else "whole", f"Fuse {'open' if found.value else 'whole'}."
    )


def _kit(r: _Readings) -> Observed | None:
    present, kind = r.get("start_kit_present"), r.get("start_kit_kind")
    contact, start_cap = r.get("start_kit_contact_ohm"), r.get("start_cap_uf")
    whole = r.get("start_kit_verdict")
    if whole is not None:
        return r.observed("kit", str(whole.value), f"The fitted kit tests {whole.value}.")
    if present is not None and present.value is False and contact is None and kind is None:
        return r.observed("kit", "none", "No start kit is fitted.")
    if contact is not None or start_cap is not None:
        kit = {"relay": "potential_relay", "unknown": "potential_relay", None: "potential_relay"}.get(
            str(kind.value) if kind else None, str(kind.value) if kind else "potential_relay"
        )
        ohms = None if contact is None else "open" if contact.value == "open" else contact.number
        entry = {
            "kind": kit,
            ("ptc_ohm" if kit == "ptc" else "contact_ohm"): ohms,
            "start_cap_uf": start_cap.number if start_cap else None,
        }
        result = judge_start_kit(StartKit.model_validate(entry), r.limits)
        if result.verdict in ("pass", "watch", "fail"):
            bad = result.verdict == "fail"
            return r.observed(
                "kit", "bad" if bad else "good", f"The fitted kit tests {'bad' if bad else 'good'}."
            )
    if present is not None or kind is not None:
        return r.observed("kit", ("good", "bad"), "A start kit is fitted.")
    return None


def _kit_bypassed(r: _Readings) -> Observed | None:
    found = r.get("start_kit_bypassed_starts")
    if found is None:
        return None
    text = "With the kit lifted it starts." if found.value is True else "With the kit lifted it is the same."
    return r.observed("kit_bypassed", "starts" if found.value is True else "same", text)


def _coil(r: _Readings) -> Observed | None:
    found = r.number("coil_v")
    if found is None:
        return None
    if found < r.limits.dead_limit_v:
        return r.observed("coil", "none", "No volts at the coil.")
    low = found < r.limits.coil_pull_in_v
    return r.observed("coil", "low" if low else "ok", f"{say(found, 'V', 3)} at the coil.")


def _flag(
    fact: str, quantity: Measured, yes: str, no: str, said_yes: str, said_no: str
) -> Callable[[_Readings], Observed | None]:
    def rule(r: _Readings) -> Observed | None:
        found = r.get(quantity)
        if found is None:
            return None
        on = found.value is True
        return r.observed(fact, yes if on else no, said_yes if on else said_no)

    rule.__name__ = fact
    return rule


def _status(r: _Readings) -> Observed | None:
    found = r.get("status_code")
    if found is None:
        return None
    none = str(found.value).lower() in ("none", "0", "ok", "-")
    return r.observed("status", "none" if none else "present", f"Status code {found.value}.")


def _supply_idle(r: _Readings) -> Observed | None:
    volts = r.number("line_v_idle")
    if volts is None:
        return None
    verdict = judge_supply(volts, r.entry.plate.volts, r.limits).verdict
    low = volts < r.entry.plate.volts
    outcome = (
        ("low",) if verdict == "fail" and low else ("ok", "low") if verdict == "watch" and low else ("ok",)
    )
    return r.observed("supply_idle", outcome, f"{say(volts, 'V')} idle.")


def _panel_dip(r: _Readings) -> Observed | None:
    start = r.number("line_v_start")
    if start is None:
        return None
    idle = r.number("line_v_idle") or r.entry.plate.volts
    dip = 100 * (idle - start) / idle
    deep, moderate = r.limits.start_dip_pct, r.limits.panel_dip_pct
    outcome = "deep" if dip > deep else "moderate" if dip > moderate else "small"
    return r.observed("panel_dip", outcome, f"The panel dips {dip:.1f} % during the start.")


def _path_loss(r: _Readings) -> Observed | None:
    end, start = r.number("terminal_v_start"), r.number("line_v_start")
    if end is None or not start:
        return None
    loss = 100 * (start - end) / start
    lossy = loss > r.limits.path_loss_pct
    return r.observed(
        "path_loss", "lossy" if lossy else "none", f"{loss:.1f} % is lost between panel and terminals."
    )


def _terminal_volts(r: _Readings) -> Observed | None:
    end = r.number("terminal_v_start")
    if end is None or r.number("line_v_start") is not None:
        return None
    idle = r.number("line_v_idle") or r.entry.plate.volts
    low = 100 * (idle - end) / idle > r.limits.start_dip_pct
    return r.observed(
        "terminal_volts", "low" if low else "good", f"{say(end, 'V')} at the terminals during the start."
    )


def _contactor_drop(r: _Readings) -> Observed | None:
    drop = r.number("contactor_drop_v")
    if drop is None:
        return None
    verdict = judge_contactor(Contactor(pole_drop_v=[drop]), r.limits).verdict
    outcome = {"pass": ("ok",), "watch": ("ok", "high")}.get(verdict, ("high",))
    return r.observed("contactor_drop", outcome, f"{say(drop, 'V', 2)} across a closed pole.")


def _turning(r: _Readings) -> Observed | None:
    reading = r.get("inrush_a")
    first = r.entry.plate.compressors[0]
    if reading is None or first.lra_a is None or not reading.number:
        if r.get("start_time_s") is not None:
            return r.observed("turning", "accelerates", "It got up to speed.")
        return None
    volts = reading.volts or r.number("line_v_start") or r.number("line_v_idle") or r.entry.plate.volts
    result = judge_inrush(
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
    if reading.state == "stalled" or result.verdict == "not_turning":
        return r.observed("turning", "not_turning", "Locked-rotor amps that do not fall: it does not turn.")
    if (
        result.verdict == "accelerating"
        or result.later_ratio is not None
        or r.get("start_time_s") is not None
    ):
        return r.observed(
            "turning", "accelerates", f"Inrush {result.ratio:.2f} × LRA at these volts: it gets away."
        )
    return None


def _start_time(r: _Readings) -> Observed | None:
    reading = r.get("start_time_s")
    seconds = reading.number if reading is not None else None
    if seconds is None:
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
    return r.observed("start_time", among, f"A start takes {say(seconds, 's', 2)}.")


def _running(r: _Readings) -> Observed | None:
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
    return r.observed("running", outcome, f"Running amps {result.ratio:.2f} × RLA.")


def _fan(r: _Readings) -> Observed | None:
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
    return r.observed("fan", outcome, f"Fan {ratio:.2f} × its amps.")


def _legs(r: _Readings) -> Observed | None:
    four = [r.number(q, s) for s in ("idle", "starting") for q in ("leg_a_n_v", "leg_b_n_v")]
    states = {(e.quantity, e.state) for e in r.all if e.quantity in ("leg_a_n_v", "leg_b_n_v")}
    if any(v is None for v in four) or len(states) < 4:
        return None
    a0, b0, a1, b1 = (float(v or 0.0) for v in four)
    result = judge_legs(
        LegsToNeutral(leg_a_idle_v=a0, leg_b_idle_v=b0, leg_a_start_v=a1, leg_b_start_v=b1), r.limits
    )
    outcome = {"open_neutral": "open_neutral", "sag": "sag"}.get(result.code, "steady")
    told = {"open_neutral": "One leg falls while the other rises.", "sag": "Both legs fall alike."}
    return r.observed("legs", outcome, told.get(outcome, "Both legs stay."))


def _imbalance(r: _Readings) -> Observed | None:
    pct = r.number("phase_imbalance_pct")
    if pct is None or r.entry.plate.phase != 3:
        return None
    # As volts that lie so far from their mean: judged by the same rule as three readings.
    mean = r.entry.plate.volts
    volts = [mean * (1 - pct / 100), mean * (1 + pct / 200), mean * (1 + pct / 200)]
    verdict = judge_imbalance(Imbalance(volts=volts), r.limits).verdict if pct < 95 else "fail"
    return r.observed("imbalance", "small" if verdict == "pass" else "large", f"{pct:g} % imbalance.")


def _pressures(r: _Readings) -> Observed | None:
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


def _head(r: _Readings) -> Observed | None:
    low, high = r.get("suction_psig"), r.get("discharge_psig")
    if low is None or high is None or low.state == "idle" or high.state == "idle":
        return None
    result = judge_refrigerant(Refrigerant(suction_psig=low.number, discharge_psig=high.number), r.limits)
    if result.pressure_ratio is None:
        return None
    outcome = "high" if result.pressure_ratio > r.limits.pressure_ratio_high else "ordinary"
    return r.observed("head", outcome, f"Pressure ratio {result.pressure_ratio:.1f}.")


def _charge(r: _Readings) -> Observed | None:
    told = r.get("charge")
    if told is not None:
        if told.value == "unknown":
            return None
        return r.observed("charge", str(told.value), f"Charge {told.value}.")
    heat, cool = r.number("superheat_f"), r.number("subcooling_f")
    if cool is None:
        return None
    high, low = r.limits.subcooling_high_f, r.limits.subcooling_low_f
    outcome = (
        "over"
        if cool > high
        else "low"
        if cool < low and (heat or 0) > r.limits.superheat_high_f
        else "right"
    )
    return r.observed("charge", outcome, f"Subcooling {cool:g} °F.")


def _rest(r: _Readings) -> Observed | None:
    minutes = r.number("minutes_rest")
    if minutes is None:
        return None
    short = minutes < r.limits.compare_rest_min
    return r.observed("rest", "short" if short else "long", f"{minutes:g} minutes of rest.")


def _over(
    fact: str, quantity: Measured, limit: Callable[[Standards], float], small: str, large: str, text: str
) -> Callable[[_Readings], Observed | None]:
    def rule(r: _Readings) -> Observed | None:
        value = r.number(quantity)
        if value is None:
            return None
        return r.observed(fact, large if value > limit(r.limits) else small, text.format(value=value))

    rule.__name__ = fact
    return rule


def _start_branch(r: _Readings) -> Observed | None:
    amps = r.number("start_a")
    if amps is None:
        return None
    rla = r.entry.plate.compressors[0].rla_a
    dead = amps < r.limits.start_branch_dead_pct / 100 * rla
    return r.observed(
        "start_branch", "dead" if dead else "carries", f"{say(amps, 'A', 2)} in the start lead."
    )


def _breaker(r: _Readings) -> Observed | None:
    rating, mca = r.number("breaker_a"), r.entry.plate.mca_a
    if rating is None or mca is None:
        return None
    return r.observed(
        "breaker", "small" if rating < mca else "right", f"Breaker {rating:g} A, plate asks {mca:g} A."
    )


_RULES: tuple[Callable[[_Readings], Observed | None], ...] = (
    _to_ground, _shorted_piece, _start_relay,
    _windings, _run_capacitor, _fan_capacitor, _contactor_look, _fuse, _kit, _kit_bypassed, _coil,
    _flag("control_fuse", "control_fuse_open", "open", "whole", "Control fuse open.", "Control fuse whole."),
    _flag("delay", "delay_active", "active", "no", "A delay or lockout shows.", "No delay or lockout shows."),
    _flag("rotation", "rotation_ok", "right", "wrong", "It turns the right way.", "It turns the wrong way."),
    _flag("condenser", "condenser_dirty", "dirty", "clean", "Condenser dirty.", "Condenser clean."),
    _flag("leads_off", "fan_only_runs", "holds", "trips", "With the compressor's leads off it holds.",
          "With the compressor's leads off it trips all the same."),
    _status, _supply_idle, _panel_dip, _path_loss, _terminal_volts, _contactor_drop, _turning, _start_time,
    _running, _fan, _legs,
    _imbalance, _pressures, _head, _charge, _rest, _start_branch, _breaker,
    _over("lines", "line_set_ft", lambda s: s.long_line_ft, "ordinary", "long", "{value:g} ft of line."),
    _over("idle_days", "idle_days", lambda s: s.idle_days_many, "few", "many", "{value:g} days idle."),
)  # fmt: skip


def _contradictions(entry: DiagnoseIn, r: _Readings) -> list[Contradiction]:
    found: list[Contradiction] = []

    def clash(fact: str, text: str, step: str) -> None:
        found.append(Contradiction(fact=fact, text=text, next_step=step))

    idle, start, end = (r.number(q) for q in ("line_v_idle", "line_v_start", "terminal_v_start"))
    if idle is not None and start is not None and start > idle + 2:
        clash(
            "panel_dip",
            f"{start:g} V during the start is above {idle:g} V idle.",
            "Take both again, same place, same meter.",
        )
    if start is not None and end is not None and end > start + 2:
        clash(
            "path_loss",
            f"{end:g} V at the terminals is above {start:g} V at the panel.",
            "Take both again during one start.",
        )
    hums = {"hums_no_start", "controls_on_nothing_runs", "no_sound"} & set(entry.symptoms)
    if (
        hums
        and r.get("running_a") is not None
        and r.get("start_time_s") is None
        and r.get("start_kit_bypassed_starts") is None
    ):
        clash(
            "start_behaviour",
            "It is said not to start, yet running amps are written down.",
            "Does it start now? Ask, or listen to one start.",
        )
    if {"controls_on_nothing_runs", "no_sound"} & set(entry.symptoms) and {
        "hums_no_start",
        "slow_start",
        "starts_then_trips",
    } & set(entry.symptoms):
        clash(
            "start_behaviour",
            "Nothing runs, and yet it hums or starts.",
            "Listen to one call for cooling and say which.",
        )
    none = next((e for e in entry.readings if e.quantity == "start_kit_present" and e.value is False), None)
    if none is not None and any(
        e.quantity in ("start_kit_contact_ohm", "start_kit_bypassed_starts") for e in entry.readings
    ):
        clash(
            "kit",
            "No start kit is fitted, yet one was tested.",
            "Look again for a kit across the run capacitor.",
        )
    ground = [e.value for e in entry.readings if e.quantity == "to_ground"]
    if True in ground and ground[-1] is False:
        clash(
            "to_ground",
            "To ground it was shorted, then clear: the short stands until it is said what was put right.",
            "Write down what was changed, or correct the reading that was wrong.",
        )
    spread: dict[str, list[Evidence]] = {}
    for e in entry.readings:
        if e.number is not None:
            spread.setdefault(f"{e.quantity} {e.where} {e.state}", []).append(e)
    for group in spread.values():
        values = [e.number or 0.0 for e in group]
        if len(values) > 1 and max(values) - min(values) > 0.15 * max(abs(v) for v in values):
            name, told = group[0].quantity, ", ".join(f"{v:g}" for v in values)
            clash(
                name,
                f"{name.replace('_', ' ')} was read as {told}; the last counts.",
                "Measure once more if both cannot be right.",
            )
    return found
