"""Reading a record never raises: what today's rules cannot judge says so, with its reason."""

from collections.abc import Callable
from typing import TypeVar

from pydantic import ValidationError

from orange_crank.core.errors import CrankError, input_problem
from orange_crank.core.messages import msg, no_stop, shaped
from orange_crank.core.nomenclature import Finding

T = TypeVar("T")


def judged_or_said(rule: Callable[[], T], otherwise: Callable[[str], T]) -> T:
    """Return what a rule says; where it fails, what ``otherwise`` makes of the reason."""
    try:
        return rule()
    except ValidationError as error:
        return otherwise(input_problem(error).detail)
    except CrankError as refusal:
        return otherwise(refusal.detail)
    except (ArithmeticError, ValueError, LookupError, TypeError, AssertionError):
        return otherwise(msg("these numbers don't give a result"))


def cannot_be_judged(what: str, reason: str) -> Finding:
    """Return the finding on something that stands on record and cannot be judged today."""
    return Finding(
        code="CANNOT_BE_JUDGED",
        verdict="unknown",
        text=msg("Can't judge {what}: {reason}.", what=what, reason=shaped(reason, no_stop)),
        rule="what is on record",
        next_step=msg("Look at it again and correct it."),
    )
