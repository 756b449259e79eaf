"""Machines the motor tests share: the textbook's quarter horse, and three plates of the trade."""

from typing import Any

from orange_crank.core.motor import StartIn
from orange_crank.core.motor.machine import Machine

QUARTER_HORSE = Machine(
    rq_ohm=2.02,
    xlq_ohm=2.79,
    xm_ohm=66.8,
    rr_ohm=4.12,
    xlr_ohm=2.12,
    rd_ohm=7.14,
    xld_ohm=3.22,
    turns_ratio=1.18,
    inertia_kgm2=0.0146,
    poles=4,
    hertz=60.0,
)
RUN_BRANCH = (1e6 / (377.0 * 172), 9.0)
START_BRANCH = (1e6 / (377.0 * 14.5), 3.0)

PLATES: dict[str, dict[str, Any]] = {
    "half horse, 115 V": {
        "volts": 115.0,
        "phase": 1,
        "compressors": [{"rla_a": 8.4, "lra_a": 46.0}],
        "run_cap_uf": 50.0,
    },
    "three tons, 230 V": {
        "volts": 230.0,
        "phase": 1,
        "compressors": [{"rla_a": 17.9, "lra_a": 112.0}],
        "run_cap_uf": 45.0,
    },
    "five tons, 230 V": {
        "volts": 230.0,
        "phase": 1,
        "compressors": [{"rla_a": 28.8, "lra_a": 148.0}],
        "run_cap_uf": 80.0,
    },
}
THREE_TONS = PLATES["three tons, 230 V"]


def plate_start(plate: dict[str, Any] = THREE_TONS, **more: Any) -> StartIn:
    """Return a start from a plate."""
    return StartIn.model_validate({"plate": plate, **more})


def textbook_start(**more: Any) -> StartIn:
    """Return a start of the quarter horse on 110 V with its run branch."""
    given: dict[str, Any] = {
        "machine": QUARTER_HORSE.model_dump(),
        "run_cap_uf": RUN_BRANCH[0],
        "run_cap_ohm": RUN_BRANCH[1],
        "source": {"volts": 110.0},
    }
    return StartIn.model_validate(given | more)
