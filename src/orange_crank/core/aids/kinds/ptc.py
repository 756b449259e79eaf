"""Two-wire kits with a thermistor."""

from orange_crank.core.aids.kinds.job import Fitted, Job, NotOffered
from orange_crank.core.messages import msg
from orange_crank.core.motor.entry import Aid
from orange_crank.core.motor.typical import PTC_OVER_RATED

# Half of each cycle is rest [min/h].
REST_MIN_PER_HOUR = 30.0


def fit_ptc(job: Job) -> Fitted:
    """Take its cold ohms; started often it is still warm.

    Raises
    ------
    NotOffered : a part of the list whose ohms are not known

    """
    part, often = job.part, job.entry.cycles_per_hour
    if job.entry.stock is not None and part.cold_ohm is None:
        raise NotOffered(msg("Its cold ohms are not in the parts list: no guess is made."))
    usual = round(PTC_OVER_RATED * job.entry.plate.volts / job.rla_a, 1)
    return Fitted(
        aid=Aid(
            kind="ptc",
            cold_ohm=part.cold_ohm or usual,
            minutes_since_last_start=REST_MIN_PER_HOUR / often if often else None,
        ),
        start_cap_uf=part.start_cap_uf,
    )
