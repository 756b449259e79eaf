"""The evidence engine: every cause weighed by every fact, one factor a fact, nothing hidden."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from orange_crank.core.diagnosis.by_model import Bound, ModelRow, rows_by_model
from orange_crank.core.diagnosis.evidence import Seen, observe
from orange_crank.core.diagnosis.model import HYPOTHESES, DiagnoseIn, Hypothesis
from orange_crank.core.diagnosis.table import engine, facts, likelihoods, priors, rows_of
from orange_crank.core.messages import joined, msg
from orange_crank.core.tables.standards import Standards

Vector = NDArray[np.float64]
State = tuple[Hypothesis, ...]

_SINGLE_PHASE_ONLY: set[Hypothesis] = {
    "run_capacitor_weak", "run_capacitor_open", "start_kit_failed", "start_winding_open", "run_winding_open",
    "kit_masks_open_capacitor", "open_neutral", "current_relay_or_external_overload", "kit_miswired",
    "capacitor_wrong_value",
}  # fmt: skip
_NOT_INVERTER: set[Hypothesis] = _SINGLE_PHASE_ONLY | {
    "contactor_worn", "control_voltage_low", "pressure_not_equal", "long_lines_or_liquid", "overload_open",
    "turn_short", "phase_fault", "reverse_rotation", "locked_rotor", "worn_bearings", "overload_failed_open",
    "lead_or_terminal_open", "source_too_small",
}  # fmt: skip
_NEEDS_RUN_CAP: set[Hypothesis] = {
    "run_capacitor_weak", "run_capacitor_open", "kit_masks_open_capacitor",
    "capacitor_wrong_value",
}  # fmt: skip
TOLD_OF_THE_START = {"hums", "slow", "normal"}
# Facts the start model computes.
OF_THE_START = {"turning", "start_time", "start_behaviour"}
_NEEDS_KIT: set[Hypothesis] = {"start_kit_failed", "kit_masks_open_capacitor", "kit_miswired"}


@dataclass
class Weighed:
    """The causes with their probabilities, and every factor that made them."""

    states: list[State]
    p: Vector
    before: Vector  # before anything was known
    seen: Seen
    factors: dict[str, Vector] = field(default_factory=dict)
    by_model: dict[Hypothesis, ModelRow] = field(default_factory=dict)

    def of(self, hypothesis: Hypothesis) -> float:
        """Return a cause's probability; a pair's is shared between its two."""
        return float(sum(p / len(s) for s, p in zip(self.states, self.p, strict=True) if hypothesis in s))


def applicable(entry: DiagnoseIn) -> list[State]:
    """Return the causes this plate can have, singly and in the usual pairs."""
    plate = entry.plate
    scroll = any("scroll" in (c.kind or "").lower() for c in plate.compressors)
    small = plate.run_cap_uf is None
    absent = any(r.quantity == "start_kit_present" and r.value is False for r in entry.readings)

    def fits(h: Hypothesis) -> bool:
        if h == "drive_or_board" and not plate.is_inverter:
            return False
        if plate.is_inverter and h in _NOT_INVERTER:
            return False
        if plate.phase == 3 and h in _SINGLE_PHASE_ONLY:
            return False
        if h == "phase_fault" and plate.phase != 3:
            return False
        if h == "reverse_rotation" and plate.phase != 3 and not scroll:
            return False
        if h in _NEEDS_RUN_CAP and small:
            return False
        if h == "current_relay_or_external_overload" and not small:
            return False
        if h == "open_neutral" and plate.volts < 150:
            return False
        if h == "source_too_small" and "will_not_run_on_backup" not in entry.symptoms:
            return False
        return not (h in _NEEDS_KIT and absent)

    singles: list[State] = [(h,) for h in HYPOTHESES if fits(h)]
    pairs: list[State] = [p.hypotheses for p in likelihoods().pairs if all(fits(h) for h in p.hypotheses)]
    return singles + pairs


def weigh(entry: DiagnoseIn, limits: Standards) -> Weighed:
    """Weigh every cause by everything seen.

    Notes
    -----
    P(cause | facts) ∝ weight × ∏ P(outcome | cause). One that lies among several takes their sum.
    Under a pair, a fact that only one of the two shows in is that one's; where both do, their mean.

    """
    seen = observe(entry, limits)
    states = applicable(entry)
    start = prior_weights(entry, states)
    start *= np.array([_history(entry, s) for s in states])
    model = rows_by_model(entry, _measured(entry), limits)
    weighed = Weighed(
        states=states, p=start / start.sum(), before=start / start.sum(), seen=seen, by_model=model
    )
    log_p = np.log(weighed.p)
    measured = {"turning", "start_time"} & set(seen.facts)
    for observed in seen.facts.values():
        factor = likelihood(observed.fact, observed.outcomes, states, model)
        if observed.fact == "start_behaviour" and measured and observed.outcomes[0] in TOLD_OF_THE_START:
            # Told and measured of the same start: one fact, and the measured one leads.
            factor = factor**limits.told_weight
        weighed.factors[observed.fact] = factor
        log_p += np.log(factor)
    p = np.exp(log_p - log_p.max())
    weighed.p = p / p.sum()
    return weighed


def calibrated(p: Vector) -> Vector:
    """Return probabilities as they are shown: a distribution raised to the power fitted on kept cases.

    Notes
    -----
    The condemnation guard goes by the cautious ones of ``weigh``; people read these, and tests end by them.

    References
    ----------
    Guo et al. (2017), On calibration of modern neural networks: temperature scaling.

    """
    sharper: Vector = p ** engine().calibration_power
    shown: Vector = sharper / sharper.sum()
    return shown


def prior_weights(entry: DiagnoseIn, states: list[State]) -> Vector:
    """Return how common each state is before anything is known, shop's own calls counted in, (states,).

    Notes
    -----
    The shipped weights count as so many closed calls; the shop's own are added to them, so that its tally
    takes over as it grows. A pair moves with the mean of its two.

    """
    shipped = {h: p.weight for h, p in priors().items()}
    counted = learned_weights(entry)
    pairs = {p.hypotheses: p.weight for p in likelihoods().pairs}
    return np.array(
        [
            counted[s[0]]
            if len(s) == 1
            else pairs[(s[0], s[1])] * float(np.mean([counted[h] / shipped[h] for h in s]))
            for s in states
        ]
    )


def learned_weights(entry: DiagnoseIn) -> dict[Hypothesis, float]:
    """Return the shipped weights with this shop's closed calls added, on the shipped scale."""
    shipped = {h: p.weight for h, p in priors().items()}
    a_call = sum(shipped.values()) / engine().prior_calls
    return {h: w + a_call * entry.shop_calls.get(h, 0) for h, w in shipped.items()}


