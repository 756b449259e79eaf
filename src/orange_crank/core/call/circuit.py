"""The circuit that is there, as it was looked at on a call, held against the plate."""

from datetime import date
from typing import Any

from pydantic import Field

from orange_crank.core.circuit import AuditIn
from orange_crank.core.circuit.entry import Installed
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.plate import Plate


class CircuitLook(Frozen):
    """How a circuit is wired and what is there; the loads come from the plate."""

    wiring: dict[str, Any] = Field(default_factory=dict, description="Fields of a circuit beside the plate's")
    installed: Installed


def audit_entry(plate: Plate, look: CircuitLook, on_date: date | None = None) -> AuditIn:
    """Return the audit of a look against a plate, by the rules of the call's own day.

    Raises
    ------
    ValidationError : a field of the wiring that cannot be used

    """
    loads = {n: v for n, v in plate.model_dump(exclude_none=True).items() if n in AuditIn.model_fields}
    day = {"on_date": on_date.isoformat()} if on_date is not None else {}
    return AuditIn.model_validate(look.wiring | loads | day | {"installed": look.installed.model_dump()})
