"""Run capacitors, as facts."""

from orange_crank.core.diagnosis.evidence.readings import Observed, Readings
from orange_crank.core.diagnosis.model import Evidence
from orange_crank.core.measure.capacitor import OUT_BY_LOOK, Capacitor, judge_capacitor
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import say


def run_capacitor(r: Readings) -> Observed | None:
    """Return how the run capacitor stands to its label."""
    reading, label = r.get("run_cap_uf"), r.entry.plate.run_cap_uf
    if reading is None or label is None:
        return None
    if reading.value == "open":
        return r.observed("run_capacitor", "open", msg("Run capacitor open."))
    return _judged_capacitor(r, reading, label, "run_capacitor", msg("Run capacitor"))


def _judged_capacitor(r: Readings, reading: Evidence, label: float, fact: str, word: str) -> Observed | None:
    uf = reading.number
    if uf is None:
        return None
    told = msg("{word} {uf} of {label}.", word=word, uf=say(uf, "µF", 3), label=say(label, "µF", 3))
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


def can_look(r: Readings) -> Observed | None:
    """Return whether the can is out by its look."""
    found = r.get("can_look")
    if found is None or found.value == "rusty":
        return None
    words = str(found.value).replace("_", " ")
    return r.observed(
        "can_look",
        "out" if found.value in OUT_BY_LOOK else "clean",
        msg("Run capacitor is {words}.", words=words),
    )


def can_label(r: Readings) -> Observed | None:
    """Return whether the can's own label is what the plate asks."""
    label, asked = r.number("can_label_uf"), r.entry.plate.run_cap_uf
    if label is None or asked is None:
        return None
    other = abs(label - asked) > r.limits.run_capacitor_pct / 100 * asked
    return r.observed(
        "can_label",
        "other" if other else "plate",
        (
            msg(
                "Capacitor is marked {label}; nameplate calls for {asked}.",
                label=say(label, "µF", 3),
                asked=say(asked, "µF", 3),
            )
        ),
    )


def fan_capacitor(r: Readings) -> Observed | None:
    """Return how the fan capacitor stands to its label."""
    reading, label = r.get("fan_cap_uf"), r.entry.plate.fan_cap_uf
    if reading is None or label is None:
        return None
    return _judged_capacitor(r, reading, label, "fan_capacitor", msg("Fan capacitor"))
