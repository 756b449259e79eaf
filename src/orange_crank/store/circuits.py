"""The circuit that is there, as it was looked at on a call: append-only, the newest counts."""

from typing import Any

from pydantic import Field

from orange_crank.core.circuit import AuditIn, AuditOut, audit_circuit
from orange_crank.core.circuit.entry import Installed
from orange_crank.core.errors import CrankError
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.plate import Plate
from orange_crank.store.decisions import decision_rows, save_decision

CIRCUIT = "circuit"


class CircuitLook(Frozen):
    """How a circuit is wired and what is there; the loads come from the plate."""

    wiring: dict[str, Any] = Field(default_factory=dict, description="Fields of a circuit beside the plate's")
    installed: Installed


def audit_entry(plate: Plate, look: CircuitLook) -> AuditIn:
    """Return the audit of a look against a plate.

    Raises
    ------
    ValidationError : a field of the wiring that cannot be used

    """
    loads = {n: v for n, v in plate.model_dump(exclude_none=True).items() if n in AuditIn.model_fields}
    return AuditIn.model_validate(look.wiring | loads | {"installed": look.installed.model_dump()})


def last_look(call_id: int) -> CircuitLook | None:
    """Return what was looked at last on a call."""
    rows = [r for r in decision_rows(call_id) if r.kind == CIRCUIT]
    return CircuitLook.model_validate_json(rows[-1].body) if rows else None


def circuit_of_call(call_id: int, plate: Plate | None) -> AuditOut | None:
    """Return the audit of a call's circuit against its plate as it is now; None where it cannot be made."""
    look = last_look(call_id) if plate is not None else None
    if look is None or plate is None:
        return None
    try:
        return audit_circuit(audit_entry(plate, look))
    except (CrankError, ValueError):
        return None


def save_look(call_id: int, look: CircuitLook, person_id: int) -> None:
    """Write down what was looked at."""
    save_decision(call_id, CIRCUIT, look.model_dump_json(exclude_none=True), person_id)
