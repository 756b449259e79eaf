"""Start aids: which one fits, proved by computation, and which must not be fitted."""

from orange_crank.core.aids.entry import AidIn, AidOut
from orange_crank.core.aids.select import choose_aid

__all__ = ["AidIn", "AidOut", "choose_aid"]
