"""Ground-fault protection outdoors: edition, dwelling, phase, volts, amps, kind and date decide."""

from orange_crank.core.circuit.rules.job import Built, Job, finding
from orange_crank.core.nomenclature import Finding
from orange_crank.core.plate.arithmetic import clause

EXPIRED = "2026-09-01"
AMENDED = "2023-01-01"
MOST_V, MOST_A = 150.0, 50.0
ASK = "Ask the AHJ which applies."


def judge(job: Job, built: Built) -> list[Finding]:
    """Say whether an outdoor outlet needs ground-fault protection, what decides it, or what is missing."""
    if job.heat and not job.entry.is_outdoors:
        return []
    applies, why, step = _applies(job, built)
    rule = "NEC 2017 210.8" if job.entry.edition == "2017" else clause(job.entry.edition, "210.8(F)")
    if applies is False:
        return [finding("GFCI_OUTDOOR", "note", f"GFCI protection not required: {why}.", rule)]
    if applies is None:
        return [finding("GFCI_OUTDOOR", "unknown", f"Ground-fault protection: {why}.", rule, step=step)]
    there = built.ground_fault
    if there:
        return [finding("GFCI_OUTDOOR", "pass", f"GFCI protection installed; {why}.", rule)]
    verdict = "fail" if there is False else "unknown" if job.audited else "watch"
    told = " None installed." if there is False else " Installed or not: not entered." if job.audited else ""
    return [
        finding(
            "GFCI_OUTDOOR",
            "fail" if verdict == "fail" else "unknown" if verdict == "unknown" else "watch",
            f"GFCI protection required: {why}.{told}",
            rule,
            step=f"A ground-fault device of that size. {ASK}" if there is False else ASK,
        )
    ]


def _applies(job: Job, built: Built) -> tuple[bool | None, str, str | None]:
    entry = job.entry
    if entry.edition == "2017":
        return False, "the 2017 edition has no such rule for outdoor outlets of this kind", None
    if entry.dwelling is False:
        return False, "the rule is for dwellings", None
    if entry.phase == 3:
        return False, "the rule is for single-phase circuits", None
    if entry.volts_to_ground > MOST_V:
        return False, f"the rule ends at {MOST_V:g} V to ground", None
    device = built.device_a if built.device_a is not None else float(job.device.amps)
    if device > MOST_A:
        return False, f"the rule ends at {MOST_A:g} A; the device is {device:g} A", None
    if entry.is_outdoors is False:
        return False, "the outlet is indoors", None
    asked = []
    if entry.dwelling is None:
        asked.append("Is it a dwelling?")
    if entry.is_outdoors is None:
        asked.append("Is it outdoors?")
    told = _by_date(job, asked)
    if asked:
        return None, "cannot be told yet", " ".join(asked)
    return told


def _by_date(job: Job, asked: list[str]) -> tuple[bool | None, str, str | None]:
    entry, on, kind = job.entry, job.entry.on_date, job.entry.kind
    base = "dwelling, outdoors, single-phase, 150 V to ground and 50 A or less"
    if entry.edition == "2020":
        if on is not None and on >= AMENDED:
            return True, f"{base}; the delay for mini-splits and power conversion ended {AMENDED}", None
        if kind in ("hvac", "refrigeration", "other"):
            return True, base, None
        if kind is None:
            asked.append("Is it a mini-split or other unit with power conversion?")
        if on is None and kind != "hvac":
            asked.append("What is the date of the work?")
        return False, f"an amendment put it off to {AMENDED} for units with power conversion", None
    if on is not None and on >= EXPIRED:
        return True, f"{base}; the exception for listed HVAC equipment ended {EXPIRED}", None
    if kind in ("refrigeration", "other"):
        return True, f"{base}; the exception is for listed HVAC equipment alone", None
    if kind is None:
        asked.append("Is it listed HVAC equipment?")
    if on is None:
        asked.append("What is the date of the work?")
    return False, f"listed HVAC equipment is excepted until {EXPIRED}", None
