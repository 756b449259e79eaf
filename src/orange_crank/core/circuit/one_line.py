"""The circuit as one line from panel to terminals, and the list of what to bring."""

from typing import Literal

from pydantic import Field

from orange_crank.core.circuit.entry import CircuitIn, voltage_class
from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Finding, Frozen, Verdict, worst
from orange_crank.core.tables import overcurrent_sizes_a, standard_breaker
from orange_crank.core.tables.code import metal_word, size_word

Station = Literal["device", "conductor", "ground", "raceway", "disconnect", "unit"]
TITLES: dict[Station, str] = {
    "device": msg("Breaker or fuses"), "conductor": "Conductors", "ground": "Ground",
    "raceway": "Raceway", "disconnect": "Disconnect", "unit": "Unit",
}  # fmt: skip
# Which station a finding belongs to; what is not named belongs to the unit.
STATION_OF: dict[str, Station] = {
    "OVERCURRENT": "device", "ROUNDED_UNDER_MCA": "device", "FUSE_REQUIRED": "device", "POLES": "device",
    "GFCI_OUTDOOR": "device", "OCPD_ABOVE_MOCP": "device", "OCPD_BELOW_MCA": "device",
    "OCPD_ABOVE_CONDUCTOR": "device", "DEVICE_UNDER_15": "device", "SUBDIVISION": "device",
    "AMPACITY": "conductor", "ROOFTOP": "conductor", "SCHOOL": "conductor", "VOLTAGE_DROP": "conductor",
    "ENLARGED_FOR_DROP": "conductor", "START_DROP": "conductor", "WET_LOCATION": "conductor",
    "NM_60": "conductor", "UF_60": "conductor", "SER_60": "conductor", "MC_WET": "conductor",
    "AMBIENT": "conductor", "SMALL_CONDUCTOR": "conductor", "LUG": "conductor", "LUG_60": "conductor",
    "EGC_SMALL": "ground", "GROUND_METAL": "ground",
    "RACEWAY": "raceway", "RACEWAY_SHARED": "raceway", "NM_IN_RACEWAY": "raceway",
    "DISCONNECT_SMALL": "disconnect", "DISCONNECT_HP": "disconnect", "FUSE_SIZE": "disconnect",
}  # fmt: skip
WASTE = 1.1
# Conductors by pole count, and whether the system is above 150 V to ground (460/480 V, 277 V).
COLORS: dict[tuple[int, bool], tuple[str, ...]] = {
    (1, False): ("black", msg("white neutral")),
    (2, False): ("black", "red"),
    (3, False): ("black", "red", "blue"),
    (1, True): ("brown", msg("gray neutral")),
    (2, True): ("brown", "orange"),
    (3, True): ("brown", "orange", "yellow"),
}


def colors(entry: CircuitIn) -> tuple[str, ...]:
    """Return the usual colors of the conductors; on 240 V three-phase orange is kept for the high leg.

    References
    ----------
    NEC 110.15, 200.6, 210.5(C).

    """
    delta = entry.phase == 3 and voltage_class(entry.volts) == "230/240 V"
    return COLORS[entry.poles, entry.volts_to_ground > 150 and not delta]


class StationOut(Frozen):
    """One part of the line, with its size and what is said of it."""

    station: Station
    title: Prose
    size: Prose
    verdict: Verdict
    codes: list[str] = Field(description="The findings that belong to it, by code")


class Material(Frozen):
    """One thing to bring, or to write down."""

    item: Prose
    count: int | None
    length_ft: float | None
    note: Prose


def stations(sizes: dict[Station, str], findings: list[Finding]) -> list[StationOut]:
    """Return the line's parts, panel first, each with its own findings."""
    by: dict[Station, list[Finding]] = {s: [] for s in TITLES}
    for f in findings:
        by[STATION_OF.get(f.code, "unit")].append(f)
    return [
        StationOut(
            station=s,
            title=TITLES[s],
            size=sizes[s],
            verdict=worst([f.verdict for f in by[s] if f.verdict != "note"] or ["note"]),
            codes=[f.code for f in by[s]],
        )
        for s in TITLES
        if s in sizes
    ]


def breaker_ahead_a(entry: CircuitIn, device_a: float) -> int:
    """Return the smallest standard breaker that is not smaller than the device [A]."""
    return next(a for a in overcurrent_sizes_a() if a >= device_a and standard_breaker(a, entry.edition))


def materials(
    entry: CircuitIn,
    size: str,
    ground: str | None,
    device_a: int,
    kind: str,
    disconnect_a: int,
    trade: str | None,
    *,
    guarded: bool = False,
) -> list[Material]:
    """Return what to bring for a circuit: conductors by color and length, device, box, fittings, torques.

    Notes
    -----
    Lengths are the run and a tenth; without a length none is given.

    """
    run = None if entry.length_ft is None else round(WASTE * entry.length_ft)
    metal = metal_word(entry.material)
    found: list[Material] = []

    def bring(item: str, count: int | None = 1, length_ft: float | None = None, note: str = "") -> None:
        found.append(Material(item=item, count=count, length_ft=length_ft, note=note))

    if entry.insulation in ("NM-B", "UF-B") or entry.raceway in ("MC", "SER"):
        name = entry.insulation if entry.insulation in ("NM-B", "UF-B") else entry.raceway
        bring(
            msg(
                "{name} cable {size_word} {metal} with ground",
                name=name,
                size_word=size_word(size),
                metal=metal,
            ),
            length_ft=run,
            note=msg("white marked again where it is hot") if entry.poles == 2 else "",
        )
    else:
        for color in colors(entry):
            bring(
                msg(
                    "{size_word} {metal} {insulation}, {color}",
                    size_word=size_word(size),
                    metal=metal,
                    insulation=entry.insulation,
                    color=color,
                ),
                length_ft=run,
            )
        if ground is not None:
            ground_metal = metal_word(entry.egc_material or entry.material)
            bring(
                msg(
                    "{size_word} {ground_metal}, green",
                    size_word=size_word(ground),
                    ground_metal=ground_metal,
                ),
                length_ft=run,
                note="grounding",
            )
    if trade is not None:
        bring(f"{entry.raceway} {trade}", length_ft=run, note=msg("with fittings and bushings"))
    fuses = kind == "fuse"
    if fuses:
        bring(msg("Time-delay fuses, {device_a} A", device_a=device_a), entry.poles)
    if not fuses or guarded:
        # Fuses sense no ground fault: the breaker ahead of them does.
        bring(
            msg(
                "Breaker (HACR), listed for that panel, {breaker_a} A",
                breaker_a=breaker_ahead_a(entry, device_a),
            ),
            1,
            note=msg("{poles} pole{poles_2}", poles=entry.poles, poles_2="s" if entry.poles > 1 else "")
            + (msg(", GFCI (Class A)") if guarded else ""),
        )
    bring(
        msg("Disconnect, {disconnect_a} A", disconnect_a=disconnect_a) + (msg(", fused") if fuses else ""),
        note=msg("weatherproof outdoors") if entry.is_wet else "",
    )
    bring(msg("Whip, fittings, bushings, fasteners"), note=msg("by wall and distance"))
    for place in ("device", msg("disconnect, line"), msg("disconnect, load"), "unit", "grounds"):
        bring(msg("Torque written down: {place}", place=place), None, note=msg("from the lug's label"))
    return found
