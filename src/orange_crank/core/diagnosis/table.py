"""The table of judgement: priors, likelihoods and tests, read once, each row with its reason."""

import json
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from importlib.resources import files

from pydantic import Field

from orange_crank.core.diagnosis.model import CallWork, Danger, Hypothesis, Measured
from orange_crank.core.messages import TableProse
from orange_crank.core.nomenclature import Frozen


class Prior(Frozen):
    """How common a cause is before anything is known, and its words."""

    hypothesis: Hypothesis
    weight: float
    title: TableProse
    fix: TableProse
    reason: str
    plain: TableProse
    mended_by: list[str] = Field(description="Changes that put it right, by part; none where no part does")
    repair: str = Field(description="Causes put right the same way share it: no test tells them apart")


class PairPrior(Frozen):
    """Two faults that come together more often than chance."""

    hypotheses: tuple[Hypothesis, Hypothesis]
    weight: float
    reason: str


class Row(Frozen):
    """Probability of each outcome of a fact under one cause."""

    hypothesis: Hypothesis
    p: list[float]
    reason: str


class Fact(Frozen):
    """Something that is so or so, and how each cause shows in it."""

    fact: str
    title: TableProse
    outcomes: list[str]
    default: list[float]
    reason: str
    rows: list[Row]


class DiagnosisTest(Frozen):
    """A test: what it tells, what it costs."""

    test: str
    title: TableProse
    plain_step: TableProse = Field(description="For the customer, after “Next we”")
    facts: list[str]
    asks: list[Measured]
    minutes: float
    danger: Danger
    rung: str
    how: TableProse
    only: list[str]
    hands_on: bool = False
    dont_know: float = Field(default=0.0, ge=0, lt=1, description="How often the customer cannot say")


class Constant(Frozen):
    """One figure of the engine, with its reason."""

    name: str
    value: float
    unit: str
    reason: str


class Change(Frozen):
    """What it takes to be allowed to test, from how the call stands [min]."""

    from_: CallWork = Field(alias="from")
    to: Danger
    minutes: float
    reason: str


class ModelCause(Frozen):
    """What a cause does to capacitor and volts, as shares, and to torque at standstill [%]."""

    hypothesis: Hypothesis
    capacitor: tuple[float, float]
    volts: tuple[float, float]
    torque_pct: tuple[float, float]
    reason: str


class EngineTable(Frozen):
    """Everything the engine takes as given."""

    constants: list[Constant]
    change_min: list[Change]
    model_causes: list[ModelCause]


@dataclass(frozen=True)
class EngineConstants:
    """The engine's figures as typed attributes; values and reasons stand in ``engine.json``."""

    prior_calls: float
    fading: float
    lately_new: float
    telling: float
    surprised_bit: float
    least_gain_bit: float
    telling_bit: float
    far_less: float
    far_less_unpowered: float
    overhead_min: float
    danger_dead_min: float
    danger_control_live_min: float
    danger_live_min: float
    model_trust: float
    model_spread: float
    stalled_s: float
    calibration_power: float
    running_far_ratio: float
    imbalance_far_pct: float
    pumping_ratio: float
    backward_share: float
    half_off: float
    flooding_superheat_f: float


class Likelihoods(Frozen):
    """The whole table."""

    priors: list[Prior]
    pairs: list[PairPrior]
    facts: list[Fact]


@cache
def likelihoods() -> Likelihoods:
    """Return the table."""
    text = files("orange_crank.core.tables").joinpath("likelihoods.json").read_text("utf-8")
    return Likelihoods.model_validate_json(text)


@cache
def engine_table() -> EngineTable:
    """Return what the engine takes as given, each figure with its reason."""
    text = files("orange_crank.core.tables").joinpath("engine.json").read_text("utf-8")
    return EngineTable.model_validate_json(text)


@cache
def engine() -> EngineConstants:
    """Return the engine's constants."""
    return EngineConstants(**{c.name: c.value for c in engine_table().constants})


@cache
def change_minutes() -> Mapping[tuple[CallWork, str], float]:
    """Return the minutes it takes to be allowed to, by how the call stands and what a test wants."""
    return {(c.from_, c.to): c.minutes for c in engine_table().change_min}


@cache
def facts() -> Mapping[str, Fact]:
    """Return the facts by name."""
    return {f.fact: f for f in likelihoods().facts}


@cache
def rows_of(fact: str) -> Mapping[Hypothesis, Row]:
    """Return a fact's own rows by cause."""
    return {r.hypothesis: r for r in facts()[fact].rows}


@cache
def priors() -> Mapping[Hypothesis, Prior]:
    """Return the priors by cause."""
    return {p.hypothesis: p for p in likelihoods().priors}


@cache
def diagnosis_tests() -> tuple[DiagnosisTest, ...]:
    """Return the tests."""
    text = files("orange_crank.core.tables").joinpath("diagnosis_tests.json").read_text("utf-8")
    return tuple(DiagnosisTest.model_validate(t) for t in json.loads(text))
