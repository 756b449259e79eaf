"""A customer list: where a column may go, and what a line says of a place and a unit."""

from datetime import date
from typing import Literal

from pydantic import Field

from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen

Goes = Literal[
    "site",
    "place",
    "contact",
    "site_access",
    "unit",
    "kind",
    "model",
    "serial",
    "built_year",
    "warranty_until",
    "unit_access",
    "note",
    "out",
]
GOES_WORDS: dict[Goes, str] = {
    "out": msg("Leave out"),
    "site": msg("Customer or site"),
    "place": "Address",
    "contact": msg("Contact, phone, e-mail"),
    "site_access": msg("How to get in"),
    "unit": msg("Name of the unit"),
    "kind": msg("Kind of unit"),
    "model": "Model",
    "serial": msg("Serial number"),
    "built_year": msg("Year built"),
    "warranty_until": msg("Warranty until"),
    "unit_access": msg("How to get at the unit"),
    "note": msg("Note on the unit"),
}
# Several columns may go here; their cells are joined.
JOINED: tuple[Goes, ...] = ("place", "contact", "site_access", "unit_access", "note")
LENGTHS: dict[Goes, int] = {
    "site": 80,
    "place": 120,
    "contact": 120,
    "site_access": 400,
    "unit": 80,
    "kind": 80,
    "model": 80,
    "serial": 80,
    "unit_access": 400,
    "note": 400,
}


class ListColumn(Frozen):
    """One column of the file, and where it goes."""

    heading: str
    samples: list[str] = Field(description="Its first cells that say something")
    goes: Goes


class CustomerLine(Frozen):
    """One line of a customer list as it is read."""

    line: int
    site: str
    place: str = ""
    contact: str = ""
    site_access: str = ""
    unit: str = ""
    kind: str = ""
    model: str = ""
    serial: str = ""
    built_year: int | None = None
    warranty_until: date | None = None
    unit_access: str = ""
    note: str = ""
