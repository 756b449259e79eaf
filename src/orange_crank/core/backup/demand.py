"""Backup power: does this source start this compressor, with what else is on, and for how long."""

import math
from itertools import pairwise

from orange_crank.core.backup import three_phase
from orange_crank.core.backup.entry import (
    AidTried,
    BackupIn,
    BackupOut,
    BackupSource,
    BackupSupply,
    BackupVerdict,
    LoadTrace,
    RunPoint,
)
from orange_crank.core.backup.supply import derated_kw, dropout_pct, start_source
from orange_crank.core.backup.three_phase import LineStart, start_three_phase
from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.messages import joined, msg
from orange_crank.core.motor.entry import Load, StartIn
from orange_crank.core.motor.on_source import OnSource, SourceVerdict, judge_on_source
from orange_crank.core.motor.start import StartResult, compute_start
from orange_crank.core.nomenclature import Finding, say, temperature
from orange_crank.core.tables import conductor_ohms, cord_ampacity_a
from orange_crank.core.tables.standards import Standards, shipped_standards

RUN_POWER_FACTOR = 0.96
TIGHT_PCT = 10.0
CONTINUOUS_SHARE = 0.8
CORD_DROP_PCT = 3.0


def check_backup(entry: BackupIn, standards: Standards | None = None) -> BackupOut:
    """Check each aid on a source.

    Raises
    ------
    InputProblem : no transfer device is named, or the plate is none of a single-phase machine

    Notes
    -----
    Other loads are taken off the source before the start is computed on what is left: the conservative
    reading. A source's frequency is not modelled.

    """
    refuse_no_transfer(entry)
    limits = standards or shipped_standards()
    kw, told = derated_kw(entry.source)
    others_w = entry.others_w
    three = entry.plate.phase == 3
    running_w = (
        three_phase.running_w(entry)
        if three
        else entry.plate.volts * entry.plate.compressors[0].rla_a * RUN_POWER_FACTOR
    )
    results = [_check(entry, tried, kw, others_w, running_w, limits) for tried in entry.aids]
    hours = _run_hours(entry.source, kw, running_w + others_w)
    curve = [
        RunPoint(load_w=round(w, 0), run_h=h)
        for i in range(1, 21)
        if (h := _run_hours(entry.source, kw, w := kw * 50.0 * i)) is not None
    ]
    findings = [
        Finding(
            code="DERATED",
            verdict="note",
            text=msg("Here this source gives {kw}.", kw=say(kw, "kW", 3)),
            rule="field practice: backup power",
            inputs={"continuous_kw": entry.source.continuous_kw, "altitude_ft": entry.source.altitude_ft},
            arithmetic=told,
        ),
        Finding(
            code="NOT_MODELLED",
            verdict="note",
            text=(
                msg("Generator frequency sag is not modeled. Prove it with a cold start and a hot restart.")
            ),
            rule="start model",
        ),
        Finding(
            code="OUTDOORS",
            verdict="watch",
            text=msg("Run generators outdoors, away from doors and windows: carbon monoxide."),
            rule="field practice: safety",
        ),
    ]
    if entry.source.fuel == "battery":
        findings.pop()
    findings += _assumed(entry)
    findings.append(
        Finding(
            code="RESTART_DELAY",
            verdict="watch",
            text=msg("After any transfer of supply wait the minimum off-time: a scroll may start backwards."),
            rule="field practice: backup power",
            next_step=msg("Fit a delay, or hold the thermostat off through the transfer."),
        )
    )
    findings += _path_findings(entry, running_w, others_w)
    return BackupOut(
        derated_kw=round(kw, 3),
        others_w=others_w,
        running_w=round(running_w, 1),
        results=results,
        run_hours=hours,
        run_time=curve,
        findings=findings,
    )


def _assumed(entry: BackupIn) -> list[Finding]:
    """Say what was not entered and what was taken instead, where it could only make the source weaker."""
    source, taken = entry.source, []
    if source.derated_by_maker:
        return []
    if "ambient_f" not in source.model_fields_set:
        taken.append(msg("air {ambient_f}", ambient_f=temperature(source.ambient_f)))
    if "altitude_ft" not in source.model_fields_set and source.fuel != "battery":
        taken.append(msg("sea level"))
    if "fuel" not in source.model_fields_set:
        taken.append("gasoline")
    if not taken:
        return []
    return [
        Finding(
            code="PLACE_ASSUMED",
            verdict="unknown",
            text=msg(
                "Not entered, so taken: {join}. Height, heat and gas make a source weaker.",
                join=joined(taken, ", "),
            ),
            rule="field practice: backup power",
            next_step=msg("Enter them, or read the rating for this place from the source's own label."),
        )
    ]


