"""No aid, and a delay that only waits."""

from orange_crank.core.aids.kinds.job import Fitted, Job
from orange_crank.core.motor.entry import Aid

# Pressures have mostly met after this long [s].
WAIT_S = 180.0


def fit_nothing(job: Job) -> Fitted:
    """Leave the motor as it is."""
    return Fitted(aid=Aid(), start_cap_uf=job.part.start_cap_uf)


def fit_delay(job: Job) -> Fitted:
    """Hold the next start off until pressures have met."""
    return Fitted(aid=Aid(kind="time_delay", off_s=WAIT_S), start_cap_uf=job.part.start_cap_uf)
