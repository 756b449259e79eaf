"""The equipment ground: a wire by the device, in proportion, of its own metal; or the raceway itself."""

from orange_crank.core.circuit.entry import CircuitIn, Material
from orange_crank.core.circuit.rules.job import Built, Job, finding
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Finding, feet
from orange_crank.core.plate.arithmetic import clause
from orange_crank.core.tables.code import (
    RANK,
    area_kcmil,
    grounding_size,
    metal_word,
    size_of_area,
    size_word,
)

FLEXIBLE_FT = 6.0
METAL_RACEWAYS = ("EMT", "RMC")
FLEXIBLE_A = {"FMC": 20.0, "LFMC": 60.0}


def metal_of(entry: CircuitIn) -> Material:
    """Return the grounding conductor's own metal: the conductors' unless said."""
    return entry.egc_material or entry.material


def by_table(device_a: float, conductor: str, metal: Material) -> str:
    """Return the grounding conductor the table asks for, never larger than the circuit's conductors."""
    base = grounding_size(device_a, metal)
    return conductor if RANK[base] > RANK[conductor] else base


def in_proportion(device_a: float, minimum: str, chosen: str, metal: Material, tolerance_pct: float) -> str:
    """Return the grounding conductor, enlarged in proportion where the others were.

    Notes
    -----
    The table by the device; times the chosen area over that of the smallest sufficient conductor,
    corrections included: what ambient, bundling, terminals or a heavier school ask for is no enlargement.
    Equal steps stay equal: printed areas are rounded. Never larger than the circuit's own conductors.

    References
    ----------
    NEC 250.122(B).

    """
    base = grounding_size(device_a, metal)
    if RANK[chosen] > RANK[minimum]:
        wanted = area_kcmil(base) * area_kcmil(chosen) / area_kcmil(minimum)
        base = size_of_area(wanted, metal, tolerance_pct) if wanted <= area_kcmil(chosen) else chosen
    return chosen if RANK[base] > RANK[chosen] else base


def _rule(job: Job) -> str:
    return clause(job.entry.edition, "250.122, 250.122(B)")


_COUNTS_FROM = {
    "2017": msg("counted from the smallest size sufficient here (2017)"),
    "2020": msg("what ambient and bundling ask for left out (2020 on)"),
    "2023": msg("what ambient and bundling ask for left out (2020 on)"),
}


def judge(job: Job, built: Built) -> list[Finding]:
    """Judge the ground: its size as a wire, or the raceway as the path."""
    if job.entry.ground_by == "raceway" or built.egc_raceway:
        return _by_raceway(job, built)
    metal = built.egc_material
    if built.egc_awg is None or built.device_a is None or built.conductor_awg is None:
        what = msg("Grounding conductor") if built.egc_awg is None else msg("Device or conductors")
        return [
            finding(
                "EGC_SMALL",
                "unknown",
                msg("{what} not entered.", what=what),
                _rule(job),
                step=msg("Find it and read its size."),
            )
        ]
    size, device = built.conductor_awg, built.device_a
    least = by_table(device, size, metal)
    open_ = metal == "aluminum" and bool(job.unsaid("egc_material"))
    if open_ and RANK[by_table(device, size, "copper")] <= RANK[built.egc_awg] < RANK[least]:
        return [
            finding(
                "EGC_SMALL",
                "unknown",
                msg(
                    "{size_word} ground behind {device:g} A: right in copper, too small in aluminum.",
                    size_word=size_word(built.egc_awg),
                    device=device,
                ),
                _rule(job),
                step=msg("Look whether the ground is copper or aluminum."),
                device_a=device,
            )
        ]
    word = f"{size_word(built.egc_awg)} {metal_word(metal)}"
    if RANK[built.egc_awg] < RANK[least]:
        return [
            finding(
                "EGC_SMALL",
                "fail",
                msg(
                    "{word} ground; {size_word} required for {device:g} A.",
                    word=word,
                    size_word=size_word(least),
                    device=device,
                ),
                _rule(job),
                step=msg(
                    "Pull a {size_word} {metal_word} ground; or a smaller device.",
                    size_word=size_word(least),
                    metal_word=metal_word(metal),
                ),
                device_a=device,
            )
        ]
    minimum = built.minimum_awg
    full = least
    if minimum is not None:
        full = in_proportion(device, minimum, size, metal, job.limits.ground_tolerance_pct)
    short = RANK[built.egc_awg] < RANK[full]
    enlarged = minimum is not None and RANK[size] > RANK[minimum]
    found = [
        finding(
            "EGC_SMALL",
            "pass",
            msg(
                "{word} ground meets the table behind {device:g} A; in proportion to the "
                "heavier hots it would be {size_word}.",
                word=word,
                device=device,
                size_word=size_word(full),
            )
            if short
            else msg("{word} ground behind {device:g} A.", word=word, device=device),
            _rule(job),
            msg(
                "in proportion of {size} to {minimum}, {counts_from}, no larger than the hots",
                size=size,
                minimum=minimum,
                counts_from=_COUNTS_FROM[job.entry.edition],
            )
            if enlarged
            else None,
            msg("A {size_word} ground when it is next pulled; ask the authority.", size_word=size_word(full))
            if short
            else None,
            device_a=device,
        )
    ]
    if metal == "aluminum" and job.entry.is_wet:
        found.append(
            finding(
                "GROUND_METAL",
                "watch",
                msg("Aluminum ground in a wet place: not bare, and not ended within 18 in of the earth."),
                clause(job.entry.edition, "250.120(B)"),
                step=msg("A copper ground avoids the question."),
            )
        )
    return found


