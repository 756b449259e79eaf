"""The plate held against itself: a figure that would make the circuit too small fails."""

from itertools import groupby

from orange_crank.core.circuit.entry import CircuitIn
from orange_crank.core.circuit.loads import loads_of, plate_read
from orange_crank.core.circuit.rules.job import Job, finding
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Finding, Verdict, say
from orange_crank.core.plate.arithmetic import clause
from orange_crank.core.plate.checks import Suspect, printed_against_computed, suspect_finding, suspects_of
from orange_crank.core.plate.model import PlateRead
from orange_crank.core.tables import LEAST_COMPUTED_A

# No MOCP is above this share of MCA: 2.25 × the largest against 1.25 × it, before rounding.
MOCP_OF_MCA = 2.25 / 1.25
# A lost decimal or another machine's figure leaves less than this of a device.
FAR_LESS = 0.5


def judge(job: Job) -> list[Finding]:
    """Return what the plate's own figures say against one another, as far as it changes this circuit."""
    if job.heat or job.fan_coil:
        return []
    read = plate_read(job.entry)
    suspects = suspects_of(read, job.loads.figures, job.limits)
    found = []
    for _, group in groupby(suspects, key=lambda s: s.why):
        together = list(group)
        verdict: Verdict = "fail" if _worse(job, together) else "watch"
        found += [suspect_finding(s, job.limits, verdict) for s in together]
    return [*found, *_printed(job, read), *_mocp_alone(job)]


def _worse(job: Job, suspects: list[Suspect]) -> bool:
    """Whether the likely true figures ask for more conductor or disconnect, or allow less of a device."""
    if any(s.field in ("volts", "phase") for s in suspects):
        return True
    entry = _with(job.entry, suspects)
    now, then = job.loads, loads_of(entry)
    device = then.plate_mocp_a if then.plate_mocp_a is not None else then.largest_device_a
    allowed = now.plate_mocp_a if now.plate_mocp_a is not None else now.largest_device_a
    ratio = job.limits.fan_locked_ratio
    return (
        then.mca_a > now.mca_a + 1e-9
        or (then.locked_a(ratio) or 0.0) > (now.locked_a(ratio) or 0.0) + 1e-9
        or (then.disconnect_a or 0.0) > (now.disconnect_a or 0.0) + 1e-9
        or (device is not None and allowed is not None and device < FAR_LESS * allowed)
    )


def _with(entry: CircuitIn, suspects: list[Suspect]) -> CircuitIn:
    """Return the entry with the likely figures in place of the doubtful ones, in the column that holds."""
    rating = entry.rating
    compressors, motors = list(rating.compressors), list(rating.motors)
    plain: dict[str, float] = {}
    for s in suspects:
        where, _, name = s.field.rpartition(".")
        if where:
            index = int(where[where.index("[") + 1 : -1])
            if where.startswith("compressors"):
                compressors[index] = compressors[index].model_copy(update={name: s.maybe})
            else:
                motors[index] = motors[index].model_copy(update={name: s.maybe})
        else:
            plain[name] = s.maybe
    return entry.model_copy(
        update={
            "compressors": compressors,
            "motors": motors,
            "mca_a": rating.mca_a,
            "mocp_a": rating.mocp_a,
            "paired": None,
            **plain,
        }
    )


def _printed(job: Job, read: PlateRead) -> list[Finding]:
    """Return where the printed figures leave what the loads give, graver where the circuit would suffer."""
    figures, limits = job.loads.figures, job.limits
    found = []
    for f in printed_against_computed(read, figures, limits, job.entry.edition):
        if f.verdict == "pass":
            continue
        verdict = f.verdict
        if f.code == "MCA_DIFFERS" and figures is not None and job.loads.plate_mca_a is not None:
            gap = 100 * (job.loads.plate_mca_a - figures.mca_a) / figures.mca_a
            verdict = "fail" if gap < 0 or gap > limits.mca_gap_pct else "watch"
        if f.code == "MOCP_ABOVE_RULE" and figures is not None and job.loads.plate_mocp_a is not None:
            far = job.loads.plate_mocp_a > (1 + limits.mocp_over_pct / 100) * figures.mocp_limit_a
            verdict = "fail" if far else "watch"
        step = f.next_step or msg("Read MCA, MOCP, RLA and FLA off the nameplate again.")
        found.append(f.model_copy(update={"verdict": verdict, "next_step": step}))
    return found


def _mocp_alone(job: Job) -> list[Finding]:
    """Hold the printed MOCP against the printed MCA where no loads are known."""
    mca, mocp = job.loads.plate_mca_a, job.loads.plate_mocp_a
    if job.loads.figures is not None or mca is None or mocp is None:
        return []
    most = max(MOCP_OF_MCA * mca, LEAST_COMPUTED_A)
    if mocp <= most + 1e-9:
        return []
    far = mocp > (1 + job.limits.mocp_over_pct / 100) * most
    return [
        finding(
            "MOCP_ABOVE_RULE",
            "fail" if far else "watch",
            msg(
                "MOCP {mocp:g} A with MCA {mca:g} A: no motor-compressor circuit gives more "
                "than {most}. A figure is misread, or there is heat on it.",
                mocp=mocp,
                mca=mca,
                most=say(most, "A", 3),
            ),
            clause(job.entry.edition, "440.22(B)(1), 440.33"),
            f"225 % ÷ 125 % × {mca:g} A = {MOCP_OF_MCA * mca:.4g} A",
            msg("Read MCA and MOCP off the nameplate again."),
        )
    ]
