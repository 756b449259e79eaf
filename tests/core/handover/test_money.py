"""What a visit costs, to the cent; and what a yes is."""

from decimal import Decimal
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from orange_crank.core.handover.agreement import NewAgreement, Signature, signature_path
from orange_crank.core.handover.money import (
    ExtraLine,
    Payment,
    Rates,
    UsedPart,
    customer_price,
    money,
    paid_of,
    statement,
)

cents = st.integers(0, 500_000).map(lambda c: c / 100)
rates = st.builds(
    Rates,
    labor_per_hour=st.integers(0, 400).map(float),
    parts_markup_pct=st.integers(0, 200).map(float),
    tax_pct=st.integers(0, 250).map(lambda t: t / 10),
)
parts = st.lists(st.builds(UsedPart, title=st.just("Can"), count=st.integers(1, 5), price=cents), max_size=5)
extras = st.lists(
    st.builds(ExtraLine, what=st.just("Fee"), amount=st.integers(-5_000, 5_000).map(lambda c: c / 100)),
    max_size=3,
)


@given(parts, st.floats(0, 600), rates, extras)
def test_the_lines_add_up_to_what_is_printed(
    used: list[UsedPart], minutes: float, by: Rates, lines: list[ExtraLine]
) -> None:
    s = statement(used, minutes, by, lines)
    printed = [Decimal(f"{line.amount:.2f}") for line in s.lines if line.amount is not None]
    assert Decimal(f"{s.subtotal:.2f}") == sum(printed, Decimal(0))
    assert Decimal(f"{s.total:.2f}") == Decimal(f"{s.subtotal:.2f}") + Decimal(f"{s.tax:.2f}")
    assert all(Decimal(f"{line.amount}") == Decimal(f"{line.amount:.2f}") for line in s.lines)


@given(parts, rates)
def test_minutes_nobody_entered_make_no_total(used: list[UsedPart], by: Rates) -> None:
    s = statement(used, None, by)
    assert s.total is None
    assert s.subtotal is None
    assert s.missing == ["Labor minutes are not entered."]


def test_a_part_without_a_price_is_named_and_never_free() -> None:
    s = statement([UsedPart(title="Relay", count=1, price=None)], 30, Rates(labor_per_hour=100))
    assert s.total is None
    assert "No price is set for Relay." in s.missing
    assert "not known" == money(s.lines[-1].amount, "USD")


@given(cents, st.integers(0, 200))
def test_a_markup_never_lowers_a_price(cost: float, pct: int) -> None:
    assert customer_price(cost, pct) >= Decimal(f"{cost:.2f}")


def test_a_worked_visit() -> None:
    """45 min at $110 is $82.50; a $46 can at 35 % is $62.10; 6.5 % of $144.60 is $9.40."""
    by = Rates(labor_per_hour=110.0, parts_markup_pct=35.0, tax_pct=6.5)
    s = statement([UsedPart(title="Can", count=1, price=46.0)], 45, by)
    assert (82.5, 62.1) == (s.lines[0].amount, s.lines[1].amount)
    assert (144.6, 9.4, 154.0) == (s.subtotal, s.tax, s.total)
    assert "45 min at $110.00 an hour" == s.lines[0].how


def test_a_discount_below_nothing_owes_no_tax() -> None:
    by = Rates(labor_per_hour=60.0, tax_pct=10.0)
    s = statement([], 10, by, [ExtraLine(what="Goodwill", amount=-50.0)])
    assert (-40.0, 0.0, -40.0) == (s.subtotal, s.tax, s.total)


@pytest.mark.parametrize("amount", [float("nan"), float("inf"), 1e9, "12"])
def test_an_amount_is_a_number_of_this_world(amount: Any) -> None:
    with pytest.raises(ValidationError):
        ExtraLine(what="Fee", amount=amount)


def test_amounts_are_written_as_they_are_read() -> None:
    assert "$1,234.50" == money(1234.5, "USD")
    assert "−€5.00" == money(-5, "EUR")
    assert "CHF 5.00" == money(5, "CHF")


WAVE = [[[0.1, 0.5], [0.3, 0.2], [0.5, 0.8], [0.9, 0.4]]]
YES: dict[str, Any] = {"options": ["run_capacitor"], "name": "Hattie Voss", "shown_total": 12.0}


