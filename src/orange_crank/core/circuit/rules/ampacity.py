"""Ampacity: what a conductor may carry here, against what the circuit asks."""

from orange_crank.core.circuit.conductor import (
    corrected_a,
    correction_clauses,
    table_clause,
    usable_a,
)
from orange_crank.core.circuit.entry import Material
from orange_crank.core.circuit.rules.job import Built, Job, finding
from orange_crank.core.errors import field_words
from orange_crank.core.messages import joined, msg
from orange_crank.core.nomenclature import Finding, apart, say, temperature
from orange_crank.core.plate.arithmetic import clause
from orange_crank.core.tables.code import Column, ambient_factor, ampacity_a, metal_word, size_word

# The coolest air of the correction table: nothing that was not entered can lift ampacity above it.
COOLEST_F = 50.0
DECIDES = ("insulation", "material", "ambient_f")


def judge(job: Job, built: Built) -> list[Finding]:
    """Judge the conductors: corrected ampacity and terminals, both against what is asked."""
    entry, c, size = job.entry, job.conditions, built.conductor_awg
    need = job.loads.mca_a
    rule = (
        f"{table_clause(entry.edition)}; {correction_clauses(entry.edition, c.roof_adder_f > 0)}; "
        + clause(entry.edition, "110.14(C)")
    )
    if size is None:
        return [
            finding(
                "AMPACITY",
                "unknown",
                msg("Wire size not entered; {need} required.", need=say(need, "A")),
                rule,
                step=msg("Read the size on the jacket, or gauge it with power off."),
                mca_a=round(need, 4),
            )
        ]
    usable = usable_a(size, entry, c)
    table = ampacity_a(size, entry.material, c.column_c)
    at_lugs = ampacity_a(size, entry.material, c.termination_c)
    fits = usable >= need - 1e-9
    open_ = job.unsaid(*DECIDES)
    best = _best_a(job, size, open_)
    told = msg(
        "{size_word} {metal_word} {insulation}: {usable} usable, ",
        size_word=size_word(size),
        metal_word=metal_word(entry.material),
        insulation=entry.insulation,
        usable=say(usable, "A"),
    )
    told += msg("{need} required", need=say(need, "A"))
    unsure = bool(open_) and best >= need - 1e-9
    words = joined((field_words(f).lower() for f in open_), ", ")
    found = [
        finding(
            "AMPACITY",
            "unknown" if unsure else "pass" if fits else "fail",
            msg("{told} if that is what it is. Not entered: {words}.", told=told, words=words)
            if unsure
            else msg("{told}.", told=told),
            rule,
            msg(
                "{table:g} A at {column_c} °C × {ambient:g} ambient × {bundling:g} bundling = "
                "{corrected_a:.4g} A; {at_lugs:g} A at {termination_c} °C terminals",
                table=table,
                column_c=c.column_c,
                ambient=c.ambient,
                bundling=c.bundling,
                corrected_a=corrected_a(size, entry, c),
                at_lugs=at_lugs,
                termination_c=c.termination_c,
            ),
            msg("Read {words}.", words=words) if unsure else None if fits else _heavier(job, size),
            mca_a=round(need, 4),
            ambient_f=c.ambient_f,
            conductors=c.conductors,
        )
    ]
    if c.roof_adder_f:
        found.append(
            finding(
                "ROOFTOP",
                "note",
                msg(
                    "{rooftop_clearance_in:g} in above the roof: {apart} are added to the air.",
                    rooftop_clearance_in=entry.rooftop_clearance_in,
                    apart=apart(c.roof_adder_f),
                ),
                correction_clauses(entry.edition, True),
                f"{c.ambient_f:g} + {c.roof_adder_f:g} = {c.ambient_f + c.roof_adder_f:g} °F",
            )
        )
    outside = entry.is_outdoors or entry.wet
    if outside and not entry.said("ambient_f"):
        found.append(
            finding(
                "AMBIENT",
                "unknown",
                msg(
                    "Outdoors, highest ambient not entered: {value} may be too cool.", value=temperature(86.0)
                ),
                correction_clauses(entry.edition, c.roof_adder_f > 0),
                step=msg("Enter the hottest air the conductors meet."),
            )
        )
    return found


def _best_a(job: Job, size: str, open_: list[str]) -> float:
    """Return what it would carry with all that was not entered in its favor [A]."""
    entry, c = job.entry, job.conditions
    metal: Material = "copper" if "material" in open_ else entry.material
    column: Column = 90 if "insulation" in open_ else c.column_c
    ambient = c.ambient
    if "ambient_f" in open_ or "insulation" in open_:
        air = COOLEST_F if "ambient_f" in open_ else c.ambient_f + c.roof_adder_f
        ambient = ambient_factor(air, column) or c.ambient
    corrected = ampacity_a(size, metal, column) * ambient * c.bundling
    return min(corrected, ampacity_a(size, metal, c.termination_c))


def _heavier(job: Job, size: str) -> str:
    at_75 = ampacity_a(size, job.entry.material, 75)
    corrected = corrected_a(size, job.entry, job.conditions)
    said = job.entry.said("termination_c") or any(lug.marked_c for lug in job.entry.lugs)
    if job.conditions.termination_c == 60 and not said and min(at_75, corrected) >= job.loads.mca_a - 1e-9:
        return msg("Read the lugs at both ends: all marked 75 °C it would do. Else pull heavier conductors.")
    return msg("Pull larger wire.")
