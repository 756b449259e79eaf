"""One file a kind of aid: how a part of it is fitted to a motor, or why it is not offered."""

from collections.abc import Callable, Mapping

from orange_crank.core.aids.entry import AidName
from orange_crank.core.aids.kinds.job import Fitted, Job, NotOffered
from orange_crank.core.aids.kinds.ptc import fit_ptc
from orange_crank.core.aids.kinds.soft_starter import fit_soft_starter
from orange_crank.core.aids.kinds.start_kit import fit_start_kit
from orange_crank.core.aids.kinds.three_in_one import fit_three_in_one
from orange_crank.core.aids.kinds.waiting import fit_delay, fit_nothing

FIT: Mapping[AidName, Callable[[Job], Fitted]] = {
    "none": fit_nothing,
    "ptc_two_wire": fit_ptc,
    "relay_two_wire": fit_start_kit,
    "relay_three_wire": fit_start_kit,
    "soft_starter": fit_soft_starter,
    "three_in_one": fit_three_in_one,
    "time_delay": fit_delay,
}

__all__ = ["FIT", "Fitted", "Job", "NotOffered"]