def test_a_signature_goes_somewhere() -> None:
    assert "M30.0 50.0" in signature_path(Signature(strokes=WAVE))
    for dot in ([[[0.5, 0.5]]], [[[0.5, 0.5], [0.501, 0.5]]]):
        with pytest.raises(ValidationError, match="this is a dot"):
            Signature(strokes=dot)
    with pytest.raises(ValidationError, match="a shorter signature"):
        Signature(strokes=[[[i % 2, 0.5] for i in range(1_900)]] * 2)


def test_a_yes_is_signed_or_heard_and_one_of_the_two() -> None:
    NewAgreement.model_validate(YES | {"signature": {"strokes": WAVE}})
    NewAgreement.model_validate(YES | {"heard_by": "Marlo, on the phone"})
    for both in ({}, {"signature": {"strokes": WAVE}, "heard_by": "Marlo"}):
        with pytest.raises(ValidationError, match="one of the two"):
            NewAgreement.model_validate(YES | both)


points = st.lists(st.tuples(st.floats(0, 1), st.floats(0, 1)).map(list), min_size=2, max_size=60)


@given(st.lists(points, min_size=1, max_size=5))
def test_any_drawing_is_a_signature_or_refused_in_words(strokes: list[list[list[float]]]) -> None:
    said = ""
    try:
        kept = Signature(strokes=strokes)
    except ValidationError as refusal:
        said = str(refusal)
        kept = None
    assert kept is not None or "this is a dot" in said
    assert kept is None or Signature.model_validate_json(kept.model_dump_json()) == kept


@given(
    parts_pct=st.integers(0, 20).map(float),
    labor_pct=st.none() | st.integers(0, 20).map(float),
    minutes=st.integers(0, 300).map(float),
    lines=st.lists(
        st.tuples(
            st.integers(-5_000, 20_000).map(lambda c: c / 100), st.sampled_from(["parts", "labor", "none"])
        ),
        max_size=5,
    ),
)
def test_each_line_is_taxed_at_its_own_rate_and_never_below_zero(
    parts_pct: float, labor_pct: float | None, minutes: float, lines: list[tuple[float, Any]]
) -> None:
    by = Rates(labor_per_hour=90.0, tax_pct=parts_pct, tax_labor_pct=labor_pct)
    written = [ExtraLine(what="Line", amount=amount, taxed=kind) for amount, kind in lines]
    s = statement([], minutes, by, written)
    assert s.tax is not None
    assert s.tax == pytest.approx(sum(t.amount for t in s.taxes))
    assert all(t.amount >= 0 for t in s.taxes)
    on_labor = parts_pct if labor_pct is None else labor_pct
    at_labor = s.lines[0].amount + sum(a for a, k in lines if k == "labor")  # type: ignore[operator]
    if labor_pct is not None and labor_pct not in (0.0, parts_pct):
        mine = next(t for t in s.taxes if t.tax_pct == on_labor)
        assert mine.amount == pytest.approx(max(0.0, at_labor) * on_labor / 100, abs=0.0051)
    exempt = statement([], minutes, by, written, "Church, certificate 12")
    assert (exempt.tax, exempt.taxes, exempt.total) == (0.0, [], exempt.subtotal)


def test_no_rate_is_guessed_for_labor() -> None:
    s = statement([], 30.0, Rates())
    assert s.total is None
    assert "No labor rate is set" in s.missing[0]


@given(st.lists(st.integers(1, 30_000), max_size=6), st.integers(0, 60_000))
def test_paid_and_due_add_up_to_the_total(cents: list[int], total: int) -> None:
    paid = paid_of([Payment(amount=c / 100, how="Cash") for c in cents], total / 100)
    assert paid.due is not None
    assert round(100 * (paid.paid + paid.due)) == total
    assert (paid.state == "paid") == (bool(cents) and sum(cents) >= total)


def test_a_refund_says_why_and_nothing_is_no_payment() -> None:
    for wrong in ({"amount": 0.0, "how": "Cash"}, {"amount": -5.0, "how": "Cash"}):
        with pytest.raises(ValidationError):
            Payment.model_validate(wrong)
    assert Payment(amount=-5.0, how="Cash", note="Paid twice").amount == -5.0
