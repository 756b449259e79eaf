"""Worked cases where circuits are hard: the plate, the place, the edition or the lugs decide."""

from typing import Any

import pytest

from orange_crank.core.circuit import AuditIn, CircuitIn, audit_circuit, size_circuit
from orange_crank.core.circuit.rules.always import working_space

Entry = dict[str, Any]
ONE: Entry = {"volts": 230.0, "phase": 1}
SCROLL: Entry = {"compressors": [{"rla_a": 17.9, "lra_a": 112.0}], "motors": [{"fla_a": 1.4}]}
PLATE: Entry = ONE | SCROLL | {"mca_a": 23.8, "mocp_a": 40.0}
SEEN: Entry = {
    "insulation": "THWN-2", "material": "copper", "ambient_f": 95.0, "outdoors": True, "wet": True,
    "dwelling": False, "length_ft": 30.0, "raceway": "PVC-40", "overcurrent_allowed": "fuse_or_breaker",
}  # fmt: skip
THERE: Entry = {
    "overcurrent_a": 40.0, "overcurrent_kind": "breaker", "conductor_awg": "10", "egc_awg": "10",
    "disconnect_a": 60.0, "disconnect_hp": 10.0, "disconnect_fused": False, "poles": 2,
}  # fmt: skip
HEAT: Entry = (
    ONE | {"volts": 240.0, "load": "heat"} | {k: v for k, v in SEEN.items() if k != "overcurrent_allowed"}
)


def pair(volts: float, **more: Any) -> Entry:
    return {"paired": {"volts": volts} | more}


def rla(amps: float, lra: float = 100.0) -> Entry:
    return {"compressors": [{"rla_a": amps, "lra_a": lra}]}


def lug(at: str, **more: Any) -> Entry:
    return {"at": at, "low_awg": "14", "high_awg": "4", "metals": ["copper"]} | more


