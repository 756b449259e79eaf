"""What the core says, told in °C, K and meters; the same cases hold the screens."""

import ast
import json
import os
import re
from datetime import datetime, timedelta
from pathlib import Path
from typing import get_args

import pytest
from hypothesis import given
from hypothesis import strategies as st

from orange_crank.core.nomenclature import _DIFFERENCES, apart, feet, is_difference, say, temperature
from orange_crank.core.reads import AS_WRITTEN, Reads, Region, celsius, day_words, hour_words, told

GOLDEN = Path(__file__).parents[1] / "golden" / "told.json"
METRIC = Reads(temperature="C", distance="m")
SAID = (
    f"Condensing at {temperature(118.4, 0)}, {apart(23.4, 0)} over the outdoor air: as a condenser does.",
    f"Suction boils at {temperature(-4.0, 0)}, give or take {apart(2.0)}.",
    f"; the plate says 35 to {apart(65.0)}",
    f"A receptacle within {feet(25.0)}, on the same level.",
    f"No conductor keeps the drop within 3 % over {feet(4_300.0)}.",
    f"Water freezes at {temperature(32.0)}.",
    f"outdoors 60 to {say(95.5, '°F')}; line at rest 238 V",
    "Box at 44 °F in the morning, 30 ft up",
    "2 × 100 ft × (1.24 × 0.85) Ω/1000 ft × 20 A = 4.2 V",
    f"{temperature(100.0)} and {feet(100.0)} at 440.22(A), 75 °C terminals",
    "12 to 14 AWG over " + feet(60.0),
    "",
)


def test_what_the_core_says_is_told_as_it_is_read() -> None:
    found = [
        {"said": said, "reads": reads.model_dump(), "told": told(said, reads)}
        for said in SAID
        for reads in (METRIC, Reads(temperature="C"), Reads(distance="m"))
    ]
    if os.environ.get("GOLDEN") == "write":
        GOLDEN.write_text(json.dumps(found, ensure_ascii=False, indent=1) + "\n", "utf-8")
    assert json.loads(GOLDEN.read_text("utf-8")) == found


def test_by_hand() -> None:
    assert told(SAID[0], METRIC).replace("\u00a0", " ").replace("\u202f", " ") == (
        "Condensing at 47.8 °C, 12.8 K over the outdoor air: as a condenser does."
    )
    assert told(SAID[2], METRIC).replace("\u202f", " ") == "; the plate says 19.4 to 36.1 K"
    assert told(SAID[6], METRIC).replace("\u00a0", " ") == "outdoors 15.6 to 35.3 °C; line at rest 238 V"
    assert told(SAID[7], METRIC) == SAID[7]
    assert told(SAID[8], METRIC) == SAID[8]
    assert told(SAID[10], METRIC).replace("\u00a0", " ") == "12 to 14 AWG over 18.3 m"


@given(st.floats(-80, 1_000), st.floats(0, 500), st.floats(0, 10_000))
def test_no_figure_is_lost_and_none_is_told_twice(f: float, difference: float, ft: float) -> None:
    said = f"{temperature(round(f, 1))}, {apart(round(difference, 1))}, {feet(round(ft, 1))}."
    once = told(said, METRIC)
    assert told(once, METRIC) == once
    assert "°F" not in once
    assert "ft" not in once
    c, k, m = (float(x.replace("−", "-")) for x in re.findall(r"[-−]?\d+(?:\.\d+)?", once))
    assert c == pytest.approx(celsius(round(f, 1)), abs=0.51 if abs(c) >= 100 else 0.051)
    assert k == pytest.approx(round(difference, 1) / 1.8, abs=0.51 if k >= 100 else 0.051)
    assert m == pytest.approx(round(ft, 1) * 0.3048, abs=0.51 if m >= 100 else 0.051)
    assert told(said, AS_WRITTEN) == said


@given(st.text(alphabet=st.characters(exclude_characters="\u00a0\u202f")))
def test_what_somebody_wrote_stands_as_it_is(words: str) -> None:
    assert told(words + " 44 °F, 12 ft", METRIC) == words + " 44 °F, 12 ft"


@given(st.datetimes(min_value=datetime(2000, 1, 1), max_value=datetime(2100, 1, 1)))
def test_a_day_and_an_hour_say_the_same_in_every_region(at: datetime) -> None:
    for region in get_args(Region):
        said = day_words(at, Reads(region=region))
        assert {str(at.year), f"{at:%B}", str(at.day)} == set(re.findall(r"\w+", said))
    twelve = hour_words(at, Reads(hours=12))
    assert datetime.strptime(twelve.upper(), "%I:%M %p").time() == at.replace(second=0, microsecond=0).time()
    assert hour_words(at + timedelta(days=1), Reads()) == hour_words(at, Reads())


CORE = Path(__file__).parents[2] / "src" / "orange_crank" / "core"
UNMARKED = re.compile(r"[^\u00a0\u202f\[{]°F|\d (?:ft|feet)\b|\} (?:ft|feet)\b")


def sentences(path: Path) -> list[tuple[int, str]]:
    """Return the texts a module writes, but for what it says of its own fields and for sums."""
    tree = ast.parse(path.read_text("utf-8"))
    skipped: set[int] = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.keyword) and node.arg in ("arithmetic", "description"):
            skipped |= {id(inner) for inner in ast.walk(node.value)}
        if isinstance(node, ast.Module | ast.FunctionDef | ast.ClassDef) and ast.get_docstring(node):
            skipped.add(id(node.body[0].value))  # type: ignore[attr-defined]
    found = []
    for node in ast.walk(tree):
        if id(node) in skipped:
            continue
        if isinstance(node, ast.JoinedStr):
            skipped |= {id(inner) for inner in ast.walk(node)}
            parts = [str(p.value) if isinstance(p, ast.Constant) else "{}" for p in node.values]
            found.append((node.lineno, "".join(parts)))
        elif isinstance(node, ast.Constant) and isinstance(node.value, str):
            found.append((node.lineno, node.value))
    return found


# What is a sum, a formula or a word for a unit, and stays as the rule writes it.
SUMS = (
    "core/circuit/rules/ampacity.py",  # the sum of an ambient and what the roof adds
    "core/circuit/rules/drop.py",  # the sum of a drop
    "core/tables/code.py",  # the sum of a drop
    "core/measure/refrigerant.py",  # what a sum is put together from
    "core/reads.py",  # the pattern they are found by
)


def test_every_temperature_and_distance_of_a_sentence_can_be_told_otherwise() -> None:
    for path in sorted(CORE.rglob("*.py")):
        where = str(path.relative_to(CORE.parent))
        if where.startswith(SUMS):
            continue
        for line, text in sentences(path):
            assert not UNMARKED.search(text), f"{where}:{line}: {text}"


def test_so_can_those_of_tables_and_pages() -> None:
    for path in [*sorted((CORE / "tables").glob("*.json")), *sorted((CORE / "handbook").rglob("*.md"))]:
        for line in path.read_text("utf-8").splitlines():
            text = re.sub(r"Ω/1000 ft", "", line)
            assert not re.search(r"\d °F", text), f"{path.name}: {line}"


def test_the_screens_tell_differences_by_the_same_names() -> None:
    screens = (CORE.parents[2] / "frontend" / "src" / "quantities" / "measures.ts").read_text("utf-8")
    [names] = re.findall(r"const DIFFERENCES =\s+/\^\(([^)]*)\)/", screens)
    assert tuple(names.split("|")) == _DIFFERENCES
    assert is_difference("delta_t_f")
