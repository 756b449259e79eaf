"""Made-up cases: a fault is drawn, a unit made with it by the physics, and tests answered with meter error.

Written from the start model and the electrical relations, never from the diagnosis's own table, so that the
engine can be measured against it.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np

from orange_crank.core.diagnosis.model import (
    CallWork,
    DiagnoseIn,
    Evidence,
    History,
    Hypothesis,
    Measured,
    Past,
    Symptom,
)
from orange_crank.core.motor.assemble import assemble
from orange_crank.core.motor.entry import StartIn
from orange_crank.core.motor.start import UP_TO_SPEED, cycle_rms, simulate
from orange_crank.core.plate import Plate

PLATES: tuple[dict[str, Any], ...] = (
    {
        "volts": 230.0,
        "phase": 1,
        "compressors": [{"rla_a": 17.9, "lra_a": 112.0, "kind": "scroll"}],
        "motors": [{"fla_a": 1.4}],
        "run_cap_uf": 45.0,
        "fan_cap_uf": 5.0,
        "mca_a": 23.8,
        "mocp_a": 40.0,
    },
    {
        "volts": 230.0,
        "phase": 1,
        "compressors": [{"rla_a": 21.8, "lra_a": 124.0, "kind": "scroll"}],
        "motors": [{"fla_a": 1.7}],
        "run_cap_uf": 70.0,
        "fan_cap_uf": 7.5,
        "mca_a": 29.0,
        "mocp_a": 50.0,
    },
    {
        "volts": 230.0,
        "phase": 1,
        "compressors": [{"rla_a": 10.9, "lra_a": 58.0, "kind": "reciprocating"}],
        "motors": [{"fla_a": 0.9}],
        "run_cap_uf": 35.0,
        "fan_cap_uf": 5.0,
        "mca_a": 14.5,
        "mocp_a": 25.0,
    },
)
THREE_PHASE: dict[str, Any] = {
    "volts": 208.0,
    "phase": 3,
    "compressors": [{"rla_a": 13.1, "lra_a": 83.0, "kind": "scroll"}],
    "motors": [{"fla_a": 1.7}],
    "mca_a": 18.1,
    "mocp_a": 30.0,
}
COOLER: dict[str, Any] = {
    "volts": 115.0,
    "phase": 1,
    "compressors": [{"rla_a": 8.4, "lra_a": 46.0, "kind": "reciprocating"}],
    "motors": [{"fla_a": 0.9}],
    "mca_a": 11.4,
    "mocp_a": 15.0,
    "metering": "captube",
}

# How often each fault is met in a season of hard-start calls: a made-up shop's own tally.
TALLY: dict[Hypothesis, float] = {
    "run_capacitor_weak": 15,
    "run_capacitor_open": 10,
    "pressure_not_equal": 8,
    "delay_or_lockout": 7,
    "supply_low": 6,
    "segment_loss": 6,
    "contactor_worn": 6,
    "overload_open": 6,
    "high_head": 6,
    "control_fuse_or_transformer": 6,
    "phase_fault": 3,
    "fan_motor": 5,
    "winding_grounded": 4,
    "locked_rotor": 4,
    "worn_bearings": 4,
    "breaker_weak_or_small": 4,
    "start_kit_failed": 4,
    "kit_masks_open_capacitor": 3,
    "control_voltage_low": 3,
    "overcharge": 3,
    "long_lines_or_liquid": 2,
    "start_winding_open": 2,
    "run_winding_open": 2,
    "turn_short": 1,
    "reverse_rotation": 2,
    "open_neutral": 1,
    "healthy": 4,
    "current_relay_or_external_overload": 3,
    "no_line_at_unit": 6,
    "leg_to_leg_short": 2,
    "source_too_small": 3,
    "kit_miswired": 1,
    "capacitor_wrong_value": 3,
    "low_charge": 4,
    "fan_reversed": 1,
    "overload_failed_open": 1,
    "lead_or_terminal_open": 3,
    "loose_lug_at_breaker": 2,
    "control_switch_open": 4,
    "other_part_grounded": 2,
}
# Told apart by nothing that is measured here short of opening the compressor.
LOOK_ALIKES: tuple[frozenset[Hypothesis], ...] = (
    frozenset({"worn_bearings", "long_lines_or_liquid"}),
    frozenset({"contactor_worn", "segment_loss"}),
)


@dataclass
class Case:
    """One unit with its fault, and what it would show."""

    seed: int
    fault: Hypothesis
    plate: Plate
    truth: dict[str, float | bool | str] = field(default_factory=dict)
    symptoms: list[Symptom] = field(default_factory=list)
    outage: bool = False
    history: History | None = None
    trial: Literal["started", "did_not_start"] | None = None

    def entry(self, readings: list[Evidence], work: CallWork) -> DiagnoseIn:
        """Return the case as the engine sees it so far."""
        return DiagnoseIn(
            plate=self.plate,
            symptoms=self.symptoms,
            readings=readings,
            work=work,
            supply_restored=self.outage,
            history=self.history,
            kit_trial=self.trial,
        )

    def try_kit(self) -> None:
        """Do the agreed trial with a start kit, by the model."""
        if self.fault == "current_relay_or_external_overload":
            # Its kit is a three-in-one, which takes the relay's place.
            self.trial = "started"
            return
        kept = dict(self.truth)
        self.truth.update(kit=True, kit_bad=False, kit_right=True)
        _start_once(self, self.truth)
        self.trial = "did_not_start" if math.isinf(float(self.truth["seconds"])) else "started"
        self.truth = kept


def make_case(
    seed: int, among: Sequence[Hypothesis] = tuple(TALLY), second: Hypothesis | None = None
) -> Case:
    """Draw one case, its fault by how often each of those named is met; ``second``: another beside it."""
    rng = np.random.default_rng(seed)
    faults = list(among)
    weights = np.array([TALLY[f] for f in faults])
    fault = faults[int(rng.choice(len(faults), p=weights / weights.sum()))]
    if fault == "phase_fault":
        raw = THREE_PHASE
    elif fault == "current_relay_or_external_overload":
        raw = COOLER
    elif fault == "reverse_rotation":
        raw = THREE_PHASE if rng.random() < 0.6 else PLATES[0]
    else:
        raw = PLATES[int(rng.integers(len(PLATES)))]
    case = Case(seed=seed, fault=fault, plate=Plate.model_validate(raw))
    _build(case, rng, second)
    return case


def remake(case: Case, **truth: float | bool | str) -> Case:
    """Return the case with some of its truth told otherwise, started again by the physics."""
    other = Case(
        seed=case.seed,
        fault=case.fault,
        plate=case.plate,
        truth=case.truth | truth,
        symptoms=list(case.symptoms),
        outage=case.outage,
        history=case.history,
    )
    _start_once(other, other.truth)
    return other


# Faults that trip a breaker; what heats a motor slowly opens its own overload.
_TRIPS_BREAKER: frozenset[Hypothesis] = frozenset(
    {"winding_grounded", "other_part_grounded", "leg_to_leg_short", "breaker_weak_or_small",
     "loose_lug_at_breaker", "kit_miswired"}
)  # fmt: skip


def _what_tripped(case: Case, rng: np.random.Generator) -> str:
    either = case.fault in ("locked_rotor", "turn_short")
    chance = 0.5 if either else 0.94 if case.fault in _TRIPS_BREAKER else 0.15
    return "breaker" if rng.random() < chance else "overload"


def _build(case: Case, rng: np.random.Generator, second: Hypothesis | None = None) -> None:
    """Lay out the unit's true state, start it once, and let the symptoms follow."""
    plate, fault = case.plate, case.fault
    first = plate.compressors[0]
    u = rng.uniform
    rated = plate.volts
    cap = plate.run_cap_uf or 0.0
    t: dict[str, Any] = {
        "cap_uf": cap * u(0.955, 1.03),
        "fan_cap_uf": (plate.fan_cap_uf or 0) * u(0.955, 1.03),
        "idle_v": rated * u(0.985, 1.05),
        "source_ohm": rated / (first.lra_a or 60) * u(0.012, 0.035),
        "path_ohm": rated / (first.lra_a or 60) * u(0.006, 0.022),
        "drop_v": u(0.02, 0.15),
        "load": u(4, 22),
        "inertia": float(np.exp(rng.normal(0.1, 0.3))),
        "kit": bool(rng.random() < 0.2),
        "kit_bad": False,
        "ground": False,
        "ground_piece": "compressor",
        "shell_hot": bool(rng.random() < 0.15),
        "windings": "sound",
        "coil_v": u(23.5, 27.5),
        "control_fuse_open": False,
        "delay": bool(rng.random() < 0.02),
        "code": bool(rng.random() < 0.03),
        "fuse_open": False,
        "rest_min": u(6, 90) if rng.random() < 0.88 else u(0.5, 5),
        "line_ft": u(12, 45),
        "idle_days": u(0, 6),
        "condenser_dirty": bool(rng.random() < 0.2),
        "head_ratio": u(2.4, 3.8),
        "subcool": u(6, 15),
        "superheat": u(7, 18),
        "charge": "right",
        "run_factor": u(0.72, 0.97),
        "fan_factor": u(0.78, 1.0),
        "contactor": "pitted" if rng.random() < 0.3 else "clean",
        "rotation_ok": True,
        "imbalance": u(0.2, 1.6),
        "equal": True,
        "neutral_open": False,
        "breaker_a": plate.mocp_a or 30,
        "friction": 1.0,
        "start_branch": True,
        "holds": True,
        "turns": True,
        "line_v": rated,
        "legs_short": False,
        "can_label": cap,
        "fan_right": True,
        "lug_tight": bool(rng.random() < 0.96),
        "pins": "sound",
        "control_switch": False,
        "kit_right": True,
        "backup": False,
    }
    _inflict(case.fault, t, plate, rng)
    if second is not None:
        _inflict(second, t, plate, rng)
    case.truth = t
    _start_once(case, t)
    case.symptoms = _symptoms(fault, t, rng)
    t["cr_ohm"] = 0.05 * plate.volts / first.rla_a * float(rng.uniform(0.9, 1.1))
    if rng.random() < 0.6:
        case.history = History(
            readings=[
                Past(quantity=q, value=round(v, 2), days_ago=400.0) for q, v in _sound_ohms(case).items()
            ]
        )
    case.outage = bool(fault == "reverse_rotation" and rng.random() < 0.6)