def refuse_no_transfer(supply: BackupSupply, field: str = "transfer") -> None:
    """Refuse a source that would feed the utility's line.

    Raises
    ------
    InputProblem : no transfer device is named

    """
    if supply.transfer == "none":
        raise InputProblem(
            [FieldProblem(field=field, wanted=msg("an interlock or a transfer switch"), got="none")],
            next_step=msg(
                "Install a listed interlock or transfer switch: without it the source "
                "backfeeds the utility line."
            ),
        )


def _start(
    entry: BackupIn, tried: AidTried, kw: float, others_w: float, limits: Standards, trace: bool = False
) -> StartResult | LineStart | None:
    if entry.plate.phase == 3:
        return start_three_phase(entry, kw, others_w, limits)
    source = start_source(entry, kw, others_w)
    if source is None:
        return None
    return compute_start(
        StartIn(
            plate=entry.plate,
            run_cap_uf=entry.run_cap_uf,
            source=source,
            load=Load(start_torque_pct=entry.start_torque_pct),
            inertia_factor=entry.inertia_factor,
            aid=tried.aid,
            trace=trace,
        ),
        limits,
    )


def _good(entry: BackupIn, tried: AidTried, kw: float, others_w: float, limits: Standards) -> bool:
    start = _start(entry, tried, kw, others_w, limits)
    if start is None:
        return False
    return _judged(entry, start, limits).verdict != "fails"


def _judged(entry: BackupIn, start: StartResult | LineStart, limits: Standards) -> OnSource:
    if isinstance(start, LineStart):
        return start.on
    return judge_on_source(start, entry.plate.volts, limits, dropout_pct(entry))


def _check(
    entry: BackupIn, tried: AidTried, kw: float, others_w: float, running_w: float, limits: Standards
) -> BackupVerdict:
    start = _start(entry, tried, kw, others_w, limits, trace=True)
    carries = kw * 1000 >= running_w + others_w
    if start is None:
        return BackupVerdict(
            label=tried.label,
            verdict="fails",
            start_kva=0.0,
            dip_pct=100.0,
            contactor_holds=False,
            margin_pct=0.0,
            other_load_max_w=0.0,
            start_s=None,
            why=msg("The other loads use all of this source."),
        )
    on = _judged(entry, start, limits)
    cut_out = _cuts_out(entry, start)
    good = on.verdict != "fails" and carries and not cut_out
    margin = 100 * (1 - _least(entry, tried, kw, others_w, running_w, limits) / kw) if good else 0.0
    verdict: SourceVerdict = (
        "fails" if not good else "marginal" if on.verdict == "marginal" or margin < TIGHT_PCT else "starts"
    )
    return BackupVerdict(
        label=tried.label,
        verdict=verdict,
        start_kva=round(start.start_kva, 2),
        dip_pct=round(start.sag_pct, 1),
        contactor_holds=on.holds,
        margin_pct=round(max(0.0, margin), 1),
        other_load_max_w=_most_beside(entry, tried, kw, running_w, limits) if good else 0.0,
        start_s=start.time_to_speed_s,
        why=CUT_OUT if cut_out else _why(on, carries, verdict),
        trace=_trace(entry, start, others_w),
    )


CUT_OUT = msg("The electronic contactor's brown-out cut-out lets go during the start.")


def _cuts_out(entry: BackupIn, start: StartResult | LineStart) -> bool:
    """Tell whether an electronic contactor would let go: its control volts follow the line."""
    if entry.electronic is None:
        return False
    limit = entry.electronic.brownout_v / entry.electronic.control_v * entry.plate.volts
    if isinstance(start, LineStart):
        return start.lowest_v < limit  # how long the dip lasts is not computed
    if start.trace is None:
        return False
    times, volts = start.trace.time_s, start.trace.line_rms_v
    below_s = 0.0
    for one, two, v in zip(times, times[1:], volts, strict=False):
        below_s = below_s + (two - one) if v < limit else 0.0
        if below_s > entry.electronic.brownout_s:
            return True
    return False


