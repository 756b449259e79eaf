"""Compile and load the integrator ahead of its first use."""

import threading
import time

_ONCE = threading.Lock()


def warm() -> float:
    """Compute one short start of each kind, so that the next answers at once; return the seconds it took."""
    from orange_crank.core.motor.entry import StartIn
    from orange_crank.core.motor.start import compute_start

    begun = time.monotonic()
    plate = {
        "volts": 230.0,
        "phase": 1,
        "compressors": [{"rla_a": 18.0, "lra_a": 110.0}],
        "run_cap_uf": 45.0,
    }
    with _ONCE:
        compute_start(StartIn.model_validate({"plate": plate, "duration_s": 0.1, "trace": True}))
    return time.monotonic() - begun