def _inflict(fault: Hypothesis, t: dict[str, Any], plate: Plate, rng: np.random.Generator) -> None:
    u = rng.uniform
    cap, z = plate.run_cap_uf or 0.0, plate.volts / (plate.compressors[0].lra_a or 60)
    if fault == "run_capacitor_weak":
        t.update(cap_uf=cap * u(0.45, 0.88), load=u(12, 30))
    elif fault == "run_capacitor_open":
        t.update(cap_uf=cap * u(0.0, 0.15), kit=False)
    elif fault == "kit_masks_open_capacitor":
        t.update(cap_uf=cap * u(0.0, 0.12), kit=True, run_factor=u(1.25, 1.6), shell_hot=True)
    elif fault == "start_kit_failed":
        t.update(kit=True, kit_bad=True, load=u(30, 60))  # fitted because the motor needs one
        t["kit_stuck"] = bool(rng.random() < 0.3)
    elif fault == "supply_low":
        t.update(source_ohm=z * u(0.11, 0.24), idle_v=plate.volts * u(0.90, 0.985), load=u(12, 26))
    elif fault == "segment_loss":
        t.update(path_ohm=z * u(0.08, 0.22), load=u(14, 27))
    elif fault == "contactor_worn":
        t.update(
            contactor=str(rng.choice(["pitted", "burnt", "burnt", "insects", "welded"])),
            path_ohm=z * u(0.04, 0.2),
            drop_v=u(0.6, 3.0),
            load=u(14, 27),
        )
    elif fault == "control_voltage_low":
        t.update(coil_v=u(12, 17.4))
    elif fault == "pressure_not_equal":
        t.update(load=u(34, 95), equal=False, rest_min=u(0.5, 4.5) if rng.random() < 0.65 else u(6, 20))
    elif fault == "long_lines_or_liquid":
        t.update(load=u(26, 50), line_ft=u(60, 140) if rng.random() < 0.75 else t["line_ft"])
        t["idle_days"] = u(16, 60) if t["line_ft"] < 55 or rng.random() < 0.3 else t["idle_days"]
    elif fault == "overcharge":
        t.update(
            charge="over", subcool=u(24, 34), head_ratio=u(3.6, 5.4), run_factor=u(1.05, 1.35), load=u(14, 30)
        )
    elif fault == "high_head":
        t.update(head_ratio=u(4.7, 6.5), run_factor=u(1.08, 1.4), condenser_dirty=bool(rng.random() < 0.8))
    elif fault == "fan_motor":
        slow = rng.random() < 0.5
        t.update(
            fan_factor=u(0.0, 0.3) if slow else u(1.25, 2.2), head_ratio=u(4.6, 6.2), run_factor=u(1.06, 1.35)
        )
        t["fan_cap_uf"] = (plate.fan_cap_uf or 0) * (u(0.2, 0.85) if rng.random() < 0.5 else u(0.96, 1.03))
    elif fault == "overload_open":
        t.update(windings="common_open", shell_hot=True, turns=False)
    elif fault == "start_winding_open":
        t.update(windings="start_open", shell_hot=False, start_branch=False)
    elif fault == "run_winding_open":
        t.update(windings="run_open", shell_hot=False)
    elif fault == "winding_grounded":
        t.update(
            ground=True,
            windings=str(rng.choice(["sound", "not_additive", "start_open"])),
            fuse_open=bool(rng.random() < 0.4),
        )
    elif fault == "other_part_grounded":
        piece = str(rng.choice(["crankcase_heater", "run_capacitor", "wiring"]))
        t.update(ground=True, ground_piece=piece, holds=False, fuse_open=bool(rng.random() < 0.4))
    elif fault == "turn_short":
        t.update(windings="turn_short", run_factor=u(1.2, 1.6), load=u(20, 40))
    elif fault == "locked_rotor":
        t.update(load=400.0)
    elif fault == "worn_bearings":
        t.update(load=u(26, 48), run_factor=u(1.02, 1.3))
    elif fault == "breaker_weak_or_small":
        small = rng.random() < 0.5
        t.update(
            breaker_a=float(round(0.75 * (plate.mca_a or 20))) if small else t["breaker_a"],
            holds=bool(rng.random() < 0.6),
        )
    elif fault == "phase_fault":
        t.update(imbalance=u(4, 40), fuse_open=bool(rng.random() < 0.5), code=bool(rng.random() < 0.4))
        t["delay"] = bool(rng.random() < 0.3)
    elif fault == "reverse_rotation":
        t.update(rotation_ok=False, run_factor=u(0.2, 0.38), head_ratio=1.1)
    elif fault == "delay_or_lockout":
        t.update(delay=bool(rng.random() < 0.95), code=bool(rng.random() < 0.45), coil_v=0.2, turns=False)
    elif fault == "control_fuse_or_transformer":
        t.update(control_fuse_open=bool(rng.random() < 0.7), coil_v=0.1, turns=False)
    elif fault == "open_neutral":
        t.update(neutral_open=True)
    elif fault == "current_relay_or_external_overload":
        t.update(start_branch=False)
    else:
        _inflict_around(fault, t, plate, rng)