# working, entry, fields wanted, findings wanted by code
SIZED: list[tuple[str, Entry, Entry, dict[str, str]]] = [
    # ── the plate held against itself
    (
        "MCA 2.38 where the loads give 23.775: a lost decimal would make the wire too small",
        PLATE | {"mca_a": 2.38},
        {"ok": False},
        {"PLATE_SUSPECT": "fail", "MCA_DIFFERS": "fail"},
    ),
    (
        "MCA 238: ten times; the wire would only be larger, the MOCP is below it",
        PLATE | {"mca_a": 238.0},
        {"ok": False},
        {"PLATE_SUSPECT": "watch", "MOCP_BELOW_MCA": "fail"},
    ),
    (
        "MCA 40 and MOCP 23.8, swapped: the device keeps under 23.8 A, and it fails",
        PLATE | {"mca_a": 40.0, "mocp_a": 23.8},
        {"ok": False, "overcurrent_a": 20},
        {"MOCP_BELOW_MCA": "fail"},
    ),
    (
        "RLA 1.79 for 17.9: LRA ÷ RLA = 63; ten times it asks for more",
        PLATE | {"mca_a": None, "mocp_a": None} | rla(1.79, 112.0),
        {"ok": False},
        {"PLATE_SUSPECT": "fail"},
    ),
    (
        "RLA 8 of another machine on MCA 23.8: loads 8 × 1.25 + 1.4 = 11.4, 109 % less",
        PLATE | rla(8.0, 48.0),
        {"ok": False},
        {"MCA_DIFFERS": "fail"},
    ),
    (
        "RLA 30 on MCA 23.8: loads give 38.9, more than the plate",
        PLATE | rla(30.0, 150.0),
        {"ok": False},
        {"MCA_DIFFERS": "fail"},
    ),
    (
        "MOCP 80 on a 225 % limit of 41.675 A",
        PLATE | {"mocp_a": 80.0},
        {"ok": False},
        {"MOCP_ABOVE_RULE": "fail"},
    ),
    (
        "MOCP 45 on 41.675 A: one size of rounding, a question",
        PLATE | {"mocp_a": 45.0},
        {"ok": True},
        {"MOCP_ABOVE_RULE": "watch"},
    ),
    (
        "no loads: MOCP 100 with MCA 23.8, where 1.8 × 23.8 = 42.84 is the most",
        ONE | {"mca_a": 23.8, "mocp_a": 100.0},
        {"ok": False},
        {"MOCP_ABOVE_RULE": "fail"},
    ),
    ("MCA 24.3, loads 23.775: within the shop's tolerance", PLATE | {"mca_a": 24.3}, {"ok": True}, {}),
    # ── never above the plate's maximum
    (
        "MOCP 12 in 2023: 10 A breaker or fuse",
        {"volts": 115.0, "phase": 1, "mca_a": 8.0, "mocp_a": 12.0, "overcurrent_allowed": "fuse_or_breaker"},
        {"overcurrent_a": 10, "overcurrent_kind": "breaker"},
        {"DEVICE_UNDER_15": "watch", "OCPD_ABOVE_MOCP": "pass"},
    ),
    (
        "the same in 2020: a 10 A fuse, for no 10 A breaker is standard",
        {
            "volts": 115.0,
            "phase": 1,
            "mca_a": 8.0,
            "mocp_a": 12.0,
            "edition": "2020",
            "overcurrent_allowed": "fuse_or_breaker",
        },
        {"overcurrent_a": 10, "overcurrent_kind": "fuse", "disconnect_a": 30},
        {"DEVICE_UNDER_15": "watch"},
    ),
    (
        "MOCP 33, MCA 31: 30 is within, 35 is not; it may trip",
        ONE | {"mca_a": 31.0, "mocp_a": 33.0},
        {"overcurrent_a": 30},
        {"OCPD_BELOW_MCA": "watch", "OCPD_ABOVE_MOCP": "pass"},
    ),
    # ── two voltages on one plate
    (
        "208/230 V: on 208 V the second column, 25 and 45, amps 19.2: 1.15 × (19.2 + 1.5) = 23.805",
        {"volts": 208.0, "phase": 1}
        | SCROLL
        | {"mca_a": 23.8, "mocp_a": 40.0}
        | pair(
            208.0,
            mca_a=25.5,
            mocp_a=45.0,
            compressors=[{"rla_a": 19.2, "lra_a": 110.0}],
            motors=[{"fla_a": 1.5}],
        ),
        {"mca_a": 25.5, "mocp_a": 45.0, "overcurrent_a": 45, "disconnect_min_a": 23.805},
        {"RATING_PAIRED": "note"},
    ),
    (
        "230/460 V on 460 V: half the amps, MCA 12, MOCP 20",
        {"volts": 460.0, "phase": 3}
        | rla(18.0, 110.0)
        | {"mca_a": 24.0, "mocp_a": 40.0}
        | pair(460.0, mca_a=12.0, mocp_a=20.0, compressors=[{"rla_a": 9.0, "lra_a": 55.0}]),
        {"mca_a": 12.0, "overcurrent_a": 20, "conductor_awg": "14"},
        {"RATING_PAIRED": "note"},
    ),
    (
        "the same on 240 V: the first column",
        {"volts": 240.0, "phase": 3}
        | rla(18.0, 110.0)
        | {"mca_a": 24.0, "mocp_a": 40.0}
        | pair(460.0, mca_a=12.0, mocp_a=20.0, compressors=[{"rla_a": 9.0, "lra_a": 55.0}]),
        {"mca_a": 24.0, "overcurrent_a": 40},
        {},
    ),
    (
        "208 V amps but no 208 V MCA: computed from them, 1.25 × 20 = 25, not the 230 V figure",
        {"volts": 208.0, "phase": 1}
        | rla(17.9, 112.0)
        | {"mca_a": 22.4, "mocp_a": 40.0}
        | pair(208.0, compressors=[{"rla_a": 20.0, "lra_a": 115.0}]),
        {"mca_a": 25.0, "mocp_a": 45.0, "overcurrent_a": 35},
        {},
    ),
    (
        "figures printed for 230 V on a 460 V supply: no column for it",
        {"volts": 460.0, "phase": 3, "rated_v": 230.0} | rla(18.0, 110.0),
        {"ok": False},
        {"RATING_OTHER_VOLTS": "fail"},
    ),
    (
        "fan amps known at 230 V only: taken, and said",
        {"volts": 208.0, "phase": 1} | SCROLL | pair(208.0, compressors=[{"rla_a": 19.2, "lra_a": 110.0}]),
        {"mca_a": 25.4},
        {"RATING_MIXED": "watch"},
    ),
    # ── fuses and the switch they sit in
    (
        "fuse only, 40 A: 22.2 A needs a 30 A frame, the fuses a 60",
        PLATE | {"overcurrent_allowed": "fuse"},
        {"overcurrent_kind": "fuse", "disconnect_a": 60},
        {"DISCONNECT_SMALL": "pass", "FUSE_REQUIRED": "pass"},
    ),
    # ── fault current
    (
        "65 kA there, 5 kA on the unit",
        PLATE | {"available_fault_a": 65_000.0, "short_circuit_rating_a": 5_000.0},
        {"ok": False},
        {"SHORT_CIRCUIT_RATING": "fail"},
    ),
    (
        "200 kA is accepted",
        PLATE | {"available_fault_a": 200_000.0, "short_circuit_rating_a": 200_000.0},
        {"ok": True},
        {"SHORT_CIRCUIT_RATING": "pass"},
    ),
    (
        "one of the two is a question",
        PLATE | {"available_fault_a": 22_000.0},
        {},
        {"SHORT_CIRCUIT_RATING": "unknown"},
    ),
    # ── terminals
    (
        "both ends marked 75: 10 carries 35 for 31",
        ONE
        | {"feeds": "compressor", "mca_a": 31.0, "mocp_a": 50.0}
        | {"lugs": [lug("breaker", marked_c=75), lug("unit", marked_c=75)]},
        {"conductor_awg": "10", "termination_a": 35.0},
        {"LUG": "pass"},
    ),
    (
        "one end alone marked 75 says nothing of the other",
        ONE
        | {"feeds": "compressor", "mca_a": 31.0, "mocp_a": 50.0}
        | {"lugs": [lug("breaker", marked_c=75)]},
        {"conductor_awg": "8", "termination_a": 40.0},
        {},
    ),
    (
        "one lug marked 60 holds the whole circuit to it, whatever is said",
        ONE
        | {
            "feeds": "compressor",
            "mca_a": 31.0,
            "mocp_a": 50.0,
            "termination_c": 75,
            "lugs": [lug("breaker", marked_c=75), lug("contactor", marked_c=60)],
        },
        {"conductor_awg": "8"},
        {"LUG_60": "watch"},
    ),
    # ── the ground
    (
        "copper ground with aluminum hots: 60 A → 10 copper, 4 aluminum",
        ONE | {"mca_a": 45.0, "mocp_a": 60.0, "material": "aluminum", "egc_material": "copper"},
        {"conductor_awg": "4", "egc_awg": "10"},
        {"EGC_SMALL": "pass"},
    ),
    (
        "EMT as the ground",
        PLATE | {"raceway": "EMT", "ground_by": "raceway"},
        {"ok": True},
        {"EGC_SMALL": "pass"},
    ),
    (
        "RMC as the ground on a roof",
        PLATE | {"raceway": "RMC", "ground_by": "raceway", "rooftop_clearance_in": 6.0, "ambient_f": 95.0},
        {"ok": True},
        {"EGC_SMALL": "pass"},
    ),
    (
        "EMT as the ground on a roof: 440.9 wants a wire",
        PLATE | {"raceway": "EMT", "ground_by": "raceway", "rooftop_clearance_in": 6.0, "ambient_f": 95.0},
        {"ok": False},
        {"EGC_SMALL": "fail"},
    ),
    (
        "PVC is no ground",
        PLATE | {"raceway": "PVC-40", "ground_by": "raceway"},
        {"ok": False},
        {"EGC_SMALL": "fail"},
    ),
    (
        "FMC is one up to 20 A: not behind 40 A",
        PLATE | {"raceway": "FMC", "ground_by": "raceway", "length_ft": 4.0},
        {"ok": False},
        {"EGC_SMALL": "fail"},
    ),
    (
        "LFMC up to 60 A and 6 ft: cannot be told from here",
        PLATE | {"raceway": "LFMC", "ground_by": "raceway", "length_ft": 4.0},
        {},
        {"EGC_SMALL": "unknown"},
    ),
    (
        "12 for 14 in equal steps: 4.11 × 6.53 ÷ 4.11 = 6.53 → 12",
        ONE | rla(8.0, 48.0) | {"length_ft": 95.0, "drop_limit_pct": 1.3},
        {"minimum_conductor_awg": "14", "conductor_awg": "12", "egc_awg": "12"},
        {},
    ),
    # ── cables and raceways
    (
        "MC in a wet place: its listing decides",
        PLATE | {"raceway": "MC", "wet": True, "ambient_f": 90.0},
        {},
        {"MC_WET": "unknown"},
    ),
    (
        "SER goes by its conductors, dry",
        PLATE | {"raceway": "SER", "insulation": "XHHW-2", "material": "aluminum", "wet": False},
        {"conductor_awg": "10", "raceway_trade_size": None},
        {"SER_60": "note"},
    ),
    (
        "FMC is for dry places",
        PLATE | {"raceway": "FMC", "wet": True, "ambient_f": 90.0},
        {"ok": False},
        {"WET_LOCATION": "fail"},
    ),
    (
        "three 10 in FMC: 0.0633 ≤ 0.4 × 0.317",
        PLATE | {"raceway": "FMC", "wet": False},
        {"raceway_trade_size": "1/2"},
        {},
    ),
    (
        "LFMC 1-1/4 holds 1.528 in²: three 3/0 and a 6 need 0.8544 > 0.4 × 1.981 = 0.7924 → 2",
        {"volts": 230.0, "phase": 3, "mca_a": 190.0, "mocp_a": 200.0, "raceway": "LFMC", "termination_c": 75},
        {"conductor_awg": "3/0", "raceway_trade_size": "2"},
        {},
    ),
    # ── another load, and what it is
    ("another load of 10 A: as it stands", ONE | rla(10.0, 60.0) | {"other_a": 10.0}, {"mca_a": 22.5}, {}),
    (
        "of heat: a quarter more, 12.5 + 12.5",
        ONE | rla(10.0, 60.0) | {"other_a": {"amps": 10.0, "kind": "heat"}},
        {"mca_a": 25.0},
        {},
    ),
    (
        "a motor larger than the compressor: 1.25 × 12 + 10",
        ONE | rla(10.0, 60.0) | {"other_a": {"amps": 12.0, "kind": "motor"}},
        {"mca_a": 25.0},
        {},
    ),
    # ── outdoors
    (
        "a height above the roof says outdoors, outdoors says wet: THHN fails",
        PLATE | {"rooftop_clearance_in": 12.0, "ambient_f": 95.0, "insulation": "THHN"},
        {"ok": False},
        {"WET_LOCATION": "fail"},
    ),
    (
        "outdoors, said dry: under a roof",
        PLATE | {"outdoors": True, "wet": False, "ambient_f": 95.0, "insulation": "THHN"},
        {"ok": True},
        {},
    ),
    ("outdoors without its air", PLATE | {"outdoors": True}, {}, {"AMBIENT": "unknown"}),
    # ── 277 V
    (
        "277 V package terminal unit: one pole, brown and gray",
        {"volts": 277.0, "phase": 1, "mca_a": 18.0, "mocp_a": 20.0},
        {"poles": 1, "overcurrent_a": 20, "conductor_awg": "12"},
        {"GFCI_OUTDOOR": "note"},
    ),
]


