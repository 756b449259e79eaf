"""Rung 9: prove it."""

from orange_crank.core.call.before_after import starts_after, starts_before
from orange_crank.core.call.judge import JudgedCall
from orange_crank.core.call.rungs.rung import Contact, Rung
from orange_crank.core.call.work import work_words
from orange_crank.core.nomenclature import Verdict


def prove_rung(call: JudgedCall) -> Rung:
    """Say whether the work is proved: a start before against a start after, and the decision on it."""
    facts, pair = call.facts, call.before_after
    before, after = starts_before(facts), starts_after(facts)
    contacts = [
        Contact(word="Before", closed=bool(before), why="A start measured before anything was changed"),
        Contact(word="Change", closed=bool(facts.changes), why="What was changed, written down"),
        Contact(word="After", closed=bool(after), why="A start measured after the last change"),
    ]
    if pair is None:
        step = (
            "Measure a start before changing anything."
            if not before
            else "Write down what was changed."
            if not facts.changes
            else "Measure the start again: same clamp position, same meter mode, same off time."
        )
        return Rung(
            key="prove",
            number=9,
            title="Prove",
            status="blocked" if not before else "ready",
            danger="live",
            contacts=contacts,
            load="Nothing to compare yet",
            verdict="unknown",
            next_step=step,
            next_is_live=step.startswith("Measure"),
        )
    result = pair.result
    fitted_by, _, kept_by = work_words(facts)
    undecided = [t for k, t in fitted_by.items() if k not in kept_by]
    contacts.append(Contact(word="Decided", closed=not undecided, why="Keep it or remove it, and why"))
    by_comparability: dict[str, Verdict] = {"yes": "pass", "weak": "watch", "no": "fail"}
    verdict = by_comparability[result.comparable]
    if result.comparable != "no":
        ended = next(r.entry.outcome or "started" for r in facts.readings if r.id == pair.after_id)
        worse = result.change_pct is not None and result.change_pct > 0.5
        if ended != "started":
            verdict = "fail"
        elif worse:
            verdict = "watch"
    words = {"yes": "comparable", "weak": "weak", "no": "not comparable"}[result.comparable]
    change = (
        f"{result.change_pct:+.0f} %".replace("-", "−")
        if result.change_pct is not None
        else result.sentence.split(".")[0]
    )
    if result.comparable == "no":
        change = "Retake"
    return Rung(
        key="prove",
        number=9,
        title="Prove",
        status="energized" if result.comparable != "no" else "ready",
        danger="live",
        contacts=contacts,
        load=f"{change} · {words}",
        verdict=verdict,
        next_step=result.reasons[0]
        if result.reasons
        else f"Decide: keep or remove the {undecided[0]}."
        if undecided
        else None,
        next_is_live=bool(result.reasons),
    )
