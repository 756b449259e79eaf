"""The place: wet or dry, cables and raceways where they are allowed, figures for the supply's volts."""

from orange_crank.core.circuit.conductor import DRY_ONLY
from orange_crank.core.circuit.entry import voltage_class
from orange_crank.core.circuit.rules.job import Job, finding
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Finding
from orange_crank.core.plate.arithmetic import clause


def judge(job: Job) -> list[Finding]:
    """Judge insulation and raceway by the place, and the plate's column by the supply."""
    return [*_wet(job), *_cable(job), *_voltage(job)]


def _wet(job: Job) -> list[Finding]:
    entry, e = job.entry, job.entry.edition
    rule = clause(e, "334.12(B)(4)" if entry.insulation == "NM-B" else "300.9, 310.10(C)")
    if entry.is_wet is None:
        if not job.audited:
            return []
        return [
            finding(
                "WET_LOCATION",
                "unknown",
                msg("Wet or dry location not entered."),
                rule,
                step=msg("Outdoors counts as a wet location."),
            )
        ]
    open_ = job.unsaid("insulation")
    if entry.is_wet and open_:
        return [
            finding(
                "WET_LOCATION",
                "unknown",
                msg("Wet location; insulation not entered."),
                rule,
                step=msg("Read the wire markings. It needs a W."),
            )
        ]
    dry_only = entry.insulation in DRY_ONLY
    flexible = entry.raceway == "FMC"
    # Outdoors is damp at best, and NM cable is for neither wet nor damp places.
    damp = entry.insulation == "NM-B" and entry.is_outdoors is True and not open_
    bad = damp or (entry.is_wet and (dry_only or flexible))
    found = []
    if bad or job.audited:
        found.append(
            finding(
                "WET_LOCATION",
                "fail" if bad else "pass",
                msg("NM cable outdoors: a damp place at best, and NM is for dry places only.")
                if damp and not entry.is_wet
                else msg(
                    "{insulation} in a wet place, outdoors raceways included; it is for dry places.",
                    insulation="FMC" if flexible and not dry_only else entry.insulation,
                )
                if bad
                else msg(
                    "{insulation} in a {is_wet} place.",
                    insulation=entry.insulation,
                    is_wet="wet" if entry.is_wet else "dry",
                ),
                clause(e, "348.12") if bad and flexible and not dry_only else rule,
                step=None
                if not bad
                else msg("Take LFMC or LFNC.")
                if flexible and not dry_only
                else msg("Pull W-rated conductors: THWN-2 or XHHW-2."),
            )
        )
    if entry.raceway == "MC" and entry.is_wet and not bad:
        found.append(
            finding(
                "MC_WET",
                "unknown",
                msg("MC cable in a wet place must be listed for it (jacketed)."),
                clause(e, "330.10(A)(11)"),
                step=msg("Read the jacket's marking."),
            )
        )
    return found


def _cable(job: Job) -> list[Finding]:
    entry, e = job.entry, job.entry.edition
    found = []
    if entry.insulation == "NM-B":
        found.append(
            finding(
                "NM_60",
                "note",
                msg("NM cable is used at 60 °C; derating begins from 90 °C."),
                clause(e, "334.80"),
            )
        )
        if entry.raceway not in (None, "cable") and entry.is_wet is False:
            found.append(
                finding(
                    "NM_IN_RACEWAY",
                    "note",
                    msg(
                        "In a dry raceway NM cable is allowed: fill goes by its own size. It is "
                        "avoided for room and for pulling."
                    ),
                    msg("NEC {e} Chapter 9 note 9", e=e),
                )
            )
    if entry.insulation == "UF-B":
        found.append(
            finding("UF_60", "note", msg("UF cable is used and derated at 60 °C."), clause(e, "340.80"))
        )
    if entry.raceway == "SER":
        found.append(
            finding(
                "SER_60",
                "note",
                msg("SER cable run in thermal insulation: 10 AWG and smaller go by 60 °C."),
                clause(e, "338.10(B)(4)"),
            )
        )
    return found


def _voltage(job: Job) -> list[Finding]:
    entry = job.entry
    found = []
    if entry.phase == 3 and voltage_class(entry.volts) == "230/240 V":
        found.append(
            finding(
                "HIGH_LEG",
                "note",
                msg("240 V three-phase may have a high leg: 208 V to ground, marked orange."),
                clause(entry.edition, "110.15"),
                step=msg("Measure each leg to ground. No 120 V control or load on the high leg."),
            )
        )
    rule = clause(entry.edition, "110.3(B), 440.4")
    if job.loads.paired:
        found.append(
            finding(
                "RATING_PAIRED",
                "note",
                msg(
                    "Dual-voltage nameplate: {voltage_class} column used.",
                    voltage_class=voltage_class(entry.volts),
                ),
                rule,
                supply_v=entry.volts,
            )
        )
    if job.loads.motors_of_other:
        found.append(
            finding(
                "RATING_MIXED",
                "watch",
                msg("Motor amps are known at the nameplate's other voltage only; those are taken."),
                rule,
                step=msg("Read the motors' amps for this supply."),
            )
        )
    pair = entry.paired
    other = None if pair is None or job.loads.paired else voltage_class(pair.volts)
    here = voltage_class(entry.volts)
    rated = None if entry.rated_v is None or job.loads.paired else voltage_class(entry.rated_v)
    if rated is not None and rated != here:
        low = rated == "230/240 V" and here == "208 V"
        found.append(
            finding(
                "RATING_OTHER_VOLTS",
                "fail",
                msg(
                    "Nameplate figures are for {rated}; supply is {volts:g} V", rated=rated, volts=entry.volts
                )
                + (msg(", and the other column is for {other}.", other=other) if other else "."),
                rule,
                step=msg("Read the column for this supply; a nameplate without one is no unit for it.")
                if not low
                else msg("Read the 208 V column; a nameplate with 230 V alone is not for 208 V."),
                rated_v=entry.rated_v,
                supply_v=entry.volts,
            )
        )
    return found
