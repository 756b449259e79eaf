"""Quillback Cooling, the made-up shop that ships with the product.

People, places and units are invented; parts are neutral. Times are laid relative to the moment of
loading, so that the demo always looks like this week.
"""

from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

import numpy as np

from orange_crank.core.aids.parts import PartKind, shipped_parts
from orange_crank.core.diagnosis.from_call import WhyRecord
from orange_crank.core.measure.reading import NewReading
from orange_crank.core.measure.waveform import Waveform
from orange_crank.core.plate import Plate
from orange_crank.core.safety.make_safe import PAIRS, MakeSafe, SupplyKind
from orange_crank.store.calls import (
    CallEdit,
    NewCall,
    NewChange,
    NewSafetyEvent,
    add_change,
    add_make_safe,
    add_reading,
    add_safety_event,
    edit_call,
    open_call,
)
from orange_crank.store.captures import save_capture
from orange_crank.store.database import now, proxy, session, transaction
from orange_crank.store.decisions import save_decision
from orange_crank.store.models import TABLES, PartPrice, Person, StockMove, StockWant
from orange_crank.store.units import NewSite, NewUnit, add_site, add_unit, save_plate

PEOPLE = (
    ("Marlo Quist", "technician", "MQ"),
    ("Ines Tarrow", "technician", "IT"),
    ("Bettany Rook", "lead", "BR"),
    ("Osk Fennimore", "office", "OF"),
)


@dataclass(frozen=True)
class Visit:
    """One call in the demo, told step by step with minutes since it opened."""

    days_ago: float
    person: str
    complaint: str
    steps: tuple[tuple[float, str, dict[str, Any]], ...]
    closed_after_min: float | None = None
    note: str = ""


@dataclass(frozen=True)
class DemoUnit:
    """One unit of the demo with its plate and visits."""

    site: str
    place: str
    access: str
    name: str
    kind: str
    note: str
    plate: dict[str, Any]
    supply: SupplyKind
    sections: tuple[str, ...]
    visits: tuple[Visit, ...] = field(default_factory=tuple)


def _start(value: float, volts: float, **more: Any) -> dict[str, Any]:
    return {
        "quantity": "inrush_a",
        "value": value,
        "mode": "inrush",
        "conductor": "common",
        "volts": volts,
        "outcome": "started",
        **more,
    }


def _run(value: float, volts: float, outdoor_f: float) -> dict[str, Any]:
    return {"quantity": "running_a", "value": value, "volts": volts, "outdoor_f": outdoor_f}


def _heard(seconds: float, plus_minus: float) -> dict[str, Any]:
    return {"quantity": "start_time_s", "value": seconds, "plus_minus": plus_minus, "timed_by": "sound"}


def _volts(quantity: str, value: float) -> dict[str, Any]:
    return {"quantity": quantity, "value": value}


def _figure(quantity: str, value: float | str | bool) -> dict[str, Any]:
    return {"quantity": quantity, "value": value}


_NOTHING: dict[str, Any] = {}
_SAFE = ("made_safe", _NOTHING)
_CAUTION = ("caution", _NOTHING)
_LIVE = ("live", _NOTHING)