def _inflict_around(fault: Hypothesis, t: dict[str, Any], plate: Plate, rng: np.random.Generator) -> None:
    """Inflict what lies around the compressor: line, source, leads, wrong parts, charge, switches."""
    u = rng.uniform
    cap, z = plate.run_cap_uf or 0.0, plate.volts / (plate.compressors[0].lra_a or 60)
    if fault == "no_line_at_unit":
        t.update(line_v=u(0.0, 6.0), fuse_open=bool(rng.random() < 0.4), turns=False)
    elif fault == "leg_to_leg_short":
        t.update(legs_short=True, holds=False, fuse_open=bool(rng.random() < 0.4))
    elif fault == "source_too_small":
        t.update(backup=True, source_ohm=z * u(0.3, 0.7), load=u(10, 20))
    elif fault == "kit_miswired":
        t.update(kit=True, kit_bad=False, kit_right=False, load=u(30, 55))
        t["fan_factor"] = u(0.3, 1.6)
    elif fault == "capacitor_wrong_value":
        small = rng.random() < 0.5
        label = cap * (u(0.55, 0.8) if small else u(1.25, 1.8))
        t.update(can_label=round(label / 2.5) * 2.5, load=u(10, 26))
        t["cap_uf"] = t["can_label"] * u(0.97, 1.03)
        t["run_factor"] = u(0.85, 1.15) if small else u(1.08, 1.4)
    elif fault == "low_charge":
        t.update(charge="low", subcool=u(0, 3), superheat=u(28, 45), run_factor=u(0.35, 0.7))
        t.update(head_ratio=u(2.2, 3.2), control_switch=bool(rng.random() < 0.15))
    elif fault == "fan_reversed":
        t.update(fan_right=False, head_ratio=u(4.6, 6.2), run_factor=u(1.06, 1.35))
    elif fault == "overload_failed_open":
        t.update(windings="common_open", shell_hot=False, turns=False, pins="open")
        t["rest_min"] = u(300, 1500) if rng.random() < 0.6 else u(30, 200)
    elif fault == "lead_or_terminal_open":
        r = rng.random()
        t.update(windings="common_open" if r < 0.7 else "start_open" if r < 0.85 else "run_open")
        t.update(shell_hot=bool(rng.random() < 0.1), turns=r >= 0.7, start_branch=r >= 0.85)
    elif fault == "loose_lug_at_breaker":
        t.update(lug_tight=bool(rng.random() < 0.04), source_ohm=z * u(0.08, 0.2), load=u(12, 26))
        t["behind_the_bus"] = True
    elif fault == "control_switch_open":
        t.update(control_switch=True, coil_v=0.1, turns=False, code=bool(rng.random() < 0.2))


