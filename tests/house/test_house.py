"""The project polices itself: directions, exports, descriptions, units, names that must not appear."""

import ast
import json
import re
import subprocess
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from scripts.roles import roles_page

from orange_crank.core.tables.practice import practices

PACKAGE = "orange_crank"
ALLOWED = {
    "core": {"core"},
    "formats": {"core", "formats"},
    "bench": {"core", "bench"},
    "store": {"core", "store"},
    "topics": {"core", "formats"},
    "demo": {"core", "formats", "store", "demo"},
    "certificates": {"core"},
    "settings": {"core", "store", "certificates"},
    "network": {"certificates", "settings"},
    "announcing": {"network", "settings"},
    "push": {"core"},
    "apart": {"core", "formats"},
    "readers": {"formats"},
    "keeping": {"core", "network", "store"},
    "teller": {"core", "keeping", "store", "push"},
    "api": {
        "core",
        "formats",
        "store",
        "bench",
        "topics",
        "demo",
        "certificates",
        "apart",
        "keeping",
        "network",
        "teller",
        "api",
    },
}
OUTSIDE_THE_CORE = {"fastapi", "starlette", "uvicorn", "peewee", "playhouse", "pymysql", "typer", "httpx2"}


def modules(root: Path) -> Iterator[tuple[str, str, ast.Module]]:
    base = root / "src" / PACKAGE
    for path in sorted(base.rglob("*.py")):
        part = path.relative_to(base).parts[0].removesuffix(".py")
        yield str(path.relative_to(root)), part, ast.parse(path.read_text("utf-8"))


def imports(tree: ast.Module) -> set[str]:
    names: set[str] = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.Import):
            names |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            names.add(node.module)
            names |= {f"{node.module}.{alias.name}" for alias in node.names}
    return names


def test_dependencies_point_one_way(root: Path) -> None:
    for path, part, tree in modules(root):
        for name in imports(tree):
            steps = name.split(".")
            if (
                steps[0] == PACKAGE
                and name != f"{PACKAGE}.__version__"
                and len(steps) > 1
                and part in ALLOWED
            ):
                assert steps[1] in ALLOWED[part], f"{path} may not import {name}"


def test_the_core_knows_no_web_no_database_and_opens_no_files(root: Path) -> None:
    for path, part, tree in modules(root):
        if part != "core":
            continue
        assert not {n.split(".")[0] for n in imports(tree)} & OUTSIDE_THE_CORE, path
        opened = [
            n for n in ast.walk(tree) if isinstance(n, ast.Call) and getattr(n.func, "id", "") == "open"
        ]
        assert not opened, f"{path} opens a file"


# What gives a rule away: its numbers, its formulas, a decision by state, verdict, phase or clock.
RULES_OF_THE_JOB = {
    "a factor of the code or of physics": r"\b(2\.25|1\.75|1\.25|0\.0039|2653|12\.9|21\.2)\b",
    "a formula": r"Math\.(SQRT2|sqrt|PI|cos|sin|log|exp)\b",
    "a limit in volts, amps, ohms or minutes": r"\b\w*(volts|_v|_a|_ohm|_uf|_min)\b *[<>]=? *[1-9]",
    "lead ohms or any reading taken off another": r"\w_(ohm *- *\w|(v|a|uf) *- *\w*_(v|a|uf)\b)",
    "a gate by the call's state": r"state\.state *(!==|===)",
    "a gate by caution read": r"!\w*\.?caution_read *(&&|\|\|)",
    "what is offered by phase": r"\.phase *(===|!==) *[13]",
    "a legal date by this device's clock": r"toISOString\(\)\.slice",
    "put right by what was changed": r"changes\.(some|length) *[(>]",
}
# Where a word or a drawing is chosen, not what may be done: which labels three windings bear, whether a field
# that a three-phase plate has no use for is shown, DEAD in teal.
DISPLAYED = {
    ("what is offered by phase", "dead-tests.tsx"),
    ("what is offered by phase", "parts-rung.tsx"),
    ("what is offered by phase", "as-wired.tsx"),
    ("a gate by the call's state", "state-word.tsx"),
    ("a gate by the call's state", "make-safe.tsx"),
}


def test_the_front_end_computes_no_rule_of_the_job(root: Path) -> None:
    found = []
    for path in (root / "frontend" / "src").rglob("*.ts*"):
        if path.name == "schema.d.ts" or ".test." in path.name or path.parent.name == "charts":
            continue
        text = path.read_text("utf-8")
        for what, pattern in RULES_OF_THE_JOB.items():
            hit = re.search(pattern, text)
            if hit and (what, path.name) not in DISPLAYED:
                found.append(f"{path.name}: {what}: {hit.group()}")
    assert not found, found


def test_front_end_imports_point_one_way(root: Path) -> None:
    order = {"screens": 3, "ladder": 2, "charts": 2, "parts": 2, "api": 1, "quantities": 0}
    base = root / "frontend" / "src"
    for path in base.rglob("*.ts*"):
        part = path.relative_to(base).parts[0]
        for target in re.findall(r"from '\.\./(?:\.\./)*(\w+)/", path.read_text("utf-8")):
            if part in order and target in order:
                assert order[target] <= order[part], f"{path} may not import {target}"


