"""Why it starts hard: ranked causes, the next best test, what stops the work, what may be condemned."""

import math
from dataclasses import replace
from typing import Literal

from orange_crank.core.diagnosis.engine import (
    Weighed,
    calibrated,
    history_points,
    learned_weights,
    surprise,
    weigh,
)
from orange_crank.core.diagnosis.guard import CONDEMNING, find_stop, judge_condemnation
from orange_crank.core.diagnosis.model import (
    HYPOTHESES,
    Condemn,
    Contradiction,
    DiagnoseIn,
    DiagnoseOut,
    Hypothesis,
    NextTest,
    Pair,
    Point,
    Ranked,
)
from orange_crank.core.diagnosis.next_best import next_tests, skipped_tests
from orange_crank.core.diagnosis.table import diagnosis_tests, engine, facts, priors, rows_of
from orange_crank.core.messages import joined, msg, no_stop, shaped
from orange_crank.core.nomenclature import Finding
from orange_crank.core.safety.stop import WorkStop, plain_words
from orange_crank.core.tables.standards import Standards, shipped_standards


def diagnose(entry: DiagnoseIn, standards: Standards | None = None) -> DiagnoseOut:
    """Rank what may be wrong, and say what to find out next.

    Raises
    ------
    InputProblem : a symptom or reading is none of its kind (when the entry is read)

    Notes
    -----
    Naive Bayes over facts: one factor a fact however many readings speak of it, single faults and the common
    pairs. Where the start model speaks, its computed starts temper the table's rows.

    References
    ----------
    Table of likelihoods: ``core/tables/likelihoods.json``, a reason on every row.

    """
    limits = standards or shipped_standards()
    weighed = weigh(entry, limits)
    stop = find_stop(entry, weighed, limits)
    upcoming = next_tests(entry, weighed, stop, limits)
    ranked = _ranked(entry, weighed)
    contradictions = list(weighed.seen.contradictions)
    if surprise(weighed) > engine().surprised_bit:
        contradictions.append(
            Contradiction(
                fact="all",
                text=msg("No single cause fits these readings."),
                next_step=msg("Repeat the oddest reading: same place, same meter."),
            )
        )
    condemn = judge_condemnation(entry, weighed, limits)
    proofs = _dead_proofs(ranked[0].hypothesis, condemn, upcoming)
    upcoming = [*proofs, *(t for t in upcoming if t not in proofs)]
    of_repair = sum(r.probability for r in ranked if r.repair == ranked[0].repair)
    # A compressor is not decided dead while a proof that costs no live work is still to be had.
    decided = (of_repair >= limits.decided_probability and not proofs) or not upcoming
    return DiagnoseOut(
        ranked=ranked,
        pairs=[
            Pair(hypotheses=list(s), probability=round(float(p), 4))
            for s, p in zip(weighed.states, calibrated(weighed.p), strict=True)
            if len(s) == 2
        ],
        next_tests=upcoming,
        skipped=skipped_tests(entry, weighed),
        stop=stop,
        condemn=condemn,
        contradictions=contradictions,
        sure=_how_sure(ranked),
        decided=decided,
        plain=_plain(ranked, stop, upcoming, limits),
        not_judged=_not_judged(entry, weighed),
        findings=_findings(ranked, stop, contradictions, limits),
    )


def _how_sure(ranked: list[Ranked]) -> Literal["clear", "likely", "open_between_two", "open"]:
    """Say how sure the first cause is, by its probability and by the next one's."""
    first = ranked[0].probability
    if first >= 0.8:
        return "clear"
    if first >= 0.5:
        return "likely"
    return "open_between_two" if first + ranked[1].probability >= 0.6 else "open"


def _dead_proofs(top: Hypothesis, condemn: Condemn, upcoming: list[NextTest]) -> list[NextTest]:
    """Return the tests, none of them live, that prove what a condemnation still lacks."""
    if top not in CONDEMNING or condemn.allowed:
        return []
    wanted = {q for m in condemn.missing if not m.live for q in m.asks}
    return [t for t in upcoming if t.danger in ("none", "dead") and wanted & set(t.asks)]


def _ranked(entry: DiagnoseIn, weighed: Weighed) -> list[Ranked]:
    out = []
    shown = replace(weighed, p=calibrated(weighed.p))
    here, shipped = learned_weights(entry), sum(p.weight for p in priors().values())
    for h in HYPOTHESES:
        if not any(h in s for s in weighed.states):
            continue
        for_, against = _points(weighed, h)
        for factor, text in history_points(entry, h):
            point = Point(
                fact=msg("Earlier visits"),
                text=text,
                factor=factor,
                source=["history"],
                reason=msg("Trend over visits."),
            )
            (for_ if factor > 1 else against).append(point)
        prior = priors()[h]
        out.append(
            Ranked.model_validate(
                {
                    "hypothesis": h,
                    "title": prior.title,
                    "probability": round(shown.of(h), 5),
                    "for": for_,
                    "against": against,
                    "fix": prior.fix,
                    "repair": prior.repair,
                    "shipped_pct": round(100 * prior.weight / shipped, 2),
                    "here_pct": round(100 * here[h] / sum(here.values()), 2),
                    "here_calls": entry.shop_calls.get(h, 0),
                }
            )
        )
    return sorted(out, key=lambda r: -r.probability)


