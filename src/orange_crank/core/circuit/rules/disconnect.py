"""The disconnect: amps, horsepower, and the fuses it holds."""

from orange_crank.core.circuit.entry import CircuitIn
from orange_crank.core.circuit.loads import Loads
from orange_crank.core.circuit.rules.job import Built, Job, finding
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Finding, say
from orange_crank.core.plate.arithmetic import clause
from orange_crank.core.tables.code import (
    disconnect_frame_a,
    horsepower_by_full_load,
    horsepower_by_locked_rotor,
)
from orange_crank.core.tables.standards import Standards

SHARE = 1.15


def need_a(loads: Loads) -> float:
    """Return the least a disconnect must carry [A]: 115 % of selection current and the rest; else MCA.

    References
    ----------
    NEC 440.12(A)(1), 440.12(B); 424.19 for heat alone.

    """
    total = loads.disconnect_a
    return loads.mca_a if total is None or loads.heat_alone else SHARE * total


def frame_a(need: float, fuse_a: float | None) -> int:
    """Return the frame for a need and the fuses inside it [A]: the larger of the two."""
    return disconnect_frame_a(max(need, fuse_a or 0.0))


def horsepower(entry: CircuitIn, loads: Loads, limits: Standards) -> float | None:
    """Return the horsepower a disconnect needs: the larger by full load and by locked rotor; None beyond."""
    if loads.disconnect_a is None:
        return None
    by_load = horsepower_by_full_load(loads.disconnect_a, entry.volts, entry.phase)
    locked = loads.locked_a(limits.fan_locked_ratio)
    if locked is None:
        return by_load
    by_start = horsepower_by_locked_rotor(locked, entry.volts, entry.phase)
    return None if by_load is None or by_start is None else max(by_load, by_start)


def judge(job: Job, built: Built) -> list[Finding]:
    """Judge amps and horsepower of the disconnect."""
    return [_amps(job, built), *([] if job.heat else [_horsepower(job, built)])]


def _amps(job: Job, built: Built) -> Finding:
    e, loads = job.entry.edition, job.loads
    need, fuse = need_a(loads), built.fuse_in_switch_a
    rule = clause(e, "424.19" if job.heat else "430.110(A)" if job.fan_coil else "440.12(A), 440.12(B)")
    total = loads.disconnect_a
    sum_ = None if total is None or job.heat else f"{SHARE:g} × {total:g} A = {need:.6g} A"
    if fuse is not None and fuse > need:
        sum_ = msg("{sum}; {fuse:g} A fuses sit in it", sum=sum_ or say(need, "A"), fuse=fuse)
    least = max(need, fuse or 0.0)
    by_mca = total is None and not job.heat
    if built.disconnect_a is None:
        return finding(
            "DISCONNECT_SMALL",
            "unknown",
            msg("Disconnect not entered; {least} required.", least=say(least, "A")),
            rule,
            sum_,
            msg("Read its label."),
        )
    bad = built.disconnect_a < least - 1e-9
    return finding(
        "DISCONNECT_SMALL",
        "fail" if bad else "watch" if by_mca else "pass",
        msg(
            "{disconnect_a:g} A disconnect; {least} required.",
            disconnect_a=built.disconnect_a,
            least=say(least, "A"),
        )
        + (msg(" RLA not entered: MCA is taken.") if by_mca else ""),
        rule,
        sum_,
        msg("A {disconnect_frame_a} A disconnect.", disconnect_frame_a=disconnect_frame_a(least))
        if bad
        else msg("Read the RLA on the nameplate.")
        if by_mca
        else None,
        required_a=round(least, 4),
    )


def _horsepower(job: Job, built: Built) -> Finding:
    loads, entry = job.loads, job.entry
    rule = clause(entry.edition, msg("440.12(A)(2), Tables 430.248 to 430.251"))
    power = horsepower(entry, loads, job.limits)
    locked = loads.locked_a(job.limits.fan_locked_ratio)
    if power is None:
        return finding(
            "DISCONNECT_HP",
            "unknown",
            msg("RLA not entered: no horsepower for the disconnect.")
            if loads.disconnect_a is None
            else msg("Horsepower of the disconnect: beyond the tables."),
            rule,
            step=msg("Read the RLA on the nameplate.")
            if loads.disconnect_a is None
            else msg("Get the horsepower rating at this voltage from the manufacturer."),
        )
    how = "" if locked is not None else msg(" by full load alone (LRA not entered)")
    if built.disconnect_hp is None:
        return finding(
            "DISCONNECT_HP",
            "unknown" if job.audited else "note" if locked is not None else "watch",
            msg("{power:g} hp required{how}", power=power, how=how)
            + (msg(". Its horsepower: not entered.") if job.audited else "."),
            rule,
            step=msg("Read its horsepower at this voltage.") if job.audited else None,
            full_load_a=loads.disconnect_a,
            locked_rotor_a=locked,
        )
    bad = built.disconnect_hp < power - 1e-9
    return finding(
        "DISCONNECT_HP",
        "fail" if bad else "pass" if locked is not None else "watch",
        msg(
            "{disconnect_hp:g} hp disconnect; {power:g} hp required{how}.",
            disconnect_hp=built.disconnect_hp,
            power=power,
            how=how,
        ),
        rule,
        step=msg("A disconnect of {power:g} hp or more.", power=power) if bad else None,
        full_load_a=loads.disconnect_a,
        locked_rotor_a=locked,
    )