def _measured(entry: DiagnoseIn) -> Bound:
    """Return what is measured already and so holds under every cause the model plays."""

    def last(quantity: str) -> float | None:
        return next((r.number for r in reversed(entry.readings) if r.quantity == quantity and r.number), None)

    beside = next((r.volts for r in reversed(entry.readings) if r.quantity == "inrush_a" and r.volts), None)
    return Bound(
        cap_uf=last("run_cap_uf"), panel_v=last("line_v_start") or beside, terminal_v=last("terminal_v_start")
    )


def row(fact: str, hypothesis: Hypothesis, model: Mapping[Hypothesis, ModelRow]) -> Vector:
    """Return P(outcome) of a fact under one cause: the table's, tempered by the model where it speaks."""
    own = rows_of(fact).get(hypothesis)
    table = np.array(own.p if own is not None else facts()[fact].default)
    if fact in OF_THE_START and hypothesis in model:
        played = model[hypothesis]
        computed = np.array(played.turning if fact == "turning" else played.times)
        if fact == "start_behaviour":
            if not played.capacitor_known:
                floored: Vector = np.maximum(table, 1e-4)
                return floored
            computed = _told(table, played)
        table = (1 - engine().model_trust) * table + engine().model_trust * computed
    lifted: Vector = np.maximum(table, 1e-4)
    return lifted


def _told(table: Vector, played: ModelRow) -> Vector:
    """Return the row of what is told with hum, slow and prompt starts shared out as the model computes them.

    With the capacitor measured, a hum speaks for a weak one exactly as far as the start stalls on it.
    """
    names = facts()["start_behaviour"].outcomes
    hums, slow, normal = (names.index(n) for n in ("hums", "slow", "normal"))
    mass = table[[hums, slow, normal]].sum()
    away, stalls = played.turning
    computed: Vector = table.copy()
    computed[hums] = mass * stalls
    computed[slow] = mass * away * (1 - played.times[0])
    computed[normal] = mass * away * played.times[0]
    return computed


