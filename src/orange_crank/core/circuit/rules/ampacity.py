"""Ampacity: what a conductor may carry here, against what the circuit asks."""

from orange_crank.core.circuit.conductor import (
    corrected_a,
    correction_clauses,
    table_clause,
    usable_a,
)
from orange_crank.core.circuit.rules.job import Built, Job, finding
from orange_crank.core.errors import field_words
from orange_crank.core.nomenclature import Finding, apart, say, temperature
from orange_crank.core.plate.arithmetic import clause
from orange_crank.core.tables.code import ampacity_a, metal_word, size_word

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
                f"Wire size not entered; {say(need, 'A')} required.",
                rule,
                step="Read the size on the jacket, or gauge it with power off.",
                mca_a=round(need, 4),
            )
        ]
    usable = usable_a(size, entry, c)
    table = ampacity_a(size, entry.material, c.column_c)
    at_lugs = ampacity_a(size, entry.material, c.termination_c)
    fits = usable >= need - 1e-9
    open_ = job.unsaid(*DECIDES)
    # What it would carry with all that nobody said in its favor.
    best = ampacity_a(size, "copper" if "material" in open_ else entry.material, c.termination_c)
    told = f"{size_word(size)} {metal_word(entry.material)} {entry.insulation}: {say(usable, 'A')} usable, "
    told += f"{say(need, 'A')} required"
    unsure = bool(open_) and best >= need - 1e-9
    words = ", ".join(field_words(f).lower() for f in open_)
    found = [
        finding(
            "AMPACITY",
            "unknown" if unsure else "pass" if fits else "fail",
            f"{told} if that is what it is. Not entered: {words}." if unsure else f"{told}.",
            rule,
            f"{table:g} A at {c.column_c} °C × {c.ambient:g} ambient × {c.bundling:g} bundling = "
            f"{corrected_a(size, entry, c):.4g} A; {at_lugs:g} A at {c.termination_c} °C terminals",
            f"Read {words}." if unsure else None if fits else _heavier(job, size),
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
                f"{entry.rooftop_clearance_in:g} in above the roof: {apart(c.roof_adder_f)} are "
                f"added to the air.",
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
                f"Outdoors, highest ambient not entered: {temperature(86.0)} may be too cool.",
                correction_clauses(entry.edition, c.roof_adder_f > 0),
                step="Enter the hottest air the conductors meet.",
            )
        )
    return found


def _heavier(job: Job, size: str) -> str:
    at_75 = ampacity_a(size, job.entry.material, 75)
    corrected = corrected_a(size, job.entry, job.conditions)
    said = job.entry.said("termination_c") or any(lug.marked_c for lug in job.entry.lugs)
    if job.conditions.termination_c == 60 and not said and min(at_75, corrected) >= job.loads.mca_a - 1e-9:
        return "Read the lugs at both ends: all marked 75 °C it would do. Else pull heavier conductors."
    return "Pull larger wire."
