"""The raceway: trade size by fill."""

from orange_crank.core.circuit.conductor import CABLES
from orange_crank.core.circuit.entry import CircuitIn
from orange_crank.core.circuit.rules.job import Job, finding
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Finding
from orange_crank.core.tables.code import conductor_area_in2, raceway_size, size_word

CABLE_WAYS = ("cable", "MC", "SER")


def fill(entry: CircuitIn, size: str, ground: str | None) -> tuple[str | None, float | None]:
    """Return the trade size that holds the circuit and its fill [%]; None for cables."""
    if entry.raceway is None or entry.raceway in CABLE_WAYS or entry.insulation in CABLES:
        return None, None
    hot = 3 if entry.phase == 3 else 2
    areas = [conductor_area_in2(size, entry.insulation)] * hot
    if ground is not None and entry.ground_by != "raceway":
        areas.append(conductor_area_in2(ground, entry.insulation))
    trade, full = raceway_size(entry.raceway, areas)
    return trade, round(full, 2)


def judge(
    job: Job, size: str, ground: str | None, trade: str | None, fill_pct: float | None
) -> list[Finding]:
    """Say how full the chosen raceway is."""
    entry = job.entry
    if trade is None or fill_pct is None:
        return []
    found = [
        finding(
            "RACEWAY",
            "pass",
            msg(
                "{raceway} {trade}: {fill_pct:.0f} % full.",
                raceway=entry.raceway,
                trade=trade,
                fill_pct=fill_pct,
            ),
            msg("NEC {edition} Chapter 9 Tables 1, 4, 5", edition=entry.edition),
            conductor=size_word(size),
            ground=size_word(ground) if ground else None,
        )
    ]
    own = 3 if entry.phase == 3 else 2
    if (entry.current_carrying_conductors or own) > own:
        found.append(
            finding(
                "RACEWAY_SHARED",
                "unknown",
                msg("Other circuits share it: their room is not counted here."),
                msg("NEC {edition} Chapter 9 Table 1", edition=entry.edition),
                step=msg("Add their conductors by hand."),
            )
        )
    return found
