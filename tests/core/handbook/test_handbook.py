"""The handbook: whole, in step with the tables, and open at every rule a finding can name."""

import ast
import re
from functools import cache
from pathlib import Path
from typing import cast

import pytest
from hypothesis import given
from hypothesis import strategies as st

import orange_crank.core as core
from orange_crank.core.handbook import Page, cited, pages, terms
from orange_crank.core.handbook.pages import RUNGS
from orange_crank.core.tables.standards import StandardName, shipped_standards, with_standard

CORE = Path(core.__file__).parent


def _said(node: ast.expr) -> str | None:
    """Return what a rule's expression says, with an edition put in; None where it is not said here."""
    match node:
        case ast.Constant(value=str(text)):
            return text
        case ast.JoinedStr(values=parts):
            whole = "".join(str(p.value) if isinstance(p, ast.Constant) else "2023" for p in parts)
            return whole if re.search("[a-zA-Z]", whole) else None
        case ast.Call(func=ast.Name(id="clause"), args=[_, number]):
            said = _said(number)
            return said and f"NEC 2023 {said}"
        case ast.Call(func=ast.Attribute(attr="rule"), args=[ast.Constant(value=name)]):
            return shipped_standards().rule(cast("StandardName", name))
    return None


def _names_a_rule(node: ast.keyword | ast.Assign) -> bool:
    if isinstance(node, ast.keyword):
        return node.arg == "rule"
    return any(isinstance(t, ast.Name) and t.id.lower().endswith("rule") for t in node.targets)


@cache
def _rules() -> list[str]:
    found = set()
    for path in CORE.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            given_as: list[ast.expr] = []
            if isinstance(node, ast.keyword | ast.Assign):
                given_as = [node.value] if _names_a_rule(node) else []
            elif isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "clause":
                given_as = [node]
            found |= {said for n in given_as if (said := _said(n))}
    return sorted(found)


def test_every_rule_written_in_the_core_opens_a_page() -> None:
    rules = _rules()
    assert len(rules) > 100
    assert [r for r in rules if not cited(r)] == []


def test_every_clause_a_rule_names_is_explained_by_itself_or_by_the_one_it_is_part_of() -> None:
    explained = {c.section for r in _rules() for c in cited(r)}
    named = {n for r in _rules() for n in re.findall(r"\b\d{3}\.\d+", r) if "NEC" in r}
    assert {n for n in named if not any(s.startswith(n) for s in explained)} == set()


def test_what_is_cited_exists() -> None:
    there = {(p.id, s.id) for p in pages() for s in p.sections}
    assert {(c.page, c.section) for r in _rules() for c in cited(r)} <= there


@given(st.sampled_from([s.name for s in shipped_standards().all()]))
def test_a_shop_rule_opens_at_itself_whatever_its_value(name: StandardName) -> None:
    page = next(p for p in pages() if p.id == "shop-rules")
    [hit] = cited(shipped_standards().rule(name))
    section = next(s for s in page.sections if s.id == hit.section)
    note = next(s for s in shipped_standards().all() if s.name == name)
    assert section.title == note.title
    assert note.reason in section.text


def test_a_shops_own_value_stands_in_the_handbook_beside_the_shipped_one() -> None:
    own = with_standard(shipped_standards(), "start_dip_pct", 11.0)
    page = next(p for p in pages(own) if p.id == "shop-rules")
    [section] = [s for s in page.sections if s.id == "start-dip-pct"]
    assert section.text.startswith("**11 %** (as shipped: ")


@pytest.mark.parametrize("page", pages(), ids=lambda p: p.id)
def test_a_page_has_parts_with_names_of_their_own_and_no_code_names(page: Page) -> None:
    ids = [s.id for s in page.sections]
    assert len(ids) == len(set(ids))
    assert all(ids)
    for text in (page.lead, *(s.text for s in page.sections)):
        assert not re.search(r"\b[a-z]+_[a-z]+", text), text
        assert len(text) > 10


def test_every_rung_of_a_call_has_its_page() -> None:
    assert {p.rung for p in pages()} - {None} == set(RUNGS.values())


def test_terms_lead_to_pages_and_no_two_share_a_name() -> None:
    names = [n.lower() for t in terms() for n in (t.term, *t.also)]
    assert sorted(n for n in set(names) if names.count(n) > 1) == []
    assert {t.page for t in terms()} <= {p.id for p in pages()}


@given(st.text())
def test_any_text_at_all_is_answered(rule: str) -> None:
    assert isinstance(cited(rule), tuple)
