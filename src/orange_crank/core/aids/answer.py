"""What the cause, a reading or a stop asks for before any start aid."""

from collections.abc import Mapping
from typing import Literal

from orange_crank.core.aids.entry import AidAnswer, AidIn, AnswerKind
from orange_crank.core.diagnosis.model import Hypothesis
from orange_crank.core.diagnosis.table import priors
from orange_crank.core.messages import msg
from orange_crank.core.tables.standards import Standards

CauseRule = Literal["allowed", "first", "own"]
# Which causes allow a start aid. Every cause is in one column: an aid is allowed with it; it is put right
# first, because an aid would only hide it; or it has an answer of its own (``OWN_ANSWERS``).
CAUSES: Mapping[Hypothesis, CauseRule] = {
    "healthy": "allowed",
    "long_lines_or_liquid": "allowed",
    "source_too_small": "allowed",
    "pressure_not_equal": "own",
    "locked_rotor": "own",
    "worn_bearings": "own",
    "run_capacitor_weak": "first",
    "run_capacitor_open": "first",
    "capacitor_wrong_value": "first",
    "kit_masks_open_capacitor": "first",
    "start_kit_failed": "first",
    "kit_miswired": "first",
    "current_relay_or_external_overload": "first",
    "supply_low": "first",
    "segment_loss": "first",
    "no_line_at_unit": "first",
    "open_neutral": "first",
    "phase_fault": "first",
    "reverse_rotation": "first",
    "breaker_weak_or_small": "first",
    "loose_lug_at_breaker": "first",
    "contactor_worn": "first",
    "control_voltage_low": "first",
    "control_fuse_or_transformer": "first",
    "control_switch_open": "first",
    "delay_or_lockout": "first",
    "overcharge": "first",
    "low_charge": "first",
    "high_head": "first",
    "fan_motor": "first",
    "fan_reversed": "first",
    "overload_open": "first",
    "overload_failed_open": "first",
    "start_winding_open": "first",
    "run_winding_open": "first",
    "winding_grounded": "first",
    "turn_short": "first",
    "other_part_grounded": "first",
    "drive_or_board": "first",
    "leg_to_leg_short": "first",
    "lead_or_terminal_open": "first",
}
# Causes that lead to an answer of their own, no kit as the best fit.
OWN_ANSWERS: dict[Hypothesis, tuple[AnswerKind, str]] = {
    "pressure_not_equal": (
        "delay",
        msg(
            "Give the pressures time to meet: a delay between starts, no more torque. A "
            "valve that holds is found first."
        ),
    ),
    "locked_rotor": (
        "trial",
        msg(
            "Try one kit, agreed in writing first. No start: the kit comes off, no charge. "
            "Starts: expect a short, unknown life."
        ),
    ),
    "worn_bearings": ("buys_time", msg("An aid buys time, not years: plan the compressor's replacement.")),
}


def answer_of(entry: AidIn, limits: Standards) -> AidAnswer | None:
    """Return what comes before any start aid, or None where one may be chosen.

    Notes
    -----
    In this order: a stop; the run capacitor as it was read, whatever cause was taken or put right; the cause,
    unless it is put right; then what is still to be asked: the capacitor on this call, the refrigerant.

    """
    if entry.stop:
        return AidAnswer(kind="stop", text=entry.stop)
    capacitor = _of_capacitor(entry, limits)
    if capacitor is not None:
        return capacitor
    cause = entry.diagnosis
    if cause is not None and not entry.put_right:
        if CAUSES[cause] == "first":
            prior = priors()[cause]
            return AidAnswer(
                kind="fix",
                text=msg("{title}: {fix} An aid would only hide it.", title=prior.title, fix=prior.fix),
            )
        if cause in OWN_ANSWERS:
            kind, text = OWN_ANSWERS[cause]
            return AidAnswer(kind=kind, text=text)
    if entry.run_cap_measured is False and entry.plate.run_cap_uf is not None:
        return AidAnswer(
            kind="ask",
            text=msg("Measure the run capacitor first: a weak or open one looks like a hard start."),
        )
    if entry.plate.refrigerant is None:
        return AidAnswer(
            kind="ask",
            text=msg("Enter the refrigerant from the nameplate first: if it burns, only listed parts go in."),
        )
    return None


def _of_capacitor(entry: AidIn, limits: Standards) -> AidAnswer | None:
    read, label = entry.run_cap_uf, entry.plate.run_cap_uf
    if label is None:
        return None
    if read == "open":
        return AidAnswer(kind="fix", text=msg("Run capacitor open: replace it. An aid would only hide it."))
    if isinstance(read, float):
        off = 100 * (read - label) / label
        if abs(off) > limits.run_capacitor_pct + 1e-9:
            return AidAnswer(
                kind="fix",
                text=msg(
                    "Run capacitor reads {read:.3g} µF, nameplate {label:.3g} µF ({off:+.0f} %): "
                    "fit the right one first. An aid would only hide it.",
                    read=read,
                    label=label,
                    off=off,
                ),
            )
    return None
