"""Soft starters: ceiling as sold, its own start capacitor, and the same start under half of LRA."""

from orange_crank.core.aids.entry import AidRange
from orange_crank.core.aids.kinds.job import Fitted, Job
from orange_crank.core.motor.assemble import CEILING_SHARE
from orange_crank.core.motor.entry import Aid
from orange_crank.core.motor.start import compute_start
from orange_crank.core.motor.typical import SOFT_OVER_RUN, USUAL_RUN_UF


def fit_soft_starter(job: Job) -> Fitted:
    """Take its ceiling as a share of locked-rotor amps, and show the start under half of them.

    Raises
    ------
    InputProblem : the start cannot be computed

    """
    uf = job.part.start_cap_uf or round(SOFT_OVER_RUN * (job.run_uf or USUAL_RUN_UF), 0)
    ceiling_a = round((job.part.ceiling_ratio or CEILING_SHARE) * job.lra_a, 1)
    half_a = round(job.lra_a / 2, 1)
    aid = Aid(kind="soft_starter", start_cap_uf=uf, ceiling_a=ceiling_a)
    half = aid.model_copy(update={"ceiling_a": half_a})
    at_half = compute_start(job.base.model_copy(update={"aid": half}), job.limits)
    return Fitted(
        aid=aid,
        start_cap_uf=uf,
        span=AidRange(
            rla_a=job.rla_a,
            lra_a=job.lra_a,
            ceiling_a=ceiling_a,
            half_ceiling_a=half_a,
            half_time_to_speed_s=at_half.time_to_speed_s,
        ),
    )
