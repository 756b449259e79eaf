"""Voltage drop, running and at the start."""

from orange_crank.core.circuit.entry import CircuitIn, RacewayMetal
from orange_crank.core.circuit.loads import Loads
from orange_crank.core.circuit.rules.job import Built, Job, finding
from orange_crank.core.errors import BeyondTable
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Finding, feet, say
from orange_crank.core.tables.code import (
    NEEDS_ENGINEER,
    RANK,
    drop_v,
    drop_working,
    size_word,
    sizes_of,
)
from orange_crank.core.tables.standards import Standards

STEEL = ("EMT", "RMC", "LFMC", "FMC", "MC")


def metal_of(entry: CircuitIn) -> RacewayMetal:
    """Return the raceway's metal for reactance: steel where it is of metal unless said, else PVC."""
    if entry.raceway_metal is not None:
        return entry.raceway_metal
    return "steel" if entry.raceway in STEEL else "pvc"


def running_drop_v(size: str, entry: CircuitIn, loads: Loads) -> float | None:
    """Return the voltage drop at RLA and FLA, else at MCA [V]; None without a length."""
    if entry.length_ft is None:
        return None
    amps = loads.running_a if loads.running_a is not None else loads.mca_a
    factor = power_factor_of(entry, loads)
    return drop_v(size, entry.material, metal_of(entry), entry.length_ft, amps, factor, entry.phase)


def power_factor_of(entry: CircuitIn, loads: Loads) -> float:
    """Return the power factor while it runs: heat has one of 1."""
    return 1.0 if loads.heat_alone and not entry.said("power_factor") else entry.power_factor


def start_drop_v(size: str, entry: CircuitIn, loads: Loads, power_factor: float) -> float | None:
    """Return the voltage drop at locked rotor [V]; None without a length or LRA."""
    if entry.length_ft is None or loads.compressor_lra_a is None:
        return None
    return drop_v(
        size,
        entry.material,
        metal_of(entry),
        entry.length_ft,
        loads.compressor_lra_a,
        power_factor,
        entry.phase,
    )


def together(loads: Loads) -> int:
    """How many compressors are counted as starting at once: all, since nothing here keeps them apart."""
    return len(loads.compressors)


def size_for_start(
    entry: CircuitIn, loads: Loads, minimum: str, limits: Standards, most_pct: float
) -> str | None:
    """Return the smallest conductor from a minimum on that loses no more than so much at the start [%].

    None without a length or an LRA, or where no conductor of the table does.
    """
    for size in sizes_of(entry.material)[sizes_of(entry.material).index(minimum) :]:
        start = start_drop_v(size, entry, loads, limits.start_power_factor)
        if start is None:
            return None
        if 100 * start / entry.volts <= most_pct + 1e-9:
            return size
    return None


def limit_pct(entry: CircuitIn, limits: Standards) -> float:
    """Return the drop allowed: what was asked for, else the shop's [%]."""
    return entry.drop_limit_pct if entry.drop_limit_pct is not None else limits.voltage_drop_pct


def size_within(entry: CircuitIn, loads: Loads, minimum: str) -> str:
    """Return the smallest conductor from a minimum on that keeps the drop asked for.

    Raises
    ------
    BeyondTable : none does

    """
    assert entry.drop_limit_pct is not None
    for size in sizes_of(entry.material)[sizes_of(entry.material).index(minimum) :]:
        drop = running_drop_v(size, entry, loads)
        if drop is None or 100 * drop / entry.volts <= entry.drop_limit_pct + 1e-9:
            return size
    raise BeyondTable(
        msg(
            "No conductor of the table keeps the drop within {drop_limit_pct:g} % over {length_ft}.",
            drop_limit_pct=entry.drop_limit_pct,
            length_ft=feet(entry.length_ft or 0.0),
        ),
        next_step=msg(
            "{needs_engineer} Or allow more drop, or a source nearer by.", needs_engineer=NEEDS_ENGINEER
        ),
    )