@pytest.fixture(scope="module")
def openapi() -> dict[str, Any]:
    from orange_crank.api.app import create_app

    return create_app().openapi()


def test_the_described_server_is_up_to_date(root: Path, openapi: dict[str, Any]) -> None:
    """The front end's types are made of this file at each check and are not kept."""
    kept = json.loads((root / "docs" / "openapi.json").read_text("utf-8"))
    assert openapi == kept, "run make types"


def test_the_published_schema_of_an_archive_is_up_to_date(root: Path) -> None:
    from orange_crank.store.archive import archive_schema

    kept = json.loads((root / "docs" / "archive.schema.json").read_text("utf-8"))
    assert archive_schema() == kept, "run make types"


def test_no_route_makes_the_others_wait_for_the_records(root: Path) -> None:
    """What runs in the loop that serves everybody opens no session: that is for threads."""
    for path in (root / "src" / "orange_crank" / "api").glob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if not isinstance(node, ast.AsyncFunctionDef):
                continue
            inner = [n for n in ast.walk(node) if isinstance(n, ast.FunctionDef | ast.Lambda)]
            skipped = {id(n) for one in inner for n in ast.walk(one)}
            used = {n.id for n in ast.walk(node) if isinstance(n, ast.Name) and id(n) not in skipped}
            assert not used & {"session", "transaction", "once"}, f"{path.name}: {node.name}"


def test_every_endpoint_is_described(openapi: dict[str, Any]) -> None:
    for path, verbs in openapi["paths"].items():
        for verb, operation in verbs.items():
            assert operation.get("description") or operation.get("summary"), f"{verb} {path}"
            assert "default" in operation["responses"], f"{verb} {path}"


def test_every_number_of_a_model_carries_its_unit(openapi: dict[str, Any]) -> None:
    """A field that is a number ends in its unit, or its quantity is named in nomenclature.md."""
    units = (
        "_a",
        "_v",
        "_uf",
        "_ohm",
        "_w",
        "_f",
        "_min",
        "_s",
        "_pct",
        "_j",
        "_ma",
        "_id",
        "_hz",
        "_px",
        "_db",
        "_ft",
        "_ft2",
        "_lbin",
        "_psig",
        "_megohm",
        "_nm",
        "_deg",
        "_kw",
        "_kva",
        "_va",
        "_kgm2",
        "_mh",
        "_rpm",
        "_us",
        "_pu",
        "_hp",
        "_kwh",
        "_bit",
    )
    page = (Path(__file__).resolve().parents[2] / "docs" / "nomenclature.md").read_text("utf-8")
    named = set(re.findall(r"`(\w+)`", page))
    for model, schema in openapi["components"]["schemas"].items():
        for name, field in schema.get("properties", {}).items():
            kinds = {field.get("type"), *(o.get("type") for o in field.get("anyOf", []))}
            if kinds & {"number"}:
                assert name.endswith(units) or name in named, f"{model}.{name} has no unit"


def test_no_address_of_a_registry_and_no_path_of_a_machine_is_kept(root: Path) -> None:
    listed = subprocess.run(["git", "ls-files"], cwd=root, capture_output=True, text=True, check=True).stdout
    address = re.compile(r'(index-url|"resolved":\s*"http|registry\s*=)')
    for name in listed.split():
        if re.search(
            r"(requirements/.*\.txt|package-lock\.json|\.npmrc|pyproject\.toml|Makefile|\.sh)$", name
        ):
            assert not address.search((root / name).read_text("utf-8")), name


def test_the_readme_links_every_screenshot_and_there_are_under_twenty(root: Path) -> None:
    readme = (root / "README.md").read_text("utf-8")
    shots = sorted((root / "docs" / "screenshots").glob("*.png"))
    assert 5 <= len(shots) < 20
    for shot in shots:
        assert shot.name in readme


def test_ci_calls_exactly_the_readmes_test_command(root: Path) -> None:
    readme = (root / "README.md").read_text("utf-8")
    last = (root / ".ci" / "run").read_text("utf-8").strip().splitlines()[-1]
    assert "make test" == last
    assert "make test" in readme
    assert "make demo" in readme


def test_every_field_practice_that_is_cited_is_shown_by_the_program() -> None:
    """And the other way round: what the Shop page shows some rule stands on."""
    root = Path(__file__).resolve().parents[2] / "src" / "orange_crank"
    cited = set()
    for file in root.rglob("*.py"):
        cited |= set(re.findall(r"field practice: ([a-z][a-z, -]+[a-z])", file.read_text("utf-8")))
    shown = {p.name for p in practices()}
    # One name is put together where it is used.
    assert {c for c in cited if not any(c == s or s.startswith(c) for s in shown)} == set()
    assert {s for s in shown if not any(s == c or s.startswith(c) for c in cited)} == set()
    assert all(40 < len(p.text) < 500 and p.title[0].isupper() for p in practices())


def test_the_page_of_roles_is_the_table(root: Path) -> None:
    assert (root / "docs" / "roles.md").read_text("utf-8") == roles_page(), (
        "python -m scripts.roles > docs/roles.md"
    )
