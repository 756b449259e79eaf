"""What the rules look at: the job a circuit has to do, and a circuit as it is built or chosen."""

from dataclasses import dataclass

from pydantic import JsonValue

from orange_crank.core.circuit.conductor import Conditions
from orange_crank.core.circuit.entry import AuditIn, CircuitIn, Material
from orange_crank.core.circuit.loads import Loads
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Finding, Verdict
from orange_crank.core.tables.standards import Standards


@dataclass(frozen=True)
class Device:
    """The overcurrent device a circuit may lawfully have, and how it came about."""

    amps: int
    mocp_a: float | None
    raised: bool = False
    largest_a: float | None = None


@dataclass(frozen=True)
class Job:
    """What a circuit has to do, and where."""

    entry: CircuitIn
    loads: Loads
    device: Device
    conditions: Conditions
    limits: Standards

    @property
    def audited(self) -> bool:
        """Whether a circuit that is there is judged: then nothing unsaid passes."""
        return isinstance(self.entry, AuditIn)

    @property
    def heat(self) -> bool:
        """Whether electric heat alone hangs on it."""
        return self.loads.heat_alone

    @property
    def fan_coil(self) -> bool:
        """Whether it feeds an air handler without heat: one motor, by the motor rules."""
        return self.entry.feeding == "fan_coil"

    @property
    def guarded(self) -> bool:
        """Whether a motor overload guards the wire, so that the device may be larger than it (240.4(G))."""
        return self.loads.guarded

    def unsaid(self, *fields: str) -> list[str]:
        """Return which of these nobody said, where a circuit that is there is judged."""
        if not isinstance(self.entry, AuditIn):
            return []
        there = self.entry.installed
        return [f for f in fields if not self.entry.said(f) and getattr(there, f, None) is None]


@dataclass(frozen=True)
class Built:
    """A circuit as it stands, or as it was chosen; None is what nobody looked at."""

    device_a: float | None
    device_kind: str | None
    poles: int | None
    conductor_awg: str | None
    minimum_awg: str | None
    egc_awg: str | None
    egc_material: Material
    egc_raceway: bool | None
    disconnect_a: float | None
    disconnect_hp: float | None
    disconnect_fused: bool | None
    fuse_a: float | None
    ground_fault: bool | None

    @property
    def fuse_in_switch_a(self) -> float | None:
        """The fuses that sit in the disconnect [A]; None where there are none or nobody read them."""
        if not self.disconnect_fused:
            return None
        return (
            self.fuse_a if self.fuse_a is not None else self.device_a if self.device_kind == "fuse" else None
        )

    @property
    def protects_a(self) -> float | None:
        """The smaller of panel device and fuses at the unit [A]: what the plate's maximum asks."""
        fuse = self.fuse_in_switch_a
        return self.device_a if fuse is None or self.device_a is None else min(self.device_a, fuse)


def finding(
    code: str,
    verdict: Verdict,
    text: str,
    rule: str,
    arithmetic: str | None = None,
    step: str | None = None,
    **inputs: JsonValue,
) -> Finding:
    """Return a finding; inputs that were not given are left out."""
    given = {k: v for k, v in inputs.items() if v is not None}
    return Finding(
        code=code, verdict=verdict, text=text, rule=rule, inputs=given, arithmetic=arithmetic, next_step=step
    )


def poles_word(poles: int) -> str:
    """Return poles as they are spoken."""
    return msg("{poles} pole{poles_2}", poles=poles, poles_2="s" if poles > 1 else "")