def _start_once(case: Case, t: dict[str, Any]) -> None:
    """Start the unit by the model where it has one, else by what its fault allows."""
    plate, fault = case.plate, case.fault
    if not t["turns"]:
        # Its circuit is open somewhere: no amps, no dip.
        volts = t["idle_v"]
        t.update(seconds=math.inf, inrush_a=0.0, later_a=0.0, settled_a=0.0, terminal_v=volts, panel_v=volts)
        return
    first = plate.compressors[0]
    lra = float(first.lra_a or 60.0)
    z = t["source_ohm"] + t["path_ohm"]
    stuck = fault in (
        "start_winding_open",
        "run_winding_open",
        "current_relay_or_external_overload",
        "phase_fault",
    ) or (fault == "lead_or_terminal_open" and t["windings"] != "common_open")
    if plate.phase == 1 and plate.run_cap_uf is not None and not stuck:
        helped = t["kit"] and not t["kit_bad"] and t["kit_right"]
        entry = StartIn.model_validate(
            {
                "plate": plate.model_dump(exclude_none=True),
                "run_cap_uf": t["cap_uf"] if t["cap_uf"] > 0.05 * plate.run_cap_uf else "open",
                "source": {
                    "volts": t["idle_v"],
                    "resistance_ohm": 0.85 * z,
                    "inductance_mh": 0.5 * z / 0.377,
                },
                "load": {"start_torque_pct": t["load"], "run_torque_pct": max(70.0, min(t["load"], 95.0))},
                "aid": {"kind": "start_capacitor", "start_cap_uf": 3.0 * plate.run_cap_uf}
                if helped
                else {"kind": "none"},
                "inertia_factor": t["inertia"],
                "duration_s": 2.2,
                "step_us": 100.0,
            }
        )
        made = assemble(entry)
        ran = simulate(made)
        rms = cycle_rms(ran.out[0], ran.cycle)
        volts = cycle_rms(ran.out[1], ran.cycle)
        fast = ran.out[2] >= UP_TO_SPEED * made.machine.synchronous_rad_s
        seconds = float(fast.argmax()) * made.step_s if fast.any() else math.inf
        window = ran.out[0][: round(0.1 / made.step_s)]
        second = rms[min(len(rms) - 1, round(1.0 / made.step_s))]
        t.update(
            seconds=seconds,
            inrush_a=float(np.sqrt(np.mean(window**2))),
            later_a=float(second),
            terminal_v=float(volts.min()),
            settled_a=float(rms[-1]),
        )
    else:
        stands = stuck or fault == "locked_rotor"
        share = {"run_winding_open": 0.3, "phase_fault": 0.87}.get(fault, 1.0)
        amps = lra * t["idle_v"] / plate.volts * share / (1 + z * lra / plate.volts)
        t.update(
            seconds=math.inf if stands else 0.2,
            inrush_a=amps * (1.0 if stands else 0.8),
            later_a=amps if stands else first.rla_a,
            terminal_v=t["idle_v"] - amps * z,
        )
    t["panel_v"] = t["idle_v"] - (t["idle_v"] - t["terminal_v"]) * t["source_ohm"] / z
    if fault == "start_kit_failed" and t.get("kit_stuck"):
        t["seconds"], t["run_factor"] = min(t["seconds"], 0.3), 1.5


