"""Three-in-ones: relay, overload and start capacitor of small refrigeration."""

from orange_crank.core.aids.kinds.job import Fitted, Job, NotOffered
from orange_crank.core.aids.kinds.start_kit import fit_start_kit
from orange_crank.core.messages import msg
from orange_crank.core.motor.gear import MOST_HP, starting_of

# Lines within so many percent of a part's volts are its own.
SAME_LINE_PCT = 15.0
# A sixth is printed as 0.16 here and 0.167 there.
AS_PRINTED = 0.03


def fit_three_in_one(job: Job) -> Fitted:
    """Choose by kind of machine, horsepower and volts, each on both sides.

    Raises
    ------
    NotOffered : another machine, another size, other volts; or horsepower is not entered

    """
    plate, part = job.entry.plate, job.part
    if starting_of(plate) == "run_capacitor":
        raise NotOffered(
            msg("For fractional-horsepower capillary-tube refrigeration without a run capacitor.")
        )
    if plate.hp is None:
        raise NotOffered(
            msg("Chosen by horsepower and volts. Horsepower: not entered; read it on the compressor.")
        )
    low, high = part.hp_low or 0.0, part.hp_high or MOST_HP
    if not (1 - AS_PRINTED) * low <= plate.hp <= (1 + AS_PRINTED) * high:
        raise NotOffered(
            msg(
                "Made for {low:g} to {high:g} hp; this compressor has {hp:g} hp.",
                low=low,
                high=high,
                hp=plate.hp,
            )
        )
    if part.volts_line is not None and 100 * abs(plate.volts / part.volts_line - 1) > SAME_LINE_PCT:
        raise NotOffered(
            msg(
                "Made for {volts_line:g} V; the nameplate shows {volts:g} V.",
                volts_line=part.volts_line,
                volts=plate.volts,
            )
        )
    return fit_start_kit(job)
