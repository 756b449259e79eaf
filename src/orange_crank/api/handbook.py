"""The handbook inside the program, and where it explains a rule."""

from typing import Annotated

from fastapi import APIRouter, Query

from orange_crank.core.handbook import Cited, Page, Term, cited, pages, terms
from orange_crank.core.nomenclature import Frozen
from orange_crank.store import standards
from orange_crank.store.database import session

router = APIRouter(prefix="/api/handbook", tags=["handbook"])


class Handbook(Frozen):
    """Every page and every term."""

    pages: list[Page]
    terms: list[Term]


@router.get("")
def get_handbook() -> Handbook:
    """Return the handbook, shop rules with this shop's own values."""
    with session():
        limits = standards.shop_standards()
    return Handbook(pages=list(pages(limits)), terms=list(terms()))


@router.get("/cited")
def get_cited(rule: Annotated[str, Query(max_length=500)]) -> list[Cited]:
    """Return the sections that explain a rule as findings write it; none where no page does."""
    return list(cited(rule))
