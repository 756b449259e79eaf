"""What each kind of aid is fitted to, and what comes of fitting it."""

from dataclasses import dataclass, field

from orange_crank.core.aids.entry import AidIn, AidPart, AidRange
from orange_crank.core.motor.entry import Aid, StartIn
from orange_crank.core.motor.machine import Machine
from orange_crank.core.motor.relay import RelayChoice
from orange_crank.core.tables import StartCapacitorRange
from orange_crank.core.tables.standards import Standards


class NotOffered(Exception):
    """Why a part of a kind is not offered here, in a sentence."""


@dataclass(frozen=True)
class Job:
    """A part to be fitted: the entry, the start without it, every machine the plate allows."""

    entry: AidIn
    part: AidPart
    base: StartIn
    machines: list[Machine]
    limits: Standards

    @property
    def run_uf(self) -> float | None:
        """The run capacitor computed with; None where it is open, or none is fitted [µF]."""
        return None if self.base.run_cap_uf == "open" else float(self.base.run_cap_uf or 0.0)

    @property
    def rla_a(self) -> float:
        """Rated-load amps [A]."""
        return self.entry.plate.compressors[0].rla_a

    @property
    def lra_a(self) -> float:
        """Locked-rotor amps [A]."""
        return float(self.entry.plate.compressors[0].lra_a or 0.0)


@dataclass(frozen=True)
class Fitted:
    """A part as the start model takes it, with what was chosen on the way."""

    aid: Aid
    start_cap_uf: float | None = None
    size: StartCapacitorRange | None = None
    taps_uf: list[float] = field(default_factory=list)
    relay: RelayChoice | None = None
    span: AidRange | None = None
