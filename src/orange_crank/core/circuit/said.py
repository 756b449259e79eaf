"""What a sizing says of itself: every rule with its clause, its sum, and every default that was used."""

from __future__ import annotations

from typing import TYPE_CHECKING

from orange_crank.core.circuit.conductor import (
    CABLES,
    DRY_ONLY,
    Conditions,
    correction_clauses,
    table_clause,
)
from orange_crank.core.nomenclature import Finding, Verdict, say
from orange_crank.core.plate.arithmetic import clause
from orange_crank.core.tables.code import RANK, ampacity_a, drop_working

if TYPE_CHECKING:
    from orange_crank.core.circuit.entry import CircuitIn
    from orange_crank.core.circuit.size import CircuitOut, Device, Loads

DROP_NOTE_PCT = 3.0
GFCI_EXPIRED = "2026-09-01"
GFCI_AMENDED = "2023-01-01"


def said(
    entry: CircuitIn, loads: Loads, device: Device, c: Conditions, out: CircuitOut, metal: str
) -> list[Finding]:
    """Return the findings of a sizing, results first, defaults last."""
    return [
        *_device(entry, loads, device, out),
        *_conductor(entry, loads, c, out),
        *_drop(entry, out, metal, loads),
        *_ground_and_disconnect(entry, loads, out),
        *_place(entry, c),
        *_lugs(entry, out),
        *_follow(entry),
        *_defaults(entry, loads),
    ]


def _f(
    code: str, verdict: Verdict, text: str, rule: str, arithmetic: str | None = None, step: str | None = None,
    **inputs: float | str | None,
) -> Finding:  # fmt: skip
    given = {k: v for k, v in inputs.items() if v is not None}
    return Finding(
        code=code,
        verdict=verdict,
        text=text,
        rule=rule,
        inputs=dict(given),
        arithmetic=arithmetic,
        next_step=step,
    )


def _device(entry: CircuitIn, loads: Loads, device: Device, out: CircuitOut) -> list[Finding]:
    e = entry.edition
    found = []
    if loads.plate_mca_a is not None:
        found.append(
            _f(
                "MCA",
                "note",
                f"The plate asks for {say(out.mca_a, 'A', 5)}.",
                clause(e, "440.4(B)"),
                mca_a=out.mca_a,
            )
        )
    elif loads.figures is not None:
        single = len(loads.compressors) == 1 and not loads.motors and not loads.other_a
        found.append(
            _f(
                "MCA",
                "note",
                f"The loads ask for {say(out.mca_a, 'A', 5)}.",
                clause(e, "440.32" if single else "440.33"),
                loads.figures.mca_working,
                largest_a=loads.figures.largest_a,
                others_a=loads.figures.others_a,
            )
        )
    if device.raised:
        found.append(
            _f(
                "ROUNDED_UNDER_MCA",
                "watch",
                f"Rounded down, the device would be under MCA: {device.amps} A, the next standard size, "
                f"is taken.",
                clause(e, "440.22(A), 240.6(A)"),
                step="Ask the authority where the plate's MOCP is below it.",
                mca_a=out.mca_a,
                mocp_a=device.mocp_a,
            )
        )
    if loads.plate_mocp_a is not None:
        text = f"{device.amps} A: the largest standard size the plate allows; fewest nuisance trips."
        if entry.smallest_device:
            text = f"{device.amps} A: the smallest standard size that is lawful; the plate allows more."
        found.append(
            _f("OVERCURRENT", "pass", text, clause(e, "440.4(B), 240.6(A)"), mocp_a=loads.plate_mocp_a)
        )
    elif loads.figures is not None:
        found.append(
            _f(
                "OVERCURRENT",
                "pass",
                f"{device.amps} A to begin with; up to {loads.figures.mocp_a:g} A if it will not start.",
                clause(e, "440.22(A), 440.22(B)(1), 240.6(A)"),
                f"{loads.figures.mocp_start_working}; {loads.figures.mocp_working}",
                limit_175_a=loads.figures.mocp_start_limit_a,
                limit_225_a=loads.figures.mocp_limit_a,
            )
        )
    if entry.overcurrent_allowed == "fuse":
        found.append(
            _f(
                "FUSE_REQUIRED",
                "watch",
                "The plate allows fuses only: a breaker alone will not do.",
                clause(e, "440.4(B), 110.3(B)"),
                step="A fused disconnect at the unit.",
            )
        )
    elif entry.overcurrent_allowed is None:
        found.append(
            _f(
                "FUSE_OR_BREAKER",
                "unknown",
                "Fuse only, or fuse or breaker? The plate says it.",
                clause(e, "440.4(B), 110.3(B)"),
                step="Read it on the plate.",
            )
        )
    else:
        found.append(
            _f(
                "FUSE_OR_BREAKER",
                "note",
                "Fuse or breaker; the breaker listed for that panel.",
                clause(e, "440.4(B), 110.3(B)"),
            )
        )
    found.append(_f("POLES", "note", _poles(entry), clause(e, "240.15(B)"), poles=entry.poles))
    return found