TICKET_OFFICE = DemoUnit(
    site="Ferry landing",
    place="Quillback Narrows, end of the pier road",
    access="Gate code at the harbour hut. Feeder comes 310 ft from the boathouse panel.",
    name="Ticket office split",
    kind="Split, scroll, 3 ton",
    note="Long feeder, co-op supply sags on hot evenings.",
    plate={
        "volts": 230,
        "phase": 1,
        "compressors": [{"rla_a": 17.9, "lra_a": 112, "kind": "scroll"}],
        "motors": [{"fla_a": 1.4}],
        "mca_a": 23.8,
        "mocp_a": 40,
        "run_cap_uf": 45,
        "fan_cap_uf": 5,
        "tons": 3,
        "refrigerant": "R-410A",
        "metering": "txv",
        "overcurrent_allowed": "fuse_or_breaker",
    },
    supply="single_phase_two_leg",
    sections=("c_herm", "c_fan"),
    visits=(
        Visit(
            days_ago=1150,
            person="Ines Tarrow",
            complaint="Yearly service",
            closed_after_min=70,
            note="Quiet start. Coil rinsed.",
            steps=(
                (4, *_CAUTION),
                (6, "reading", _volts("line_v_idle", 238)),
                (10, "reading", _start(81, 228, rest_min=30, outdoor_f=88, seconds=0.2)),
                (18, "reading", _run(14.6, 236, 88)),
                (20, "reading", {"quantity": "fan_a", "value": 1.2}),
                (25, *_SAFE),
                (28, "reading", _figure("to_ground", False)),
                (31, "reading", _figure("run_cap_uf", 44.8)),
                (31.5, "reading", _figure("fan_cap_uf", 4.9)),
                (33, "reading", _figure("winding_cs_ohm", 2.31)),
                (33, "reading", _figure("winding_cr_ohm", 0.62)),
                (33, "reading", _figure("winding_sr_ohm", 2.94)),
            ),
        ),
        Visit(
            days_ago=780,
            person="Marlo Quist",
            complaint="Yearly service",
            closed_after_min=65,
            steps=(
                (5, *_CAUTION),
                (7, "reading", _volts("line_v_idle", 236)),
                (11, "reading", _start(88, 224, rest_min=20, outdoor_f=91, seconds=0.25)),
                (19, "reading", _run(15.2, 233, 91)),
                (26, *_SAFE),
                (29, "reading", _figure("to_ground", False)),
                (32, "reading", _figure("run_cap_uf", 43.6)),
                (32.5, "reading", _figure("fan_cap_uf", 4.9)),
            ),
        ),
        Visit(
            days_ago=402,
            person="Ines Tarrow",
            complaint="Lights dim when it comes on",
            closed_after_min=85,
            note="Owner asked to wait. Told: capacitor and feeder are next.",
            steps=(
                (5, *_CAUTION),
                (7, "reading", _volts("line_v_idle", 233)),
                (12, "reading", _start(97, 218, rest_min=15, outdoor_f=94, seconds=0.4, later_a=19)),
                (14, "reading", _heard(0.41, 0.07)),
                (21, "reading", _run(16.3, 229, 94)),
                (30, *_SAFE),
                (33, "reading", _figure("to_ground", False)),
                (36, "reading", _figure("run_cap_uf", 42.5)),
                (36.5, "reading", _figure("fan_cap_uf", 4.8)),
                (38, "reading", _figure("winding_cs_ohm", 2.3)),
                (38, "reading", _figure("winding_cr_ohm", 0.62)),
                (38, "reading", _figure("winding_sr_ohm", 2.93)),
                (45, "reading", _figure("contactor_look", "pitted")),
            ),
        ),
        Visit(
            days_ago=0.12,
            person="Marlo Quist",
            complaint="Hums, lights go dim, then it starts. Twice it tripped the breaker.",
            steps=(
                (6, *_CAUTION),
                (8, "reading", _volts("line_v_idle", 229)),
                (
                    12,
                    "reading",
                    _start(
                        101,
                        211,
                        rest_min=12,
                        outdoor_f=97,
                        seconds=0.9,
                        later_a=38,
                        note="Hum of most of a second, window lights dip.",
                    ),
                ),
                (
                    14,
                    "capture",
                    {
                        "name": "as found",
                        "start": {
                            "stall_a": 103,
                            "stall_s": 0.82,
                            "run_a": 17.8,
                            "idle_v": 229,
                            "source_ohm": 0.17,
                            "fan_a": 1.3,
                        },
                    },
                ),
                (16, "reading", _heard(0.84, 0.06)),
                (20, "reading", _run(17.6, 222, 97)),
                (22, "reading", {"quantity": "fan_a", "value": 1.3}),
                (23, "told", {"symptoms": ["slow_start", "lights_dim", "trips_after_minutes"]}),
            ),
        ),
    ),
)

CIDER_HOUSE = DemoUnit(
    site="Threefold cider house",
    place="Upper Quillback, orchard lane",
    access="Ask in the press room. Cooler is behind the tank hall.",
    name="Walk-in cooler",
    kind="Hermetic, capillary tube, ½ hp",
    note="Current relay and external overload; no run capacitor.",
    plate={
        "volts": 115,
        "phase": 1,
        "compressors": [{"rla_a": 8.4, "lra_a": 46, "kind": "reciprocating"}],
        "motors": [{"fla_a": 0.9}],
        "mca_a": 11.4,
        "mocp_a": 15,
        "refrigerant": "R-134a",
        "metering": "captube",
    },
    supply="single_phase_one_leg",
    sections=("start",),
    visits=(
        Visit(
            days_ago=210,
            person="Marlo Quist",
            complaint="Box at 44 °F in the morning",
            closed_after_min=55,
            note="Condenser full of straw. Cleaned.",
            steps=(
                (4, *_CAUTION),
                (6, "reading", _volts("line_v_idle", 118)),
                (9, "reading", _start(33, 113, rest_min=10, outdoor_f=71, seconds=0.3)),
                (17, "reading", _run(8.8, 116, 71)),
            ),
        ),
    ),
)

