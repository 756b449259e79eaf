"""What a sizing took for granted because nobody said it."""

from functools import lru_cache

from pydantic import Field, JsonValue

from orange_crank.core.circuit.conductor import CABLES
from orange_crank.core.circuit.entry import AuditIn
from orange_crank.core.circuit.rules.job import Job
from orange_crank.core.errors import field_words
from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Frozen, say
from orange_crank.core.plate.model import OtherLoad


class Assumed(Frozen):
    """A default that was taken."""

    field: str
    label: str = Field(description="The field as a person says it")
    value: JsonValue = Field(description="What was taken")
    text: str = Field(description="What was taken, as a person says it")
    why: Prose


@lru_cache(maxsize=512, typed=True)
def assumed(field: str, value: str | float | bool, why: str) -> Assumed:
    """Return a default that was taken."""
    return Assumed(field=field, label=field_words(field), value=value, text=_said(field, value), why=why)


_UNITS = {"f": "°F", "c": "°C", "ft": "ft", "a": "A"}


def _said(field: str, value: str | float | bool) -> str:
    """Return a value that was taken, with its unit.

    >>> _said("ambient_f", 86.0), _said("wet", False), _said("school", "mca")
    ('86\\xa0°F', 'no', 'MCA')
    """
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, int | float):
        return say(value, _UNITS.get(field.rpartition("_")[2], "") if "." not in field else "")
    return str(value).upper() if value in ("mca", "pvc") else str(value)


_DEFAULTS: dict[str, str] = {
    "edition": msg("the newest edition here"),
    "material": msg("the usual metal"),
    "insulation": msg("usual for pulled conductors, wet and dry"),
    "ambient_f": msg("NEC table base, 86\xa0°F"),
    "power_factor": msg("typical running compressor"),
    "school": msg("code minimum"),
}


def defaults(job: Job) -> list[Assumed]:
    """Return every default that this answer stands on."""
    entry, found = job.entry, []
    there = entry.installed if isinstance(entry, AuditIn) else None
    for name, why in _DEFAULTS.items():
        if job.heat and name in ("power_factor", "school"):
            continue
        if not entry.said(name) and getattr(there, name, None) is None:
            found.append(assumed(name, getattr(entry, name), why))
    if entry.is_wet is None and not job.audited:
        found.append(assumed("wet", False, msg("not entered: dry location assumed")))
    elif entry.wet is None and entry.is_wet:
        found.append(assumed("wet", True, msg("outdoors counts as wet unless you enter otherwise")))
    if (
        entry.termination_c is None
        and entry.insulation not in CABLES
        and not any(lug.marked_c for lug in entry.lugs)
    ):
        found.append(
            assumed(
                "termination_c", job.conditions.termination_c, msg("unmarked: 60 °C up to 100 A, 75 °C above")
            )
        )
    if entry.current_carrying_conductors is None:
        found.append(
            assumed("current_carrying_conductors", job.conditions.conductors, msg("this circuit alone"))
        )
    if entry.raceway is None:
        found.append(assumed("raceway", "pvc", msg("for the wire's reactance alone; no trade size is given")))
    if any(m.lra_a is None for m in job.loads.motors) and job.loads.compressors and not job.heat:
        found.append(
            assumed(
                "motors.lra_a",
                job.limits.fan_locked_ratio,
                msg("times full load, where a motor's locked rotor is not printed"),
            )
        )
    if isinstance(entry.other_a, int | float) and entry.other_a > 0 and not job.heat:
        found.append(
            assumed("other_a.kind", "other", msg("counted as entered; heat counts for a quarter more"))
        )
    if isinstance(entry.other_a, OtherLoad) and entry.other_a.kind == "motor" and not job.heat:
        found.append(
            assumed("other_a.lra_a", job.limits.fan_locked_ratio, msg("times full load at locked rotor"))
        )
    return found