def _poles(entry: CircuitIn) -> str:
    if entry.poles == 1:
        return "One pole: one hot and a neutral, and a ground."
    if entry.poles == 2:
        return (
            "Two poles: two hots and a ground, no neutral. The load sits between two legs of opposite "
            "polarity "
            "and nothing returns to neutral."
        )
    return "Three poles: three hots and a ground."


def _conductor(entry: CircuitIn, loads: Loads, c: Conditions, out: CircuitOut) -> list[Finding]:
    size = out.conductor_awg
    metal = "copper" if entry.material == "copper" else "aluminium"
    table = ampacity_a(size, entry.material, c.column_c)
    found = [
        _f(
            "AMPACITY",
            "pass",
            f"{size} {metal} {entry.insulation}: {say(out.ampacity_a, 'A')} usable for "
            f"{say(out.mca_a, 'A')}.",
            f"{table_clause(entry.edition)}; {correction_clauses(entry.edition, c.roof_adder_f > 0)}; "
            + clause(entry.edition, "110.14(C)"),
            f"{table:g} A at {c.column_c} °C × {c.ambient:g} ambient × {c.bundling:g} bundling = "
            f"{out.corrected_a:.4g} A; {out.termination_a:g} A at {c.termination_c} °C terminals",
            mca_a=out.mca_a,
            ambient_f=c.ambient_f,
            conductors=c.conductors,
        )
    ]
    if c.roof_adder_f:
        found.append(
            _f(
                "ROOFTOP",
                "note",
                f"So near the roof {c.roof_adder_f:g} °F are added to the air.",
                correction_clauses(entry.edition, True),
                f"{c.ambient_f:g} + {c.roof_adder_f:g} = {c.ambient_f + c.roof_adder_f:g} °F",
            )
        )
    if out.overcurrent_a > out.ampacity_a:
        found.append(
            _f(
                "DEVICE_ABOVE_CONDUCTOR",
                "note",
                f"A {out.overcurrent_a} A device on {say(out.ampacity_a, 'A')} of conductor is right "
                f"here: the motor's own "
                "overload guards it against overload, the device only against short circuit.",
                clause(entry.edition, "240.4(G), 440.22"),
                ampacity_a=out.ampacity_a,
            )
        )
    school = out.other_school
    if school.conductor_awg != size:
        found.append(
            _f(
                "SCHOOL",
                "note",
                f"{'From MCA' if entry.school == 'mca' else 'Sized to the device'}; the other school: "
                f"{school.conductor_awg or 'beyond the table'}. {school.why}",
                clause(entry.edition, "440.32, 440.33"),
            )
        )
    return found


def _drop(entry: CircuitIn, out: CircuitOut, metal: str, loads: Loads) -> list[Finding]:
    if entry.length_ft is None or out.voltage_drop_pct is None or out.voltage_drop_v is None:
        return [
            _f(
                "VOLTAGE_DROP",
                "unknown",
                "Length not said: no drop is computed.",
                f"NEC {entry.edition} 210.19(A) note",
                step="Pace it out, one way.",
            )
        ]
    limit = entry.drop_limit_pct or DROP_NOTE_PCT
    fits = out.voltage_drop_pct <= limit + 1e-9
    amps = loads.running_a if loads.running_a is not None else loads.mca_a
    found = [
        _f(
            "VOLTAGE_DROP",
            "pass" if fits else "watch",
            f"{out.voltage_drop_v:.2f} V, {out.voltage_drop_pct:.2f} %, over {entry.length_ft:g} ft at "
            f"{say(amps, 'A')}.",
            f"NEC {entry.edition} 210.19(A) note, Chapter 9 Table 9 ({metal})",
            drop_working(
                out.conductor_awg,
                entry.material,
                metal,
                entry.length_ft,
                amps,
                entry.power_factor,
                entry.phase,
            ),
            None if fits else "Set a limit of drop: the size that meets it is found.",
            limit_pct=limit,
            amps_a=round(amps, 3),
        )
    ]
    if RANK[out.conductor_awg] > RANK[out.minimum_conductor_awg]:
        found.append(
            _f(
                "ENLARGED_FOR_DROP",
                "note",
                f"{out.minimum_conductor_awg} would carry it; {out.conductor_awg} keeps the drop within "
                f"{limit:g} %.",
                f"NEC {entry.edition} 210.19(A) note",
            )
        )
    if out.start_drop_pct is not None:
        found.append(
            _f(
                "START_DROP",
                "note",
                f"{out.start_drop_pct:.1f} % of the volts are lost in the wire at the start.",
                "Chapter 9 Table 9, power factor 0.75",
                lra_a=loads.compressor_lra_a,
            )
        )
    return found


