"""The circuit as one line from panel to terminals, and the list of what to bring."""

from typing import Literal

from orange_crank.core.circuit.entry import CircuitIn
from orange_crank.core.nomenclature import Finding, Frozen, Verdict, worst

Station = Literal["device", "conductor", "ground", "raceway", "disconnect", "unit"]
TITLES: dict[Station, str] = {
    "device": "Breaker or fuses", "conductor": "Conductors", "ground": "Grounding conductor",
    "raceway": "Raceway", "disconnect": "Disconnect", "unit": "Unit",
}  # fmt: skip
# Which station a finding or a check belongs to; what is not named belongs to the unit.
STATION_OF: dict[str, Station] = {
    "OVERCURRENT": "device", "ROUNDED_UNDER_MCA": "device", "FUSE_REQUIRED": "device",
    "FUSE_OR_BREAKER": "device",
    "POLES": "device", "GFCI_OUTDOOR": "device", "OCPD_ABOVE_MOCP": "device", "OCPD_BELOW_MCA": "device",
    "OCPD_ABOVE_CONDUCTOR": "device", "DEVICE_ABOVE_CONDUCTOR": "device",
    "AMPACITY": "conductor", "ROOFTOP": "conductor", "SCHOOL": "conductor", "VOLTAGE_DROP": "conductor",
    "ENLARGED_FOR_DROP": "conductor", "START_DROP": "conductor", "WET_LOCATION": "conductor",
    "NM_60": "conductor",
    "UF_60": "conductor", "AMBIENT": "conductor", "SMALL_CONDUCTOR": "conductor", "WHITE_AS_HOT": "conductor",
    "GROUNDING": "ground", "EGC_SMALL": "ground",
    "RACEWAY": "raceway", "RACEWAY_SHARED": "raceway", "NM_IN_RACEWAY": "raceway",
    "DISCONNECT": "disconnect", "DISCONNECT_HP": "disconnect", "DISCONNECT_SMALL": "disconnect",
    "WITHIN_SIGHT": "disconnect", "LOCKABLE_COVER": "disconnect",
}  # fmt: skip
WASTE = 1.1
COLOURS = {1: ("black", "white"), 2: ("black", "red"), 3: ("black", "red", "blue")}


class StationOut(Frozen):
    """One part of the line, with its size and what is said of it."""

    station: Station
    title: str
    size: str
    verdict: Verdict
    findings: list[Finding]


class Material(Frozen):
    """One thing to bring, or to write down."""

    item: str
    count: int | None
    length_ft: float | None
    note: str


def stations(sizes: dict[Station, str], findings: list[Finding]) -> list[StationOut]:
    """Return the line's parts, panel first, each with its own findings."""
    by: dict[Station, list[Finding]] = {s: [] for s in TITLES}
    for f in findings:
        if f.code != "DEFAULT":
            by[STATION_OF.get(f.code, "unit")].append(f)
    return [
        StationOut(
            station=s,
            title=TITLES[s],
            size=sizes[s],
            verdict=worst([f.verdict for f in by[s] if f.verdict != "note"] or ["note"]),
            findings=by[s],
        )
        for s in TITLES
        if s in sizes
    ]


def materials(
    entry: CircuitIn, size: str, ground: str, device_a: int, disconnect_a: int, trade: str | None
) -> list[Material]:
    """Return what to bring for a circuit: conductors by colour and length, device, box, fittings, torques.

    Notes
    -----
    Lengths are the run and a tenth; without a length none is given.

    """
    run = None if entry.length_ft is None else round(WASTE * entry.length_ft)
    metal = "copper" if entry.material == "copper" else "aluminium"
    found: list[Material] = []
    if entry.insulation in ("NM-B", "UF-B"):
        found.append(
            Material(
                item=f"{entry.insulation} cable {size} with ground",
                count=1,
                length_ft=run,
                note="white marked again where it is hot",
            )
        )
    else:
        for colour in COLOURS[entry.poles]:
            found.append(
                Material(item=f"{size} {metal} {entry.insulation}, {colour}", count=1, length_ft=run, note="")
            )
        found.append(Material(item=f"{ground} {metal}, green", count=1, length_ft=run, note="grounding"))
    if trade is not None:
        found.append(
            Material(
                item=f"{entry.raceway} {trade}", count=1, length_ft=run, note="with fittings and bushings"
            )
        )
    kind = "Fuses" if entry.overcurrent_allowed == "fuse" else "Breaker, listed for that panel"
    found += [
        Material(
            item=f"{kind}, {device_a} A",
            count=entry.poles if kind == "Fuses" else 1,
            length_ft=None,
            note=f"{entry.poles} pole{'s' if entry.poles > 1 else ''}",
        ),
        Material(
            item=f"Disconnect, {disconnect_a} A" + (", fused" if entry.overcurrent_allowed == "fuse" else ""),
            count=1,
            length_ft=None,
            note="weatherproof outdoors" if entry.wet else "",
        ),
        Material(
            item="Whip, fittings, bushings, fasteners", count=1, length_ft=None, note="by wall and distance"
        ),
    ]
    for place in ("device", "disconnect, line", "disconnect, load", "unit", "grounds"):
        found.append(
            Material(
                item=f"Torque written down: {place}", count=None, length_ft=None, note="from the lug's label"
            )
        )
    return found
