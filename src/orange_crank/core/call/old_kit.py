"""A start kit that is on the unit as found, and comes off: what a wiring plan starts from."""

from typing import Literal

from orange_crank.core.call.changes import TAKEN_OFF_WORDS
from orange_crank.core.call.evidence_of_record import evidence_of_test
from orange_crank.core.call.facts import CallFacts
from orange_crank.core.diagnosis.model import Evidence
from orange_crank.core.tables.standards import Standards

OldKit = Literal["two_wire", "three_wire"]


def kit_on(facts: CallFacts, limits: Standards) -> bool:
    """Tell whether a start kit is on the unit, by its change, by a test or by a look."""
    fitted = [c for c in facts.changes if c.part == "start_kit"]
    if fitted:
        return not fitted[-1].what.startswith(TAKEN_OFF_WORDS)
    says = [e for t in facts.current_tests for e in evidence_of_test(t, limits)]
    says += [s.what for s in facts.seen if isinstance(s.what, Evidence)]
    present = [e.value for e in says if e.quantity == "start_kit_present"]
    return bool(present) and present[-1] is True


def bad_old_kit(facts: CallFacts, limits: Standards) -> OldKit | None:
    """Return the kind of a start kit that tested bad on this call and is still on, or None."""
    if not kit_on(facts, limits):
        return None
    says = [e for t in facts.current_tests for e in evidence_of_test(t, limits)]
    last = {e.quantity: e.value for e in says}
    if last.get("start_kit_verdict") != "bad":
        return None
    return "three_wire" if last.get("start_kit_kind") == "potential_relay" else "two_wire"