def _ground_and_disconnect(entry: CircuitIn, loads: Loads, out: CircuitOut) -> list[Finding]:
    e = entry.edition
    found = [
        _f(
            "GROUNDING",
            "pass",
            f"Grounding conductor {out.egc_awg}.",
            clause(e, "250.122, 250.122(B)" if out.conductor_awg != out.minimum_conductor_awg else "250.122"),
            None
            if out.conductor_awg == out.minimum_conductor_awg
            else f"in proportion of {out.conductor_awg} to {out.minimum_conductor_awg}, no larger than "
            f"the hots",
            device_a=out.overcurrent_a,
        )
    ]
    if loads.disconnect_a is None:
        found.append(
            _f(
                "DISCONNECT",
                "watch",
                "Rated load amps not said: MCA is taken for the disconnect.",
                clause(e, "440.12(A)"),
                step="Read the RLA on the plate.",
                mca_a=out.mca_a,
            )
        )
    else:
        found.append(
            _f(
                "DISCONNECT",
                "pass",
                f"{out.disconnect_a} A frame for at least {say(out.disconnect_min_a, 'A')}.",
                clause(e, "440.12(A), 440.12(B)"),
                f"1.15 × {loads.disconnect_a:g} A = {out.disconnect_min_a:g} A",
            )
        )
    if out.disconnect_hp is None:
        found.append(
            _f(
                "DISCONNECT_HP",
                "unknown",
                "Horsepower of the disconnect cannot be told from the tables.",
                clause(e, "440.12(A)(2), Tables 430.248 to 430.251"),
                step="Its maker's horsepower at this voltage decides; ask.",
            )
        )
    else:
        how = (
            "by full load and by locked rotor, the larger"
            if loads.locked_a is not None
            else "by full load alone"
        )
        found.append(
            _f(
                "DISCONNECT_HP",
                "note" if loads.locked_a is not None else "watch",
                f"At least {out.disconnect_hp:g} hp, {how}.",
                clause(e, "440.12(A)(2), Tables 430.248 to 430.251"),
                full_load_a=loads.disconnect_a,
                locked_rotor_a=loads.locked_a,
            )
        )
    if out.raceway_trade_size is not None:
        found.append(
            _f(
                "RACEWAY",
                "pass",
                f"{entry.raceway} {out.raceway_trade_size}, {out.raceway_fill_pct:.0f} % full.",
                f"NEC {e} Chapter 9 Tables 1, 4, 5",
                conductor=out.conductor_awg,
                ground=out.egc_awg,
            )
        )
        own = 3 if entry.phase == 3 else 2
        if (entry.current_carrying_conductors or own) > own:
            found.append(
                _f(
                    "RACEWAY_SHARED",
                    "unknown",
                    "Other circuits share it: their room is not counted here.",
                    f"NEC {e} Chapter 9 Table 1",
                    step="Add their conductors by hand.",
                )
            )
    return found


