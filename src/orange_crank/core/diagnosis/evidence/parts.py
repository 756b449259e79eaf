"""Contactor, fuses, fitted kits and controls, as facts."""

from orange_crank.core.diagnosis.evidence.readings import Observed, Readings
from orange_crank.core.measure.contactor import Contactor, judge_contactor
from orange_crank.core.measure.start_kit import StartKit, judge_start_kit
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import say


def contactor_look(r: Readings) -> Observed | None:
    """Return how the contactor looks."""
    found = r.get("contactor_look")
    if found is None:
        return None
    return r.observed("contactor_look", str(found.value), msg("Contactor {value}.", value=found.value))


def contactor_drop(r: Readings) -> Observed | None:
    """Return how a closed pole drops under load."""
    drop = r.number("contactor_drop_v")
    if drop is None:
        walked = r.get("lossy_segment")
        if walked is None or walked.value != "contacts":
            return None
        return r.observed("contactor_drop", "high", msg("The supply walk loses volts across the contacts."))
    verdict = judge_contactor(Contactor(pole_drop_v=[drop]), r.limits).verdict
    outcome = {"pass": ("ok",), "watch": ("ok", "high")}.get(verdict, ("high",))
    return r.observed("contactor_drop", outcome, msg("{drop} across a closed pole.", drop=say(drop, "V", 2)))


def fuse(r: Readings) -> Observed | None:
    """Return whether a fuse is open."""
    found = r.get("fuse_open")
    if found is None:
        return None
    return r.observed(
        "fuse",
        "open" if found.value is True else "whole",
        msg("Fuse {value}.", value="open" if found.value else "good"),
    )


def kit(r: Readings) -> Observed | None:
    """Return whether a start kit is fitted, and how it tests."""
    present, kind = r.get("start_kit_present"), r.get("start_kit_kind")
    contact, start_cap = r.get("start_kit_contact_ohm"), r.get("start_cap_uf")
    whole = r.get("start_kit_verdict")
    if whole is not None:
        return r.observed("kit", str(whole.value), msg("The fitted kit tests {value}.", value=whole.value))
    if present is not None and present.value is False and contact is None and kind is None:
        return r.observed("kit", "none", msg("No start kit is fitted."))
    if contact is not None or start_cap is not None:
        kit = {"relay": "potential_relay", "unknown": "potential_relay", None: "potential_relay"}.get(
            str(kind.value) if kind else None, str(kind.value) if kind else "potential_relay"
        )
        ohms = None if contact is None else "open" if contact.value == "open" else contact.number
        entry = {
            "kind": kit,
            ("ptc_ohm" if kit == "ptc" else "contact_ohm"): ohms,
            "start_cap_uf": start_cap.number if start_cap else None,
        }
        result = judge_start_kit(StartKit.model_validate(entry), r.limits)
        if result.verdict in ("pass", "watch", "fail"):
            bad = result.verdict == "fail"
            return r.observed(
                "kit",
                "bad" if bad else "good",
                msg("The fitted kit tests {bad}.", bad="bad" if bad else "good"),
            )
    if present is not None or kind is not None:
        return r.observed("kit", ("good", "bad"), msg("A start kit is fitted."))
    return None


def kit_bypassed(r: Readings) -> Observed | None:
    """Return whether it starts with the kit lifted."""
    found = r.get("start_kit_bypassed_starts")
    if found is None:
        return None
    text = (
        msg("With the kit lifted it starts.")
        if found.value is True
        else msg("Same problem with the kit off.")
    )
    return r.observed("kit_bypassed", "starts" if found.value is True else "same", text)


def coil(r: Readings) -> Observed | None:
    """Return how the coil volts are."""
    found = r.number("coil_v")
    if found is None:
        return None
    if found < r.limits.dead_limit_v:
        return r.observed("coil", "none", msg("No volts at the coil."))
    low = found < r.limits.coil_pull_in_v
    return r.observed("coil", "low" if low else "ok", msg("{found} at the coil.", found=say(found, "V", 3)))


def status(r: Readings) -> Observed | None:
    """Return whether a board shows a code."""
    found = r.get("status_code")
    if found is None:
        return None
    none = str(found.value).lower() in ("none", "0", "ok", "-")
    return r.observed("status", "none" if none else "present", msg("Status code {value}.", value=found.value))


def what_tripped(r: Readings) -> Observed | None:
    """Return whether the breaker tripped or the compressor's own overload opened."""
    found = r.get("what_tripped")
    if found is None:
        return None
    breaker = found.value == "breaker"
    text = msg("The breaker trips.") if breaker else msg("Its own overload trips and closes again by itself.")
    return r.observed("tripped_by", str(found.value), text)
