"""What comes of acts: things told, harm done, tests and starts, and hands on what was not proved dead."""

from dataclasses import dataclass
from typing import Literal

from orange_crank.bench.practice.probes import Pair
from orange_crank.core.diagnosis.model import Evidence

HarmCode = Literal[
    "shock", "charged", "arc", "control_fuse", "burst", "tripped", "condemned_good", "meter", "shot_spent",
    "bang", "in_vain",
]  # fmt: skip
HURTS: frozenset[HarmCode] = frozenset({"shock", "charged", "arc", "bang"})
Kind = Literal["said", "shown", "unit", "harm"]

BY_UNIT = {
    "started": "The compressor starts and settles.",
    "stalled": "It hums and does not turn.",
    "overload_opened": "The hum stops; the fan runs on.",
    "overload_closed": "A click in the shell: the overload has closed.",
    "breaker_tripped": "The breaker trips. Each trip leaves it weaker.",
    "capacitor_burst": "A bang: the start capacitor has burst. The relay never opened.",
    "chattered": "The contactor chatters.",
}


@dataclass(frozen=True)
class Told:
    """Something that was said, shown or happened, in the order of the acts."""

    act: int
    at_s: float
    kind: Kind
    text: str


@dataclass(frozen=True)
class Harm:
    """A mistake that had its consequence."""

    act: int
    code: HarmCode
    text: str
    skipped: tuple[str, ...] = ()
    cost: float = 0.0

    @property
    def hurts(self) -> bool:
        """Whether somebody would have been hurt."""
        return self.code in HURTS


@dataclass(frozen=True)
class TestDone:
    """A test of the diagnosis done at the unit, and what it showed."""

    act: int
    test: str
    evidence: tuple[Evidence, ...]


@dataclass(frozen=True)
class Start:
    """A start that was watched."""

    act: int
    number: int
    started: bool


@dataclass(frozen=True)
class Looked:
    """A measurement as far as it proves something dead."""

    act: int
    mode: str
    at: Pair
    volts: float


@dataclass(frozen=True)
class Unproved:
    """A hand on the unit that was not proved dead, though nothing came of it."""

    act: int
    what: str
    skipped: tuple[str, ...]
