"""The circuit that is there, as it was looked at on a call: append-only, the newest counts."""

from pydantic import ValidationError

from orange_crank.core.call.circuit import CircuitLook, audit_entry
from orange_crank.core.call.gates import require
from orange_crank.core.circuit import AuditOut, audit_circuit
from orange_crank.core.errors import input_problem
from orange_crank.core.nomenclature import Frozen
from orange_crank.store.calls.decisions import CIRCUIT, append
from orange_crank.store.calls.journal import write_on
from orange_crank.store.calls.record import read_call
from orange_crank.store.database import transaction


class CircuitOnCall(Frozen):
    """What was looked at, and the audit of it."""

    look: CircuitLook | None
    audit: AuditOut | None


def get_circuit(call_id: int) -> CircuitOnCall:
    """Return the circuit as it was looked at on a call, compared with the plate."""
    judged = read_call(call_id).judged
    return CircuitOnCall(look=judged.facts.circuit, audit=judged.circuit)


def look_at_circuit(call_id: int, look: CircuitLook, person_id: int) -> CircuitOnCall:
    """Write down what is there, judged before it is kept.

    Raises
    ------
    GateClosed : the plate is not read
    InputProblem : a field cannot be used

    """
    with transaction():
        journal = write_on(call_id)
        record = read_call(call_id, journal.moment)
        require(record.judged.gates["look_at_circuit"])
        assert record.facts.plate is not None
        try:
            entry = audit_entry(record.facts.plate, look, record.facts.on_date)
        except ValidationError as error:
            raise input_problem(error) from None
        audit = audit_circuit(entry, record.judged.limits)
        append(journal, CIRCUIT, look, person_id)
        return CircuitOnCall(look=look, audit=audit)
