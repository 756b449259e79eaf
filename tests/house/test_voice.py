"""Words nobody in the trade uses do not come back to what people read."""

import ast
import re
from pathlib import Path
from string import Formatter

import pytest
from babel.messages.catalog import Catalog
from scripts.words import bring_up_to_date, collected, kept, screens, screens_today

ROOT = Path(__file__).parents[2]
SRC, SCREENS = ROOT / "src" / "orange_crank", ROOT / "frontend" / "src"
GONE = re.compile(
    r"\bper cent\b|\bmetres?\b|\blearnt\b|\boftener\b|\bnought\b|\bneighbour|\benergis|\beconomis"
    r"|\bheld against\b|\bhold (it|them) against\b|\bnobody said\b|\bnot told\b|^Wanted\b"
    r"|\b(DEAD|LIVE) work\b|\bSoonest away\b|\bWhich stands\b|\bpiece by piece\b|\bis put right\b",
)


def python_texts(path: Path) -> list[tuple[int, str]]:
    """Return a module's strings but for docstrings, with their lines."""
    tree = ast.parse(path.read_text("utf-8"))
    docs = {
        id(node.body[0].value)
        for node in ast.walk(tree)
        if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef)
        and node.body
        and isinstance(node.body[0], ast.Expr)
    }
    return [
        (node.lineno, node.value)
        for node in ast.walk(tree)
        if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in docs
    ]


def texts() -> list[tuple[str, int, str]]:
    """Return what people may read, with file and line: strings, tables, handbook pages and screens."""
    found: list[tuple[str, int, str]] = []
    for path in sorted(SRC.rglob("*.py")):
        if "migrations" not in path.parts:
            found += [(path.name, line, text) for line, text in python_texts(path)]
    lines = [
        *(p for p in SRC.rglob("*.json") if "web" not in p.parts),
        *SRC.rglob("*.md"),
        *SRC.rglob("*.html"),
        *(p for p in SCREENS.rglob("*.tsx") if ".test." not in p.name),
    ]
    for path in sorted(lines):
        comment = re.compile(r"^\s*(/?\*|//|\{/\*)")
        for number, line in enumerate(path.read_text("utf-8").splitlines(), 1):
            if path.suffix != ".tsx" or not comment.match(line):
                found.append((path.name, number, line))
    return found


def test_no_word_that_went_comes_back() -> None:
    back = [f"{name}:{line}: {text.strip()[:90]}" for name, line, text in texts() if GONE.search(text)]
    assert back == []


@pytest.mark.parametrize("text", ["Two per cent.", "Next: DEAD work", "Wanted a number.", "it is put right"])
def test_the_net_catches_what_it_names(text: str) -> None:
    assert GONE.search(text)


def messages() -> dict[str, str]:
    """Return every message template of the program with the place it is written."""
    return {str(m.id): m.locations[0][0] for m in collected() if m.id}


def shown() -> dict[str, str]:
    """Return every message of the program and every text of the screens, with the place it is written."""
    return messages() | {str(m.id): m.locations[0][0] for m in screens("es") if m.id}


def next_steps() -> list[str]:
    """Return the templates that are written as a next step."""
    found = []
    for path in SRC.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            match node:
                case ast.keyword(
                    arg="next_step",
                    value=ast.Call(func=ast.Name(id="msg"), args=[ast.Constant(value=str(text)), *_]),
                ):
                    found.append(text)
    return found


# How a next step begins: a verb, or the state of the unit that comes first.
FIRST = re.compile(
    r"(Add|Arm|Ask|Back|Be|Begin|Bleed|Bypass|Call|Change|Check|Choose|Clamp|Clean|Clear|Close|Compare|Complete"
    r"|Confirm|Connect|Copy|Correct|Count|Cut|Decide|Do|Don't|Drive|End|Enter|Export|Feel|Fill|Find|Finish|Fit"
    r"|Fix|Follow|Free|Get|Give|Go|Hand|Hands out|Hold|Import"
    r"|Inform|Install|Isolate|Keep|Leave|Let|Lift|Listen"
    r"|Lock|Look|Lower|Make|Mark|Measure|Merge|Move|Name|Note|Open|Order|Pick|Plan"
    r"|Power off|Protect|Prove|Pull|Put"
    r"|Raise"
    r"|Read|Reconnect|Record|Remake|Remeasure|Remove|Repair|Repeat|Replace|Reread|Reset|Restock|Restore|Retake"
    r"|Retest|Rewire|Rotate|Run|Save|Say|See|Select|Send|Set|Shorten|Show|Shut|Sign|Size|Split|Start|Stop|Swap"
    r"|Switch|Take|Tap|Tell|Test|Tick|Time|Torque|Treat|Try|Tug|Turn|Type|Unpack|Update|Use|Vary|Wait|Walk|Warm"
    r"|Watch|Weigh|Write|Short|Nothing to|\{)\b|^\{"
)
# Words that are no technician's, in what is read on a screen.
NO_WORDS = re.compile(
    r"\b(somebody|whoever|anew|hereby|thereof|colour|centre|grey|labour|metres?|organis|recognis|analys(e|ing)\b"
    r"|favour|behaviour|programme|whilst|per cent|is told|are told|was told|asks for|wants|everybody)\b",
    re.IGNORECASE,
)
MOST_WORDS = 18
# Templates that name a field of the program on purpose.
CODE_NAMES = {"covered, or not_today", 'a test named in "next_tests" or "skipped"'}