def _symptoms(fault: Hypothesis, t: dict[str, Any], rng: np.random.Generator) -> list[Symptom]:
    """Return what the customer and the first look tell."""
    r = rng.random
    out: list[Symptom] = []
    slow, stands = t["seconds"] > 0.6, math.isinf(t["seconds"])
    if t["backup"]:
        out.append("will_not_run_on_backup")
        if r() < 0.6:
            out.append("hums_no_start" if stands else "slow_start")
    elif fault in (
        "delay_or_lockout",
        "control_fuse_or_transformer",
        "no_line_at_unit",
        "control_switch_open",
    ):
        out.append("controls_on_nothing_runs")
    elif fault == "control_voltage_low":
        out.append("controls_on_nothing_runs" if r() < 0.6 else "rattles")
    elif fault in ("overload_open", "overload_failed_open") or (
        fault == "lead_or_terminal_open" and not t["turns"]
    ):
        out.append("fan_only")
    elif fault in ("winding_grounded", "other_part_grounded", "leg_to_leg_short"):
        out.append("trips_at_once")
    elif fault == "breaker_weak_or_small":
        out.append("trips_after_minutes" if r() < 0.6 else "starts_then_trips")
    elif fault in ("high_head", "fan_motor", "overcharge", "fan_reversed") or (
        fault == "capacitor_wrong_value" and not slow and not stands
    ):
        out.append("trips_after_minutes" if r() < 0.7 else "starts_then_trips")
    elif fault in ("kit_masks_open_capacitor",) or (fault == "start_kit_failed" and t.get("kit_stuck")):
        out.append("starts_then_trips")
    elif fault == "turn_short":
        out.append("starts_then_trips" if r() < 0.5 else "trips_after_minutes")
    elif fault == "reverse_rotation":
        out.append("rattles")
        if r() < 0.5:
            out.append("trips_after_minutes")
    elif fault == "low_charge":
        out.append("short_cycles" if r() < 0.6 else "trips_after_minutes")
    elif stands:
        out.append("hums_no_start")
    elif slow:
        out.append("slow_start")
    elif fault == "healthy":
        if r() < 0.6:
            out.append("upgrade_only")
    elif fault == "open_neutral":
        out.append("lights_dim")
    else:
        out.append("slow_start" if r() < 0.6 else "starts_rarely")
    dip = 0.0 if t.get("behind_the_bus") else 1 - t["panel_v"] / t["idle_v"]
    if "lights_dim" not in out and (dip > 0.06 or (slow and dip > 0.025)) and r() < 0.6:
        out.append("lights_dim")
    if fault == "open_neutral" and slow:
        out.append("slow_start")
    if fault == "pressure_not_equal" and r() < 0.55:
        out.append("starts_after_long_rest")
    if fault == "overload_open" and r() < 0.35:
        out.append("starts_after_long_rest")
    if fault == "worn_bearings" and r() < 0.5:
        out.append("rattles")
    if fault in ("kit_masks_open_capacitor", "high_head", "overload_open", "fan_motor") and r() < 0.4:
        out.append("runs_hot")
    return list(dict.fromkeys(out))


