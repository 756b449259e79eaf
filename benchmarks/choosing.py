"""Choosing: 30 candidates with their computed starts against one start; a wiring plan drawn."""

import time

from orange_crank.core.aids import AidIn, choose_aid
from orange_crank.core.aids.parts import Counted, shipped_parts
from orange_crank.core.aids.stock import aid_part
from orange_crank.core.motor.entry import StartIn
from orange_crank.core.motor.fit import StartPlate
from orange_crank.core.motor.start import compute_start
from orange_crank.core.wiring import WiringIn, plan_wiring

PLATE = {"volts": 230.0, "phase": 1, "compressors": [{"rla_a": 17.9, "lra_a": 112.0}], "run_cap_uf": 45.0}


def _best(call: object, times: int = 7) -> float:
    assert callable(call)
    call()
    took = []
    for _ in range(times):
        begun = time.perf_counter()
        call()
        took.append(time.perf_counter() - begun)
    return min(took)


def main() -> None:
    """Print times and their ratio to one start, all of one run."""
    parts = [a for p in shipped_parts() if (a := aid_part(Counted(part=p, count=2))) is not None]
    suit = [
        a for a in parts if a.aid in ("relay_two_wire", "relay_three_wire", "ptc_two_wire", "soft_starter")
    ]
    # Ranges laid aside, so that all thirty are computed and none is refused unseen.
    stock = [
        a.model_copy(
            update={"part": f"{a.part}-{i}", "rla_low_a": None, "rla_high_a": None, "lra_high_a": None}
        )
        for i in range(3)
        for a in suit
    ][:30]
    entry = AidIn.model_validate(
        {"plate": PLATE, "stock": [s.model_dump() for s in stock], "start_torque_pct": 20.0}
    )
    out = choose_aid(entry)
    one = _best(lambda: compute_start(StartIn(plate=StartPlate.model_validate(PLATE))))
    all_ = _best(lambda: choose_aid(entry))
    print(f"30 candidates: {all_ * 1000:.0f} ms, {len(out.ranked)} computed (aim 1000 ms);"
          f" {all_ / one:.0f} x one bare start of {one * 1000:.1f} ms")  # fmt: skip
    for kind in ("three_wire_kit", "heat_kit"):
        plan = _best(lambda kind=kind: plan_wiring(WiringIn.model_validate({"kind": kind})))
        print(f"wiring plan {kind}: {plan * 1000:.1f} ms (aim 100 ms)")


if __name__ == "__main__":
    main()