def never_by(entry: CircuitIn, device_a: float) -> bool:
    """Whether this raceway can't be the equipment ground by itself here."""
    way = entry.raceway
    if way in METAL_RACEWAYS:
        return way == "EMT" and entry.rooftop_clearance_in is not None
    if way in FLEXIBLE_A:
        long = entry.length_ft is not None and entry.length_ft > FLEXIBLE_FT
        return long or device_a > FLEXIBLE_A[way]
    return way is not None


def _by_raceway(job: Job, built: Built) -> list[Finding]:
    e, entry, device = job.entry.edition, job.entry, built.device_a
    rule = clause(e, "250.118")
    way = entry.raceway
    if way is None:
        return [
            finding(
                "EGC_SMALL",
                "unknown",
                msg("Raceway as ground: its kind not entered."),
                rule,
                step=msg("Enter the raceway."),
            )
        ]
    if way in METAL_RACEWAYS:
        on_roof = never_by(entry, 0.0)
        return [
            finding(
                "EGC_SMALL",
                "fail" if on_roof else "pass",
                msg("EMT outdoors on a roof: a grounding wire is required inside it.")
                if on_roof
                else msg(
                    "{way} itself is the ground: couplings tight, bonding bushings at ringed knockouts.",
                    way=way,
                ),
                clause(e, "440.9") if on_roof else rule,
                step=msg("Pull a grounding wire inside it.") if on_roof else None,
            )
        ]
    if way in FLEXIBLE_A:
        # The trade sizes that carry 60 A are known from the fill; the lower limit holds for all.
        most = FLEXIBLE_A[way]
        bad = never_by(entry, device or 0.0)
        return [
            finding(
                "EGC_SMALL",
                "fail" if bad else "unknown",
                msg(
                    "{way} is a ground only up to {flexible_ft} and {most:g} A",
                    way=way,
                    flexible_ft=feet(FLEXIBLE_FT),
                    most=most,
                )
                + (msg(", less in the small sizes") if way == "LFMC" else "")
                + msg(", with listed fittings, and not where it must flex."),
                rule,
                step=msg("Pull a grounding wire through the {way}.", way=way),
            )
        ]
    return [
        finding(
            "EGC_SMALL",
            "fail",
            msg("{way} can't be the equipment ground by itself.", way=way),
            rule,
            step=msg("Pull a grounding wire through it."),
        )
    ]
