"""The circuit of a call over HTTP."""

from fastapi import APIRouter
from pydantic import ValidationError

from orange_crank.api.shop import Number, Who
from orange_crank.core.circuit import AuditOut, audit_circuit
from orange_crank.core.errors import GateClosed, input_problem
from orange_crank.core.nomenclature import Frozen
from orange_crank.store import calls
from orange_crank.store.circuits import CircuitLook, audit_entry, last_look, save_look
from orange_crank.store.database import session

router = APIRouter(prefix="/api/calls", tags=["circuits"])


class CircuitOnCall(Frozen):
    """What was looked at, and the audit of it."""

    look: CircuitLook | None
    audit: AuditOut | None


@router.get("/{call_id}/circuit")
def get_circuit(call_id: Number) -> CircuitOnCall:
    """Return the circuit as it was looked at on a call, held against the plate."""
    with session():
        call = calls.get_call(call_id)
        look = last_look(call_id)
    if look is None or call.plate is None:
        return CircuitOnCall(look=look, audit=None)
    return CircuitOnCall(look=look, audit=audit_circuit(audit_entry(call.plate.plate, look)))


@router.post("/{call_id}/circuit", status_code=201)
def look_at_circuit(call_id: Number, look: CircuitLook, who: Who) -> CircuitOnCall:
    """Write down what is there, and hold it against the plate."""
    with session():
        calls.require_open(call_id)
        call = calls.get_call(call_id)
        if call.plate is None:
            raise GateClosed(
                "The plate of this unit is not read yet.", next_step="Read the plate first, rung 2."
            )
        try:
            entry = audit_entry(call.plate.plate, look)
        except ValidationError as error:
            raise input_problem(error) from None
        audit = audit_circuit(entry)
        save_look(call_id, look, who.id)
    return CircuitOnCall(look=look, audit=audit)
