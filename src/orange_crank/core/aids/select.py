"""Choosing a start aid, or none: forbidden cases, the cause first, goal, computed starts."""

from typing import Literal

from orange_crank.core.aids.answer import answer_of
from orange_crank.core.aids.candidates import GOAL_LOAD_PCT, candidate, candidates
from orange_crank.core.aids.entry import TITLES, AidIn, AidOut, AidRanked, AidRefused
from orange_crank.core.aids.forbidden import why_forbidden
from orange_crank.core.aids.rank import findings_of, judged, order
from orange_crank.core.aids.school import school_of
from orange_crank.core.backup.demand import check_backup, refuse_no_transfer
from orange_crank.core.backup.entry import AidTried, BackupIn, BackupOut, BackupVerdict
from orange_crank.core.backup.supply import derated_kw, start_source
from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.messages import msg
from orange_crank.core.motor.entry import Load, Source, StartIn
from orange_crank.core.motor.fit import StartPlate, fit_machine, possible_machines
from orange_crank.core.nomenclature import Finding, say
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
    entry = entry.model_copy(update={"plate": plate_of(entry)})
    refuse_empty_stock(entry)
    school, school_why = school_of(entry, limits)
    forbidden = why_forbidden(entry)
    if forbidden is not None:
        barred = [
            AidRefused(aid=name, title=TITLES[name], part=None, why=forbidden)
            for name in TITLES
            if name != "none"
        ]
        return AidOut(
            answer=None,
            ranked=[],
            refused=barred,
            root_cause_first=None,
            school=school,
            backup=_bare_on_backup(entry, limits),
            findings=[
                Finding(
                    code="NO_AID_HERE",
                    verdict="fail",
                    text=forbidden,
                    rule="field practice: aids",
                    next_step=msg("Leave it without a start aid."),
                )
            ],
        )
    _, fit = fit_machine(entry.plate)
    machines = possible_machines(entry.plate)
    run_cap: float | Literal["open"]
    if fit.run_cap_uf is None:
        run_cap = "open"  # none is fitted: none is computed with
    else:
        run_cap = fit.run_cap_uf if entry.run_cap_uf is None else entry.run_cap_uf
    base = StartIn(
        plate=entry.plate,
        run_cap_uf=run_cap,
        source=source_of(entry),
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
        made = candidate(entry, part, base, machines, limits)
        if isinstance(made, AidRefused):
            refused.append(made)
        else:
            ranked.append(made)
    bare = next(r for r in ranked if r.aid == "none")
    answer = answer_of(entry, limits)
    ranked = [judged(r, bare, entry, school, answer, limits) for r in ranked]
    ranked.sort(key=lambda r: order(r, entry.goal, school, answer))
    first = answer.text if answer is not None and answer.kind == "fix" else None
    backup = on_backup(entry, base, ranked, limits)
    if backup is not None:
        ranked = [
            beside_backup(r, next((b for b in backup.results if b.label == label_of(r)), None))
            for r in ranked
        ]
        ranked.sort(key=lambda r: order(r, entry.goal, school, answer))
    return AidOut(
        backup=backup,
        answer=answer,
        ranked=ranked,
        refused=refused,
        root_cause_first=first,
        school=school,
        findings=findings_of(entry, ranked, answer, school, school_why, limits),
    )


def plate_of(entry: AidIn) -> StartPlate:
    """Return the nameplate with its metering, and with a run capacitor where one was measured."""
    plate = entry.plate
    update: dict[str, object] = {"metering": entry.metering or plate.metering}
    if isinstance(entry.run_cap_uf, float):
        update["starting"] = "run_capacitor"
    return plate.model_copy(update=update)


def source_of(entry: AidIn) -> Source:
    """Return what feeds the start: the source given, the backup supply as it is here, or a house's.

    Raises
    ------
    InputProblem : what else is on takes all the source gives, or no transfer device is named

    """
    if entry.backup is None:
        return entry.source or Source()
    refuse_no_transfer(entry.backup, "backup.transfer")
    kw, _ = derated_kw(entry.backup.source)
    source = start_source(entry.backup, kw, entry.backup.others_w)
    if source is None:
        raise InputProblem(
            [
                FieldProblem(
                    field="backup.others",
                    wanted=msg("less than the {kw} this source gives here", kw=say(kw, "kW", 3)),
                    got=f"{entry.backup.others_w:g} W",
                )
            ],
            next_step=msg("Turn loads off, or use a larger source."),
        )
    return source


def on_backup(entry: AidIn, base: StartIn, ranked: list[AidRanked], limits: Standards) -> BackupOut | None:
    """Return each kind of aid, its best candidate, on the backup supply: the same starts, judged whole."""
    if entry.backup is None:
        return None
    tried: dict[str, AidTried] = {}
    for r in ranked:
        tried.setdefault(r.aid, AidTried(label=label_of(r), aid=r.tried))
    given = {name: getattr(entry.backup, name) for name in type(entry.backup).model_fields}
    return check_backup(
        BackupIn(
            **given,
            plate=entry.plate,
            run_cap_uf=base.run_cap_uf,
            aids=list(tried.values()),
            start_torque_pct=float(base.load.start_torque_pct or 0.0),
            inertia_factor=entry.inertia_factor,
        ),
        limits,
    )


def _bare_on_backup(entry: AidIn, limits: Standards) -> BackupOut | None:
    """Return a three-phase compressor without an aid on its backup supply."""
    plate = entry.plate
    if entry.backup is None or plate.phase != 3 or plate.is_inverter:
        return None
    refuse_no_transfer(entry.backup, "backup.transfer")
    given = {name: getattr(entry.backup, name) for name in entry.backup.model_fields_set}
    return check_backup(BackupIn(**given, plate=plate, aids=[AidTried(label=TITLES["none"])]), limits)


def label_of(r: AidRanked) -> str:
    """Return how a candidate is called on its source."""
    return f"{r.title} {r.part}" if r.part else r.title


def beside_backup(r: AidRanked, verdict: BackupVerdict | None) -> AidRanked:
    """Return a candidate that fits only where the whole check on its source says that it starts."""
    if verdict is None or verdict.verdict == "starts" or not r.fits:
        return r
    return r.model_copy(update={"fits": False, "against": [verdict.why, *r.against]})


def refuse_empty_stock(entry: AidIn) -> None:
    """Refuse an empty van: there is nothing to choose from.

    Raises
    ------
    InputProblem : the stock list is empty

    """
    if entry.stock is not None and not entry.stock:
        raise InputProblem(
            [FieldProblem(field="stock", wanted=msg("at least one part, or leave it out"), got=0)],
            next_step=msg("Leave stock out to see what would fit, or restock."),
        )
