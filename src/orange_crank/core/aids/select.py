"""Choosing a start aid, or none: forbidden cases, the cause first, goal, computed starts."""

from orange_crank.core.aids.answer import answer_of
from orange_crank.core.aids.candidates import GOAL_LOAD_PCT, candidate, candidates
from orange_crank.core.aids.entry import TITLES, AidIn, AidOut, AidRanked, AidRefused
from orange_crank.core.aids.forbidden import why_forbidden
from orange_crank.core.aids.rank import findings_of, judged, order
from orange_crank.core.aids.school import school_of
from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.motor.entry import Load, Source, StartIn
from orange_crank.core.motor.fit import fit_machine
from orange_crank.core.nomenclature import Finding
from orange_crank.core.tables.standards import Standards, shipped_standards


def choose_aid(entry: AidIn, standards: Standards | None = None) -> AidOut:
    """Rank start aids for a goal, each with its computed start.

    Raises
    ------
    InputProblem : a single-phase plate no machine can have

    Notes
    -----
    Order of decisions: forbidden? root cause found and not fixed? goal. No aid is ever offered to an inverter
    or a three-phase compressor.

    """
    limits = standards or shipped_standards()
    refuse_empty_stock(entry)
    school, school_why = school_of(entry, limits)
    forbidden = why_forbidden(entry)
    if forbidden is not None:
        barred = [
            AidRefused(aid=name, title=TITLES[name], part=None, why=forbidden)
            for name in TITLES
            if name != "none"
        ]
        return AidOut(answer=None, ranked=[], refused=barred, root_cause_first=None, school=school, findings=[
            Finding(code="NO_AID_HERE", verdict="fail", text=forbidden, rule="field practice: aids",
                    next_step="Leave it without a start aid."),
        ])  # fmt: skip
    machine, fit = fit_machine(entry.plate)
    run_cap = fit.run_cap_uf if entry.run_cap_uf is None else entry.run_cap_uf
    base = StartIn(
        plate=entry.plate,
        run_cap_uf=run_cap,
        source=entry.source or Source(),
        inertia_factor=entry.inertia_factor,
        load=Load(
            start_torque_pct=entry.start_torque_pct
            if entry.start_torque_pct is not None
            else GOAL_LOAD_PCT[entry.goal]
        ),
    )
    ranked: list[AidRanked] = []
    refused: list[AidRefused] = []
    for part in candidates(entry):
        made = candidate(entry, part, base, machine, limits)
        if isinstance(made, AidRefused):
            refused.append(made)
        else:
            ranked.append(made)
    bare = next(r for r in ranked if r.aid == "none")
    answer = answer_of(entry, limits)
    ranked = [judged(r, bare, entry, school, answer, limits) for r in ranked]
    ranked.sort(key=lambda r: order(r, entry.goal, school, answer))
    first = answer.text if answer is not None and answer.kind == "fix" else None
    return AidOut(
        answer=answer,
        ranked=ranked,
        refused=refused,
        root_cause_first=first,
        school=school,
        findings=findings_of(entry, ranked, answer, school, school_why, limits),
    )


def refuse_empty_stock(entry: AidIn) -> None:
    """Refuse an empty van: there is nothing to choose from.

    Raises
    ------
    InputProblem : the stock list is empty

    """
    if entry.stock is not None and not entry.stock:
        raise InputProblem(
            [FieldProblem(field="stock", wanted="at least one part, or leave it out", got=0)],
            next_step="Leave stock out to see what would fit, or restock.",
        )
