"""Count the mutants no test noticed; one that only changes words is told apart, not counted."""

import ast
import json
import sys
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
SURVIVED = {0}
NO_TEST = {33}
MOST_PCT = 5.0


class _Wordless(ast.NodeTransformer):
    """Take the words out: strings that are text, and the pieces of those that are put together."""

    def visit_Constant(self, node: ast.Constant) -> ast.AST:
        is_text = isinstance(node.value, str) and not node.value.replace("_", "").isalnum()
        return ast.Constant("") if is_text or node.value is None else node

    def visit_JoinedStr(self, node: ast.JoinedStr) -> ast.AST:
        del node
        return ast.Constant("")


def _shape(node: ast.FunctionDef) -> str:
    copy = ast.parse(ast.unparse(node)).body[0]
    assert isinstance(copy, ast.FunctionDef)
    copy.name = "it"
    return ast.dump(_Wordless().visit(copy))


def survivors(folder: Path) -> Iterator[tuple[str, bool, bool]]:
    """Yield every mutant that was run: its name, whether it survived, whether it changes words alone."""
    for meta in sorted(folder.rglob("*.meta")):
        codes = json.loads(meta.read_text("utf-8"))["exit_code_by_key"]
        ran = {k: c for k, c in codes.items() if c is not None}
        if not ran:
            continue
        tree = ast.parse(meta.with_suffix("").read_text("utf-8"))
        shapes = {n.name: _shape(n) for n in ast.walk(tree) if isinstance(n, ast.FunctionDef)}
        for key, code in ran.items():
            name = key.rsplit(".", 1)[1]
            plain = name.rsplit("__mutmut_", 1)[0] + "__mutmut_orig"
            words = shapes.get(name) == shapes.get(plain)
            yield key, code in SURVIVED | NO_TEST, words


def main() -> int:
    """Print the survivors by file and the share of them; end with 1 where it is too large."""
    found = list(survivors(ROOT / "mutants" / "src"))
    rules = [(name, alive) for name, alive, words in found if not words]
    alive = [name for name, still in rules if still]
    for name in alive:
        print(f"  not noticed: {name}   (mutmut show {name})")
    share = 100 * len(alive) / len(rules) if rules else 0.0
    print(
        f"{len(alive)} of {len(rules)} mutants of a rule were not noticed, {share:.1f} % "
        f"(at most {MOST_PCT:g} %); {len(found) - len(rules)} changed words alone."
    )
    return int(share > MOST_PCT)


if __name__ == "__main__":
    sys.exit(main())
