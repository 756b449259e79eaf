"""What a visit costs: labor by the minute, parts with the shop's markup, tax; exact to the cent."""

from collections.abc import Sequence
from decimal import ROUND_HALF_UP, Decimal
from typing import Annotated

from pydantic import Field

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

    labor_per_hour: Money = Field(description="In the shop's currency, an hour")
    parts_markup_pct: Annotated[float, Field(strict=True, ge=0, le=500, allow_inf_nan=False)] = Field(
        default=0.0, description="On top of what the shop pays for a part [%]"
    )
    tax_pct: Percent = 0.0
    tax_label: Word = "Tax"
    currency: Currency = "USD"


class UsedPart(Frozen):
    """A part used, with what the shop pays for it; None where no price is set."""

    title: str
    count: int
    price: float | None


class ExtraLine(Frozen):
    """A line written by hand: a fee, a discount."""

    what: Word
    amount: Money = Field(description="In the shop's currency; below zero for a discount")


class Billed(Frozen):
    """What is charged beside the parts, as the person said it."""

    minutes: WorkMinutes = Field(description="Labor charged [min]")
    lines: Annotated[list[ExtraLine], Field(max_length=20)] = Field(default_factory=list)
    note: Sentence = ""


class MoneyLine(Frozen):
    """One line of an estimate or a statement."""

    what: str
    how: str = Field(description="The sum, with its numbers put in")
    amount: float | None = Field(description="In the shop's currency; None where a price is missing")


class Statement(Frozen):
    """What something costs, line by line; no total where a line is not known."""

    currency: Currency
    lines: list[MoneyLine]
    subtotal: float | None
    tax_label: str
    tax_pct: float
    tax: float | None
    total: float | None
    missing: list[str] = Field(description="What keeps the total from being known")


class ClosedBill(Frozen):
    """A bill as it was when the call was closed: its lines, prices, tax and the shop's name never change."""

    number: Word
    statement: Statement
    shop: Word
    shop_lines: list[str] = Field(description="Address, phone and license as they were")
    corrects: Word | None = Field(default=None, description="The bill this one takes the place of")


def customer_price(cost: float, markup_pct: float) -> Decimal:
    """Return what a customer pays for a part the shop pays ``cost`` for, to the cent.

    >>> customer_price(12.5, 35.0)
    Decimal('16.88')
    """
    return _cents(Decimal(str(cost)) * (1 + Decimal(str(markup_pct)) / 100))


def statement(
    parts: Sequence[UsedPart], minutes: float | None, rates: Rates, lines: Sequence[ExtraLine] = ()
) -> Statement:
    """Return what parts, labor and written lines come to.

    Parameters
    ----------
    parts : used, with what the shop pays for each
    minutes : labor charged; None where nobody said
    rates : by what the shop reckons
    lines : written by hand

    Notes
    -----
    Every line is rounded to the cent by itself, half up, so that the lines add up to what is printed. Tax is
    on the sum of the lines.

    """
    found: list[MoneyLine] = []
    missing: list[str] = []
    amounts: list[Decimal] = []
    if minutes is None:
        missing.append("Labor minutes are not entered.")
        found.append(MoneyLine(what="Labor", how="minutes not entered", amount=None))
    else:
        labor = _cents(Decimal(str(minutes)) / 60 * Decimal(str(rates.labor_per_hour)))
        how = f"{minutes:g} min at {money(rates.labor_per_hour, rates.currency)} an hour"
        found.append(MoneyLine(what="Labor", how=how, amount=float(labor)))
        amounts.append(labor)
    for part in parts:
        if part.price is None:
            missing.append(f"No price is set for {part.title}.")
            found.append(MoneyLine(what=part.title, how=f"{part.count} ×, no price set", amount=None))
            continue
        each = customer_price(part.price, rates.parts_markup_pct)
        amount = each * part.count
        how = f"{part.count} × {money(float(each), rates.currency)}"
        found.append(MoneyLine(what=part.title, how=how, amount=float(amount)))
        amounts.append(amount)
    for line in lines:
        found.append(MoneyLine(what=line.what, how="", amount=float(_cents(Decimal(str(line.amount))))))
        amounts.append(_cents(Decimal(str(line.amount))))
    subtotal = sum(amounts, Decimal(0))
    tax = _cents(max(Decimal(0), subtotal) * Decimal(str(rates.tax_pct)) / 100)
    known = not missing
    return Statement(
        currency=rates.currency,
        lines=found,
        subtotal=float(subtotal) if known else None,
        tax_label=rates.tax_label,
        tax_pct=rates.tax_pct,
        tax=float(tax) if known else None,
        total=float(subtotal + tax) if known else None,
        missing=missing,
    )


def money(amount: float | None, currency: str) -> str:
    """Write an amount: sign, thousands, cents.

    >>> money(1234.5, "USD")
    '$1,234.50'
    >>> money(-20.0, "CHF")
    '−CHF 20.00'
    """
    if amount is None:
        return "not known"
    sign = SIGNS.get(currency, f"{currency} ")
    return f"{'−' if amount < 0 else ''}{sign}{abs(amount):,.2f}"


def _cents(amount: Decimal) -> Decimal:
    return amount.quantize(CENT, ROUND_HALF_UP)
