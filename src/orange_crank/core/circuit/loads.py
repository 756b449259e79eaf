"""What a circuit carries, from the figures of the plate that are for this supply."""

from dataclasses import dataclass
from functools import cached_property

from orange_crank.core.circuit.entry import CircuitIn
from orange_crank.core.plate.arithmetic import HEAT, CircuitFigures, circuit_figures
from orange_crank.core.plate.model import Compressor, Motor, PlateRead, split_other

# What has a motor overload of its own that guards its wire, so that 240.4(G) frees it from 240.4(B) and (D);
# heat never is, and what nobody named is judged as strictly.
GUARDED = ("compressor", "mini_split", "fan_coil", "several")


@dataclass(frozen=True)
class Loads:
    """What a circuit carries [A]."""

    compressors: tuple[Compressor, ...]
    motors: tuple[Motor, ...]
    other_a: float
    heat_a: float
    figures: CircuitFigures | None
    mca_a: float
    plate_mca_a: float | None
    plate_mocp_a: float | None
    paired: bool = False
    motors_of_other: bool = False
    heat_alone: bool = False
    guarded: bool = True

    @cached_property
    def running_a(self) -> float | None:
        """RLA and FLA together, or heater and blower [A]; None where the plate gives no compressor."""
        if self.heat_alone:
            known = self.heat_a + sum(m.fla_a for m in self.motors)
            return known if self.heat_a else self.mca_a / HEAT
        if not self.compressors:
            return sum(m.fla_a for m in self.motors) or None if self.guarded else None
        return sum(c.rla_a for c in self.compressors) + sum(m.fla_a for m in self.motors)

    @cached_property
    def disconnect_a(self) -> float | None:
        """Selection current or RLA of the compressors, and the rest [A]; None where no motor is known."""
        rest = sum(m.fla_a for m in self.motors) + self.other_a + self.heat_a
        if not self.compressors:
            return rest if self.guarded and self.motors else None
        return sum(c.sizing_a for c in self.compressors) + rest

    @cached_property
    def compressor_lra_a(self) -> float | None:
        """Locked rotor of all compressors [A]."""
        if not self.compressors or any(c.lra_a is None for c in self.compressors):
            return None
        return sum(float(c.lra_a or 0) for c in self.compressors)

    def locked_a(self, fan_locked_ratio: float) -> float | None:
        """Locked rotor of everything [A]; a motor without says a multiple of its full load."""
        compressors = self.compressor_lra_a
        if compressors is None:
            return None
        motors = sum(m.lra_a if m.lra_a is not None else fan_locked_ratio * m.fla_a for m in self.motors)
        return compressors + motors + self.other_a + self.heat_a

    @property
    def largest_device_a(self) -> float | None:
        """The 225 % figure, rounded down to a standard size [A]."""
        return self.figures.mocp_a if self.figures else None


def loads_of(entry: CircuitIn) -> Loads:
    """Return what the circuit carries; of a plate with two ratings, those for this supply's volts."""
    rating = entry.rating
    motor_a, heat_a, other_a = split_other(entry.other_a)
    motors = [*rating.motors, *([Motor(fla_a=motor_a)] if motor_a else [])]
    alone = entry.feeding == "heat"
    if alone:
        heat_a, other_a = entry.heat_a, 0.0 if entry.feeds == "heat" else other_a
    figures = None
    if rating.compressors:
        figures = circuit_figures(
            [c.sizing_a for c in rating.compressors], [m.fla_a for m in motors], other_a, heat_a
        )
    governs = rating.mca_a
    if governs is None and alone:
        governs = HEAT * (heat_a + sum(m.fla_a for m in motors)) + other_a
    elif governs is None and figures is None:
        largest = max((m.fla_a for m in motors), default=0.0)
        rest = sum(m.fla_a for m in motors) - largest
        governs = 1.25 * largest + rest + other_a + HEAT * heat_a
    elif governs is None and figures is not None:
        governs = figures.mca_a
    assert governs is not None
    return Loads(
        compressors=tuple(rating.compressors),
        motors=tuple(motors),
        other_a=other_a,
        heat_a=heat_a,
        figures=figures,
        mca_a=governs,
        plate_mca_a=rating.mca_a,
        plate_mocp_a=rating.mocp_a,
        paired=rating.paired,
        motors_of_other=rating.motors_of_other,
        heat_alone=alone,
        guarded=entry.feeding in GUARDED,
    )


def plate_read(entry: CircuitIn) -> PlateRead:
    """Return the entry's figures as a plate, to be held against itself."""
    rating = entry.rating
    return PlateRead.model_construct(
        volts=entry.volts,
        phase=entry.phase,
        compressors=rating.compressors,
        motors=rating.motors,
        other_a=entry.other_a,
        mca_a=rating.mca_a,
        mocp_a=rating.mocp_a,
        run_cap_uf=entry.run_cap_uf,
        fan_cap_uf=entry.fan_cap_uf,
        tons=entry.tons,
        inverter=entry.inverter,
        refrigerant=entry.refrigerant,
        metering=entry.metering,
        overcurrent_allowed=entry.overcurrent_allowed,
    )