@pytest.mark.parametrize(("working", "entry", "fields", "codes"), SIZED, ids=[c[0][:60] for c in SIZED])
def test_sized(working: str, entry: Entry, fields: Entry, codes: dict[str, str]) -> None:
    out = size_circuit(CircuitIn.model_validate(entry))
    for name, wanted in fields.items():
        got = getattr(out, name)
        assert got == (pytest.approx(wanted, abs=6e-4) if isinstance(wanted, float) else wanted), (
            name,
            working,
        )
    told = {f.code: f.verdict for f in reversed(out.findings)}
    for code, verdict in codes.items():
        assert told.get(code) == verdict, (code, working, out.findings)
    fails = [f for f in out.findings if f.verdict == "fail"]
    assert fails == out.findings[: len(fails)], "what fails stands on top"
    assert all(f.next_step for f in fails)


# working, installed, more, findings wanted by code, words wanted in the first fix
AUDITED: list[tuple[str, Entry, Entry, dict[str, str], list[str]]] = [
    ("as it should be", {}, {}, {"OCPD_ABOVE_MOCP": "pass", "AMPACITY": "pass"}, []),
    (
        "80 A breaker on 40 A, 8 ground behind it asked: the new breaker cures the small ground",
        {"overcurrent_a": 80.0, "egc_awg": "10"},
        {},
        {"OCPD_ABOVE_MOCP": "fail", "EGC_SMALL": "pass"},
        ["40 A breaker"],
    ),
    (
        "70 A on 6 AWG with a 10 ground: 8 is asked behind 70 A, 10 behind 40 A: only the breaker",
        {"overcurrent_a": 70.0, "conductor_awg": "6", "egc_awg": "10"},
        {"length_ft": 20.0},
        {"EGC_SMALL": "fail", "OCPD_ABOVE_MOCP": "fail"},
        ["40 A breaker"],
    ),
    (
        "fuse only: 40 A fuses do not sit in a 30 A switch",
        {"overcurrent_kind": "fuse", "disconnect_a": 30.0, "disconnect_fused": True, "fuse_a": 40.0},
        {"overcurrent_allowed": "fuse"},
        {"DISCONNECT_SMALL": "fail", "FUSE_REQUIRED": "pass"},
        ["30 A fuses"],
    ),
    (
        "a 60 A breaker ahead of 40 A fuses meets the plate, not the wire: 10 AWG wants 30 A",
        {"overcurrent_a": 60.0, "disconnect_fused": True, "fuse_a": 40.0},
        {"overcurrent_allowed": "fuse"},
        {"OCPD_ABOVE_MOCP": "pass", "OCPD_ABOVE_CONDUCTOR": "fail"},
        [],
    ),
    (
        "fuses in the switch, unread",
        {"disconnect_fused": True},
        {"overcurrent_allowed": "fuse"},
        {"FUSE_SIZE": "unknown"},
        [],
    ),
    ("lost decimal on the plate fails the audit too", {}, {"mca_a": 2.38}, {"PLATE_SUSPECT": "fail"}, []),
    (
        "an unlawful 125 A breaker does not lift the terminals to 75 °C: 10 carries 30, not 35",
        {"overcurrent_a": 125.0},
        {"mca_a": 23.8},
        {"OCPD_ABOVE_MOCP": "fail", "AMPACITY": "pass"},
        ["40 A breaker"],
    ),
    (
        "the lug label against the wire there",
        {"conductor_awg": "2"},
        {"lugs": [lug("contactor")]},
        {"LUG": "fail"},
        [],
    ),
    (
        "aluminum there on a copper lug",
        {"conductor_awg": "8", "material": "aluminum"},
        {"material": None, "lugs": [lug("contactor")]},
        {"LUG": "fail"},
        [],
    ),
    (
        "copper ground with aluminum hots there",
        {"conductor_awg": "10", "material": "aluminum", "egc_material": "copper"},
        {"material": None},
        {"EGC_SMALL": "pass"},
        [],
    ),
    (
        "ground-fault protection missing",
        {"ground_fault": False},
        {"dwelling": True, "equipment": "hvac", "on_date": "2026-11-26"},
        {"GFCI_OUTDOOR": "fail"},
        ["GFCI (Class A)"],
    ),
    (
        "and there",
        {"ground_fault": True},
        {"dwelling": True, "equipment": "hvac", "on_date": "2026-11-26"},
        {"GFCI_OUTDOOR": "pass"},
        [],
    ),
    (
        "fuse only behind a breaker: fuses at the unit, never a panel's breaker turned into fuses",
        {"disconnect_fused": False},
        {"overcurrent_allowed": "fuse"},
        {"FUSE_REQUIRED": "fail"},
        ["60 A disconnect, 5 hp, fused 40 A"],
    ),
    (
        "a 10 A maximum in 2020 behind a 20 A breaker: 10 A fuses at the unit",
        {"overcurrent_a": 20.0, "conductor_awg": "12", "poles": 1},
        {"volts": 115.0, "mca_a": 8.0, "mocp_a": 10.0, "edition": "2020", "compressors": [], "motors": []},
        {"OCPD_ABOVE_MOCP": "fail"},
        ["fused 10 A"],
    ),
    (
        "an oversize wire in a small lug takes another lug, not another wire",
        {"conductor_awg": "2", "egc_awg": "2"},
        {"lugs": [lug("contactor")]},
        {"LUG": "fail"},
        [],
    ),
    (
        "a lug of which only the mark was read",
        {},
        {"lugs": [{"at": "contactor", "marked_c": 60}]},
        {"LUG": "unknown", "AMPACITY": "pass"},
        [],
    ),
    ("two poles of three", {"poles": 1}, {}, {"POLES": "fail"}, ["2 poles"]),
]

