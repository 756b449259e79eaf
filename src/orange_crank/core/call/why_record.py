"""What was told, looked at and decided on a call about its cause."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import AwareDatetime, Field

from orange_crank.core.diagnosis.model import Evidence, Hazard, Hypothesis, Measured, NextTest, Symptom, Where
from orange_crank.core.diagnosis.table import diagnosis_tests
from orange_crank.core.errors import FieldProblem, GateClosed, InputProblem
from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Flag, Frozen, Sentence, Word


class SeenNote(Frozen):
    """Something asked or looked at on the Why rung itself; everything else has its own rung."""

    quantity: Measured
    label: Prose
    unit: str = ""
    kind: Literal["flag", "figure", "word"] = "flag"
    words: tuple[Prose, ...] = ()
    where: Where | None = None


SEEN_HERE: tuple[SeenNote, ...] = (
    SeenNote(quantity="contactor_pulled_in", label=msg("Contactor pulled in")),
    SeenNote(
        quantity="what_tripped",
        label=msg("What tripped"),
        kind="word",
        words=(msg("breaker"), msg("overload")),
    ),
    SeenNote(quantity="minutes_rest", label=msg("Rested before the start"), unit="min", kind="figure"),
    SeenNote(quantity="delay_active", label=msg("Delay or lockout shows")),
    SeenNote(quantity="status_code", label=msg("Status code, or none"), kind="word"),
    SeenNote(quantity="condenser_dirty", label=msg("Condenser dirty")),
    SeenNote(quantity="breaker_a", label=msg("Breaker"), unit="A", kind="figure"),
    SeenNote(quantity="line_set_ft", label=msg("Line set, one way"), unit="ft", kind="figure"),
    SeenNote(quantity="idle_days", label=msg("Stood idle"), unit="d", kind="figure"),
    SeenNote(
        quantity="charge",
        label=msg("Charge"),
        kind="word",
        words=(msg("low"), msg("right"), msg("over"), msg("unknown")),
    ),
    SeenNote(quantity="rotation_ok", label=msg("Turns the right way")),
    SeenNote(quantity="control_fuse_open", label=msg("Control fuse open")),
    SeenNote(quantity="fan_only_runs", label=msg("Leads off: the breaker holds")),
    SeenNote(quantity="start_kit_present", label=msg("A start kit is fitted")),
    SeenNote(quantity="start_kit_bypassed_starts", label=msg("Kit lifted: it starts")),
    SeenNote(quantity="pressures_equal", label=msg("Pressures equal at rest")),
    SeenNote(quantity="control_switch_open", label=msg("A float or pressure switch is open")),
    SeenNote(quantity="fan_rotation_ok", label=msg("The fan blows the right way")),
    SeenNote(quantity="can_label_uf", label=msg("Run capacitor's own label"), unit="µF", kind="figure"),
    SeenNote(quantity="breaker_lug_tight", label=msg("Breaker lug tight and clean")),
    SeenNote(quantity="legs_shorted", label=msg("Leads off: leg to leg shorted")),
    SeenNote(
        quantity="windings_at_pins",
        label=msg("Open pair, at the pins"),
        kind="word",
        words=(msg("sound"), msg("open")),
    ),
    SeenNote(quantity="start_kit_wired_right", label=msg("The kit is wired right")),
    SeenNote(quantity="starts_on_utility", label=msg("On the utility it starts")),
    SeenNote(
        quantity="line_at_unit_v",
        label=msg("Line side of the contactor"),
        unit="V",
        kind="figure",
        where="contactor_line",
    ),
    SeenNote(
        quantity="line_v_start",
        label=msg("Panel, lowest in the start"),
        unit="V",
        kind="figure",
        where="panel",
    ),
    SeenNote(
        quantity="terminal_v_start",
        label=msg("Terminals, lowest in the start"),
        unit="V",
        kind="figure",
        where="terminals",
    ),
)


class WhyRecord(Frozen):
    """What was told and looked at: the whole of it, as it stands now."""

    symptoms: list[Symptom] = Field(default_factory=list, max_length=16)
    seen: list[Evidence] = Field(default_factory=list, max_length=40)
    hazards: list[Hazard] = Field(default_factory=list, max_length=8)
    supply_restored: Flag = False
    skipped: list[Word] = Field(
        default_factory=list, max_length=60, description="Tests skipped on this call, by name"
    )


def with_test_skipped(record: WhyRecord, test: str, skipped: bool, upcoming: Sequence[NextTest]) -> WhyRecord:
    """Return the record with one test skipped, or offered again.

    Raises
    ------
    InputProblem : no test of the diagnosis has this name
    GateClosed : what comes next on this call depends on it

    """
    if test not in {t.test for t in diagnosis_tests()}:
        raise InputProblem(
            [FieldProblem(field="test", wanted=msg('a test named in "next_tests" or "skipped"'), got=test)]
        )
    if skipped and any(t.test == test and not t.may_skip for t in upcoming):
        raise GateClosed(
            msg("It trips, so the ground test cannot be skipped."),
            next_step=msg("Measure to ground with the power off and proved dead; no reset before that."),
        )
    kept = [t for t in record.skipped if t != test]
    return record.model_copy(update={"skipped": [*kept, test] if skipped else kept})


class Trial(Frozen):
    """One trial of a start kit on a locked rotor."""

    agreed_with: Word = Field(description="Who agreed to it, in writing, beforehand")
    result: Annotated[str | None, Field(pattern="^(started|did_not_start)$")] = None


DecisionKind = Literal["cause", "kit_trial", "condemned", "why_it_died", "overload_cause", "go_ahead"]
# The answer to the price where nobody signs: the work is covered already, or it is not done today.
GoAhead = Literal["covered", "not_today"]


class Decision(Frozen):
    """What was decided, with the evidence it stood on."""

    kind: str
    hypothesis: Hypothesis | None = None
    note: Sentence = ""
    trial: Trial | None = None
    go: GoAhead | None = Field(default=None, description="The answer to the price, where nobody signed")
    put_right: list[Word] = Field(
        default_factory=list, max_length=20, description="What killed it, and what was put right"
    )


class Decided(Frozen):
    """A decision on record."""

    kind: DecisionKind
    decision: Decision
    decided_at: AwareDatetime
    person: Word
    place: float = 0.0


@dataclass(frozen=True)
class SeenAt:
    """One thing looked at or told of, and its place in the order of recording."""

    what: Evidence | Hazard
    place: float
    at: AwareDatetime
    person: str


@dataclass(frozen=True)
class ToldRow:
    """One state of what was told, as it was written down."""

    record: WhyRecord
    place: float
    at: AwareDatetime
    person: str


def seen_in_order(rows: list[ToldRow]) -> list[SeenAt]:
    """Return each thing that still stands, with the place at which it was last said again."""
    since: dict[str, SeenAt] = {}
    for row in rows:
        now: dict[str, SeenAt] = {}
        for evidence in row.record.seen:
            key = evidence.model_dump_json()
            now[key] = since.get(key) or SeenAt(evidence, row.place, row.at, row.person)
        since = now
    return list(since.values())


def hazards_in_order(rows: list[ToldRow]) -> list[SeenAt]:
    """Return every hazard ever told of, each time it was told again after having gone."""
    found: list[SeenAt] = []
    before: set[Hazard] = set()
    for row in rows:
        found += [SeenAt(h, row.place, row.at, row.person) for h in row.record.hazards if h not in before]
        before = set(row.record.hazards)
    return found
