"""What stops the work, and the guard that will not let a good compressor be condemned."""

from orange_crank.core.diagnosis.engine import Weighed
from orange_crank.core.diagnosis.model import Condemn, DiagnoseIn, Hypothesis, Measured, Missing
from orange_crank.core.diagnosis.stop_facts import stop_facts
from orange_crank.core.measure.running import judge_supply
from orange_crank.core.messages import msg
from orange_crank.core.safety.stop import HAZARD_STOPS, WorkStop, gravest_first, work_stop
from orange_crank.core.tables.standards import Standards

CONDEMNING: tuple[Hypothesis, ...] = (
    "locked_rotor", "start_winding_open", "run_winding_open", "winding_grounded", "turn_short",
    "overload_failed_open",
)  # fmt: skip
WHY_IT_DIED = [
    msg("Acid or moisture: test the oil, fit a clean-up drier."),
    msg("Floodback or slugging: superheat, metering device, lines."),
    msg("Burnt leads or a loose connection: repair it before you power the new compressor."),
    (msg("Low voltage or repeated locked-rotor starts: fix the supply first, then add a start aid.")),
    msg("Overcharge or a dirty condenser: weigh in, clean."),
    msg("Contactor: a new compressor gets new contacts."),
]


_THREE: tuple[Measured, ...] = ("winding_cs_ohm", "winding_cr_ohm", "winding_sr_ohm")
# What each proof says once it is there, what is to be done while it is missing, and the readings it asks for.
_PROOFS: dict[str, tuple[str, str, tuple[Measured, ...]]] = {
    "WINDING_OPEN": (msg("A winding is open."), msg("Measure the three pairs, leads off."), _THREE),
    "AT_PINS": (
        msg("Measured at the compressor's own pins."),
        msg(
            "Measure the open pair at the compressor's own pins: a lead, splice or "
            "terminal may be what is open."
        ),
        ("windings_at_pins",),
    ),
    "COMMON_OPEN": (
        msg("Open from common to both R and S."),
        msg("Measure the three pairs, leads off."),
        _THREE,
    ),
    "PINS": (
        msg("Open at the compressor terminals too."),
        (
            msg(
                "Remeasure the open pairs at the compressor terminals. Rule out a burnt lead "
                "or terminal first."
            )
        ),
        ("windings_at_pins",),
    ),
    "RESTED": (
        msg("Still open after hours cold."),
        (
            msg(
                "Leave it off for hours, best overnight. Enter the time off and measure again. "
                "The overload resets when cool."
            )
        ),
        ("minutes_rest",),
    ),
    "COLD": (msg("Measured cold."), msg("Let it cool, feel the shell, and measure again."), ("shell_hot",)),
    "GROUNDED": (msg("Continuity to metal."), msg("Measure to ground, contactor open."), ("to_ground",)),
    "ISOLATED": (
        msg("It is the compressor, not a part wired to it."),
        msg("Leads off and insulated: is the short in the compressor, at its own terminals?"),
        ("shorted_piece", "to_ground"),
    ),
    "VOLTS": (
        msg("Volts good at the terminals during the attempt."),
        (msg("Volts at the compressor or contactor load side during the start, within the nameplate range.")),
        ("terminal_v_start",),
    ),
    "RUN_CAPACITOR": (
        msg("Run capacitor good, measured on this call."),
        msg("Measure the run capacitor on this call, or put a good one in."),
        ("run_cap_uf",),
    ),
    "START_KIT": (
        msg("Hard-start kit ruled out."),
        msg("Fix any wrong kit wiring. Bypass the kit and try once, or enter that there is none."),
        ("start_kit_present", "start_kit_bypassed_starts"),
    ),
    "START_RELAY": (
        msg("Start relay and overload tested, or bypassed."),
        msg("Test the start relay and the external overload, or bypass them and try once."),
        ("start_relay_verdict", "start_kit_bypassed_starts"),
    ),
    "PHASES": (
        msg("Phases balanced, rotation right."),
        msg("Measure the three phases and see which way it turns."),
        ("phase_imbalance_pct", "rotation_ok"),
    ),
    "WINDINGS": (
        msg("Windings measured."),
        msg("Measure the windings; where one reads open, let it cool and measure again."),
        _THREE,
    ),
    "TO_GROUND": (msg("Clear to ground."), msg("Measure to ground, contactor open."), ("to_ground",)),
    "NOT_TURNING": (
        msg("Locked-rotor amps that do not fall over a second."),
        msg("Amps on common at the start and a second later, or watch and listen for the motor turning."),
        ("inrush_a",),
    ),
    "REFERENCE": (
        msg("Lower than on an earlier visit."),
        (msg("Compare the ohms with an earlier visit or the manufacturer's data at a known temperature.")),
        (),
    ),
}
_LIVE_PROOFS = ("VOLTS", "NOT_TURNING", "PHASES")
_TRIAL = {
    "none": (
        msg(
            "With everything else ruled out, you may try one hard-start kit, approved in "
            "writing first. No start: the kit comes off, no charge. Starts: expect a "
            "short, unknown life."
        )
    ),
    "agreed": msg("Trial approved. Try once, then enter the result."),
    "started": (
        msg(
            "The trial started it. It is on borrowed time: tell the customer in writing "
            "and plan the replacement."
        )
    ),
    "did_not_start": msg("The trial did not start it: the kit comes off and is not charged."),
}


