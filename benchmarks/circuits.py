"""Sizing a circuit and auditing one, against reading its entry alone."""

import time
from collections.abc import Callable

from orange_crank.core.circuit import AuditIn, CircuitIn, audit_circuit, size_circuit

SPLIT = {
    "volts": 230.0,
    "phase": 1,
    "compressors": [{"rla_a": 17.9, "lra_a": 112.0}],
    "motors": [{"fla_a": 1.4}],
    "mca_a": 23.8,
    "mocp_a": 40.0,
    "length_ft": 310.0,
    "raceway": "PVC-40",
    "drop_limit_pct": 3.0,
    "wet": True,
    "ambient_f": 104.0,
}
THERE = {"overcurrent_a": 60.0, "overcurrent_kind": "breaker", "conductor_awg": "10", "egc_awg": "10"}
TIMES = 500


def _each(call: Callable[[], object]) -> float:
    call()
    best = float("inf")
    for _ in range(5):
        begun = time.perf_counter()
        for _ in range(TIMES):
            call()
        best = min(best, (time.perf_counter() - begun) / TIMES)
    return best


def main() -> None:
    """Print times and their ratio to reading the entry, all of one run."""
    entry = CircuitIn.model_validate(SPLIT)
    audit = AuditIn.model_validate(SPLIT | {"installed": THERE})
    read = _each(lambda: CircuitIn.model_validate(SPLIT))
    for word, took in (
        ("sizing", _each(lambda: size_circuit(entry))),
        ("audit", _each(lambda: audit_circuit(audit))),
    ):
        print(f"{word}: {took * 1000:.2f} ms (aim 2 ms for a sizing); {took / read:.0f} x reading its entry")


if __name__ == "__main__":
    main()
