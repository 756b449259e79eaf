"""Ground-fault protection outdoors: edition, dwelling, phase, volts, amps, kind and date decide."""

from orange_crank.core.circuit.rules.job import Built, Job, finding
from orange_crank.core.messages import joined, msg
from orange_crank.core.nomenclature import Finding
from orange_crank.core.plate.arithmetic import clause

EXPIRED = "2026-09-01"
AMENDED = "2023-01-01"
MOST_V, MOST_A = 150.0, 50.0
ASK = msg("Ask the AHJ which applies.")


def judge(job: Job, built: Built) -> list[Finding]:
    """Say whether an outdoor outlet needs ground-fault protection, what decides it, or what is missing."""
    if (job.heat or job.fan_coil) and not job.entry.is_outdoors:
        return []
    applies, why, step = _applies(job, built)
    rule = "NEC 2017 210.8" if job.entry.edition == "2017" else clause(job.entry.edition, "210.8(F)")
    if applies is False:
        return [finding("GFCI_OUTDOOR", "note", msg("GFCI not required: {why}.", why=why), rule)]
    if applies is None:
        return [finding("GFCI_OUTDOOR", "unknown", msg("GFCI: {why}.", why=why), rule, step=step)]
    there = built.ground_fault
    if there:
        return [finding("GFCI_OUTDOOR", "pass", msg("GFCI (Class A) installed; {why}.", why=why), rule)]
    verdict = "fail" if there is False else "unknown" if job.audited else "watch"
    told = (
        msg(" None installed.")
        if there is False
        else msg(" Installed or not: not entered.")
        if job.audited
        else ""
    )
    return [
        finding(
            "GFCI_OUTDOOR",
            "fail" if verdict == "fail" else "unknown" if verdict == "unknown" else "watch",
            msg("GFCI (Class A) required: {why}.{told}", why=why, told=told),
            rule,
            step=msg(
                "Put in a GFCI breaker (Class A) of that size; 30 mA equipment protection does not do. {ask}",
                ask=ASK,
            )
            if there is False
            else ASK,
        )
    ]


def _applies(job: Job, built: Built) -> tuple[bool | None, str, str | None]:
    entry = job.entry
    if entry.edition == "2017":
        return False, msg("the 2017 edition has no such rule for outdoor outlets of this kind"), None
    if entry.dwelling is False:
        return False, msg("the rule is for dwellings"), None
    if entry.phase == 3:
        return False, msg("the rule is for single-phase circuits"), None
    if entry.volts_to_ground > MOST_V:
        return False, msg("the rule ends at {most_v:g} V to ground", most_v=MOST_V), None
    device = built.device_a if built.device_a is not None else float(job.device.amps)
    if device > MOST_A:
        return (
            False,
            msg("the rule ends at {most_a:g} A; the device is {device:g} A", most_a=MOST_A, device=device),
            None,
        )
    if entry.is_outdoors is False:
        return False, msg("the outlet is indoors"), None
    asked = []
    if entry.dwelling is None:
        asked.append(msg("Is it a dwelling?"))
    if entry.is_outdoors is None:
        asked.append(msg("Is it outdoors?"))
    told = _by_date(job, asked)
    if asked:
        return None, msg("not known yet"), joined(asked, " ")
    return told


def _by_date(job: Job, asked: list[str]) -> tuple[bool | None, str, str | None]:
    entry, on, kind = job.entry, job.entry.on_date, job.entry.kind
    base = msg("dwelling, outdoors, single-phase, 150 V to ground and 50 A or less")
    if entry.edition == "2020":
        if on is not None and on >= AMENDED:
            return (
                True,
                msg(
                    "{base}; the delay for mini-splits and power conversion ended {amended}",
                    base=base,
                    amended=AMENDED,
                ),
                None,
            )
        if kind in ("hvac", "refrigeration", "other"):
            return True, base, None
        if kind is None:
            asked.append(msg("Is it a mini-split or other unit with power conversion?"))
        if on is None and kind != "hvac":
            asked.append(msg("What is the date of the work?"))
        return (
            False,
            msg("an amendment put it off to {amended} for units with power conversion", amended=AMENDED),
            None,
        )
    if on is not None and on >= EXPIRED:
        return (
            True,
            msg(
                "{base}; the exception for listed HVAC equipment ended {expired}", base=base, expired=EXPIRED
            ),
            None,
        )
    if kind in ("refrigeration", "other"):
        return True, msg("{base}; the exception is for listed HVAC equipment alone", base=base), None
    if kind is None:
        asked.append(msg("Is it listed HVAC equipment?"))
    if on is None:
        asked.append(msg("What is the date of the work?"))
    return False, msg("listed HVAC equipment is excepted until {expired}", expired=EXPIRED), None
