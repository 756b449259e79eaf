"""The outdoor unit as it stands before a plan: components and conductors by what it has."""

from dataclasses import dataclass
from typing import Literal

from orange_crank.core.messages import msg
from orange_crank.core.wiring.model import Circuit, Component, Conductor

RunCapacitor = Literal["dual", "two_singles"]


@dataclass(frozen=True)
class UnitWiring:
    """What an outdoor unit has that bears on its wiring."""

    poles: Literal[1, 2] = 2
    run_capacitor: RunCapacitor = "dual"
    fan_wires: Literal[3, 4] = 3
    crankcase_heater: bool = False
    legs_swapped: bool = False
    taps: tuple[str, ...] = ()
    has_start_kit: bool = True
    old_kit: Literal["two_wire", "three_wire"] | None = None


COMPRESSOR = Component(
    "compressor", "Compressor", "compressor", ("C", "S", "R", "G"), tabs=1,
    words={"C": msg("common"), "S": msg("start"), "R": msg("run"), "G": msg("ground")},
)  # fmt: skip
GROUND = Component("cabinet", msg("Cabinet ground"), "ground", ("G",), tabs=9)
CONTROL = Component("control", msg("24 V control"), "box", ("Y", "COM"), same=(("Y", "COM"),), tabs=9)
DISCONNECT = Component(
    "disconnect", "Disconnect", "supply", ("T1", "T2", "G"), same=(("T1", "T2"),), tabs=9,
    words={"T1": msg("load"), "T2": msg("load"), "G": msg("ground")},
)  # fmt: skip
DUAL = Component(
    "run_cap", msg("Run capacitor"), "capacitor", ("C", "HERM", "FAN"), tabs=4,
    words={"C": msg("both sections"), "HERM": msg("compressor"), "FAN": msg("fan")},
)  # fmt: skip
SINGLE = Component("run_cap", msg("Run capacitor"), "capacitor", ("C", "HERM"), same=(("C", "HERM"),), tabs=4)
FAN_CAP = Component("fan_cap", msg("Fan capacitor"), "capacitor", ("1", "2"), same=(("1", "2"),), tabs=4)
HEATER = Component("heater", msg("Crankcase heater"), "heater", ("1", "2"), same=(("1", "2"),), tabs=1)


def fan(wires: int) -> Component:
    """Return the condenser fan; the fourth lead is its second capacitor lead, inside one with R."""
    if wires == 3:
        return Component("fan", msg("Fan motor"), "fan", ("C", "R", "S"), tabs=1,
                         words={"C": msg("common"), "R": msg("run"),
                             "S": msg("to its capacitor")})  # fmt: skip
    return Component("fan", msg("Fan motor"), "fan", ("C", "R", "S", "S2"), tabs=1, joined=(("R", "S2"),),
                     words={"C": msg("common"), "R": msg("run"), "S": msg("to its capacitor"),
                            "S2": msg("second capacitor lead")})  # fmt: skip


def contactor(poles: int, key: str = "contactor", title: str = "Contactor") -> Component:
    """Return a contactor; on one pole the second leg runs through a bus."""
    return Component(
        key,
        title if poles == 2 else msg("{title}, one pole", title=title),
        "contactor",
        ("L1", "T1", "L2", "T2", "A1", "A2"),
        same=(("A1", "A2"),),
        joined=(("L2", "T2"),) if poles == 1 else (),
        tabs=4,
        words={
            "L1": msg("line"),
            "L2": msg("line"),
            "T1": msg("load"),
            "T2": msg("load"),
            "A1": msg("coil"),
            "A2": msg("coil"),
        },
    )


def outdoor_unit(unit: UnitWiring, contactor_key: str = "contactor") -> Circuit:
    """Return the circuit of a single-phase outdoor unit.

    Notes
    -----
    The run capacitor's C stands on the leg that feeds R; the compressor's C on the other leg.
    ``legs_swapped`` is the same unit with its two legs the other way about, which is as right.

    """
    k = contactor_key
    parts = [DISCONNECT, contactor(unit.poles, k), COMPRESSOR]
    parts += [DUAL] if unit.run_capacitor == "dual" else [SINGLE, FAN_CAP]
    parts += [fan(unit.fan_wires)]
    a, b = ("T2", "T1") if unit.legs_swapped else ("T1", "T2")
    wires = [
        Conductor(msg("line, first leg"), "disconnect.T1", f"{k}.L1", "line_a"),
        Conductor(msg("line, second leg"), "disconnect.T2", f"{k}.L2", "line_b"),
        Conductor(msg("compressor R"), f"{k}.{a}", "compressor.R", "leg_a"),
        Conductor(msg("capacitor C"), f"{k}.{a}", "run_cap.C", "leg_a"),
        Conductor(msg("compressor C"), f"{k}.{b}", "compressor.C", "leg_b"),
        Conductor(msg("compressor S"), "run_cap.HERM", "compressor.S", "start"),
        *fan_conductors(unit, k),
        Conductor(msg("coil, from Y"), "control.Y", f"{k}.A1", "control"),
        Conductor(msg("coil, to common"), "control.COM", f"{k}.A2", "control"),
        Conductor(msg("ground to cabinet"), "disconnect.G", "cabinet.G", "ground"),
        Conductor(msg("ground to compressor"), "cabinet.G", "compressor.G", "ground"),
    ]
    if unit.crankcase_heater:
        parts.append(HEATER)
        one, two = (f"{k}.L1", f"{k}.T1") if unit.poles == 1 else (f"{k}.L1", f"{k}.L2")
        wires += [
            Conductor(msg("heater, first lead"), one, "heater.1", "line_a"),
            Conductor(msg("heater, second lead"), two, "heater.2", "leg_a" if unit.poles == 1 else "line_b"),
        ]
    return Circuit((*parts, CONTROL, GROUND), tuple(wires))


def fan_conductors(unit: UnitWiring, k: str) -> list[Conductor]:
    """Return the fan's conductors, by what capacitor it has and how many leads."""
    a, b = ("T2", "T1") if unit.legs_swapped else ("T1", "T2")
    wires = [Conductor(msg("fan common"), f"{k}.{b}", "fan.C", "fan")]
    if unit.run_capacitor == "dual":
        return [
            *wires,
            Conductor(msg("fan run"), "run_cap.C", "fan.R", "fan"),
            Conductor(msg("fan capacitor lead"), "run_cap.FAN", "fan.S", "fan"),
        ]
    second = ("fan_cap.2", "fan.S2") if unit.fan_wires == 4 else ("fan_cap.2", "run_cap.C")
    return [
        *wires,
        Conductor(msg("fan run"), f"{k}.{a}", "fan.R", "fan"),
        Conductor(msg("fan capacitor lead"), "fan_cap.1", "fan.S", "fan"),
        Conductor(msg("fan capacitor, other tab"), *second, "fan"),
    ]
