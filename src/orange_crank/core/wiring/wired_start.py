"""What a start does as wired: the nets read back into the start model, so that a mistake is seen to fail."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from pydantic import Field

from orange_crank.core.messages import Prose, msg
from orange_crank.core.motor.entry import Aid, Load, Source, StartIn
from orange_crank.core.motor.fit import StartPlate, fit_machine
from orange_crank.core.motor.machine import Machine
from orange_crank.core.motor.start import StartResult, compute_start
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.wiring.check import Wired, WiringFault


class WiredStart(Frozen):
    """A computed start of what is wired, in one sentence and its figures."""

    runs: bool
    danger: str | None = Field(default=None, description="The dangerous mistake, by its code")
    sentence: Prose
    verdict: Literal["started", "late", "stalled", "tripped"] | None
    time_to_speed_s: float | None
    max_cycle_rms_a: float | None
    time_s: list[float] = Field(default_factory=list)
    line_rms_a: list[float] = Field(default_factory=list)
    speed_pct: list[float] = Field(default_factory=list)


def start_as_wired(
    wired: Wired, plate: StartPlate, aid: Aid, faults: Sequence[WiringFault] = ()
) -> WiredStart:
    """Compute the start that a set of nets would give.

    Parameters
    ----------
    wired : nets as they are, contactor taken as closed
    plate : the compressor's plate
    aid : the start aid, were it wired right
    faults : what the check found; a dangerous one is named, and never said to start

    Raises
    ------
    InputProblem : a plate no single-phase machine can have

    Notes
    -----
    Swapped windings are computed as such: the start winding takes the run winding's place, with the ratio of
    turns turned about. A capacitor that only closes a winding on itself counts as open: it brings nothing in.

    """
    computed = _computed(wired, plate, aid)
    danger = next((f for f in faults if f.dangerous), None)
    if danger is None:
        return computed
    return WiredStart(
        runs=False,
        danger=danger.code,
        sentence=msg("Do not energize. {text} {effect}", text=danger.text, effect=danger.effect),
        verdict=None if computed.runs else computed.verdict,
        time_to_speed_s=None,
        max_cycle_rms_a=None if computed.runs else computed.max_cycle_rms_a,
    )


@dataclass(frozen=True)
class Elements:
    """What the nets make of a unit, electrically.

    Parameters
    ----------
    path : a winding stands between the two legs
    swapped : start and run winding have changed places
    capacitor : the run capacitor stands where it belongs
    aided : the start aid does
    coil : the contactor's coil hangs between the two control wires

    """

    path: bool
    coil: bool
    swapped: bool
    capacitor: bool
    aided: bool


def wired_elements(wired: Wired) -> Elements:
    """Read off the nets what stands where; contactor taken as closed."""
    j = wired.joined
    run_leg, common_leg = wired.feeds("compressor.R"), wired.feeds("compressor.C")
    through = any(j.same(t, "compressor.R") for t in ("starter.RUN_OUT", "starter.RUN")) and not wired.feeds(
        "compressor.R"
    )
    swapped = wired.feeds("compressor.S") is not None and j.same("compressor.R", f"{wired.cap}.HERM")
    fed = wired.feeds("compressor.S") if swapped else (run_leg or ("starter" if through else None))
    across = j.same(f"{wired.cap}.C", "compressor.S" if swapped else "compressor.R") or (
        through and (wired.feeds(f"{wired.cap}.C") not in (None, common_leg)
                     or j.same(f"{wired.cap}.C", "starter.CAP_FEED"))
    )  # fmt: skip
    return Elements(
        path=not (fed is None or common_leg is None or fed == common_leg),
        coil=_coil_fed(wired),
        swapped=swapped,
        capacitor=across and (swapped or j.same(f"{wired.cap}.HERM", "compressor.S")),
        aided=across and not swapped and _aid_in_place(wired),
    )


def _coil_fed(wired: Wired) -> bool:
    j, key = wired.joined, wired.contactor
    if key in (None, "electronic") or not j.has("control.Y"):
        return True
    ends = (("control.Y", "control.COM"), ("control.COM", "control.Y"))
    return any(j.same(f"{key}.A1", one) and j.same(f"{key}.A2", two) for one, two in ends)


def _computed(wired: Wired, plate: StartPlate, aid: Aid) -> WiredStart:
    found = wired_elements(wired)
    if not found.path:
        return WiredStart(
            runs=False, sentence=msg("No winding is between the two legs: nothing turns."), verdict=None,
            time_to_speed_s=None, max_cycle_rms_a=None,
        )  # fmt: skip
    machine, fit = fit_machine(plate)
    entry = StartIn(
        machine=_turned(machine) if found.swapped else machine,
        source=Source(volts=plate.volts),
        load=Load(start_torque_nm=0.2 * fit.rated_torque_nm, run_torque_nm=fit.rated_torque_nm),
        run_cap_uf=(plate.run_cap_uf or fit.run_cap_uf) if found.capacitor else "open",
        aid=aid if found.aided else Aid(),
        trace=True,
    )
    start = compute_start(entry)
    return WiredStart(
        runs=start.verdict in ("started", "late"),
        sentence=start.sentence,
        verdict=start.verdict,
        time_to_speed_s=start.time_to_speed_s,
        max_cycle_rms_a=round(start.max_cycle_rms_a, 1),
        **_thin(start),
    )


def _thin(start: StartResult) -> dict[str, list[float]]:
    """Return the traces at about a hundred points, enough for a small picture."""
    trace = start.trace
    if trace is None:
        return {}
    step = max(1, len(trace.time_s) // 100)
    return {
        "time_s": [round(v, 4) for v in trace.time_s[::step]],
        "line_rms_a": [round(v, 2) for v in trace.line_rms_a[::step]],
        "speed_pct": [round(v, 2) for v in trace.speed_pct[::step]],
    }


def _aid_in_place(wired: Wired) -> bool:
    j, cap = wired.joined, wired.cap
    if "kit" in wired.keys:
        ends = {("kit.1", "kit.2"), ("kit.2", "kit.1")}
        return any(j.same(a, f"{cap}.C") and j.same(b, f"{cap}.HERM") for a, b in ends)
    if "relay" in wired.keys:
        own = j.nets_terminals("start_cap.") + j.nets_terminals("new_start_cap.")
        return j.same("relay.2", f"{cap}.HERM") and any(j.same("relay.1", t) for t in own) and any(
            j.same(f"{cap}.C", t) for t in own) and j.same("relay.5", "compressor.C")  # fmt: skip
    if "starter" in wired.keys:
        return j.same("starter.REF", "compressor.C") and not wired.feeds("compressor.R")
    return False


def _turned(m: Machine) -> Machine:
    """Return the machine with its windings taken for one another; the rotor seen from the other winding."""
    square = m.turns_ratio**2
    return m.model_copy(
        update={
            "rq_ohm": m.rd_ohm, "xlq_ohm": m.xld_ohm, "rd_ohm": m.rq_ohm, "xld_ohm": m.xlq_ohm,
            "turns_ratio": 1 / m.turns_ratio, "xm_ohm": square * m.xm_ohm, "rr_ohm": square * m.rr_ohm,
            "xlr_ohm": square * m.xlr_ohm,
        }
    )  # fmt: skip