def _state_row(fact: str, state: State, model: Mapping[Hypothesis, ModelRow]) -> Vector:
    own = [h for h in state if h in rows_of(fact)]
    mean: Vector = np.mean([row(fact, h, model) for h in (own or state)], axis=0)
    return mean


@lru_cache(maxsize=512)
def _table_matrix(fact: str, states: tuple[State, ...]) -> Vector:
    """Return the table's own P(outcome | state), cached: it depends on the shipped table alone."""
    table = np.array([_state_row(fact, s, {}) for s in states])
    table.setflags(write=False)
    return table


def matrix(fact: str, states: list[State], model: Mapping[Hypothesis, ModelRow]) -> Vector:
    """Return P(outcome | state) of a fact, (states, outcomes); read only."""
    table = _table_matrix(fact, tuple(states))
    if fact not in OF_THE_START or not model:
        return table
    tempered = table.copy()
    for i, state in enumerate(states):
        if not model.keys().isdisjoint(state):
            tempered[i] = _state_row(fact, state, model)
    tempered.setflags(write=False)
    return tempered


def likelihood(
    fact: str,
    outcomes: tuple[str, ...],
    states: list[State],
    model: Mapping[Hypothesis, ModelRow],
) -> Vector:
    """Return P(one of these outcomes | state), (states,)."""
    names = facts()[fact].outcomes
    picked = [names.index(o) for o in outcomes]
    total: Vector = matrix(fact, states, model)[:, picked].sum(axis=1)
    return total


def _history(entry: DiagnoseIn, state: State) -> float:
    """Return how earlier visits shift a cause's weight."""
    return math.prod(factor for h in state for factor, _ in history_points(entry, h))


def history_points(entry: DiagnoseIn, hypothesis: Hypothesis) -> list[tuple[float, str]]:
    """Return what earlier visits say of a cause: how many times likelier, and in words."""
    if entry.history is None:
        return []
    found: list[tuple[float, str]] = []
    label = entry.plate.run_cap_uf
    caps = sorted(
        (r for r in entry.history.readings if r.quantity == "run_cap_uf"),
        key=lambda r: r.days_ago,
        reverse=True,
    )
    replaced = joined(entry.history.replaced, " ").lower()
    if hypothesis in ("run_capacitor_weak", "run_capacitor_open"):
        if label is not None and len(caps) >= 2 and caps[-1].value < caps[0].value - 0.01 * label:
            found.append(
                (
                    engine().fading,
                    msg(
                        "It faded over the visits: {value:g} → {value_2:g} µF.",
                        value=caps[0].value,
                        value_2=caps[-1].value,
                    ),
                )
            )
        if "capacitor" in replaced:
            found.append((engine().lately_new, msg("A capacitor was replaced on an earlier visit.")))
    if hypothesis == "contactor_worn" and "contactor" in replaced:
        found.append((engine().lately_new, msg("The contactor was replaced on an earlier visit.")))
    if hypothesis in ("start_kit_failed", "kit_masks_open_capacitor") and "kit" in replaced:
        found.append((engine().fading, msg("A start kit was fitted on an earlier visit.")))
    return found


def entropy(p: Vector) -> float:
    """Return the uncertainty of a distribution [bit].

    >>> entropy(np.array([0.5, 0.5]))
    1.0
    """
    live = p[p > 1e-12]
    return float(-(live * np.log2(live)).sum()) + 0.0


def surprise(weighed: Weighed) -> float:
    """Return how badly even the best cause explains what was seen, in bits a fact over its own ordinary."""
    if not weighed.factors:
        return 0.0
    best = int(weighed.p.argmax())
    total = 0.0
    for fact, factor in weighed.factors.items():
        own = matrix(fact, [weighed.states[best]], weighed.by_model)[0]
        ordinary = float((own * np.log2(own)).sum())
        total += ordinary - math.log2(max(float(factor[best]), 1e-6))
    return total / math.sqrt(len(weighed.factors))