def _trace(entry: BackupIn, start: StartResult | LineStart, others_w: float) -> LoadTrace | None:
    if start.trace is None:
        return None
    step = max(1, len(start.trace.time_s) // 200)
    amps, volts = start.trace.line_rms_a[::step], start.trace.line_rms_v[::step]
    # What else is on is taken as resistance: it follows the square of the volts.
    others = [others_w * (v / entry.source.volts) ** 2 for v in volts]
    return LoadTrace(
        time_s=[round(t, 4) for t in start.trace.time_s[::step]],
        load_kva=[round((a * v + w) / 1000, 3) for a, v, w in zip(amps, volts, others, strict=True)],
        motor_v=[round(v, 1) for v in volts],
    )


def _path_findings(entry: BackupIn, running_w: float, others_w: float) -> list[Finding]:
    found = []
    phases = math.sqrt(3) if entry.plate.phase == 3 else 1.0
    if entry.plate.phase == 3:
        found.append(
            Finding(
                code="THREE_PHASE_SOURCE",
                verdict="unknown",
                text=msg("The compressor is three-phase: only a three-phase source runs it."),
                rule="start model: locked-rotor amps, volts and source reactance",
                next_step=msg("Read phases and volts on the source; check rotation after each transfer."),
            )
        )
    amps = (running_w + others_w) / (phases * entry.source.volts)
    over = f"(√3 × {entry.source.volts:g} V)" if phases > 1 else f"{entry.source.volts:g} V"
    for name, rated in (("Inlet", entry.path.inlet_a), ("Breaker", entry.path.breaker_a)):
        if rated is None:
            found.append(
                Finding(
                    code=f"{name.upper()}_UNKNOWN",
                    verdict="unknown",
                    text=msg("{name} rating not entered.", name=name),
                    rule="field practice: backup power",
                    next_step=msg("Read it on the {lower}.", lower=name.lower()),
                )
            )
            continue
        share = amps / rated
        found.append(
            Finding(
                code=f"{name.upper()}_AMPS",
                verdict="fail" if share > 1 else "watch" if share > CONTINUOUS_SHARE else "pass",
                text=msg("{name}: {amps:.1f} A running on {rated:g} A.", name=name, amps=amps, rated=rated),
                rule="field practice: backup power",
                inputs={"running_a": round(amps, 2), "rated_a": rated},
                arithmetic=f"({running_w:.0f} + {others_w:.0f}) W ÷ {over} = {amps:.1f} A",
                next_step=None if share <= CONTINUOUS_SHARE else msg("Turn loads off, or use a larger one."),
            )
        )
    if entry.path.cord is not None:
        ohms = conductor_ohms(entry.path.cord.size, entry.path.cord.material)
        # Out and back on one phase; √3 of one way on three.
        ways = phases if phases > 1 else 2.0
        drop = ways * entry.path.cord.length_ft / 1000 * ohms.resistance_ohm_per_kft * amps
        pct = 100 * drop / entry.source.volts
        found.append(
            Finding(
                code="CORD_DROP",
                verdict="pass" if pct <= CORD_DROP_PCT else "watch",
                text=msg("The cord takes {drop:.1f} V, {pct:.1f} %, running.", drop=drop, pct=pct),
                rule="NEC 2023 210.19(A) note: 3 %",
                inputs={"length_ft": entry.path.cord.length_ft, "size": entry.path.cord.size},
                next_step=None if pct <= CORD_DROP_PCT else msg("A shorter or heavier cord."),
            )
        )
        found += _cord_findings(entry, amps)
    return found


def _cord_findings(entry: BackupIn, amps: float) -> list[Finding]:
    """Hold a cord against what runs through it, and against the breaker that stands for it."""
    assert entry.path.cord is not None
    size = entry.path.cord.size
    carries = cord_ampacity_a(size)
    if carries is None or entry.path.cord.material != "copper":
        return [
            Finding(
                code="CORD_NOT_LISTED",
                verdict="unknown",
                text=msg(
                    "No cord ampacity is tabled for {size} AWG {material}.",
                    size=size,
                    material=entry.path.cord.material,
                ),
                rule="NEC 2023 400.5(A)",
                next_step=msg("Use a listed copper cord of a size in the table, 14 to 2 AWG."),
            )
        ]
    over = amps > carries
    found = [
        Finding(
            code="CORD_AMPACITY",
            verdict="fail" if over else "pass",
            text=msg(
                "{size} AWG cord: {carries:g} A; {amps:.1f} A running.", size=size, carries=carries, amps=amps
            ),
            rule="NEC 2023 Table 400.5(A)(1)",
            inputs={"size": size, "cord_a": carries, "running_a": round(amps, 2)},
            arithmetic=msg("{amps:.1f} A against {carries:g} A", amps=amps, carries=carries),
            next_step=msg("A heavier cord, or fewer loads. A coiled or bundled cord carries less.")
            if over
            else None,
        )
    ]
    breaker = entry.path.breaker_a
    if breaker is None:
        found.append(
            Finding(
                code="CORD_BREAKER_UNKNOWN",
                verdict="unknown",
                text=msg("Breaker rating not entered, so cord protection is unknown."),
                rule="NEC 2023 240.5(A)",
                next_step=msg("Read the rating on the source's breaker."),
            )
        )
    else:
        bare = breaker > carries
        found.append(
            Finding(
                code="CORD_PROTECTED",
                verdict="fail" if bare else "pass",
                text=msg(
                    "The {breaker:g} A breaker {bare} the {size} AWG cord ({carries:g} A).",
                    breaker=breaker,
                    bare="does not protect" if bare else "protects",
                    size=size,
                    carries=carries,
                ),
                rule="NEC 2023 240.5(A)",
                inputs={"breaker_a": breaker, "cord_a": carries},
                next_step=msg("A heavier cord, or an outlet with a smaller breaker.") if bare else None,
            )
        )
    return found


def _why(on: OnSource, carries: bool, verdict: SourceVerdict) -> str:
    if not carries:
        return msg("It cannot carry the compressor and what else is on once it runs.")
    return on.why if verdict == on.verdict else msg("{why} Little margin.", why=on.why)


def _least(
    entry: BackupIn, tried: AidTried, kw: float, others_w: float, running_w: float, limits: Standards
) -> float:
    """Return the smallest source, of this kind, that still does it [kW], by halving."""
    low, high = max(0.2 * kw, (running_w + others_w) / 1000), kw
    if _good(entry, tried, low, others_w, limits):
        return low
    for _ in range(6):
        middle = (low + high) / 2
        low, high = (low, middle) if _good(entry, tried, middle, others_w, limits) else (middle, high)
    return high


def _most_beside(entry: BackupIn, tried: AidTried, kw: float, running_w: float, limits: Standards) -> float:
    """Return the most that may stay on beside it [W], to the next 50 W below."""
    low, high = 0.0, max(0.0, kw * 1000 - running_w)
    if _good(entry, tried, kw, high, limits):
        return math.floor(high / 50) * 50.0
    for _ in range(7):
        middle = (low + high) / 2
        low, high = (middle, high) if _good(entry, tried, kw, middle, limits) else (low, middle)
    return math.floor(low / 50) * 50.0


def _run_hours(source: BackupSource, kw: float, load_w: float) -> float | None:
    """Return how long tank or battery lasts at a load [h]; the fuel curve is never followed past its ends."""
    if source.tank is None:
        return None
    if source.fuel == "battery":
        return round(source.tank * 1000 / load_w, 2)
    if not source.burn:
        return None
    points = sorted(source.burn, key=lambda b: b.load_pct)
    load = 100 * load_w / (kw * 1000)
    if load > 100:
        return None
    if load <= points[0].load_pct or len(points) == 1:
        return round(source.tank / points[0].per_hour, 2)
    for one, two in pairwise(points):
        if load <= two.load_pct:
            share = (
                (load - one.load_pct) / (two.load_pct - one.load_pct) if two.load_pct > one.load_pct else 1.0
            )
            return round(source.tank / (one.per_hour + share * (two.per_hour - one.per_hour)), 2)
    return round(source.tank / points[-1].per_hour, 2)
