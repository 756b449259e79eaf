"""What a visit costs: labor by the minute, parts with the shop's markup, tax; exact to the cent."""

from collections.abc import Sequence
from decimal import ROUND_HALF_UP, Decimal
from typing import Annotated, Literal

from pydantic import AwareDatetime, Field, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Frozen, Percent, Sentence, Word

CENT = Decimal("0.01")
Money = Annotated[
    float, Field(strict=True, ge=-1e6, le=1e6, allow_inf_nan=False, json_schema_extra={"unit": "1"})
]
WorkMinutes = Annotated[
    float, Field(strict=True, ge=0, le=6_000, allow_inf_nan=False, json_schema_extra={"unit": "min"})
]
Currency = Annotated[str, Field(strict=True, pattern=r"^[A-Z]{3}$")]
# As they are written before a figure; another currency is written by its code.
SIGNS = {"USD": "$", "CAD": "$", "AUD": "$", "EUR": "€", "GBP": "£", "MXN": "$", "JPY": "¥"}


class Rates(Frozen):
    """By what a shop reckons."""

    labor_per_hour: Money | None = Field(
        default=None, description="In the shop's currency, an hour; None where the shop has set none"
    )
    parts_markup_pct: Annotated[float, Field(strict=True, ge=0, le=500, allow_inf_nan=False)] = Field(
        default=0.0, description="On top of what the shop pays for a part [%]"
    )
    tax_pct: Percent = 0.0
    tax_labor_pct: Percent | None = Field(
        default=None, description="Tax on labor; the same as on parts where left out [%]"
    )
    tax_label: Word = "Tax"
    currency: Currency = "USD"

    @property
    def labor_tax_pct(self) -> float:
        """Tax on labor [%]."""
        return self.tax_pct if self.tax_labor_pct is None else self.tax_labor_pct


class UsedPart(Frozen):
    """A part used, with what the shop pays for it; None where no price is set."""

    title: Prose
    count: int
    price: float | None


class ExtraLine(Frozen):
    """A line written by hand: a fee, a discount."""

    what: Word
    amount: Money = Field(description="In the shop's currency; below zero for a discount")
    taxed: Literal["parts", "labor", "none"] = Field(
        default="parts", description="At which rate the line is taxed"
    )


class Billed(Frozen):
    """What is charged beside the parts, as the person said it."""

    minutes: WorkMinutes = Field(description="Labor charged [min]")
    lines: Annotated[list[ExtraLine], Field(max_length=20)] = Field(default_factory=list)
    note: Sentence = ""
    tax_exempt: Annotated[str, Field(strict=True, max_length=80)] = Field(
        default="", description="Certificate or reason of a customer who pays no tax; empty where tax is due"
    )


class Payment(Frozen):
    """Money taken for a call: a deposit before the bill, or a payment of it; a refund is below zero."""

    amount: Money = Field(description="In the shop's currency; below zero for a refund")
    how: Word = Field(description="Cash, card, check, transfer")
    note: Sentence = ""

    @model_validator(mode="after")
    def _says_something(self) -> "Payment":
        if self.amount == 0:
            raise PydanticCustomError(
                "value_error", "{error}", {"field": "amount", "error": msg("the amount paid, not zero")}
            )
        if self.amount < 0 and len(self.note.strip()) < 3:
            raise PydanticCustomError(
                "value_error", "{error}", {"field": "note", "error": msg("the reason for the refund")}
            )
        return self


class PaidAt(Frozen):
    """A payment on record."""

    payment: Payment
    at: AwareDatetime
    person: Word


class MoneyLine(Frozen):
    """One line of an estimate or a statement."""

    what: Prose
    how: Prose = Field(description="The sum, with its numbers put in")
    amount: float | None = Field(description="In the shop's currency; None where a price is missing")
    tax_pct: float = Field(default=0.0, description="Tax on this line [%]")
    labor: bool | None = Field(default=None, description="Whether it is labor; None on bills of before")


class TaxLine(Frozen):
    """Tax at one rate."""

    label: str
    tax_pct: float
    amount: float


class Statement(Frozen):
    """What something costs, line by line; no total where a line is not known."""

    currency: Currency
    lines: list[MoneyLine]
    subtotal: float | None
    tax_label: str
    tax_pct: float
    tax: float | None
    total: float | None
    missing: list[Prose] = Field(description="What is missing from the total")
    taxes: list[TaxLine] = Field(default_factory=list, description="Tax at each rate, where there is any")
    tax_exempt: str = Field(default="", description="Why no tax is charged, where the customer pays none")


class ClosedBill(Frozen):
    """A bill as it was when the call was closed: its lines, prices, tax and the shop's name never change."""

    number: Word
    statement: Statement
    shop: Word
    shop_lines: list[Prose] = Field(description="Address, phone and license as they were")
    terms: list[Prose] = Field(default_factory=list, description="Payment terms and warranty as they were")
    corrects: Word | None = Field(default=None, description="The bill this one takes the place of")


def customer_price(cost: float, markup_pct: float) -> Decimal:
    """Return what a customer pays for a part the shop pays ``cost`` for, to the cent.

    >>> customer_price(12.5, 35.0)
    Decimal('16.88')
    """
    return _cents(Decimal(str(cost)) * (1 + Decimal(str(markup_pct)) / 100))