def _place(entry: CircuitIn, c: Conditions) -> list[Finding]:
    e, found = entry.edition, []
    if entry.wet and entry.insulation in DRY_ONLY:
        found.append(
            _f(
                "WET_LOCATION",
                "fail",
                f"{entry.insulation} is for dry places; outdoors a raceway is wet inside.",
                clause(e, "334.12(B)" if entry.insulation == "NM-B" else "300.9, 310.10(C)"),
                step="Take a W-rated insulation: THWN-2 or XHHW-2.",
            )
        )
    if entry.insulation == "NM-B":
        found.append(
            _f("NM_60", "note", "NM cable is used at 60 °C; derating begins from 90 °C.", clause(e, "334.80"))
        )
        if entry.raceway not in (None, "cable") and not entry.wet:
            found.append(
                _f(
                    "NM_IN_RACEWAY",
                    "note",
                    "In a dry raceway NM cable is lawful: fill goes by its own size. "
                    "It is avoided for room and for pulling.",
                    f"NEC {e} Chapter 9 note 9",
                )
            )
    if entry.insulation == "UF-B":
        found.append(_f("UF_60", "note", "UF cable is used and derated at 60 °C.", clause(e, "340.80")))
    if (entry.wet or entry.rooftop_clearance_in is not None) and "ambient_f" not in entry.model_fields_set:
        found.append(
            _f(
                "AMBIENT",
                "unknown",
                "Outdoors without the air's temperature: 86 °F is taken, and may be too cool.",
                correction_clauses(e, c.roof_adder_f > 0),
                step="Give the hottest air the conductors meet.",
            )
        )
    if entry.available_fault_a is not None and entry.short_circuit_rating_a is not None:
        enough = entry.short_circuit_rating_a >= entry.available_fault_a
        found.append(
            _f(
                "SHORT_CIRCUIT_RATING",
                "pass" if enough else "fail",
                f"Unit rated {say(entry.short_circuit_rating_a, 'A')} for "
                f"{say(entry.available_fault_a, 'A')} available.",
                clause(e, "440.10(A)" if e != "2017" else "110.10"),
                step=None if enough else "Fuses that limit the current, or another unit: ask an engineer.",
            )
        )
    return found


def _lugs(entry: CircuitIn, out: CircuitOut) -> list[Finding]:
    found = []
    for lug in entry.lugs:
        wrong = []
        if not RANK[lug.low_awg] <= RANK[out.conductor_awg] <= RANK[lug.high_awg]:
            wrong.append(
                f"takes {lug.low_awg} to {lug.high_awg}, not {out.conductor_awg}: bigger is not always safe"
            )
        if entry.material not in lug.metals:
            wrong.append(f"is not marked for {'aluminium' if entry.material == 'aluminum' else 'copper'}")
        if lug.wires_on_it > lug.wires:
            wrong.append(f"takes {lug.wires} wire{'s' if lug.wires > 1 else ''}, not {lug.wires_on_it}")
        if lug.marked_c == 60 and entry.termination_c == 75:
            wrong.append("is marked 60 °C while the 75 °C column is used")
        text = f"{lug.at}: " + ("; ".join(wrong) + "." if wrong else f"takes {out.conductor_awg}.")
        found.append(
            _f(
                "LUG",
                "fail" if wrong else "pass",
                text,
                clause(entry.edition, "110.14(A), 110.14(C)"),
                step="A listed reducing pin or splice, or another device." if wrong else None,
            )
        )
    return found


def _follow(entry: CircuitIn) -> list[Finding]:
    e = entry.edition
    found = [
        _f(
            "WITHIN_SIGHT",
            "note",
            "Disconnect within sight and readily accessible, not on an access panel nor over the plate.",
            clause(e, "440.14"),
        ),
        _f("TORQUE", "note", "Torque from each lug's label, written down.", clause(e, "110.14(D)")),
        _f("SERVICE_RECEPTACLE", "note", "A receptacle for service within 25 ft.", clause(e, "210.63")),
        _gfci(entry),
    ]
    if e == "2023":
        found.append(
            _f(
                "LOCKABLE_COVER",
                "note",
                "Outdoors the disconnect's cover locks or needs a tool; not confirmed here.",
                clause(e, "440.11"),
                step="Ask the authority.",
            )
        )
    if entry.insulation in CABLES and entry.poles == 2:
        found.append(
            _f(
                "WHITE_AS_HOT",
                "note",
                "White used as a hot is marked again at both ends.",
                clause(e, "200.7(C)"),
            )
        )
    found.append(
        _f(
            "GROUND_NOT_ELECTRODE",
            "note",
            "The grounding conductor brings fault current back so that the device opens; "
            "a rod in the earth does not do that.",
            clause(e, "250.4(A)(5)"),
        )
    )
    found.append(
        _f(
            "WORKING_SPACE",
            "note",
            "In front of the disconnect 30 in wide and 36 in deep, to 150 V to ground; "
            "deeper above, by condition.",
            clause(e, "110.26(A)"),
        )
    )
    if entry.inverter:
        found.append(
            _f(
                "INTERCONNECT",
                "note",
                "The cable between indoor and outdoor unit is as their maker says, not sized here.",
                clause(e, "110.3(B)"),
            )
        )
    if entry.raceway == "LFMC":
        found.append(
            _f(
                "FLEXIBLE_AS_GROUND",
                "note",
                "Flexible metal conduit is a grounding path only within limits of size, amps and 6 ft: "
                "a grounding conductor is pulled.",
                clause(e, "250.118, 350.60"),
            )
        )
    if entry.available_fault_a is None or entry.short_circuit_rating_a is None:
        found.append(
            _f(
                "SHORT_CIRCUIT_RATING",
                "note",
                "The unit's short-circuit rating is not held against the fault current there.",
                clause(e, "440.10(A)" if e != "2017" else "110.10"),
                step="Ask the utility for the fault current where the unit's rating is low.",
            )
        )
    if entry.provisional:
        found.append(
            _f(
                "PROVISIONAL",
                "watch",
                "Sized before the unit is here.",
                clause(e, "440.4(B)"),
                step="When it arrives, audit this circuit against its plate.",
            )
        )
    found.append(
        _f(
            "WHO_DECIDES",
            "note",
            "Local amendments, the authority having jurisdiction and a licensed person decide.",
            clause(e, "90.4"),
        )
    )
    return found


