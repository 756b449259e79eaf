"""What a learner does at the unit: one act after the other, each with the time it takes."""

from typing import Annotated, Literal

from pydantic import Field

from orange_crank.core.call.changes import PartKind
from orange_crank.core.nomenclature import Frozen, Word
from orange_crank.core.wiring.plan_wiring import WiringIn

Verb = Literal[
    "ask", "look", "feel", "listen", "switch", "lock", "measure", "arm", "discharge", "lead", "gauges",
    "wait", "replace", "wire", "reset",
]  # fmt: skip
Switch = Literal["thermostat", "disconnect", "breaker"]
Lead = Literal["compressor", "run_capacitor", "start_kit", "coil"]
ProbeMode = Literal["volts", "volts_low_z", "volts_dc", "ohms", "microfarads", "amps", "inrush", "max_hold"]
Topic = Literal["rest", "lines", "idle", "charge", "when"]
Sight = Literal[
    "plate", "capacitor", "contactor", "condenser", "board", "breaker", "kit", "fan", "lugs", "control_fuse",
    "fuses", "terminals", "switches",
]  # fmt: skip
Section = Literal["c_herm", "c_fan"]
MODES: tuple[ProbeMode, ...] = (
    "volts", "volts_low_z", "volts_dc", "ohms", "microfarads", "amps", "inrush", "max_hold"
)  # fmt: skip
MODE_WORDS: dict[str, str] = {
    "volts": "Volts AC", "volts_low_z": "Volts AC, low impedance,", "volts_dc": "Volts DC", "ohms": "Ohms",
    "microfarads": "Microfarads", "amps": "Amps", "inrush": "Inrush", "max_hold": "Max hold", "off": "Off",
}  # fmt: skip
CLAMP_MODES: tuple[ProbeMode, ...] = ("amps", "inrush", "max_hold")
Conductor = Literal["common", "run", "start", "fan", "whole_unit"]
CONDUCTORS: tuple[Conductor, ...] = ("common", "run", "start", "fan", "whole_unit")
# Where probes go, part by part; a terminal's name carries its part.
TERMINALS: tuple[str, ...] = (
    "known.L", "known.N", "panel.A", "panel.B", "contactor.L1", "contactor.L2", "contactor.T1",
    "contactor.T2", "contactor.A1", "contactor.A2", "run_cap.C", "run_cap.HERM", "run_cap.FAN",
    "compressor.C", "compressor.S", "compressor.R", "ground",
)  # fmt: skip


class Act(Frozen):
    """One thing done at the unit; which fields it has depends on the verb."""

    verb: Verb
    switch: Switch | None = None
    on: bool | None = None
    mode: ProbeMode | None = None
    red: Annotated[str, Field(max_length=20)] | None = Field(
        default=None, description="Terminal of the red probe"
    )
    black: Annotated[str, Field(max_length=20)] | None = Field(
        default=None, description="Terminal of the black probe"
    )
    clamp: Conductor | None = None
    topic: Topic | None = None
    sight: Sight | None = None
    section: Section | None = None
    tool: Literal["resistor", "spare_resistor", "screwdriver"] | None = None
    lead: Lead | None = None
    taped: bool = Field(default=False, description="Whether the ends taken off are insulated at once")
    minutes: Annotated[float, Field(gt=0, le=120, allow_inf_nan=False)] | None = None
    part: PartKind | None = None
    number: Word | None = Field(default=None, description="Part number, where one is fitted from the list")
    relay: Word | None = Field(default=None, description="Relay in place of the kit's own, by its number")
    upright: bool = Field(default=True, description="Whether a relay is mounted arrow up")
    rating_a: Annotated[float, Field(gt=0, le=400, allow_inf_nan=False)] | None = Field(
        default=None, description="Of a breaker that is fitted [A]"
    )
    wiring: WiringIn | None = Field(default=None, description="What is joined to what, with its plan")


SECONDS: dict[Verb, float] = {
    "ask": 40, "look": 40, "feel": 10, "listen": 8, "switch": 15, "lock": 30, "measure": 25, "arm": 5,
    "discharge": 20, "lead": 45, "gauges": 300, "wait": 0, "replace": 900, "wire": 1_200, "reset": 20,
}  # fmt: skip
TO_THE_PANEL_S = 120.0
REPLACING_S: dict[PartKind, float] = {
    "run_capacitor": 600, "dual_capacitor": 600, "fan_capacitor": 600, "contactor": 1_500, "start_kit": 900,
    "soft_starter": 1_800, "compressor": 21_600, "fan_motor": 3_000, "fuse": 240, "breaker": 1_500,
    "control": 400, "wiring": 900, "charge": 2_700, "condenser": 1_800, "supply": 3_600, "other": 600,
}  # fmt: skip
WATCHED_S = 5.0  # after switching on one stays and watches


def seconds_of(act: Act) -> float:
    """Return how long an act takes [s]."""
    if act.verb == "wait":
        return 60.0 * (act.minutes or 1.0)
    if act.verb == "replace" and act.part is not None:
        return REPLACING_S[act.part]
    if act.verb == "switch" and act.switch == "breaker":
        return TO_THE_PANEL_S
    if act.verb == "switch" and act.switch == "thermostat" and act.on:
        return WATCHED_S
    return SECONDS[act.verb]