# 9.6 kW is 40 A; with 4 A of blower 125 % is 55 A.
HEATED: list[tuple[str, Entry, Entry, dict[str, str], list[str]]] = [
    (
        "60 A on 4 AWG",
        {"overcurrent_a": 60.0, "conductor_awg": "4"},
        {},
        {"OCPD_BELOW_MCA": "pass", "AMPACITY": "pass", "OCPD_ABOVE_CONDUCTOR": "pass"},
        [],
    ),
    (
        "50 A is under 125 %",
        {"overcurrent_a": 50.0, "conductor_awg": "4"},
        {},
        {"OCPD_BELOW_MCA": "fail"},
        ["60 A breaker"],
    ),
    (
        "60 A on 8 AWG, 40 A at 60 °C",
        {"overcurrent_a": 60.0, "conductor_awg": "8"},
        {},
        {"OCPD_ABOVE_CONDUCTOR": "fail", "AMPACITY": "fail"},
        ["6 AWG copper"],
    ),
    (
        "the floor is no ceiling: 70 A on 4 AWG carries 70",
        {"overcurrent_a": 70.0, "conductor_awg": "4", "egc_awg": "8"},
        {},
        {"OCPD_BELOW_MCA": "pass", "OCPD_ABOVE_CONDUCTOR": "pass"},
        [],
    ),
    (
        "10 AWG never above 30 A",
        {"overcurrent_a": 35.0, "conductor_awg": "10"},
        {"other_a": 20.0, "motors": [], "termination_c": 75},
        {"SMALL_CONDUCTOR": "fail"},
        ["25 A breaker"],
    ),
    (
        "62.5 A of heat behind one 90 A device: divided, 60 A at most",
        {"overcurrent_a": 90.0, "conductor_awg": "2", "egc_awg": "6", "disconnect_a": 100.0},
        {"other_a": 62.5, "single_point": False},
        {"SUBDIVISION": "fail"},
        [],
    ),
    (
        "the same as a listed single-point kit, marked 90 A",
        {"overcurrent_a": 90.0, "conductor_awg": "2", "egc_awg": "6", "disconnect_a": 100.0},
        {"other_a": 62.5, "single_point": True, "mca_a": 84.0, "mocp_a": 90.0},
        {"OCPD_ABOVE_MOCP": "pass"},
        [],
    ),
    (
        "100 A on it",
        {"overcurrent_a": 100.0, "conductor_awg": "2", "egc_awg": "6", "disconnect_a": 100.0},
        {"other_a": 62.5, "single_point": True, "mca_a": 84.0, "mocp_a": 90.0},
        {"OCPD_ABOVE_MOCP": "fail"},
        ["90 A breaker"],
    ),
]