def _at_start(job: Job, size: str, start: float) -> Finding:
    """Judge the volts lost in the wire at the start, with the wire that keeps them in the limit."""
    entry, loads, limits = job.entry, job.loads, job.limits
    most = entry.start_limit_pct if entry.start_limit_pct is not None else limits.start_dip_pct
    dip = 100 * start / entry.volts
    high = dip > most + 1e-9
    text = msg("At the start this wire loses {dip:.1f} % (limit {most:g} %).", dip=dip, most=most)
    step = None
    if high:
        larger = size_for_start(entry, loads, size, limits, most)
        step = (
            msg(
                "Pull {size_word} for the start, or fit a soft starter and measure.",
                size_word=size_word(larger),
            )
            if larger
            else msg("No wire of the table keeps it. Fit a soft starter and measure the start.")
        )
    how = msg(
        "at {compressor_lra_a:g} A, power factor {start_power_factor:g}",
        compressor_lra_a=loads.compressor_lra_a,
        start_power_factor=limits.start_power_factor,
    )
    if together(loads) > 1:
        how += msg("; {count} compressors starting at once", count=together(loads))
    return finding(
        "START_DROP",
        "watch" if high else "note",
        text,
        msg("{rule}; Chapter 9 Table 9", rule=limits.rule("start_dip_pct")),
        how,
        step,
        lra_a=loads.compressor_lra_a,
        limit_pct=most,
    )


def judge(job: Job, built: Built) -> list[Finding]:
    """Judge the drop running, and the dip in the wire at the start."""
    entry, loads, size = job.entry, job.loads, built.conductor_awg
    rule = f"NEC {entry.edition} 210.19(A) note"
    if entry.length_ft is None or size is None:
        what = "Length" if entry.length_ft is None else "Conductors"
        return [
            finding(
                "VOLTAGE_DROP",
                "unknown",
                msg("{what} not entered: voltage drop not computed.", what=what),
                rule,
                step=msg("Pace it out, one way."),
            )
        ]
    drop, start = (
        running_drop_v(size, entry, loads),
        start_drop_v(size, entry, loads, job.limits.start_power_factor),
    )
    assert drop is not None
    pct, limit = 100 * drop / entry.volts, limit_pct(entry, job.limits)
    fits = pct <= limit + 1e-9
    amps = loads.running_a if loads.running_a is not None else loads.mca_a
    metal, factor = metal_of(entry), power_factor_of(entry, loads)
    own = entry.drop_limit_pct is not None
    found = [
        finding(
            "VOLTAGE_DROP",
            "pass" if fits else "watch",
            msg(
                "{drop:.2f} V, {pct:.2f} %, over {length_ft} at {amps}; {limit:g} % ",
                drop=drop,
                pct=pct,
                length_ft=feet(entry.length_ft),
                amps=say(amps, "A"),
                limit=limit,
            )
            + (msg("asked for.") if own else msg("recommended limit.")),
            msg("{rule}, Chapter 9 Table 9 ({metal})", rule=rule, metal=metal)
            + ("" if own else f"; {job.limits.rule('voltage_drop_pct')}"),
            drop_working(size, entry.material, metal, entry.length_ft, amps, factor, entry.phase),
            None if fits else msg("Use larger wire. Enter a drop limit to get the size."),
            limit_pct=limit,
            amps_a=round(amps, 3),
        )
    ]
    if built.minimum_awg is not None and not job.audited and RANK[size] > RANK[built.minimum_awg]:
        found.append(
            finding(
                "ENLARGED_FOR_DROP",
                "note",
                msg(
                    "{size_word} would carry it; {size_word_2} keeps the drop within {limit:g} %.",
                    size_word=size_word(built.minimum_awg),
                    size_word_2=size_word(size),
                    limit=limit,
                ),
                rule,
            )
        )
    if start is not None:
        found.append(_at_start(job, size, start))
    return found