LAUNDROMAT = DemoUnit(
    site="Sudsworth laundromat",
    place="Main street 40, Quillback",
    access="Roof hatch in the boiler room; ladder is chained.",
    name="Rooftop package unit",
    kind="Package, three-phase, two circuits",
    note="208 V from an open-delta bank.",
    plate={
        "volts": 208,
        "phase": 3,
        "compressors": [
            {"rla_a": 13.1, "lra_a": 83, "kind": "scroll"},
            {"rla_a": 13.1, "lra_a": 83, "kind": "scroll"},
        ],
        "motors": [{"fla_a": 1.7}, {"fla_a": 1.7}, {"fla_a": 5.8}],
        "mca_a": 38.7,
        "mocp_a": 50,
        "tons": 7.5,
        "refrigerant": "R-410A",
        "metering": "txv",
    },
    supply="three_phase",
    sections=("c_fan",),
    visits=(
        Visit(
            days_ago=33,
            person="Ines Tarrow",
            complaint="Not keeping up at noon",
            closed_after_min=95,
            note="Second circuit's contactor pitted; on the list.",
            steps=(
                (5, *_CAUTION),
                (8, "reading", _volts("line_v_idle", 207)),
                (15, "reading", _run(12.2, 204, 96)),
                (17, "reading", _start(61, 199, rest_min=15, outdoor_f=96, seconds=0.15)),
            ),
        ),
    ),
)

FARMHOUSE = DemoUnit(
    site="Hollin farmhouse",
    place="Quillback flats, last mailbox",
    access="Dog is friendly, goose is not.",
    name="Heat pump with strips",
    kind="Split heat pump, scroll, 4 ton, 10 kW strips",
    note="Portable generator through an interlock at the main panel.",
    plate={
        "volts": 230,
        "phase": 1,
        "compressors": [{"rla_a": 21.8, "lra_a": 124, "kind": "scroll"}],
        "motors": [{"fla_a": 1.7}],
        "mca_a": 29,
        "mocp_a": 50,
        "run_cap_uf": 70,
        "fan_cap_uf": 7.5,
        "tons": 4,
        "refrigerant": "R-410A",
        "metering": "txv",
    },
    supply="single_phase_two_leg",
    sections=("c_herm", "c_fan"),
    visits=(
        Visit(
            days_ago=61,
            person="Marlo Quist",
            complaint="Wants it to run on the generator",
            closed_after_min=150,
            note="Soft starter fitted. Sixth start measured; generator test agreed for autumn.",
            steps=(
                (5, *_CAUTION),
                (8, "reading", _volts("line_v_idle", 241)),
                (12, "reading", _start(93, 231, rest_min=20, outdoor_f=84, seconds=0.25)),
                (20, "reading", _run(18.4, 239, 84)),
                (28, *_SAFE),
                (31, "reading", _figure("to_ground", False)),
                (34, "reading", _figure("run_cap_uf", 69.4)),
                (34.5, "reading", _figure("fan_cap_uf", 7.4)),
                (36, "reading", _figure("winding_cs_ohm", 1.86)),
                (36, "reading", _figure("winding_cr_ohm", 0.44)),
                (36, "reading", _figure("winding_sr_ohm", 2.31)),
                (60, "change", {"what": "Soft starter fitted"}),
                (64, *_LIVE),
                (
                    118,
                    "reading",
                    _start(
                        68,
                        236,
                        rest_min=15,
                        outdoor_f=86,
                        seconds=0.6,
                        learning_starts=6,
                        aid="soft_starter",
                    ),
                ),
                (125, "reading", _run(18.5, 239, 86)),
            ),
        ),
    ),
)

