"""A three-phase compressor on a small source: its locked-rotor amps against the source's reactance."""

import math
from dataclasses import dataclass

from orange_crank.core.backup.entry import BackupIn
from orange_crank.core.backup.supply import dropout_pct, start_source
from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.messages import joined, msg
from orange_crank.core.motor.assemble import GENERATOR_R_OVER_X, TRANSIENT_REACTANCE_PU
from orange_crank.core.motor.entry import Source
from orange_crank.core.motor.on_source import HOLD_SPARE_PCT, OnSource
from orange_crank.core.tables import conductor_ohms
from orange_crank.core.tables.standards import Standards

STALL_POWER_FACTOR, RUN_POWER_FACTOR = 0.40, 0.88
# Below this share of rated volts a quarter of the torque is left: not counted on.
LEAST_VOLTS = 0.5


@dataclass(frozen=True)
class LineStart:
    """A three-phase start by phasors: no time, no trace."""

    start_kva: float
    sag_pct: float
    lowest_v: float
    on: OnSource
    time_to_speed_s: float | None = None
    trace: None = None


def running_w(entry: BackupIn) -> float:
    """Return the running power of a three-phase compressor at rated load amps [W]."""
    rla = entry.plate.compressors[0].rla_a
    return math.sqrt(3) * entry.plate.volts * rla * RUN_POWER_FACTOR


def start_three_phase(entry: BackupIn, kw: float, others_w: float, limits: Standards) -> LineStart | None:
    """Return the locked-rotor dip of a three-phase compressor on a source; None where nothing is left.

    Parameters
    ----------
    kw : the source's rating here [kW]
    others_w : other running load [W]

    Raises
    ------
    InputProblem : no locked-rotor amps, or an inverter-driven compressor

    Notes
    -----
    Source behind R + jX of its transient reactance and the cord; the motor as its stall impedance at a power
    factor of 0.40. An inverter gives at most its surge kVA: volts fall until the stall current fits.

    """
    plate, lra = entry.plate, entry.plate.compressors[0].lra_a
    if plate.is_inverter or lra is None:
        field = "plate.inverter" if plate.is_inverter else "plate.compressors[0].lra_a"
        wanted = (
            msg("a compressor started across the line") if plate.is_inverter else msg("locked-rotor amps")
        )
        step = (
            msg("An inverter starts itself gently; its running amps size the source.")
            if plate.is_inverter
            else msg("Read LRA on the nameplate.")
        )
        raise InputProblem([FieldProblem(field=field, wanted=wanted, got=lra)], next_step=step)
    source = start_source(entry, kw, others_w)
    if source is None:
        return None
    volts = entry.source.volts if "volts" in entry.source.model_fields_set else plate.volts
    size = plate.volts / (math.sqrt(3) * lra)
    motor = complex(size * STALL_POWER_FACTOR, size * math.sqrt(1 - STALL_POWER_FACTOR**2))
    ahead = _behind(source, volts)
    ratio = abs(motor / (motor + ahead))
    amps = volts / math.sqrt(3) / abs(motor + ahead)
    if source.kind == "inverter":
        # What it gives for a start: volts are cut until the stall current fits.
        at_limit = source.left_kva * 1000 / (math.sqrt(3) * volts)
        ratio, amps = min(ratio, at_limit * size / (volts / math.sqrt(3))), min(amps, at_limit)
    lowest = ratio * volts
    return LineStart(
        start_kva=math.sqrt(3) * volts * amps / 1000,
        sag_pct=100 * (1 - ratio),
        lowest_v=lowest,
        on=_judged(entry, lowest, 100 * (1 - ratio), limits),
    )


def _behind(source: Source, volts: float) -> complex:
    """Return the source's impedance and that of its cord, one way: phases share no return [Ω]."""
    ohm = 0j
    if source.kind == "generator":
        pu = source.transient_reactance_pu or TRANSIENT_REACTANCE_PU
        x = pu * volts**2 / (source.left_kva * 1000)
        ohm += complex(GENERATOR_R_OVER_X * x, x)
    if source.conductors is not None:
        wire = source.conductors
        table = conductor_ohms(wire.size, wire.material, wire.raceway_metal)
        feet = wire.length_ft / 1000
        ohm += complex(feet * table.resistance_ohm_per_kft, feet * table.reactance_ohm_per_kft)
    return ohm


def _judged(entry: BackupIn, lowest_v: float, dip: float, limits: Standards) -> OnSource:
    share = lowest_v / entry.plate.volts
    spare = 100 * share - dropout_pct(entry)
    if spare <= 0:
        why = msg("Volts dip by {dip:.0f} %: the contactor lets go during the start.", dip=dip)
        return OnSource(verdict="fails", holds=False, spare_pct=spare, why=why)
    if share < LEAST_VOLTS:
        why = msg(
            "Volts dip by {dip:.0f} %: {share:.0f} % of its torque is left.", dip=dip, share=100 * share**2
        )
        return OnSource(verdict="fails", holds=True, spare_pct=spare, why=why)
    little = []
    if dip > limits.source_dip_pct:
        little.append(
            msg(
                "Volts dip by {dip:.0f} %; {source_dip_pct:g} % is the shop's limit.",
                dip=dip,
                source_dip_pct=limits.source_dip_pct,
            )
        )
    if spare < HOLD_SPARE_PCT:
        little.append(msg("The contactor is near letting go."))
    if little:
        return OnSource(verdict="marginal", holds=True, spare_pct=spare, why=joined(little, " "))
    return OnSource(
        verdict="starts",
        holds=True,
        spare_pct=spare,
        why=msg(
            "Volts dip by {dip:.0f} %; {share:.0f} % of its starting torque is left.",
            dip=dip,
            share=100 * share**2,
        ),
    )