def answer(case: Case, test: str, rng: np.random.Generator) -> list[Evidence]:
    """Do one test on the case: the readings it gives, with the error of ordinary meters."""
    t = case.truth
    f = {k: float(v) for k, v in t.items() if isinstance(v, float | int) and not isinstance(v, bool)}

    def near(value: float, pct: float, digit: float = 0.0) -> float:
        got = value * (1 + rng.normal(0, pct / 200)) + rng.uniform(-digit, digit)
        return max(0.0, round(float(got), 3))

    def one(quantity: Measured, value: Any, **more: Any) -> Evidence:
        return Evidence.model_validate({"quantity": quantity, "value": value} | more)

    stands = math.isinf(f["seconds"])
    time_it = [one("start_time_s", near(f["seconds"], 12, 0.05), plus_minus=0.15)] if not stands else []
    volts = {"volts": near(f["panel_v"], 1.0)}
    clamp: dict[str, Any] = {
        "mode": "inrush",
        "conductor": "common",
        "later_a": max(0.1, near(f["later_a"], 3, 0.3)),
    }
    state = {"state": "stalled"} if stands and t["turns"] else {}
    if not t["turns"]:
        clamp.pop("later_a")
    rla = case.plate.compressors[0].rla_a
    fan = case.plate.motors[0].fla_a if case.plate.motors else 1.0
    # A lug drops its volts behind the bus: the rest of the house does not see them.
    bus_dip = 0.0 if t.get("behind_the_bus") else f["idle_v"] - f["panel_v"]
    one_down = 0.12 * f["idle_v"] if t["neutral_open"] else -0.5 * bus_dip
    answers: dict[str, Any] = {
        "ask_rest": lambda: [one("minutes_rest", near(f["rest_min"], 20))],
        "look_delay": lambda: [
            one("delay_active", bool(t["delay"])),
            one("status_code", "E4" if t["code"] else "none"),
        ],
        "look_condenser": lambda: [one("condenser_dirty", bool(t["condenser_dirty"]))],
        "look_breaker": lambda: [one("breaker_a", f["breaker_a"])],
        "ask_lines": lambda: [one("line_set_ft", near(f["line_ft"], 15))],
        "ask_idle": lambda: [one("idle_days", near(f["idle_days"], 20))],
        "watch_rotation": lambda: [one("rotation_ok", bool(t["rotation_ok"]))],
        "charge_history": lambda: [one("charge", str(t["charge"]) if rng.random() < 0.8 else "right")],
        "time_start": lambda: time_it or [one("inrush_a", near(f["inrush_a"], 3), **volts, **clamp, **state)],
        "to_ground": lambda: [one("to_ground", bool(t["ground"]))],
        "isolation": lambda: [
            one("shorted_piece", str(t["ground_piece"]) if t["ground"] else "not_compressor")
        ],
        "start_relay": lambda: [
            one(
                "start_relay_verdict",
                "bad"
                if case.fault == "current_relay_or_external_overload" and rng.random() < 0.95
                else "good",
            )
        ],
        "run_capacitor": lambda: [
            one("run_cap_uf", near(f["cap_uf"], 2, 0.05), plus_minus=0.02 * f["cap_uf"] + 0.1),
            one("can_label_uf", f["can_label"]),
        ],
        "windings": lambda: _windings(case, rng, one),
        "line_at_unit": lambda: [one("line_at_unit_v", near(f["line_v"], 1.0, 0.5))],
        "leg_to_leg": lambda: [one("legs_shorted", bool(t["legs_short"]) and rng.random() < 0.95)],
        "on_utility": lambda: [one("starts_on_utility", bool(t["backup"]) or not stands)],
        "ask_utility": lambda: [one("starts_on_utility", bool(t["backup"]) or not stands)],
        "kit_wiring": lambda: [one("start_kit_wired_right", bool(t["kit_right"]))],
        "can_label": lambda: [one("can_label_uf", f["can_label"])],
        "fan_turns": lambda: [one("fan_rotation_ok", bool(t["fan_right"]))],
        "breaker_lug": lambda: [one("breaker_lug_tight", bool(t["lug_tight"]))],
        "pins": lambda: [
            one(
                "windings_at_pins",
                "sound" if case.fault == "lead_or_terminal_open" or t["windings"] == "sound" else "open",
            )
        ],
        "ask_pull_in": lambda: [
            one(
                "contactor_pulled_in",
                not (t["delay"] or t["control_fuse_open"] or t["control_switch"] or f["coil_v"] < 18),
            )
        ],
        "ask_what_tripped": lambda: [one("what_tripped", _what_tripped(case, rng))],
        "control_switch": lambda: [one("control_switch_open", bool(t["control_switch"]))],
        "fan_capacitor": lambda: [one("fan_cap_uf", near(f["fan_cap_uf"], 2, 0.05))],
        "kit": lambda: _kit(t, one, near),
        "contactor": lambda: [one("contactor_look", str(t["contactor"]))],
        "fuses": lambda: [one("fuse_open", bool(t["fuse_open"]))],
        "control_fuse": lambda: [one("control_fuse_open", bool(t["control_fuse_open"]))],
        "leads_off": lambda: [one("fan_only_runs", bool(t["holds"]))],
        "coil": lambda: [one("coil_v", near(f["coil_v"], 1.5))],
        "idle_volts": lambda: [one("line_v_idle", near(f["idle_v"], 1.0))],
        "start_volts": lambda: [
            one("line_v_idle", near(f["idle_v"], 1.0)),
            one("line_v_start", near(f["panel_v"], 1.0)),
            one("inrush_a", near(f["inrush_a"], 3), **volts, **clamp, **state),
            *time_it,
        ],
        "supply_walk": lambda: [
            one("line_v_start", near(f["panel_v"], 0.6)),
            one("terminal_v_start", near(f["terminal_v"], 0.6)),
        ],
        "contactor_drop": lambda: [one("contactor_drop_v", near(f["drop_v"], 5, 0.01))],
        "running": lambda: [
            one("running_a", near(rla * f["run_factor"] if t["turns"] else 0.0, 3)),
            one("line_v_run", near(f["idle_v"] * 0.985, 1.0)),
        ],
        "fan": lambda: [one("fan_a", near(fan * f["fan_factor"], 4))],
        "start_branch": lambda: [
            one(
                "start_a",
                near(
                    rla * (1.4 if t.get("kit_stuck") else 0.35)
                    if t["start_branch"] and f["cap_uf"] > 0.2 * (case.plate.run_cap_uf or 1)
                    else 0.1,
                    5,
                ),
            )
        ],
        "legs": lambda: [
            one("leg_a_n_v", near(f["idle_v"] / 2, 0.8), state="idle"),
            one("leg_b_n_v", near(f["idle_v"] / 2, 0.8), state="idle"),
            one("leg_a_n_v", near(f["idle_v"] / 2 - abs(one_down), 0.8), state="starting"),
            one("leg_b_n_v", near(f["idle_v"] / 2 + one_down, 0.8), state="starting"),
        ],
        "imbalance": lambda: [one("phase_imbalance_pct", near(f["imbalance"], 5))],
        "kit_bypass": lambda: [
            one(
                "start_kit_bypassed_starts",
                bool(t["kit_bad"] and rng.random() < 0.9) or case.fault == "healthy",
            )
        ],
        "pressures": lambda: [one("pressures_equal", bool(t["equal"]))],
        "head": lambda: [
            one("suction_psig", near(92.0, 3)),
            one("discharge_psig", near((92.0 + 14.7) * f["head_ratio"] - 14.7, 3)),
        ],
    }
    found: list[Evidence] = answers[test]()
    return found


