"""Circuits: sized clause by clause, and audited as they are."""

from orange_crank.core.circuit.audit import AuditOut, audit_circuit
from orange_crank.core.circuit.entry import AuditIn, CircuitIn
from orange_crank.core.circuit.size import CircuitOut, size_circuit

__all__ = ["AuditIn", "AuditOut", "CircuitIn", "CircuitOut", "audit_circuit", "size_circuit"]