def judged(there: Entry, entry: Entry, codes: dict[str, str], fix: list[str], working: str) -> None:
    merged = {k: v for k, v in entry.items() if v is not None}
    out = audit_circuit(AuditIn.model_validate(merged | {"installed": THERE | there}))
    told = {c.code: c for c in out.checks}
    for code, wanted in codes.items():
        assert code in told, (code, working)
        assert told[code].verdict == wanted, (code, working, told[code])
    assert out.ok == (not any(c.verdict == "fail" for c in out.checks))
    if fix:
        texts = " ".join(c.text for c in out.fixes[0].changes)
        assert len(fix) == len(out.fixes[0].changes), (working, texts)
        assert all(words in texts for words in fix), (working, texts)


@pytest.mark.parametrize(
    ("working", "there", "more", "codes", "fix"), AUDITED, ids=[c[0][:60] for c in AUDITED]
)
def test_audited(working: str, there: Entry, more: Entry, codes: dict[str, str], fix: list[str]) -> None:
    judged(there, PLATE | SEEN | more, codes, fix, working)


@pytest.mark.parametrize(
    ("working", "there", "more", "codes", "fix"), HEATED, ids=[c[0][:60] for c in HEATED]
)
def test_heat_is_audited_by_its_own_rules(
    working: str, there: Entry, more: Entry, codes: dict[str, str], fix: list[str]
) -> None:
    judged(there, HEAT | {"other_a": 40.0, "motors": [{"fla_a": 4.0}]} | more, codes, fix, working)