def _sound_ohms(case: Case) -> dict[Measured, float]:
    """Return the three pairs as the windings left the factory [Ω]."""
    cr = float(case.truth["cr_ohm"])
    if case.plate.phase == 3:
        return {"winding_cs_ohm": cr, "winding_cr_ohm": cr, "winding_sr_ohm": cr}
    return {"winding_cs_ohm": 3.6 * cr, "winding_cr_ohm": cr, "winding_sr_ohm": 4.6 * cr}


def _windings(case: Case, rng: np.random.Generator, one: Any) -> list[Evidence]:
    t = case.truth
    kind = str(t["windings"])
    cs, cr, sr = _sound_ohms(case).values()

    def ohm(value: float) -> float:
        return round(value * (1 + float(rng.normal(0, 0.008))) + float(rng.uniform(0, 0.03)), 2)

    values: dict[str, tuple[Any, Any, Any]] = {
        "sound": (ohm(cs), ohm(cr), ohm(sr)),
        "turn_short": (ohm(cs), ohm(cr * 0.8), ohm(cs + cr * 0.8)),
        "common_open": ("open", "open", ohm(sr)),
        "start_open": ("open", ohm(cr), "open"),
        "run_open": (ohm(cs), "open", "open"),
        "not_additive": (ohm(cs), ohm(cr), ohm(sr * 0.7)),
    }
    a, b, c = values[kind]
    return [
        one("winding_cs_ohm", a),
        one("winding_cr_ohm", b),
        one("winding_sr_ohm", c),
        one("shell_hot", bool(t["shell_hot"])),
    ]


def _kit(t: dict[str, Any], one: Any, near: Any) -> list[Evidence]:
    if not t["kit"]:
        return [one("start_kit_present", False)]
    contact: Any = ("open" if not t.get("kit_stuck") else 0.1) if t["kit_bad"] else near(0.15, 20)
    return [
        one("start_kit_present", True),
        one("start_kit_kind", "potential_relay"),
        one("start_kit_contact_ohm", contact),
    ]
