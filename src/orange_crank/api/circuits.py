"""The circuit of a call over HTTP."""

from fastapi import APIRouter

from orange_crank.api.door import Who
from orange_crank.api.keyed import Key
from orange_crank.api.shop import Number
from orange_crank.core.call.circuit import CircuitLook
from orange_crank.store.calls import circuit
from orange_crank.store.database import session
from orange_crank.store.once import once

router = APIRouter(prefix="/api/calls", tags=["circuits"])


@router.get("/{call_id}/circuit")
def get_circuit(call_id: Number) -> circuit.CircuitOnCall:
    """Return the circuit as it was looked at on a call, compared with the plate."""
    with session():
        return circuit.get_circuit(call_id)


@router.post("/{call_id}/circuit", status_code=201)
def look_at_circuit(call_id: Number, look: CircuitLook, who: Who, key: Key) -> circuit.CircuitOnCall:
    """Write down what is there, and compare it with the plate."""
    with session():
        return once(
            key,
            lambda: circuit.look_at_circuit(call_id, look, who.id),
            lambda _: circuit.get_circuit(call_id),
        )