def test_no_maximum_is_asked_of_a_heater() -> None:
    out = audit_circuit(AuditIn.model_validate(HEAT | {"other_a": 40.0, "installed": THERE}))
    assert "OCPD_ABOVE_MOCP" not in {c.code for c in out.checks}
    assert "FUSE_REQUIRED" not in {c.code for c in out.checks}


@pytest.mark.parametrize(
    ("edition", "more", "verdict", "words"),
    [
        ("2017", {}, "note", "2017 edition"),
        ("2020", {}, "unknown", "Is it a dwelling?"),
        ("2020", {"dwelling": False}, "note", "for dwellings"),
        ("2020", {"dwelling": True, "outdoors": False}, "note", "indoors"),
        ("2020", {"dwelling": True, "outdoors": True}, "unknown", "power conversion"),
        ("2020", {"dwelling": True, "outdoors": True, "equipment": "hvac"}, "watch", "required"),
        ("2020", {"dwelling": True, "outdoors": True, "inverter": True}, "unknown", "date"),
        (
            "2020",
            {"dwelling": True, "outdoors": True, "inverter": True, "on_date": "2022-12-31"},
            "note",
            "put it off",
        ),
        (
            "2020",
            {"dwelling": True, "outdoors": True, "inverter": True, "on_date": "2023-01-01"},
            "watch",
            "ended 2023",
        ),
        ("2023", {"dwelling": True, "outdoors": True, "on_date": "2026-08-31"}, "unknown", "listed HVAC"),
        (
            "2023",
            {"dwelling": True, "outdoors": True, "equipment": "hvac", "on_date": "2026-08-31"},
            "note",
            "excepted",
        ),
        (
            "2023",
            {"dwelling": True, "outdoors": True, "equipment": "refrigeration"},
            "watch",
            "listed HVAC equipment alone",
        ),
        ("2023", {"dwelling": True, "outdoors": True, "on_date": "2026-09-01"}, "watch", "ended 2026-09-01"),
        ("2023", {"dwelling": True, "outdoors": True, "phase": 3}, "note", "single-phase"),
        (
            "2023",
            {
                "dwelling": True,
                "outdoors": True,
                "mocp_a": 60.0,
                "mca_a": 40.0,
                "compressors": [],
                "motors": [],
            },
            "note",
            "50 A",
        ),
        ("2023", {"dwelling": True, "outdoors": True, "volts": 277.0}, "note", "150 V"),
    ],
)
def test_ground_fault_outdoors_says_what_decides_or_what_is_missing(
    edition: str, more: Entry, verdict: str, words: str
) -> None:
    out = size_circuit(CircuitIn.model_validate(PLATE | {"edition": edition, "ambient_f": 95.0} | more))
    told = next(f for f in out.findings if f.code == "GFCI_OUTDOOR")
    assert verdict == told.verdict, told
    assert words in f"{told.text} {told.next_step}"


