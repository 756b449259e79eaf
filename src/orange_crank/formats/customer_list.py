"""Customers and their units from a spreadsheet: which column is what, and each line read."""

import re
from collections.abc import Sequence
from datetime import date, datetime

from orange_crank.core.customers import GOES_WORDS, JOINED, LENGTHS, CustomerLine, Goes, ListColumn
from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.messages import msg
from orange_crank.formats.spreadsheet import Table, slip

_HEADINGS: tuple[tuple[str, Goes], ...] = (
    (r"serial|s/n|\bsn\b", "serial"),
    (r"model", "model"),
    (r"warranty", "warranty_until"),
    (r"year|built|installed|install date|manufactur", "built_year"),
    (r"unit (name|location)|^unit$|equipment name|^equipment$|system name", "unit"),
    (r"unit (type|kind)|equipment type|^type$|^kind$|system type|description", "kind"),
    (r"roof|attic|at the unit", "unit_access"),
    (r"access|gate|key|directions|entry", "site_access"),
    (r"phone|mobile|cell|e-?mail|contact", "contact"),
    (r"address|street|city|town|village|^state$|zip|postal|place", "place"),
    (r"note|remark|comment", "note"),
    (r"customer|client|account|company|^site|business|^name$|location", "site"),
)


def guess(table: Table) -> list[Goes]:
    """Return where each column seems to go, by its heading; what is not known stays out."""
    taken: set[Goes] = set()
    found: list[Goes] = []
    for heading in table.headings:
        words = " ".join(heading.lower().replace("_", " ").split())
        goes: Goes = "out"
        for pattern, where in _HEADINGS:
            if re.search(pattern, words) and (where in JOINED or where not in taken):
                goes = where
                break
        taken.add(goes)
        found.append(goes)
    return found


def columns_of(table: Table, goes: Sequence[Goes]) -> list[ListColumn]:
    """Return every column with its first cells and where it goes."""
    found = []
    for i, heading in enumerate(table.headings):
        cells = [row[i].strip() for _, row in table.body if i < len(row) and row[i].strip()]
        found.append(
            ListColumn(heading=heading.strip()[:80], samples=[c[:60] for c in cells[:3]], goes=goes[i])
        )
    return found


def read_customers(table: Table, goes: Sequence[Goes]) -> tuple[list[CustomerLine], list[FieldProblem]]:
    """Read every line with columns going where they were told to; slips by line and column.

    Raises
    ------
    InputProblem : no column for the site, or two for what takes one

    """
    _refuse_columns(table, goes)
    slips: list[FieldProblem] = []
    lines = []
    for number, row in table.body:
        read = _line(number, row, table.headings, goes, slips)
        if read is not None:
            lines.append(read)
    return lines, slips


def _refuse_columns(table: Table, goes: Sequence[Goes]) -> None:
    if len(goes) != len(table.headings):
        raise InputProblem(
            [
                FieldProblem(
                    field="goes",
                    wanted=msg("one place for each of {headings} columns", headings=len(table.headings)),
                    got=len(goes),
                )
            ],
            next_step=msg("Send the file again and say where each column goes."),
        )
    wrong = [
        FieldProblem(
            field="goes",
            wanted=msg("one column for {lower}", lower=GOES_WORDS[where].lower()),
            got=goes.count(where),
        )
        for where in dict.fromkeys(goes)
        if where != "out" and where not in JOINED and goes.count(where) > 1
    ]
    if "site" not in goes:
        wrong.append(FieldProblem(field="goes", wanted=msg("a column for the customer or site"), got=None))
    if wrong:
        raise InputProblem(wrong, next_step=msg("Choose where each column goes. Nothing was imported."))


def _line(
    number: int, row: list[str], headings: list[str], goes: Sequence[Goes], slips: list[FieldProblem]
) -> CustomerLine | None:
    before = len(slips)
    if len(row) > len(headings) and any(cell.strip() for cell in row[len(headings) :]):
        slips.append(slip(number, f"{len(headings) + 1}", "no cell beyond the header", row[len(headings)]))
    said: dict[Goes, list[str]] = {}
    heading_of: dict[Goes, str] = {}
    for heading, where, cell in zip(headings, goes, row, strict=False):
        # A spreadsheet's own mark that a cell is text; what a formula would begin with stays text.
        text = " ".join(cell.strip().removeprefix("'").split())
        if text and where != "out":
            said.setdefault(where, []).append(text)
            heading_of.setdefault(where, heading.strip())
    words = {where: " · ".join(parts) for where, parts in said.items()}
    for where, text in words.items():
        if len(text) > LENGTHS.get(where, 400):
            slips.append(
                slip(number, heading_of[where], f"at most {LENGTHS[where]} characters", f"{text[:40]}…")
            )
    if not words.get("site"):
        if words:
            slips.append(slip(number, "customer or site", "a name", None))
        return None
    year = _year(number, heading_of.get("built_year", ""), words.pop("built_year", ""), slips)
    until = _day(number, heading_of.get("warranty_until", ""), words.pop("warranty_until", ""), slips)
    if len(slips) > before:
        return None
    return CustomerLine(line=number, built_year=year, warranty_until=until, **words)


def _year(line: int, heading: str, text: str, slips: list[FieldProblem]) -> int | None:
    if not text:
        return None
    years = {int(y) for y in re.findall(r"(?<!\d)((?:19|20)\d\d)(?!\d)", text)}
    if len(years) == 1 and 1930 <= (year := years.pop()) <= 2100:
        return year
    slips.append(slip(line, heading, "a year of four digits, like 2014", text))
    return None


def _day(line: int, heading: str, text: str, slips: list[FieldProblem]) -> date | None:
    if not text:
        return None
    for form in ("%Y-%m-%d", "%m/%d/%Y", "%b %d, %Y", "%B %d, %Y"):
        try:
            return datetime.strptime(text, form).date()
        except ValueError:
            continue
    slips.append(slip(line, heading, "a day like 2027-05-31 or 5/31/2027", text))
    return None