def sentences(template: str) -> list[str]:
    return [s for s in re.split(r"(?<=[.!?]) +(?=[A-Z“{])", template) if s]


def test_every_message_is_short_and_in_plain_words() -> None:
    long, odd = [], []
    for text, place in shown().items():
        if NO_WORDS.search(text):
            odd.append(f"{place}: {text}")
        for one in sentences(text):
            if len(re.findall(r"[A-Za-z'’-]{2,}|\{[^}]*\}", one)) > MOST_WORDS:
                long.append(f"{place}: {one}")
    assert long == []
    assert odd == []


def test_a_next_step_begins_with_what_to_do() -> None:
    steps = next_steps()
    assert len(steps) > 250
    assert [s for s in steps if not FIRST.match(s)] == []


def test_no_message_shows_a_code_name() -> None:
    """A word with an underscore is a name of the program's own."""
    named = [t for t in messages() if re.search(r"\b[a-z]+_[a-z]+\b", re.sub(r"\{[^}]*\}", "", t))]
    assert set(named) <= CODE_NAMES


def arguments(template: str) -> set[str]:
    return {f"{name}:{spec}" for _, name, spec, _ in Formatter().parse(template) if name}


def test_a_translation_has_the_arguments_of_its_message() -> None:
    for message in kept("es"):
        if message.id and message.string:
            assert arguments(str(message.id)) == arguments(str(message.string)), message.id


def test_the_catalogs_hold_every_message() -> None:
    """``make words`` brings them up to date."""
    assert {m.id for m in kept("es") if m.id} == set(messages())
    assert {m.id for m in screens("es") if m.id} == screens_today()


def test_every_text_of_the_screens_is_in_spanish() -> None:
    fields = re.compile(r"\{\w+\}")
    for text in screens("es"):
        if text.id:
            assert text.string, text.id
            assert sorted(fields.findall(str(text.string))) == sorted(fields.findall(str(text.id))), text.id


def test_no_screen_reads_a_sentence() -> None:
    """What a screen needs to know comes as a code or a figure, never out of words for people."""
    pattern = re.compile(r"/(?:\\.|[^/\n\\])*[A-Za-z]{3,}(?:[.:]| [a-z])(?:\\.|[^/\n\\])*/[gimsuy]*[,.)]")
    compared = re.compile(r"[!=]== '[A-Z][a-z]+ [a-z]")
    found = [
        f"{path.name}: {line.strip()}"
        for path in sorted(SCREENS.rglob("*.ts*"))
        if ".test." not in path.name and path.name not in {"schema.d.ts", "told.ts"}
        for line in path.read_text("utf-8").splitlines()
        if compared.search(line)
        or any(f".{use}(" in line and pattern.search(line) for use in ("replace", "test", "match", "exec"))
    ]
    assert found == []


def test_a_translation_whose_english_changed_is_not_lost() -> None:
    """It stays in the file as obsolete; what never was translated goes."""
    old, new = Catalog(locale="es"), Catalog()
    for text, spanish in (("Old words.", "Palabras viejas."), ("Never translated.", ""), ("Kept.", "Queda.")):
        old.add(text, spanish)
    for text in ("New words.", "Kept."):
        new.add(text)
    bring_up_to_date(old, new)
    assert {m.id: m.string or "" for m in old if m.id} == {"New words.": "", "Kept.": "Queda."}
    assert [m.string for m in old.obsolete.values()] == ["Palabras viejas."]
