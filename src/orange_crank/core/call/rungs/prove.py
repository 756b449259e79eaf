"""Rung 9: prove it."""

from orange_crank.core.call.before_after import starts_after, starts_before
from orange_crank.core.call.judge import JudgedCall
from orange_crank.core.call.rungs.rung import Contact, Rung
from orange_crank.core.call.work import work_words
from orange_crank.core.messages import msg, shaped
from orange_crank.core.nomenclature import Verdict


def _first_sentence(text: str) -> str:
    return text.split(".")[0]


def prove_rung(call: JudgedCall) -> Rung:
    """Say whether the work is proved: a start before against a start after, and the decision on it."""
    facts, pair = call.facts, call.before_after
    before, after = starts_before(facts), starts_after(facts)
    contacts = [
        Contact(
            word=msg("Before"), closed=bool(before), why=msg("A start measured before anything was changed")
        ),
        Contact(word=msg("Change"), closed=bool(facts.changes), why=msg("What was changed, written down")),
        Contact(word=msg("After"), closed=bool(after), why=msg("A start measured after the last change")),
    ]
    if pair is None:
        step = (
            msg("Measure a start before changing anything.")
            if not before
            else msg("Write down what was changed.")
            if not facts.changes
            else msg("Measure the start again: same clamp position, same meter mode, same off time.")
        )
        return Rung(
            key="prove",
            number=9,
            title=msg("Prove"),
            status="blocked" if not before else "ready",
            danger="live",
            contacts=contacts,
            load=msg("Nothing to compare yet"),
            verdict="unknown",
            next_step=step,
            next_is_live=step.startswith("Measure"),
        )
    result = pair.result
    fitted_by, _, kept_by = work_words(facts)
    undecided = [t for k, t in fitted_by.items() if k not in kept_by]
    contacts.append(
        Contact(word=msg("Decided"), closed=not undecided, why=msg("Keep it or remove it, and why"))
    )
    by_comparability: dict[str, Verdict] = {"yes": "pass", "weak": "watch", "no": "fail"}
    verdict = by_comparability[result.comparable]
    if result.comparable != "no":
        ended = next(r.entry.outcome or "started" for r in facts.readings if r.id == pair.after_id)
        worse = result.change_pct is not None and result.change_pct > 0.5
        if ended != "started":
            verdict = "fail"
        elif worse:
            verdict = "watch"
    words = {"yes": msg("comparable"), "weak": msg("weak"), "no": msg("not comparable")}[result.comparable]
    change = (
        f"{result.change_pct:+.0f} %".replace("-", "−")
        if result.change_pct is not None
        else shaped(result.sentence, _first_sentence)
    )
    if result.comparable == "no":
        change = msg("Retake")
    return Rung(
        key="prove",
        number=9,
        title=msg("Prove"),
        status="energized" if result.comparable != "no" else "ready",
        danger="live",
        contacts=contacts,
        load=msg("{change} · {words}", change=change, words=words),
        verdict=verdict,
        next_step=result.reasons[0]
        if result.reasons
        else msg("Decide: keep or remove the {undecided}.", undecided=undecided[0])
        if undecided
        else None,
        next_is_live=bool(result.reasons),
    )
