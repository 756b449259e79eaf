"""Words nobody in the trade uses do not come back to what people read."""

import ast
import re
from pathlib import Path

import pytest

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
