"""A start in slow motion: rotor, winding currents as phasors, relay and capacitor, moment by moment."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from orange_crank.core.messages import Prose, msg
from orange_crank.core.motor import layout as k
from orange_crank.core.motor.assemble import assemble
from orange_crank.core.motor.entry import StartIn
from orange_crank.core.motor.lab import LabIn
from orange_crank.core.motor.start import UP_TO_SPEED, Samples, Simulated, compute_start, simulate
from orange_crank.core.nomenclature import Frozen, say
from orange_crank.core.tables.standards import Standards

FRAME_S = 0.004
HALF = 0.5
_CODES = {
    k.E_RELAY_OPEN: "relay_opened",
    k.E_RELAY_CLOSE: "relay_closed",
    k.E_BREAKER: "breaker_tripped",
    k.E_OVERLOAD: "overload_opened",
    k.E_BYPASS: "bypassed",
}


class Moment(Frozen):
    """Something worth stopping at."""

    at_s: float
    text: Prose = Field(description="What happens then, for anybody")


class Explained(Frozen):
    """One start as frames; each list has one value a frame."""

    label: str
    frame_s: float = Field(description="Time from frame to frame [s]")
    speed_pct: list[float] = Field(description="Of synchronous speed [%]")
    rotor_deg: list[float] = Field(description="How far the shaft has turned [°]")
    line_rms_a: list[float]
    line_rms_v: list[float]
    run_a: list[float] = Field(description="Run winding, RMS [A]")
    run_deg: list[float] = Field(description="Its phase against the line voltage; behind is negative [°]")
    start_a: list[float] = Field(description="Start winding, RMS [A]")
    start_deg: list[float] = Field(description="Its phase against the line voltage [°]")
    start_winding_v: list[float] = Field(description="Across S and C, RMS: what a relay's coil sees")
    torque_nm: list[float] = Field(description="Mean over a cycle")
    capacitor_in: list[bool] = Field(description="Whether the start capacitor is in circuit")
    most_a: float = Field(description="Largest RMS of either winding: the scale of the arrows [A]")
    starts: bool
    moments: list[Moment]


class ExplainOut(Frozen):
    """Starts in slow motion, side by side."""

    starts: list[Explained]


Frames = NDArray[np.int64]


@dataclass(frozen=True)
class _Phasor:
    rms: Samples
    deg: Samples


def explain_starts(entry: LabIn, standards: Standards | None = None) -> ExplainOut:
    """Return starts as frames with the moments that tell why they go as they do.

    Raises
    ------
    InputProblem : a start cannot be computed; the field is named

    """
    return ExplainOut(starts=[_explained(s.label, s.start, standards) for s in entry.starts])


def _explained(label: str, start: StartIn, standards: Standards | None) -> Explained:
    ran = simulate(assemble(start), detail=True)
    result = compute_start(start.model_copy(update={"trace": False, "spread": False}), standards)
    step = ran.made.step_s
    window = round(ran.cycle)
    at: Frames = np.arange(0, len(ran.out[0]) - 1, max(1, round(FRAME_S / step)), dtype=np.int64)
    hertz = ran.made.machine.hertz
    volts = _phasor(ran.out[1], window, hertz, step, at)
    run, begin = (_phasor(ran.detail[i], window, hertz, step, at) for i in (0, 1))
    speed = ran.speed_pu()
    turned = np.cumsum(ran.out[2]) * step * 180 / math.pi
    inside = _capacitor_in(start, ran, at.astype(np.float64) * step)
    frames = Explained(
        label=label,
        frame_s=round(float(at[1] - at[0]) * step, 6) if len(at) > 1 else FRAME_S,
        speed_pct=_list(100 * speed[at], 1),
        rotor_deg=_list(turned[at], 1),
        line_rms_a=_list(_rms(ran.out[0], window)[at], 2),
        line_rms_v=_list(volts.rms, 1),
        run_a=_list(run.rms, 2),
        run_deg=_list(_apart(run.deg, volts.deg), 1),
        start_a=_list(begin.rms, 2),
        start_deg=_list(_apart(begin.deg, volts.deg), 1),
        start_winding_v=_list(_rms(ran.detail[2], window)[at], 1),
        torque_nm=_list(_mean(ran.detail[3], window)[at], 3),
        capacitor_in=inside,
        most_a=round(float(max(run.rms.max(), begin.rms.max(), 0.1)), 2),
        starts=result.verdict in ("started", "late"),
        moments=[],
    )
    return frames.model_copy(update={"moments": _moments(start, ran, frames)})


def _list(values: Samples, digits: int) -> list[float]:
    return [float(v) for v in np.round(values, digits)]


def _sums(values: Samples, window: int) -> Samples:
    """Return the sum over the window that ends at each sample; what is before the start counts as nothing."""
    total = np.concatenate([np.zeros(1, dtype=values.dtype), np.cumsum(values)])
    ends = np.arange(1, len(values) + 1)
    sums: Samples = total[ends] - total[np.maximum(0, ends - window)]
    return sums


def _rms(values: Samples, window: int) -> Samples:
    rms: Samples = np.sqrt(_sums(values**2, window) / window)
    return rms


def _mean(values: Samples, window: int) -> Samples:
    mean: Samples = _sums(values, window) / window
    return mean


def _phasor(values: Samples, window: int, hertz: float, step: float, at: Frames) -> _Phasor:
    """Return RMS and angle of the fundamental over the cycle that ends at each frame."""
    turn = np.exp(-2j * math.pi * hertz * step * np.arange(len(values)))
    parts = _sums(values * turn, window)[at] * math.sqrt(2) / window
    return _Phasor(np.abs(parts), np.degrees(np.angle(parts)))


def _apart(angle: Samples, other: Samples) -> Samples:
    """Return how far an angle stands from another, from −180 to 180 [°]."""
    apart: Samples = (angle - other + 180) % 360 - 180
    return apart


def _capacitor_in(start: StartIn, ran: Simulated, at_s: Samples) -> list[bool]:
    if start.aid.kind not in ("start_capacitor", "soft_starter") or start.aid.start_cap_uf is None:
        return [False] * len(at_s)
    step = ran.made.step_s
    relay = (k.E_RELAY_OPEN, k.E_RELAY_CLOSE)
    switched = [(n * step, int(code)) for n, code, _ in ran.events if int(code) in relay]
    inside = []
    for t in at_s:
        last = next((code for moment, code in reversed(switched) if moment <= t), k.E_RELAY_CLOSE)
        inside.append(last == k.E_RELAY_CLOSE)
    return inside


def _moments(start: StartIn, ran: Simulated, f: Explained) -> list[Moment]:
    """Return what happens, in its order; an event of one kind is told once."""
    first = f.line_rms_a[min(len(f.line_rms_a) - 1, round(0.02 / f.frame_s))]
    found = [
        Moment(
            at_s=0.0,
            text=msg(
                "Power on. The rotor is still, so the motor draws {first}: nothing yet pushes back.",
                first=say(first, "A", 3),
            ),
        )
    ]
    if f.capacitor_in[0]:
        found.append(
            Moment(
                at_s=0.0,
                text=msg(
                    "The start capacitor passes far more current through the start winding, about "
                    "90° ahead of the run winding's. Together they turn the rotor hard."
                ),
            )
        )
    pct = np.array(f.speed_pct)
    for share, text in (
        (100 * HALF, msg("Half speed. The turning rotor begins to push back, and the amps fall.")),
        (100 * UP_TO_SPEED, msg("Up to speed.")),
    ):
        reached = np.flatnonzero(pct >= share)
        if len(reached):
            found.append(Moment(at_s=round(float(reached[0]) * f.frame_s, 3), text=text))
    told: set[str] = set()
    for n, code, value in ran.events:
        name = _CODES.get(int(code), "")
        words = {
            "relay_opened": msg(
                "The relay sees {float} across the start winding and opens: the start "
                "capacitor has done its work.",
                float=say(float(value), "V", 3),
            ),
            "breaker_tripped": msg("The breaker trips."),
            "overload_opened": msg("The compressor's own overload opens."),
            "bypassed": msg("The soft starter steps aside: full volts from here."),
        }.get(name)
        if words and name not in told:
            told.add(name)
            found.append(Moment(at_s=round(float(n) * ran.made.step_s, 3), text=words))
    if not f.starts:
        found.append(
            Moment(
                at_s=round((len(f.speed_pct) - 1) * f.frame_s, 3),
                text=msg(
                    "It has not come up to speed: {line_rms_a} still flow, and heat it.",
                    line_rms_a=say(f.line_rms_a[-1], "A", 3),
                ),
            )
        )
    else:
        settled = msg("It runs on {line_rms_a}.", line_rms_a=say(f.line_rms_a[-1], "A", 3))
        found.append(Moment(at_s=round((len(f.speed_pct) - 1) * f.frame_s, 3), text=settled))
    return sorted(found, key=lambda m: m.at_s)