@pytest.mark.parametrize(
    ("volts", "phase", "depths", "colors"),
    [
        (230.0, 1, "36 in deep (120 V", "black, red"),
        (277.0, 1, "48 in facing live parts", "brown, gray neutral"),
        (460.0, 3, "48 in facing live parts", "brown, orange, yellow"),
        (208.0, 3, "36 in deep (120 V", "black, red, blue"),
    ],
)
def test_working_space_and_colors_go_by_the_volts(volts: float, phase: int, depths: str, colors: str) -> None:
    entry = {"volts": volts, "phase": phase, "mca_a": 18.0, "mocp_a": 30.0}
    out = size_circuit(CircuitIn.model_validate(entry))
    assert depths in next(f.text for f in out.always if f.code == "WORKING_SPACE")
    assert colors in next(a.text for a in out.answer if a.part == "conductor")
    assert working_space(600.0, "2023").text


def test_sizes_are_said_with_their_unit() -> None:
    entry = {
        "volts": 230.0,
        "phase": 3,
        "mca_a": 270.0,
        "mocp_a": 300.0,
        "termination_c": 75,
        "raceway": "EMT",
    }
    out = size_circuit(CircuitIn.model_validate(entry))
    assert ("300", "4") == (out.conductor_awg, out.egc_awg)
    assert "300 kcmil copper" in next(a.text for a in out.answer if a.part == "conductor")
    assert "4 AWG copper" in next(a.text for a in out.answer if a.part == "ground")
    assert any("300 kcmil" in m.item for m in out.materials)