def statement(
    parts: Sequence[UsedPart],
    minutes: float | None,
    rates: Rates,
    lines: Sequence[ExtraLine] = (),
    tax_exempt: str = "",
) -> Statement:
    """Return what parts, labor and written lines come to.

    Parameters
    ----------
    parts : used, with what the shop pays for each
    minutes : labor charged; None where nobody said
    rates : by what the shop reckons
    lines : written by hand
    tax_exempt : why the customer pays no tax; empty where tax is due

    Notes
    -----
    Every line is rounded to the cent by itself, half up, so that the lines add up to what is printed. Tax is
    on the sum of the lines at each rate, never below zero; each sum is rounded separately.

    """
    found: list[MoneyLine] = []
    missing: list[str] = []

    def line(what: str, how: str, amount: Decimal | None, pct: float, labor: bool = False) -> None:
        sum_ = None if amount is None else float(amount)
        taxed = 0.0 if tax_exempt else pct
        found.append(MoneyLine(what=what, how=how, amount=sum_, tax_pct=taxed, labor=labor))

    if minutes is None:
        missing.append(msg("Labor minutes are not entered."))
        line(msg("Labor"), msg("minutes not entered"), None, rates.labor_tax_pct, labor=True)
    elif rates.labor_per_hour is None and minutes > 0:
        missing.append(msg("No labor rate is set. Enter it under Shop, On papers."))
        line(
            msg("Labor"),
            msg("{minutes:g} min, no labor rate set", minutes=minutes),
            None,
            rates.labor_tax_pct,
            labor=True,
        )
    else:
        by_hour = rates.labor_per_hour or 0.0
        labor = _cents(Decimal(str(minutes)) / 60 * Decimal(str(by_hour)))
        how = msg("{minutes:g} min at {money} an hour", minutes=minutes, money=money(by_hour, rates.currency))
        line(msg("Labor"), how, labor, rates.labor_tax_pct, labor=True)
    for part in parts:
        if part.price is None:
            missing.append(msg("No price is set for {title}.", title=part.title))
            line(part.title, msg("{count} ×, no price set", count=part.count), None, rates.tax_pct)
            continue
        each = customer_price(part.price, rates.parts_markup_pct)
        line(
            part.title,
            f"{part.count} × {money(float(each), rates.currency)}",
            each * part.count,
            rates.tax_pct,
        )
    by_kind = {"parts": rates.tax_pct, "labor": rates.labor_tax_pct, "none": 0.0}
    for extra in lines:
        line(extra.what, "", _cents(Decimal(str(extra.amount))), by_kind[extra.taxed])
    subtotal = sum((Decimal(str(one.amount)) for one in found if one.amount is not None), Decimal(0))
    taxes = _taxes(found, rates.tax_label)
    tax = sum((Decimal(str(one.amount)) for one in taxes), Decimal(0))
    known = not missing
    return Statement(
        currency=rates.currency,
        lines=found,
        subtotal=float(subtotal) if known else None,
        tax_label=rates.tax_label,
        tax_pct=0.0 if tax_exempt else rates.tax_pct,
        tax=float(tax) if known else None,
        total=float(subtotal + tax) if known else None,
        missing=missing,
        taxes=taxes if known else [],
        tax_exempt=tax_exempt,
    )


def _taxes(lines: Sequence[MoneyLine], label: str) -> list[TaxLine]:
    """Return the tax at each rate above zero, the highest rate first."""
    by_rate: dict[float, Decimal] = {}
    for one in lines:
        if one.tax_pct > 0 and one.amount is not None:
            by_rate[one.tax_pct] = by_rate.get(one.tax_pct, Decimal(0)) + Decimal(str(one.amount))
    return [
        TaxLine(
            label=label,
            tax_pct=pct,
            amount=float(_cents(max(Decimal(0), taxed) * Decimal(str(pct)) / 100)),
        )
        for pct, taxed in sorted(by_rate.items(), reverse=True)
    ]


PaidState = Literal["open", "deposit", "paid"]


class Paid(Frozen):
    """What was paid of a bill, and what is due."""

    state: PaidState = Field(description="Nothing paid, some of it, or all")
    paid: float
    due: float | None = Field(description="Below zero where too much was paid; None where no total is known")


def paid_of(payments: Sequence[Payment], total: float | None) -> Paid:
    """Return what was paid of a total, exact to the cent.

    >>> paid_of([Payment(amount=40.0, how="cash")], 117.15).due
    77.15
    """
    paid = sum((Decimal(str(p.amount)) for p in payments), Decimal(0))
    due = None if total is None else Decimal(str(total)) - paid
    whole = due is not None and due <= 0 and bool(payments)
    state: PaidState = "paid" if whole else "deposit" if paid > 0 else "open"
    return Paid(state=state, paid=float(paid), due=None if due is None else float(due))


def money(amount: float | None, currency: str) -> str:
    """Write an amount: sign, thousands, cents.

    >>> money(1234.5, "USD")
    '$1,234.50'
    >>> money(-20.0, "CHF")
    '−CHF 20.00'
    """
    if amount is None:
        return msg("not known")
    sign = SIGNS.get(currency, f"{currency} ")
    return f"{'−' if amount < 0 else ''}{sign}{abs(amount):,.2f}"


def _cents(amount: Decimal) -> Decimal:
    return amount.quantize(CENT, ROUND_HALF_UP)
