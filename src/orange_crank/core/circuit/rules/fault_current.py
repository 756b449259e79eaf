"""The unit's short-circuit rating against the fault current there."""

from orange_crank.core.circuit.rules.job import Job, finding
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Finding
from orange_crank.core.plate.arithmetic import clause


def judge(job: Job) -> list[Finding]:
    """Judge the rating where both figures are known; ask for the one that is missing."""
    entry = job.entry
    have, there = entry.short_circuit_rating_a, entry.available_fault_a
    # Marked on multimotor and combination-load units, and not to be exceeded, from the 2017 edition.
    rule = clause(entry.edition, "440.10(A), 440.4(B)")
    if have is None and there is None:
        return []
    if have is None or there is None:
        return [
            finding(
                "SHORT_CIRCUIT_RATING",
                "unknown",
                msg("The unit's short-circuit rating: not entered.")
                if have is None
                else msg("Fault current: not entered."),
                rule,
                step=msg("Read it on the nameplate.")
                if have is None
                else msg("Ask the utility for the fault current there."),
            )
        ]
    enough = have >= there
    return [
        finding(
            "SHORT_CIRCUIT_RATING",
            "pass" if enough else "fail",
            msg("Unit rated {have:g} A for {there:g} A of fault current there.", have=have, there=there),
            rule,
            step=None
            if enough
            else msg("Current-limiting fuses by the unit's listing, or another unit: ask an engineer."),
        )
    ]
