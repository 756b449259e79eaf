"""The equipment ground: a wire by the device, in proportion, of its own metal; or the raceway itself."""

from orange_crank.core.circuit.entry import CircuitIn, Material
from orange_crank.core.circuit.rules.job import Built, Job, finding
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
    "2017": "counted from the smallest size sufficient here (2017)",
    "2020": "what ambient and bundling ask for left out (2020 on)",
    "2023": "what ambient and bundling ask for left out (2020 on)",
}


def judge(job: Job, built: Built) -> list[Finding]:
    """Judge the ground: its size as a wire, or the raceway as the path."""
    if job.entry.ground_by == "raceway" or built.egc_raceway:
        return _by_raceway(job, built)
    metal = built.egc_material
    if built.egc_awg is None or built.device_a is None or built.conductor_awg is None:
        what = "Grounding conductor" if built.egc_awg is None else "Device or conductors"
        return [
            finding(
                "EGC_SMALL", "unknown", f"{what} not entered.", _rule(job), step="Find it and read its size."
            )
        ]
    size, device = built.conductor_awg, built.device_a
    least = by_table(device, size, metal)
    word = f"{size_word(built.egc_awg)} {metal_word(metal)}"
    if RANK[built.egc_awg] < RANK[least]:
        return [
            finding(
                "EGC_SMALL",
                "fail",
                f"{word} ground; {size_word(least)} required for {device:g} A.",
                _rule(job),
                step=f"Pull a {size_word(least)} {metal_word(metal)} ground; or a smaller device.",
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
            "watch" if short else "pass",
            f"{word} ground meets the table behind {device:g} A; in proportion to the heavier "
            f"hots it would be "
            f"{size_word(full)}."
            if short
            else f"{word} ground behind {device:g} A.",
            _rule(job),
            f"in proportion of {size} to {minimum}, {_COUNTS_FROM[job.entry.edition]}, no "
            f"larger than the hots"
            if enlarged
            else None,
            f"A {size_word(full)} ground when it is next pulled; ask the authority." if short else None,
            device_a=device,
        )
    ]
    if metal == "aluminum" and job.entry.is_wet:
        found.append(
            finding(
                "GROUND_METAL",
                "watch",
                "Aluminum ground in a wet place: not bare, and not ended within 18 in of the earth.",
                clause(job.entry.edition, "250.120(B)"),
                step="A copper ground avoids the question.",
            )
        )
    return found


def _by_raceway(job: Job, built: Built) -> list[Finding]:
    e, entry, device = job.entry.edition, job.entry, built.device_a
    rule = clause(e, "250.118")
    way = entry.raceway
    if way is None:
        return [
            finding(
                "EGC_SMALL",
                "unknown",
                "Raceway as ground: its kind not entered.",
                rule,
                step="Enter the raceway.",
            )
        ]
    if way in METAL_RACEWAYS:
        on_roof = entry.rooftop_clearance_in is not None and way == "EMT"
        return [
            finding(
                "EGC_SMALL",
                "fail" if on_roof else "pass",
                "EMT outdoors on a roof: a grounding wire is required inside it."
                if on_roof
                else f"{way} itself is the ground: couplings tight, bonding bushings at ringed knockouts.",
                clause(e, "440.9") if on_roof else rule,
                step="Pull a grounding wire inside it." if on_roof else None,
            )
        ]
    if way in ("LFMC", "FMC"):
        # The trade sizes that carry 60 A are known from the fill; the lower limit holds for all.
        most = 20.0 if way == "FMC" else 60.0
        long = entry.length_ft is not None and entry.length_ft > FLEXIBLE_FT
        large = device is not None and device > most
        bad = long or large
        return [
            finding(
                "EGC_SMALL",
                "fail" if bad else "unknown",
                f"{way} is a ground only up to {feet(FLEXIBLE_FT)} and {most:g} A"
                + (", less in the small sizes" if way == "LFMC" else "")
                + ", with listed fittings, and not where it must flex.",
                rule,
                step=f"Pull a grounding wire through the {way}.",
            )
        ]
    return [
        finding(
            "EGC_SMALL",
            "fail",
            f"{way} can't be the equipment ground by itself.",
            rule,
            step="Pull a grounding wire through it.",
        )
    ]
