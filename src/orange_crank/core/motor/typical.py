"""Aids of ordinary size for a plate, to hold side by side before anything is chosen."""

from pydantic import Field

from orange_crank.core.messages import Prose, msg
from orange_crank.core.motor.assemble import CEILING_SHARE
from orange_crank.core.motor.entry import Aid, Source
from orange_crank.core.motor.fit import StartPlate, fit_machine
from orange_crank.core.motor.house import house_supply
from orange_crank.core.motor.start_capacitor import best_start_capacitor
from orange_crank.core.nomenclature import Frozen, say
from orange_crank.core.tables import StartCapacitorRange, start_capacitor_ranges
from orange_crank.core.tables.standards import Standards, shipped_standards

# A ceiling of a third of LRA wants this much capacitor to get away at all.
SOFT_OVER_RUN = 2.5
# Where there is no run capacitor its own capacitor is sized by [µF].
USUAL_RUN_UF = 30.0
PTC_OVER_RATED = 2.0


class TypicalAid(Frozen):
    """One aid with the name it goes by and where its size comes from."""

    label: Prose
    aid: Aid
    why: Prose


class TypicalIn(Frozen):
    """A plate, to lay out aids for."""

    plate: StartPlate


class TypicalOut(Frozen):
    """Aids of ordinary size."""

    run_cap_uf: float | None = Field(
        description="Run capacitor of the plate, or the one that suits; null where the motor has none [µF]"
    )
    supply: Source = Field(description="What is taken where nothing is known of the line: a house's")
    aids: list[TypicalAid]
    start_capacitors: list[StartCapacitorRange]


def typical_aids(entry: TypicalIn, standards: Standards | None = None) -> TypicalOut:
    """Lay out aids of ordinary size for a plate.

    Raises
    ------
    InputProblem : the plate is none of a single-phase machine; it takes no start aid

    Notes
    -----
    A beginning for the lab, not a choice: choosing computes each candidate.

    """
    limits = standards or shipped_standards()
    machine, fit = fit_machine(entry.plate)
    first = entry.plate.compressors[0]
    run_uf = fit.run_cap_uf
    # The smallest there is, where even that overdrives: the lab shows what it does.
    size = best_start_capacitor(machine, entry.plate.volts, run_uf, limits) or start_capacitor_ranges()[0]
    middle = (size.low_uf + size.high_uf) / 2
    cold = PTC_OVER_RATED * entry.plate.volts / first.rla_a
    ceiling = CEILING_SHARE * float(first.lra_a or 0.0)
    soft_uf = SOFT_OVER_RUN * (USUAL_RUN_UF if run_uf is None else run_uf)
    return TypicalOut(
        run_cap_uf=None if run_uf is None else round(run_uf, 1),
        supply=house_supply(entry.plate),
        start_capacitors=list(start_capacitor_ranges()),
        aids=[
            TypicalAid(label=msg("No aid"), aid=Aid(), why=msg("What the motor does by itself.")),
            TypicalAid(
                label=msg("Start kit, relay"),
                aid=Aid(kind="start_capacitor", start_cap_uf=middle),
                why=msg(
                    "{low_uf:g}–{high_uf:g} µF, by the start winding's current; relay fits.",
                    low_uf=size.low_uf,
                    high_uf=size.high_uf,
                ),
            ),
            TypicalAid(
                label=msg("Start kit, PTC"),
                aid=Aid(kind="ptc", cold_ohm=round(cold, 1)),
                why=msg("{cold} cold, about twice rated volts over rated amps.", cold=say(cold, "Ω", 3)),
            ),
            TypicalAid(
                label=msg("Soft starter"),
                aid=Aid(kind="soft_starter", start_cap_uf=round(soft_uf, 0), ceiling_a=round(ceiling, 0)),
                why=msg(
                    "Holds {ceiling}, a third of LRA, with {soft_uf} of its own.",
                    ceiling=say(ceiling, "A", 3),
                    soft_uf=say(soft_uf, "µF", 3),
                ),
            ),
            TypicalAid(
                label=msg("Time delay"),
                aid=Aid(kind="time_delay", off_s=180.0),
                why=msg("Three minutes off, so that pressures meet."),
            ),
        ],
    )
