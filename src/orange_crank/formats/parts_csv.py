"""Parts lists as CSV: read whole or refused whole, each slip by line and column."""

import csv
import io
import re
from collections.abc import Iterable

from orange_crank.core.aids.parts import Counted, Part, columns, read_part
from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.formats.spreadsheet import read_table, slip

MOST_SLIPS = 25
_THOUSANDS = re.compile(r"\d{1,3}(,\d{3})+(\.\d+)?")


class PricedPart(Frozen):
    """A part with the price its row gives, if it gives one."""

    part: Part
    price: float | None


def parts_csv(parts: Iterable[Counted]) -> str:
    """Return parts as CSV text (RFC 4180), one row a part, columns as published."""
    names = [c.name for c in columns()]
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(names)
    for held in parts:
        row = held.part.model_dump()
        writer.writerow([_cell(held.price if n == "price" else row[n]) for n in names])
    return out.getvalue()


def _cell(value: object) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list):
        return "|".join(_cell(v) for v in value)
    if isinstance(value, float):
        return f"{value:.10g}"
    text = str(value)
    return "'" + text if text[:1] in ("=", "+", "-", "@", "\t", "\r") else text


def is_price_list(data: bytes) -> bool:
    """Tell whether a file gives prices alone: part numbers and what each costs, no kinds."""
    try:
        header = read_table(data, "part").names
    except InputProblem:
        return False
    return {"part", "price"} <= set(header) and "kind" not in header


def read_prices_csv(data: bytes) -> list[tuple[int, str, float]]:
    """Read a list of prices: line, part number, price; other columns are passed over.

    Raises
    ------
    InputProblem : every slip by line and column; then nothing is imported

    """
    table = read_table(data, "part")
    header = table.names
    slips: list[FieldProblem] = []
    found: list[tuple[int, str, float]] = []
    for line, row in table.body:
        cells = dict(zip(header, row, strict=False))
        text = cells.get("price", "")
        price = _price(line, text.replace(",", ".") if table.semicolon else text, slips)
        number = cells.get("part", "").strip().lstrip("'")
        if not number:
            slips.append(slip(line, "part", "a part number", cells.get("part")))
        elif price is not None:
            found.append((line, number, price))
    if slips:
        raise InputProblem(
            slips[:MOST_SLIPS], next_step=msg("Fix these lines and try again. Nothing was imported.")
        )
    return found


def read_parts_csv(data: bytes) -> list[PricedPart]:
    """Read a parts list.

    Parameters
    ----------
    data : the file as a spreadsheet saves it: UTF-8, UTF-16 or Windows letters; comma, semicolon or tab;
    decimal point (with semicolons a decimal comma too); headings in any case; prices as $12.50 or 1,250.00

    Raises
    ------
    InputProblem : every slip by line and column; then nothing is imported

    """
    table = read_table(data, "part")
    header = table.names
    _refuse_header(header)
    slips: list[FieldProblem] = []
    found: list[PricedPart] = []
    lines: dict[str, int] = {}
    for line, row in table.body:
        if len(row) > len(header):
            slips.append(slip(line, f"{len(header) + 1}", "no cell beyond the header", row[len(header)]))
            continue
        cells = dict(zip(header, row, strict=False))
        if table.semicolon:
            cells = {
                k: v.replace(",", ".") if k not in ("title", "mounting") else v for k, v in cells.items()
            }
        priced = _row(line, cells, slips)
        if priced is None:
            continue
        earlier = lines.setdefault(priced.part.part, line)
        if earlier != line:
            slips.append(
                slip(line, "part", f"a number listed once; it is in line {earlier} too", priced.part.part)
            )
        found.append(priced)
    if slips:
        more = f" And {len(slips) - MOST_SLIPS} more." if len(slips) > MOST_SLIPS else ""
        raise InputProblem(
            slips[:MOST_SLIPS],
            next_step=msg("Fix these lines and try again. Nothing was imported.{more}", more=more),
        )
    return found


def _row(line: int, cells: dict[str, str], slips: list[FieldProblem]) -> PricedPart | None:
    before = len(slips)
    price = _price(line, cells.pop("price", ""), slips)
    part: Part | None = None
    try:
        part = read_part({k: v[1:] if v[:1] == "'" else v for k, v in cells.items()})
    except InputProblem as problem:
        slips += [
            slip(
                line, e.field.split("[")[0], e.wanted, e.got if e.got is not None else cells.get(e.field, "")
            )
            for e in problem.errors
        ]
    return PricedPart(part=part, price=price) if part is not None and len(slips) == before else None


def _price(line: int, text: str, slips: list[FieldProblem]) -> float | None:
    if not text.strip():
        return None
    plain = text.strip().lstrip("$€£").strip()
    # A comma between thousands, as spreadsheets write it.
    plain = plain.replace(",", "") if _THOUSANDS.fullmatch(plain) else plain
    try:
        price = float(plain)
    except ValueError:
        price = -1.0
    if not 0 < price <= 1e6:
        slips.append(slip(line, "price", "a price above zero, or blank", text))
        return None
    return price


MOST_WRONG = 12


def _refuse_header(header: list[str]) -> None:
    known = {c.name for c in columns()}
    places = {name: i for i, name in reversed(list(enumerate(header)))}
    strange = sorted((i, name) for name, i in places.items() if name not in known)
    twice = [name for name in places if header.count(name) > 1]
    wrong = [slip(1, name or f"{i + 1}", "a published column", name) for i, name in strange]
    wrong += [slip(1, name, "each column once", name) for name in twice]
    wrong += [slip(1, name, "this column", None) for name in ("part", "kind", "title") if name not in places]
    wrong = wrong[:MOST_WRONG]
    if wrong:
        raise InputProblem(
            wrong, next_step=msg("Use the columns listed beside the upload. Nothing was imported.")
        )
