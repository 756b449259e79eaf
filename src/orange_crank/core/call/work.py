"""The work of a call: what is to be fitted, how it is wired, what proves it, and whether it stays."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Annotated, Literal, Protocol, get_args

from pydantic import Field, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.call.changes import PartKind
from orange_crank.core.diagnosis.model import Symptom
from orange_crank.core.measure.taken import TakenReading
from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Flag, Frozen, Sentence, Word
from orange_crank.core.wiring import WiringIn, plan_wiring

WorkKind = Literal["aid", "contactor", "capacitor", "other"]
WORK_KINDS: tuple[WorkKind, ...] = get_args(WorkKind)
SWAPS: tuple[WorkKind, ...] = ("contactor", "capacitor", "other")
Count = Annotated[int, Field(strict=True, ge=0, le=200)]
Hertz = Annotated[float, Field(strict=True, gt=0, le=100, allow_inf_nan=False)]
ProofVolts = Annotated[float, Field(strict=True, ge=0, le=1_000, allow_inf_nan=False)]
Reason = Annotated[str, Field(strict=True, min_length=3, max_length=400)]


class WorkPlan(Frozen):
    """What is to be done to the unit, and how far it is."""

    work: WorkKind
    part: Word | None = Field(default=None, description="Part number, where one was chosen")
    title: Word
    wiring: WiringIn | None = None
    ticked: Annotated[list[Count], Field(max_length=100)] = Field(
        default_factory=list, description="Moves done, by their place in the plan"
    )
    min_off_s: Annotated[float, Field(strict=True, ge=0, le=7_200, allow_inf_nan=False)] | None = None
    learning_starts: Count | None = None
    for_backup: Flag = False
    goal: Word | None = Field(default=None, description="What it is for, as chosen on the Aid rung")
    dropped: Flag = Field(default=False, description="Given up: nothing of it is to be done")
    replaces: PartKind | None = Field(default=None, description="Which part it takes the place of")


def moves_left(plan: WorkPlan) -> int:
    """Return how many moves of a plan are not ticked."""
    if plan.wiring is None:
        return 0
    return len(set(range(len(plan_wiring(plan.wiring).moves))) - set(plan.ticked))


class AsWired(Frozen):
    """What was really joined to what, and what the check of it said."""

    work: WorkKind
    wiring: WiringIn = Field(description="The plan, with the nets as wired")
    ok: Flag | None = Field(default=None, description="Whether it is as planned; worked out when it is kept")
    faults: Annotated[list[Sentence], Field(max_length=60)] = Field(default_factory=list)

    @model_validator(mode="after")
    def _with_nets(self) -> "AsWired":
        if self.wiring.nets is None:
            raise PydanticCustomError(
                "value_error",
                "{error}",
                {"field": "wiring.nets", "error": msg("what is joined to what, terminal by terminal")},
            )
        return self


@dataclass(frozen=True)
class WiringChecked:
    """A check of the wiring on record."""

    checked: AsWired
    place: float
    at: datetime
    person: str


class Kept(Frozen):
    """Whether what was fitted stays, and why."""

    work: WorkKind
    decision: Literal["keep", "take_off"]
    reason: Reason
    back_to_van: Flag = Field(default=False, description="Taken off and whole: back on the van")


class BackupProof(Frozen):
    """A cold start and a hot restart on backup power, with the chosen loads on."""

    loads_on: Annotated[list[Word], Field(max_length=40)]
    cold_started: Flag
    cold_v: ProofVolts = Field(description="Lowest at the unit during the cold start [V]")
    cold_hz: Hertz
    off_min: Annotated[float, Field(strict=True, ge=0, le=240, allow_inf_nan=False)] = Field(
        description="Time off before the hot restart [min]"
    )
    hot_started: Flag
    hot_v: ProofVolts
    hot_hz: Hertz
    min_off_s: Annotated[float, Field(strict=True, ge=0, le=7_200, allow_inf_nan=False)] | None = Field(
        default=None, description="What the aid asks for between starts [s]"
    )

    @model_validator(mode="after")
    def _rested(self) -> "BackupProof":
        if self.min_off_s is not None and self.off_min * 60 + 1e-9 < self.min_off_s:
            raise PydanticCustomError(
                "value_error",
                "{error}",
                {
                    "field": "off_min",
                    "error": msg(
                        "at least {min_off_s:g} min, as this start aid requires",
                        min_off_s=self.min_off_s / 60,
                    ),
                },
            )
        return self


class Fitting(Frozen):
    """A part fitted on a call."""

    work: WorkKind
    what: Word = Field(description="As it shall read among the changes")
    part: Word | None = Field(default=None, description="Part number; none for something not of the list")
    replaces: PartKind | None = Field(
        default=None, description="Which part it takes the place of; by the kind of work where left out"
    )
    lot: Annotated[str, Field(strict=True, min_length=1, max_length=40)] | None = Field(
        default=None, description="Lot or date code on the part, for a recall"
    )
    count: int = Field(default=1, strict=True, ge=1, le=20)
    holder_id: int | None = Field(
        default=None, strict=True, ge=1, description="Whose van it came from; left out when from elsewhere"
    )

    @property
    def part_kind(self) -> PartKind | None:
        """Which part the unit has new: as said, else what the kind of work and its words tell."""
        if self.replaces is not None:
            return self.replaces
        words = self.what.lower()
        if self.work == "contactor":
            return "contactor"
        if self.work == "capacitor":
            both = "dual" in words or ("fan" in words and "compressor" in words)
            return "dual_capacitor" if both else "fan_capacitor" if "fan" in words else "run_capacitor"
        if self.work == "aid":
            return "soft_starter" if "soft" in words else "start_kit"
        return None


class FittedPart(Frozen):
    """A part fitted, with its place in the order of recording."""

    work: WorkKind
    title: str
    place: float


class KeptPart(Frozen):
    """A decision to keep or take off, with its place in the order of recording."""

    work: WorkKind
    decision: Literal["keep", "take_off"]
    place: float


class WantedProof(Frozen):
    """One reading that proves the work, and whether it is there."""

    key: str
    text: Prose
    done: bool
    how: Prose = Field(description="Where and how it is taken")
    open_rung: Literal["live_tests", "prove"] = "live_tests"


# Nothing at all runs; the compressor does not.
_NOTHING: frozenset[Symptom] = frozenset({"controls_on_nothing_runs", "no_sound"})
_NO_START: frozenset[Symptom] = _NOTHING | {"hums_no_start", "fan_only", "trips_at_once"}


def could_run(symptoms: Sequence[Symptom], starts: Sequence[TakenReading]) -> bool:
    """Tell whether a unit ran before the work, so that settled amps could be had of it."""
    ended = [r.entry.outcome for r in starts if r.entry.outcome is not None]
    if "started" in ended:
        return True
    return not (set(symptoms) & _NO_START or ended)


def wanted_proofs(
    plan: WorkPlan,
    done: Sequence[FittedPart],
    readings: Sequence[TakenReading],
    backup: BackupProof | None,
    symptoms: Sequence[Symptom] = (),
) -> list[WantedProof]:
    """Return what a plan asks to be measured, before and after.

    Parameters
    ----------
    plan : what is to be done
    done : what was fitted on the call, in the order of recording
    readings : standing readings of the call, in the order of recording
    backup : the proof on backup power, where there is one
    symptoms : what was told of how it behaves

    Notes
    -----
    Only what this unit could give is asked for: one that never ran has no settled amps before.
    Same place, same mode: the after is asked for as the before was taken. Contactors and capacitors are
    proved by compressor and fan amps; an aid by its start.

    """
    mine = [d.place for d in done if d.work == plan.work]
    first = min((d.place for d in done), default=None)
    last = max(mine, default=None)

    def before(quantity: str) -> list[TakenReading]:
        return [r for r in readings if r.entry.quantity == quantity and (first is None or r.place < first)]

    def after(quantity: str) -> list[TakenReading]:
        return [r for r in readings if r.entry.quantity == quantity and last is not None and r.place > last]

    proofs: list[WantedProof] = []
    if plan.work == "aid":
        was = before("inrush_a")
        how = msg("Clamp on C, inrush mode, rest noted.")
        if was:
            e = was[-1].entry
            mode = (e.mode or "inrush").replace("_", " ")
            how = msg(
                "As before: {mode} on {conductor}, same rest.", mode=mode, conductor=e.conductor or "common"
            )
        proofs += [
            WantedProof(
                key="start_before",
                text=msg("A start before"),
                done=bool(was),
                how=msg("Clamp on C, inrush mode."),
            ),
            WantedProof(
                key="fitted",
                text=msg("Fitted and checked"),
                done=bool(mine),
                how=msg("Wired dead, by the plan."),
                open_rung="prove",
            ),
        ]
        starts = after("inrush_a")
        if plan.learning_starts:
            taught = [r for r in starts if (r.entry.learning_starts or 0) >= plan.learning_starts]
            proofs.append(
                WantedProof(
                    key="start_after",
                    text=msg(
                        "A start after at least {learning_starts} learning starts",
                        learning_starts=plan.learning_starts,
                    ),
                    done=bool(taught),
                    how=msg("{how} Enter the learning starts so far.", how=how),
                )
            )
        else:
            proofs.append(
                WantedProof(key="start_after", text=msg("A start after"), done=bool(starts), how=how)
            )
    else:
        ran = could_run(symptoms, before("inrush_a"))
        for quantity, words in (("running_a", msg("Compressor amps")), ("fan_a", msg("Fan amps"))):
            could = ran if quantity == "running_a" else not set(symptoms) & _NOTHING
            if could or before(quantity):
                proofs.append(
                    WantedProof(
                        key=f"{quantity}_before",
                        text=msg("{words} before", words=words),
                        done=bool(before(quantity)),
                        how=msg(
                            "Running and settled, clamp on one wire. You can't get this reading after the "
                            "swap."
                        ),
                    )
                )
            proofs.append(
                WantedProof(
                    key=f"{quantity}_after",
                    text=msg("{words} after", words=words),
                    done=bool(after(quantity)),
                    how=msg("Same clamp, same conductor, settled."),
                )
            )
    if plan.for_backup:
        proofs.append(
            WantedProof(
                key="backup",
                text=msg("Cold start and hot restart on backup power"),
                done=backup is not None and backup.cold_started and backup.hot_started,
                how=msg("Chosen loads on; minimum off-time in between; volts and hertz written down."),
                open_rung="prove",
            )
        )
    return proofs


def one_change_at_a_time(done: Sequence[FittedPart]) -> str | None:
    """Say so where several things were changed before the start was measured again."""
    kinds = {d.work for d in done}
    if len(kinds) < 2:
        return None
    return msg("You changed more than one thing. None gets credit unless you tested each one alone.")


class _Work(Protocol):
    """What the record of a call says of its work."""

    @property
    def plans(self) -> Mapping[WorkKind, WorkPlan]: ...
    @property
    def fitted(self) -> Sequence[FittedPart]: ...
    @property
    def kept(self) -> Sequence[KeptPart]: ...


def work_words(
    work: _Work,
) -> tuple[dict[WorkKind, str], dict[WorkKind, str], dict[WorkKind, Literal["keep", "take_off"]]]:
    """Return what was fitted, what is planned, and what was decided of it since, each by kind of work."""
    planned = {kind: plan.title for kind, plan in work.plans.items() if not plan.dropped}
    fitted = {f.work: f for f in work.fitted}
    kept: dict[WorkKind, Literal["keep", "take_off"]] = {}
    for decision in work.kept:
        last = fitted.get(decision.work)
        if last is not None and decision.place > last.place:
            kept[decision.work] = decision.decision
    return {kind: f.title for kind, f in fitted.items()}, planned, kept