def _gfci(entry: CircuitIn) -> Finding:
    e, on = entry.edition, entry.on_date
    rule = clause(e, "210.8(F)")
    ask = "Ask the authority which holds here."
    if e == "2017":
        return _f(
            "GFCI_OUTDOOR",
            "note",
            "No ground-fault rule for an outdoor outlet of this kind in 2017.",
            "NEC 2017 210.8",
        )
    if entry.dwelling is False:
        return _f("GFCI_OUTDOOR", "note", "The outdoor ground-fault rule is for dwellings.", rule)
    if entry.phase == 3:
        return _f(
            "GFCI_OUTDOOR",
            "note",
            "The outdoor ground-fault rule ends at 150 V to ground and 50 A: ask.",
            rule,
            None,
            ask,
        )
    if e == "2020":
        text = "Dwellings, up to 50 A and 150 V to ground: ground-fault protection outdoors. "
        text += "An amendment put it off for "
        text += f"mini-splits and power-conversion units to {GFCI_AMENDED}"
        text += "; that day is past." if on is not None and on >= GFCI_AMENDED else "."
        return _f("GFCI_OUTDOOR", "watch", text, rule, None, ask)
    if on is None:
        text = f"Listed cooling equipment was excepted until {GFCI_EXPIRED}; "
        text += "from then on ground-fault protection."
    elif on >= GFCI_EXPIRED:
        text = f"The exception for listed cooling equipment ended {GFCI_EXPIRED}: "
        text += "ground-fault protection outdoors."
    else:
        text = f"Listed cooling equipment is still excepted, until {GFCI_EXPIRED}."
    return _f("GFCI_OUTDOOR", "watch", text, rule, None, ask)


_DEFAULTS = {
    "edition": "Edition not said: 2023 is taken.",
    "material": "Metal not said: copper is taken.",
    "insulation": "Insulation not said: THWN-2 is taken.",
    "ambient_f": "Air not said: 86 °F is taken.",
    "wet": "Wet or dry not said: dry is taken.",
    "power_factor": "Power factor not said: 0.85 is taken.",
    "school": "School not said: from MCA.",
}


def _defaults(entry: CircuitIn, loads: Loads) -> list[Finding]:
    given = entry.model_fields_set
    texts = [(name, text) for name, text in _DEFAULTS.items() if name not in given]
    if entry.termination_c is None and entry.insulation not in CABLES:
        texts.append(("termination_c", "Assumed: 60 °C terminals up to 100 A, 75 °C above."))
    if entry.current_carrying_conductors is None:
        texts.append(
            ("current_carrying_conductors", f"Bundling not said: {3 if entry.phase == 3 else 2} conductors.")
        )
    if any(m.lra_a is None for m in loads.motors) and loads.compressors:
        texts.append(("motors", "Locked rotor of a motor not said: six times its full load."))
    if loads.paired:
        texts.append(("paired", "Two ratings on the plate: the figures for the lower voltage are taken."))
    return [_f("DEFAULT", "note", text, "assumed", field=name) for name, text in texts]
