"""What the cause, or a reading, asks for before any kit."""

from orange_crank.core.aids.entry import AidAnswer, AidIn, AnswerKind
from orange_crank.core.diagnosis.model import Hypothesis
from orange_crank.core.diagnosis.table import priors
from orange_crank.core.tables.standards import Standards

# Causes that an aid would only hide.
PUT_RIGHT_FIRST: tuple[Hypothesis, ...] = (
    "run_capacitor_weak", "run_capacitor_open", "start_kit_failed", "supply_low", "segment_loss",
    "contactor_worn", "control_voltage_low", "overcharge", "high_head", "fan_motor", "overload_open",
    "start_winding_open", "run_winding_open", "winding_grounded", "turn_short", "breaker_weak_or_small",
    "open_neutral", "delay_or_lockout", "control_fuse_or_transformer", "kit_masks_open_capacitor",
    "current_relay_or_external_overload", "phase_fault", "reverse_rotation",
)  # fmt: skip


# Causes that lead to an answer of their own, no kit as the best fit.
OWN_ANSWERS: dict[Hypothesis, tuple[AnswerKind, str]] = {
    "pressure_not_equal": (
        "delay",
        "Give the pressures time to meet: a delay between starts, no more torque. A valve that holds "
        "is found first.",
    ),
    "locked_rotor": (
        "trial",
        "One trial with a kit, agreed in writing beforehand: if it does not start, the kit comes off and "
        "is not charged; if it does, expect a short and unknown life.",
    ),
    "worn_bearings": ("buys_time", "An aid buys time, not years: plan the compressor's replacement."),
}


def answer_of(entry: AidIn, limits: Standards) -> AidAnswer | None:
    """Return what the cause taken, or the run capacitor as it was read, asks for before any kit."""
    if entry.put_right:
        return None
    if entry.diagnosis in PUT_RIGHT_FIRST:
        prior = priors()[entry.diagnosis]
        return AidAnswer(kind="fix", text=f"{prior.title}: {prior.fix} An aid would only hide it.")
    if entry.diagnosis in OWN_ANSWERS:
        kind, text = OWN_ANSWERS[entry.diagnosis]
        return AidAnswer(kind=kind, text=text)
    read, label = entry.run_cap_uf, entry.plate.run_cap_uf
    if read == "open" and label is not None:
        return AidAnswer(kind="fix", text="Run capacitor open: replace it. An aid would only hide it.")
    if isinstance(read, float) and label is not None:
        off = 100 * (read - label) / label
        if abs(off) > limits.run_capacitor_pct + 1e-9:
            return AidAnswer(
                kind="fix",
                text=f"Run capacitor reads {read:.3g} µF, the plate asks {label:.3g} µF ({off:+.0f} %): "
                f"fit the right one first. An aid would only hide it.",
            )
    return None
