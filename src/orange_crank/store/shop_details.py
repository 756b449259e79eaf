"""The shop as it is named on its papers, and how it reckons: the newest holds, the older stay."""

from typing import Annotated, Literal

import peewee
from pydantic import AwareDatetime, Field, ValidationError

from orange_crank.core.errors import GateClosed
from orange_crank.core.handover.money import Currency, Rates
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen, Name, Percent, Word
from orange_crank.core.reads import AS_WRITTEN, Reads
from orange_crank.core.tables.standards import Standards, shipped_standards
from orange_crank.store.database import now, transaction
from orange_crank.store.errors import Conflict
from orange_crank.store.models import Person, ShopDetail
from orange_crank.store.people import PersonOut

PaperLine = Annotated[str, Field(strict=True, max_length=120)]


class ShopDetails(Frozen):
    """What a shop describes itself by."""

    name: Name
    address: Annotated[list[PaperLine], Field(max_length=4)] = Field(default_factory=list)
    phone: PaperLine = ""
    license: PaperLine = Field(default="", description="License number, as local law wants it shown")
    currency: Currency = "USD"
    tax_label: Word = "Tax"
    tax_pct: Percent = 0.0
    parts_markup_pct: Annotated[float, Field(strict=True, ge=0, le=500, allow_inf_nan=False)] = Field(
        default=0.0, description="On top of what the shop pays for a part [%]"
    )
    labor_per_hour: Annotated[float, Field(strict=True, ge=0, le=10_000, allow_inf_nan=False)] | None = Field(
        default=None, description="What an hour of work costs the customer; None where not set"
    )
    tax_labor_pct: Percent | None = Field(
        default=None, description="Tax on labor; the same as on parts where left out [%]"
    )
    payment_terms: PaperLine = Field(default="", description="When a bill is to be paid, as printed on it")
    warranty_parts: PaperLine = Field(default="", description="Warranty of parts, as printed on the bill")
    warranty_labor: PaperLine = Field(default="", description="Warranty of labor, as printed on the bill")
    paper: Literal["letter", "a4"] = "letter"
    reads: Reads = Field(
        default=AS_WRITTEN, description="On papers, and for whoever has not chosen their own way"
    )

    def terms(self) -> list[str]:
        """Return payment terms and warranty, a line each."""
        named = (
            (msg("Payment"), self.payment_terms),
            (msg("Warranty of parts"), self.warranty_parts),
            (msg("Warranty of labor"), self.warranty_labor),
        )
        return [msg("{name}: {text}", name=name, text=text.strip()) for name, text in named if text.strip()]

    def rates(self, limits: Standards) -> Rates:
        """Return by what this shop reckons; no labor rate where it has set none.

        The standard's shipped rate is only for ranking work; a bill takes it once the shop has set it.
        """
        own = limits.labor_rate_per_hour
        standard = own if own != shipped_standards().labor_rate_per_hour else None
        return Rates(
            labor_per_hour=self.labor_per_hour if self.labor_per_hour is not None else standard,
            parts_markup_pct=self.parts_markup_pct,
            tax_pct=self.tax_pct,
            tax_labor_pct=self.tax_labor_pct,
            tax_label=self.tax_label,
            currency=self.currency,
        )


class ShopOut(Frozen):
    """The shop's details as they hold."""

    details: ShopDetails
    version: int = Field(description="0 where nobody has set them yet")
    set_at: AwareDatetime | None
    person: str | None


class ShopEdit(Frozen):
    """The shop's details as they shall read; ``version`` is the one they were edited from."""

    details: ShopDetails
    version: int


UNNAMED = ShopDetails(name="This shop")


def get_shop() -> ShopOut:
    """Return the shop's details; a placeholder name where none were set."""
    rows = (
        ShopDetail.select(ShopDetail, Person)
        .join(Person, peewee.JOIN.LEFT_OUTER)
        .order_by(ShopDetail.id.desc())
        .limit(20)
    )
    for row in rows:
        try:
            details = ShopDetails.model_validate_json(row.body)
        except ValidationError:
            continue
        return ShopOut(
            details=details,
            version=row.id,
            set_at=row.set_at,
            person=row.person.name if row.person is not None else None,
        )
    return ShopOut(details=UNNAMED, version=0, set_at=None, person=None)


def set_shop(edit: ShopEdit, who: PersonOut) -> ShopOut:
    """Set the shop's details; the lead's and the office's to do.

    Raises
    ------
    GateClosed : another person
    Conflict : they were set meanwhile

    """
    if who.role not in ("lead", "office"):
        raise GateClosed(
            msg("The shop's name and rates are the lead's and the office's to set."),
            next_step=msg("Ask the lead or the office."),
        )
    with transaction():
        if get_shop().version != edit.version:
            raise Conflict(
                msg("The shop's details were changed while you typed. Yours are still on this screen."),
                next_step=msg("Check the new version, then save yours again or discard it."),
            )
        keep_shop(edit.details, who.id)
    return get_shop()


def keep_shop(details: ShopDetails, person_id: int | None) -> None:
    """Write the shop's details down; called inside a transaction."""
    ShopDetail.create(body=details.model_dump_json(), set_at=now(), person=person_id)