def find_stop(entry: DiagnoseIn, weighed: Weighed, limits: Standards) -> WorkStop | None:
    """Return what stops the work, gravest first; it outranks every cause.

    What the judge of a call says stands; without a call the entry's own readings and hazards are looked at.
    """
    if entry.stops:
        return entry.stops[0]
    seen = weighed.seen.facts

    def is_(fact: str, outcome: str) -> bool:
        return fact in seen and seen[fact].outcomes == (outcome,)

    found = [
        work_stop(HAZARD_STOPS[h]) for h in entry.hazards if h != "repeated_trips" or "to_ground" not in seen
    ]
    clear = is_("to_ground", "clear")
    for fact in stop_facts(entry.readings, entry.plate, limits):
        if fact.code == "FUSE_BLOWN" and clear:
            continue
        found.append(work_stop(fact.code, **({"text": fact.text} if fact.text else {})))
    if is_("far_above", "yes"):
        found.append(work_stop("SHORT_CURRENT"))
    return gravest_first(found)[0] if found else None


def judge_condemnation(entry: DiagnoseIn, weighed: Weighed, limits: Standards) -> Condemn:
    """Say whether the record proves the compressor dead, and what it lacks.

    Notes
    -----
    Open or grounded windings, confirmed cold and at the compressor, are enough by themselves. A locked rotor
    wants every other cause disproved on this call.

    """
    seen = weighed.seen.facts
    top = weighed.states[int(weighed.p.argmax())]
    cause = next((h for h in top if h in CONDEMNING), None)
    missing: list[Missing] = []
    proof: list[str] = []

    def need(ok: bool, code: str) -> None:
        said, step, asks = _PROOFS[code]
        if ok:
            proof.append(said)
        else:
            missing.append(Missing(code=code, text=step, asks=list(asks), live=code in _LIVE_PROOFS))

    def is_(fact: str, *outcomes: str) -> bool:
        return fact in seen and set(seen[fact].outcomes) <= set(outcomes)

    shell = next((r for r in reversed(entry.readings) if r.quantity == "shell_hot"), None)
    cold = shell is not None and shell.value is False
    if cause in ("start_winding_open", "run_winding_open") or is_("windings", "start_open", "run_open"):
        need(is_("windings", "start_open", "run_open"), "WINDING_OPEN")
        # Winding ohms are read leads off, at R, S and C; said to be read elsewhere they prove a lead at most.
        # Ohms are read at the service end of the leads: only the pins themselves tell a lead from a winding.
        three = [r for r in entry.readings if r.quantity in _THREE]
        need(is_("pins", "same") or (all(r.where == "terminals" for r in three) and bool(three)), "AT_PINS")
        need(cold, "COLD")
        return _outcome(cause, missing, proof, None)
    if cause == "overload_failed_open" or is_("windings", "common_open_cold"):
        rested = next((r.number for r in reversed(entry.readings) if r.quantity == "minutes_rest"), None)
        need(is_("windings", "common_open_cold"), "COMMON_OPEN")
        need(is_("pins", "same"), "PINS")
        need(cold, "COLD")
        need(rested is not None and rested >= limits.overload_rest_min, "RESTED")
        return _outcome(cause, missing, proof, None)
    if cause == "winding_grounded" or is_("to_ground", "grounded"):
        isolated = (
            is_("leads_off", "holds")
            or is_("shorted_piece", "compressor")
            or any(
                r.quantity == "to_ground" and r.value is True and r.where == "terminals"
                for r in entry.readings
            )
        )
        need(is_("to_ground", "grounded"), "GROUNDED")
        need(isolated, "ISOLATED")
        need(cold, "COLD")
        return _outcome(cause, missing, proof, None)
    need(_volts_were_good(entry, limits), "VOLTS")
    if entry.plate.phase == 1:
        if entry.plate.run_cap_uf is not None:
            need(is_("run_capacitor", "good"), "RUN_CAPACITOR")
            wrong = is_("kit_wiring", "wrong")
            need((is_("kit_bypassed", "same") and not wrong) or is_("kit", "none"), "START_KIT")
        else:
            # A motor without a run capacitor has a start relay: none fitted is no proof here.
            need(is_("kit_bypassed", "same") or is_("start_relay", "good"), "START_RELAY")
    else:
        need(is_("rotation", "right") or is_("imbalance", "small"), "PHASES")
    need(is_("windings", "sound", "turn_short"), "WINDINGS")
    need(is_("to_ground", "clear"), "TO_GROUND")
    need(is_("turning", "not_turning"), "NOT_TURNING")
    if cause == "turn_short":
        need(entry.history is not None and is_("windings", "turn_short"), "REFERENCE")
    asked = cause == "locked_rotor" or entry.kit_trial is not None
    trial = _TRIAL[entry.kit_trial or "none"] if asked else None
    return _outcome(cause if entry.kit_trial != "started" else None, missing, proof, trial)


def _volts_were_good(entry: DiagnoseIn, limits: Standards) -> bool:
    """Tell whether volts at the terminals or the contactor's load side were good during the attempt."""
    for r in reversed(entry.readings):
        there = r.quantity == "terminal_v_start" or (
            r.quantity == "line_v_start" and r.where in ("terminals", "contactor_load")
        )
        if there and r.number is not None:
            return judge_supply(r.number, entry.plate.volts, limits).verdict == "pass"
    return False


def _outcome(
    cause: Hypothesis | None, missing: list[Missing], proof: list[str], trial: str | None
) -> Condemn:
    if cause is None and not missing:
        missing = [
            Missing(
                code="NOT_THE_CAUSE",
                text=msg("The readings point to something else. Fix that and try again."),
            )
        ]
    return Condemn(
        allowed=cause is not None and not missing,
        missing=missing,
        proof=proof,
        trial=trial,
        ask_why=WHY_IT_DIED,
    )
