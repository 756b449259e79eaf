"""The handbook inside the program: pages by rung, terms, and where the rule of a finding is explained."""

from orange_crank.core.handbook.cited import Cited, cited
from orange_crank.core.handbook.pages import Page, Section, pages
from orange_crank.core.handbook.terms import Term, terms

__all__ = ["Cited", "Page", "Section", "Term", "cited", "pages", "terms"]
