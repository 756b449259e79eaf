"""The table of judgement: priors, likelihoods and tests, read once, each row with its reason."""

import json
from collections.abc import Mapping
from functools import cache
from importlib.resources import files

from pydantic import Field

from orange_crank.core.diagnosis.model import Danger, Hypothesis, Measured
from orange_crank.core.nomenclature import Frozen


class Prior(Frozen):
    """How common a cause is before anything is known, and its words."""

    hypothesis: Hypothesis
    weight: float
    title: str
    fix: str
    reason: str
    plain: str
    mended_by: list[str] = Field(description="Changes that put it right, by part; none where no part does")


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
    title: str
    outcomes: list[str]
    default: list[float]
    reason: str
    rows: list[Row]


class DiagnosisTest(Frozen):
    """A test: what it tells, what it costs."""

    test: str
    title: str
    facts: list[str]
    asks: list[Measured]
    minutes: float
    danger: Danger
    rung: str
    how: str
    only: list[str]
    hands_on: bool = False


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