def _points(weighed: Weighed, hypothesis: Hypothesis) -> tuple[list[Point], list[Point]]:
    """Return the facts that make a cause likelier, and those that make it less so."""
    own = next(i for i, s in enumerate(weighed.states) if s == (hypothesis,) or hypothesis in s)
    for_: list[Point] = []
    against: list[Point] = []
    telling = engine().telling
    # The odds compare with the other causes as weighed before any fact. Causes with the same repair are left
    # out, so that a fact never counts against a cause because its neighbor explains it better.
    repair = {h: prior.repair for h, prior in priors().items()}
    mine = repair[hypothesis]
    others = [i for i, s in enumerate(weighed.states) if all(repair[h] != mine for h in s)]
    share = weighed.before[others] / max(float(weighed.before[others].sum()), 1e-12)
    for fact, factor in weighed.factors.items():
        rest = float((factor[others] * share).sum())
        ratio = float(factor[own]) / max(rest, 1e-6)
        seen = weighed.seen.facts[fact]
        row = rows_of(fact).get(hypothesis)
        point = Point(
            fact=facts()[fact].title,
            text=seen.text,
            factor=round(ratio, 3),
            source=list(seen.source),
            reading_ids=list(seen.reading_ids),
            reason=row.reason if row is not None else facts()[fact].reason,
        )
        # What every ordinary machine shows speaks for none of them: only a cause's own row does.
        if ratio >= telling and row is not None:
            for_.append(point)
        elif ratio <= 1 / telling:
            against.append(point)
    for_.sort(key=lambda p: -p.factor)
    against.sort(key=lambda p: p.factor)
    return for_, against


def _plain(ranked: list[Ranked], stop: WorkStop | None, upcoming: list[NextTest], limits: Standards) -> str:
    if stop is not None:
        return msg("We have stopped the work. {plain_words}", plain_words=plain_words(stop))
    best = ranked[0]
    text = priors()[best.hypothesis].plain
    if best.probability >= limits.decided_probability:
        return text
    if best.probability >= 0.5:
        return msg("Most likely: ") + text + msg(" We check one thing more before we say so for certain.")
    step = next((t.plain_step for t in diagnosis_tests() if upcoming and t.test == upcoming[0].test), None)
    more = msg(" Next we {step}.", step=step) if step else ""
    return (
        msg("Several things may be behind this. We test the likely ones in order, the safe ones first.")
        + more
    )


def _not_judged(entry: DiagnoseIn, weighed: Weighed) -> list[str]:
    told = list(weighed.seen.crashed)
    if entry.plate.is_inverter:
        told.append(
            msg(
                "Inverter unit: go by its fault code. Supply, controls and fan can be checked "
                "here. No start aids or locked-rotor tests."
            )
        )
    if entry.plate.phase == 3:
        told.append(msg("Three-phase: no run capacitor and no start kit; phases and rotation come first."))
    if entry.plate.run_cap_uf is None and entry.plate.phase == 1 and not entry.plate.is_inverter:
        told.append(
            msg("No run capacitor on the nameplate: check the start relay and external overload instead.")
        )
    if not entry.symptoms and not entry.readings:
        told.append(msg("No symptoms or readings yet. Check the symptoms first, then the quick questions."))
    return told


def _findings(
    ranked: list[Ranked], stop: WorkStop | None, contradictions: list[Contradiction], limits: Standards
) -> list[Finding]:
    found: list[Finding] = []
    if stop is not None:
        found.append(
            Finding(
                code=stop.code,
                verdict="fail",
                text=stop.text,
                rule="stop conditions",
                next_step=stop.next_step,
                stops=True,
            )
        )
    best = ranked[0]
    sure = best.probability >= limits.decided_probability
    found.append(
        Finding(
            code="MOST_LIKELY",
            verdict="pass" if sure and best.hypothesis == "healthy" else "watch" if sure else "unknown",
            text=msg("{title}: {pct:.0f} %.", title=best.title, pct=100 * best.probability),
            rule=limits.rule("decided_probability"),
            inputs={"probability": best.probability, "limit": limits.decided_probability},
            arithmetic=_sum(best),
            next_step=best.fix
            if sure
            else msg("Do the suggested test first. It tells the most for the time."),
        )
    )
    found += [
        Finding(
            code="CONTRADICTION",
            verdict="unknown",
            text=c.text,
            rule="evidence that disagrees",
            next_step=c.next_step,
        )
        for c in contradictions
    ]
    return found


def _sum(best: Ranked) -> str:
    parts = [
        msg("{seen} ×{factor:.3g}", seen=shaped(p.text, no_stop), factor=p.factor)
        for p in [*best.for_[:3], *best.against[:2]]
    ]
    product = math.prod(p.factor for p in [*best.for_, *best.against])
    return (
        msg("{join}; all together ×{product:.3g}", join=joined(parts, "; "), product=product)
        if parts
        else msg("by how common it is alone")
    )