RADIO = DemoUnit(
    site="KQBK radio",
    place="Signal hill, transmitter hut",
    access="Call the studio first: the hut is alarmed.",
    name="Transmitter room split",
    kind="Split, rotary, 2 ton",
    note="On an inverter-battery during outages.",
    plate={
        "volts": 230,
        "phase": 1,
        "compressors": [{"rla_a": 10.9, "lra_a": 58, "kind": "rotary"}],
        "motors": [{"fla_a": 0.8}],
        "mca_a": 14.4,
        "mocp_a": 25,
        "run_cap_uf": 35,
        "fan_cap_uf": 5,
        "tons": 2,
        "refrigerant": "R-410A",
        "metering": "piston",
    },
    supply="single_phase_two_leg",
    sections=("c_herm", "c_fan"),
    visits=(
        Visit(
            days_ago=9,
            person="Ines Tarrow",
            complaint="Inverter alarms when it starts",
            closed_after_min=100,
            note="Kit shortens the start; it does not lower the first cycles. Inverter maker to be asked.",
            steps=(
                (5, *_CAUTION),
                (8, "reading", _volts("line_v_idle", 240)),
                (12, "reading", _start(46.5, 233, rest_min=10, outdoor_f=80, seconds=0.3)),
                (
                    14,
                    "capture",
                    {
                        "name": "before the kit",
                        "start": {
                            "stall_a": 57,
                            "stall_s": 0.3,
                            "run_a": 9.3,
                            "idle_v": 240,
                            "source_ohm": 0.13,
                        },
                    },
                ),
                (21, "reading", _run(9.2, 239, 80)),
                (30, *_SAFE),
                (52, "change", {"what": "Three-wire start kit fitted"}),
                (56, *_LIVE),
                (
                    70,
                    "reading",
                    _start(35.5, 234, rest_min=10, outdoor_f=81, seconds=0.15, aid="potential_relay"),
                ),
                (
                    72,
                    "capture",
                    {
                        "name": "with the kit",
                        "start": {
                            "stall_a": 58,
                            "stall_s": 0.12,
                            "run_a": 9.3,
                            "idle_v": 240,
                            "source_ohm": 0.13,
                        },
                    },
                ),
                (78, "reading", _run(9.2, 239, 81)),
            ),
        ),
    ),
)

SCHOOL = DemoUnit(
    site="Quillback school",
    place="Annex, School lane",
    access="After three. Keys with the caretaker.",
    name="Annex mini-split",
    kind="Mini-split, inverter, 1 ton",
    note="115 V. Starts itself; no aid belongs on it.",
    plate={
        "volts": 115,
        "phase": 1,
        "compressors": [{"rla_a": 9.1, "kind": "inverter rotary"}],
        "motors": [{"fla_a": 0.6}],
        "mca_a": 12,
        "mocp_a": 20,
        "tons": 1,
        "inverter": True,
        "refrigerant": "R-32",
        "metering": "eev",
    },
    supply="single_phase_one_leg",
    sections=("dc_bus",),
)

ORCHARD = DemoUnit(
    site="Windfall orchard",
    place="Office barn, Upper Quillback",
    access="Yard is open dawn to dusk.",
    name="Office heat pump",
    kind="Heat pump, inverter, 2 ton",
    note="No aid allowed: inverter drive.",
    plate={
        "volts": 230,
        "phase": 1,
        "compressors": [{"rla_a": 12.6, "kind": "inverter rotary"}],
        "motors": [{"fla_a": 0.7}],
        "mca_a": 16.5,
        "mocp_a": 25,
        "tons": 2,
        "inverter": True,
        "refrigerant": "R-32",
        "metering": "eev",
    },
    supply="single_phase_two_leg",
    sections=("dc_bus",),
    visits=(
        Visit(
            days_ago=0.9,
            person="Ines Tarrow",
            complaint="Asked for a hard-start kit, “like the neighbour's”",
            steps=((6, *_CAUTION), (10, "reading", _run(7.9, 238, 78))),
        ),
    ),
)

UNITS = (TICKET_OFFICE, CIDER_HOUSE, LAUNDROMAT, FARMHOUSE, RADIO, SCHOOL, ORCHARD)


