"""Papers: turned into pages and read again; names in any script; nothing fetched from anywhere."""

from datetime import UTC, date, datetime, timedelta
from typing import Any

import pypdfium2
import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st
from icalendar import Calendar

from orange_crank.core.handover.money import Rates, UsedPart, paid_of, statement
from orange_crank.core.wiring import WiringIn
from orange_crank.core.wiring.plans import plan_titles
from orange_crank.formats.calendar import CalendarTask, CalendarVisit, calendar
from orange_crank.formats.charts import TrendPoint, pair_svg, starts_svg, trend_svg
from orange_crank.formats.documents.paper import Head, css_string, fonts, render, to_pdf
from orange_crank.formats.wiring_paper import wiring_page
from orange_crank.formats.wiring_svg import plan_with_pictures, with_own_colors

SIZES = {"letter": (612, 792), "a4": (595, 842)}


def head(**more: Any) -> Head:
    words = {
        "shop": "Quillback Cooling",
        "shop_lines": ["12 Ferry Street"],
        "title": "Statement",
        "site": "Ferry landing",
        "place": "Pier road",
        "unit": "Ticket office split",
        "unit_words": "Split, 3 ton",
        "person": "Ines Tarrow",
        "at": "May 1, 2027",
        "conditions": "outdoors 95 °F",
        "number": "Call 4",
        "unit_address": "http://127.0.0.1/units/1",
    }
    return Head(**(words | more))


def page(**more: Any) -> str:
    s = statement([UsedPart(title="Can", count=1, price=46.0)], 45, Rates(labor_per_hour=110))
    return render(
        "statement",
        head(**more),
        hand_over={"done": []},
        statement=s,
        billed=None,
        bill=None,
        payments=[],
        paid=paid_of([], s.total),
        terms=[],
        over_agreed=None,
        agreed=[],
    )


def read(pdf: bytes) -> tuple[list[tuple[float, float]], str]:
    made = pypdfium2.PdfDocument(pdf)
    sizes = [made[i].get_size() for i in range(len(made))]
    text = "\n".join(made[i].get_textpage().get_text_range() for i in range(len(made)))
    made.close()
    return sizes, text


@pytest.mark.parametrize("paper", SIZES)
def test_a_paper_has_its_size_and_says_who_what_when_and_where(paper: Any) -> None:
    sizes, text = read(to_pdf(page(paper=paper)))
    assert [SIZES[paper]] == [(round(w), round(h)) for w, h in sizes]
    for words in (
        "Quillback Cooling",
        "Ticket office split",
        "Ines Tarrow",
        "May 1, 2027",
        "95 °F",
        "$128.50",
    ):
        assert words in text
    assert "1 of 1" in text


NAMES = {
    "Ítalo Núñez": True,
    "Жанна Öberg": True,
    "Ευγενία": True,
    "Nguyễn Thị": True,
    "O'Brien <b>": True,
    # Shaped or written from the right: drawn, and read back in another order.
    "דנה לוי": False,
    "محمد العطار": False,
    "नीला राव": False,
    "สมชาย": False,
}


@pytest.mark.parametrize("name", NAMES)
def test_a_name_in_any_script_stands_on_paper_and_breaks_nothing(name: str) -> None:
    made = page(person=name, site=name, unit=name, shop=name)
    assert "<b>" not in made.split("<body>")[1].replace("<b></b>", "")
    sizes, text = read(to_pdf(made))
    assert 1 == len(sizes)
    if NAMES[name]:
        # Letters from two fonts are read back with gaps between them.
        assert "".join(name.split()) in "".join(text.split())


@given(st.text(max_size=60))
@settings(max_examples=25, deadline=None, suppress_health_check=list(HealthCheck))
def test_no_text_breaks_out_of_the_paper(text: str) -> None:
    quoted = str(css_string(text))
    assert quoted.startswith('"')
    assert quoted.endswith('"')
    assert not set('"\\\n<>{};') & set(quoted[1:-1].replace("\\", "")) or "\\" in quoted
    made = page(shop=text, unit=text, person=text, site=text)
    assert "<script" not in made.lower().replace("&lt;script", "")


def test_a_paper_asks_for_nothing_that_does_not_ship() -> None:
    assert len(fonts()) > 8
    bad = page().replace("</body>", '<img src="http://203.0.113.5/x.png"></body>')
    sizes, _ = read(to_pdf(bad))
    assert 1 == len(sizes), "the picture is left out, the paper is made"


@pytest.mark.parametrize("kind", plan_titles())
def test_every_plan_goes_on_paper(kind: str) -> None:
    entry = WiringIn.model_validate({"kind": kind})
    sizes, text = read(to_pdf(wiring_page(entry, head(title="Wiring plan"))))
    assert len(sizes) >= 1
    assert "Moves, one at a time" in text
    assert "Watch out for" in text
    svg = with_own_colors(plan_with_pictures(entry).svg or "")
    assert "var(" not in svg, "opens in any viewer"


def test_a_trend_carries_its_colors_and_its_band() -> None:
    start = datetime(2024, 5, 1, tzinfo=UTC)
    points = [TrendPoint(start + timedelta(days=365 * i), 45 - i) for i in range(4)]
    svg = trend_svg("Run capacitor", "µF", points, 42.3, 47.7)
    assert "var(" not in svg
    assert "42.3" in svg
    assert "Run capacitor [µF]" in svg


values = st.lists(st.floats(-1e6, 1e6), min_size=2, max_size=30)


@given(values, st.none() | st.floats(-10, 500), st.none() | st.floats(-10, 500))
@example([5e-324, 0.0], None, None)
@example([5e-324, 5e-324], 0.0, 5e-324)
def test_no_figures_break_a_chart(figures: list[float], low: float | None, high: float | None) -> None:
    start = datetime(2024, 5, 1, tzinfo=UTC)
    points = [TrendPoint(start + timedelta(days=i), v) for i, v in enumerate(figures)]
    for svg in (
        trend_svg("x", "A", points, low, high),
        starts_svg((range(len(figures)), figures), (range(len(figures)), figures)),
        pair_svg([("x", abs(figures[0]), abs(figures[1]), "A")]),
    ):
        assert svg.endswith("</svg>")
        assert "nan" not in svg
        assert "inf" not in svg


words = st.text(max_size=40)


@given(words, words, st.integers(1, 50), st.dates(date(2020, 1, 1), date(2060, 1, 1)))
def test_a_calendar_is_read_again_as_it_was_written(title: str, text: str, version: int, due: date) -> None:
    begins = datetime(2027, 5, 1, 15, tzinfo=UTC)
    visit = CalendarVisit(
        uid="visit-1",
        title=title,
        begins=begins,
        ends=begins + timedelta(minutes=90),
        place="Pier",
        text=text,
        url="http://127.0.0.1/units/1",
        person="Ines",
        version=version,
    )
    task = CalendarTask(
        uid="task-2", title="Torque", due_on=due, text=text, url="http://127.0.0.1/", person="", version=1
    )
    made = calendar("Ines", [visit], [task])
    events = list(Calendar.from_ical(made).walk("VEVENT"))
    assert ["visit-1@orange-crank", "task-2@orange-crank"] == [str(e["uid"]) for e in events]
    assert begins == events[0].decoded("dtstart")
    assert version == events[0]["sequence"]
    assert due == events[1].decoded("dtstart")
