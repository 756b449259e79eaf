"""A parts list in and out: the same comes back; a slip is named by line and column, nothing half-read."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from orange_crank.core.aids.parts import Counted, shipped_parts
from orange_crank.core.errors import InputProblem
from orange_crank.formats.parts_csv import is_price_list, parts_csv, read_parts_csv, read_prices_csv

HEAD = "part,kind,title,poles,fla_a,lra_240_a,coil_v,coil_va,price"
GOOD = "OWN-1,contactor,Contactor two poles,2,40,240,24,8,41.50"


def refusal(text: str | bytes) -> InputProblem:
    with pytest.raises(InputProblem) as refused:
        read_parts_csv(text.encode() if isinstance(text, str) else text)
    assert refused.value.next_step
    assert "Nothing was imported" in refused.value.next_step
    return refused.value


def test_the_whole_list_comes_back_as_it_went() -> None:
    listed = [Counted(part=p, price=10.0 + i) for i, p in enumerate(shipped_parts())]
    back = read_parts_csv(parts_csv(listed).encode())
    assert [(c.part, c.price) for c in listed] == [(r.part, r.price) for r in back]


def test_semicolons_decimal_commas_a_mark_at_the_head_and_blank_lines() -> None:
    text = (
        "\ufeff"
        + HEAD.replace(",", ";")
        + "\r\n"
        + "OWN-1;contactor;Contactor, two;2;40,5;240;24;8;41,5\r\n;;;;\r\n"
    )
    row = read_parts_csv(text.encode("utf-8"))[0]
    assert (40.5, 41.5, "Contactor, two") == (row.part.fla_a, row.price, row.part.title)


@pytest.mark.parametrize(
    ("line", "column"),
    [
        ("OWN-2,pump,Pump,2,40,240,24,8,9", "kind"),
        ("OWN-2,contactor,C,2,forty,240,24,8,9", "fla_a"),
        ("OWN-2,contactor,C,2,40,,24,8,9", "lra_240_a"),
        ("OWN-2,contactor,C,2,40,240,24,8,0", "price"),
        ("OWN-2,contactor,C,2,40,240,24,8,-3", "price"),
        ("OWN-2,contactor,C,2,40,240,24,8,free", "price"),
        ("OWN-2,contactor,C,2.5,40,240,24,8,9", "poles"),
        ("OWN-2,contactor,C,2,nan,240,24,8,9", "fla_a"),
        ("OWN-2,contactor,C,2,1e999,240,24,8,9", "fla_a"),
        ("OWN-1,contactor,C,2,40,240,24,8,9", "part"),
        ("=cmd(),contactor,C,2,40,240,24,8,9", "part"),
        ("OWN-2,contactor,C,2,40,240,24,8,9,extra", "10"),
        (",contactor,C,2,40,240,24,8,9", "part"),
    ],
)
def test_a_slip_is_named_by_line_and_column(line: str, column: str) -> None:
    problem = refusal(f"{HEAD}\n{GOOD}\n{line}\n")
    assert f"line 3, column {column}" in {e.field for e in problem.errors}
    assert all(e.wanted for e in problem.errors)


@pytest.mark.parametrize(
    "text",
    [
        "",
        "part,kind\n",
        HEAD,
        f"{HEAD},colour\n{GOOD},red",
        b"\xff\xfe\x00\x01",
        'part,kind,title\n"open',
        "\x00,\x00",
    ],
)
def test_a_file_that_is_no_parts_list_is_refused(text: str | bytes) -> None:
    refusal(text)


@pytest.mark.parametrize("code", ["utf-8", "utf-8-sig", "utf-16", "cp1252"])
@pytest.mark.parametrize("price", ["$41.50", "41.50", " £41.5 ", "€41.50"])
def test_a_list_as_a_spreadsheet_saves_it(code: str, price: str) -> None:
    """Headings in any case, Windows letters, a currency sign before the price."""
    text = HEAD.title() + "\n" + f"OWN-1,contactor,Contactor für Öl,2,40,240,24,8,{price}\n"
    row = read_parts_csv(text.encode(code))[0]
    assert ("Contactor für Öl", 41.5) == (row.part.title, row.price)


@pytest.mark.parametrize(
    ("written", "price"), [('"1,250.00"', 1250.0), ('"$12,500"', 12_500.0), ("0.5", 0.5)]
)
def test_thousands_are_read_as_they_are_written(written: str, price: float) -> None:
    row = read_parts_csv(f"{HEAD}\nOWN-1,contactor,C,2,40,240,24,8,{written}\n".encode())[0]
    assert price == row.price


@pytest.mark.parametrize("written", ['"1,2"', '"12,50"', "$", "1.2.3", "--5"])
def test_a_price_nobody_can_be_sure_of_is_refused(written: str) -> None:
    problem = refusal(f"{HEAD}\nOWN-1,contactor,C,2,40,240,24,8,{written}\n")
    assert "line 2, column price" == problem.errors[0].field


def test_a_list_of_prices_is_told_from_a_list_of_parts() -> None:
    assert is_price_list(b"Part,Price\nX-1,3\n")
    assert not is_price_list(f"{HEAD}\n{GOOD}\n".encode())
    assert not is_price_list(b"")
    assert [(2, "X-1", 3.0)] == read_prices_csv(b"Part,Price,Note\nX-1,$3.00,old\n")
    with pytest.raises(InputProblem):
        read_prices_csv(b"part,price\n,3\n")


def test_ends_the_wrong_way_about_are_refused() -> None:
    text = "part,kind,title,uf_low,uf_high,volts_ac\nS-1,start_capacitor,Start,130,108,330\n"
    assert "line 2, column uf_high" == refusal(text).errors[0].field


@settings(max_examples=200, deadline=None)
@given(
    st.binary(max_size=400) | st.text(max_size=400).map(lambda t: (HEAD + "\n" + t).encode("utf-8", "ignore"))
)
def test_no_file_breaks_the_reader(data: bytes) -> None:
    slips = None
    try:
        read_parts_csv(data)
    except InputProblem as problem:
        slips = problem.errors
    assert slips is None or slips


def test_a_head_of_a_thousand_strange_columns_is_refused_in_few_words() -> None:
    head = ",".join(["t"] * 500 + [f"column {i} " + "x" * 300 for i in range(500)])
    with pytest.raises(InputProblem) as refused:
        read_parts_csv(f"{head}\n".encode())
    assert len(refused.value.problem().model_dump_json()) < 6_000
    assert len(refused.value.errors) <= 12
    assert refused.value.next_step