def recorded_start(
    stall_a: float, stall_s: float, run_a: float, idle_v: float, source_ohm: float, fan_a: float = 0.0
) -> Waveform:
    """Return a recording as a clamp and a voltmeter on a logger would leave it.

    Parameters
    ----------
    stall_a, run_a : RMS amps at stall and settled [A]
    stall_s : how long the rotor takes [s]
    idle_v : line volts before [V]
    source_ohm : what the line sags by, volts an ampere [Ω]
    fan_a : a fan that starts a second earlier, in the same clamp [A]

    """
    rate, length_s, onset = 4_000.0, 4.5, 1.62
    time = np.arange(round(rate * length_s)) / rate
    since = time - onset
    away = 1 / (1 + np.exp(-(since - stall_s) / 0.025))
    rms = np.where(
        since >= 0, stall_a * (1 - 0.12 * np.clip(since / stall_s, 0, 1)) * (1 - away) + run_a * away, 0
    )
    fan = np.where(time >= 0.4, fan_a * (1 + 3.5 * np.exp(-(time - 0.4) / 0.15)), 0) if fan_a else 0.0
    angle = 2 * np.pi * 60 * time
    lag = np.where(away < 0.5, np.deg2rad(42), np.deg2rad(15))
    offset = np.where(since >= 0, 0.12 * stall_a * np.exp(-np.clip(since, 0, None) / 0.02), 0)
    amps = np.sqrt(2) * (rms * np.sin(angle - lag) + fan * np.sin(angle - 0.5)) + offset
    volts = np.sqrt(2) * (idle_v - source_ohm * (rms + fan)) * np.sin(angle)
    noise = np.random.default_rng(7).normal(size=(2, len(time)))
    return Waveform(sample_hz=rate, line_a=amps + 0.15 * noise[0], line_v=volts + 0.3 * noise[1])


def make_safe_record(supply: SupplyKind, sections: tuple[str, ...]) -> MakeSafe:
    """Return a complete make-safe record, as a careful technician would leave it."""
    proof = {"source": "house receptacle", "expected_v": 120, "reading_v": 119.6}
    return MakeSafe.model_validate(
        {
            "supply": supply,
            "dry": True,
            "control_off": True,
            "source_identified": "disconnect at the unit",
            "other_sources": [],
            "opened": [
                {"device": "Disconnect", "locked": True, "tagged": True, "key_holder": "the technician"}
            ],
            "proof_before": proof,
            "dead_points": [
                {"place": place, "pair": pair, "reading_v": 0.0}
                for place in ("contactor_line", "contactor_load")
                for pair in PAIRS[supply]
            ],
            "proof_after": proof,
            "sections_present": list(sections),
            "capacitors": [
                {"section": s, "resistance_ohm": 22_000, "meter_on": "dc", "after_v": 0.1} for s in sections
            ],
            "inverter": "dc_bus" in sections,
            "has_capacitors": sections != ("dc_bus",),
        }
    )


def is_empty() -> bool:
    """Tell whether the records hold nobody yet."""
    with session():
        return not Person.select().exists()


def clear() -> None:
    """Empty every table; only the demo loader and the tests do this."""
    with session():
        proxy.obj.execute_sql("SET FOREIGN_KEY_CHECKS = 0")
        try:
            for table in TABLES:
                proxy.obj.execute_sql(f"TRUNCATE TABLE `{table._meta.table_name}`")
        finally:
            proxy.obj.execute_sql("SET FOREIGN_KEY_CHECKS = 1")


def load(moment: datetime | None = None) -> None:
    """Load the demo shop into empty records."""
    present = moment or now()
    with session(), transaction():
        ids = {
            name: Person.create(name=name, role=role, initials=initials).id for name, role, initials in PEOPLE
        }
        for demo in UNITS:
            site = add_site(NewSite(name=demo.site, place=demo.place, access_note=demo.access))
            unit = add_unit(NewUnit(site_id=site.id, name=demo.name, kind=demo.kind, note=demo.note))
            first = max((v.days_ago for v in demo.visits), default=1.0)
            save_plate(
                unit.id,
                Plate.model_validate(demo.plate),
                base_number=0,
                person_id=ids["Bettany Rook"],
                recorded_at=present - timedelta(days=first),
            )
            for visit in demo.visits:
                _play(visit, demo, unit.id, ids[visit.person], present)
        _stock(ids, present)


# Invented prices by kind, and what each van holds and should hold.
PRICES: dict[PartKind, float] = {
    "start_capacitor": 24, "kit_ptc": 29, "kit_two_wire": 64, "kit_three_wire": 86, "kit_multi_value": 118,
    "three_in_one": 31, "relay": 27, "soft_starter": 310, "contactor": 38, "contactor_electronic": 96,
    "run_capacitor": 17, "run_capacitor_dual": 28, "run_capacitor_multi": 74, "disconnect": 33, "fuse": 9,
    "breaker": 22, "consumable": 1.4,
}  # fmt: skip
VANS: dict[str, dict[str, tuple[int, int]]] = {
    "Marlo Quist": {
        "KP-12": (2, 2), "KP-25": (1, 2), "KW-130": (1, 1), "KT-130": (1, 2), "KT-189": (2, 2),
        "KM-3": (1, 1),
        "SS-24": (1, 1), "SS-16": (1, 1), "TI-2": (1, 1),
        "TI-230-5": (1, 1), "CN-1-30": (2, 2), "CN-2-30": (2, 3),
        "CN-2-40": (1, 2),
        "CN-3-40": (1, 1), "CE-2-40": (1, 1), "RC-5-440": (3, 3), "RC-10-440": (2, 2), "RC-35-440": (2, 2),
        "RC-40-440": (1, 2), "RC-45-440": (1, 1), "RD-35-5-440": (2, 2), "RD-40-5-440": (1, 2),
        "RD-45-5-440": (0, 2), "RM-67": (1, 1), "SC-189-330": (1, 1), "SC-130-330": (2, 2), "DS-60N": (1, 1),
        "FU-40": (4, 6), "CO-QC": (38, 50), "CO-PB": (6, 10), "CO-SP": (4, 12), "CO-JU": (6, 6),
        "CO-ST": (20, 20),
        "CO-CT": (60, 100), "CO-BU": (8, 8), "CO-SR": (3, 4), "CO-BL": (4, 4), "CO-PP": (6, 6),
    },
    "Ines Tarrow": {
        "KP-12": (1, 2), "KT-130": (2, 2), "KT-189": (0, 1), "SS-24": (0, 1), "CN-2-30": (3, 3),
        "CN-2-40": (2, 2),
        "RC-5-440": (2, 3), "RC-40-440": (2, 2), "RD-40-5-440": (2, 2), "RD-45-5-440": (1, 2), "TI-4": (1, 1),
        "CO-QC": (50, 50), "CO-PB": (10, 10), "CO-SP": (12, 12), "CO-CT": (80, 100), "CO-ST": (12, 20),
    },
}  # fmt: skip


def _stock(ids: dict[str, int], present: datetime) -> None:
    """Price the neutral list and fill the vans."""
    lead, long_ago = ids["Bettany Rook"], present - timedelta(days=30)
    priced = []
    for part in shipped_parts():
        size = part.fla_a or part.uf or part.amps_a or part.rla_high_a or 0.0
        price = PRICES[part.kind] + (0 if part.kind == "consumable" else round(0.4 * size, 0))
        priced.append({"part": part.part, "price": price, "set_at": long_ago, "person": lead})
    PartPrice.insert_many(priced).execute()
    lines = [(ids[name], number, *pair) for name, held in VANS.items() for number, pair in held.items()]
    StockWant.insert_many(
        [{"part": n, "holder": who, "want_count": want} for who, n, _, want in lines]
    ).execute()
    StockMove.insert_many(
        [
            {
                "part": n, "holder": who, "moved_count": count, "reason": "counted", "moved_at": long_ago,
                "person": who,
            }
            for who, n, count, _ in lines
            if count
        ]
    ).execute()  # fmt: skip


def _play(visit: Visit, demo: DemoUnit, unit_id: int, person: int, present: datetime) -> None:
    opened = present - timedelta(days=visit.days_ago)
    call = open_call(NewCall(unit_id=unit_id, complaint=visit.complaint), person, opened)
    for minutes, step, entry in visit.steps:
        at = opened + timedelta(minutes=minutes)
        if step == "reading":
            add_reading(call.id, NewReading(taken_at=at, **entry), person, at=at)
        elif step == "made_safe":
            add_make_safe(call.id, make_safe_record(demo.supply, demo.sections), person, at)
        elif step == "capture":
            save_capture(call.id, entry["name"], recorded_start(**entry["start"]), [], person, "common", at)
        elif step == "told":
            save_decision(call.id, "told", WhyRecord(**entry).model_dump_json(), person, at)
        elif step == "change":
            add_change(call.id, NewChange(**entry), person, at)
        elif step == "live":
            live = NewSafetyEvent(kind="went_live", covers_on=True, people_clear=True, meter_set=True)
            add_safety_event(call.id, live, person, at)
        else:
            add_safety_event(call.id, NewSafetyEvent(kind="caution_read"), person, at)
    if visit.note or visit.closed_after_min is not None:
        closing = opened + timedelta(minutes=visit.closed_after_min or 0)
        edit = CallEdit(
            version=1,
            note=visit.note or None,
            status="closed" if visit.closed_after_min is not None else None,
        )
        edit_call(call.id, edit, closing)
