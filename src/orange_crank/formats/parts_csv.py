"""Parts lists as CSV: read whole or refused whole, each slip by line and column."""

import csv
import io
from collections.abc import Iterable

from orange_crank.core.aids.parts import Counted, Part, columns, read_part
from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.nomenclature import Frozen

MOST_ROWS = 5_000
MOST_SLIPS = 50


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


def read_parts_csv(data: bytes) -> list[PricedPart]:
    """Read a parts list.

    Parameters
    ----------
    data : the file: UTF-8, comma or semicolon, decimal point (with semicolons a decimal comma too)

    Raises
    ------
    InputProblem : every slip by line and column; then nothing is imported

    """
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise _refusal("file", "text in UTF-8", "another encoding") from None
    if "\x00" in text:
        raise _refusal("file", "a CSV file", "something that is not text")
    head = text.lstrip().split("\n", 1)[0]
    semicolon = head.count(";") > head.count(",")
    reader = csv.reader(io.StringIO(text), delimiter=";" if semicolon else ",", strict=True)
    try:
        rows = [(reader.line_num, row) for row in reader]
    except csv.Error as error:
        raise _refusal(f"line {reader.line_num}", "quotes that close", str(error)) from None
    if not rows:
        raise _refusal("file", "a header line and at least one part", "nothing")
    header = [name.strip() for name in rows[0][1]]
    _refuse_header(header)
    slips: list[FieldProblem] = []
    found: list[PricedPart] = []
    lines: dict[str, int] = {}
    body = [(n, row) for n, row in rows[1:] if any(cell.strip() for cell in row)]
    if not body:
        raise _refusal("file", "at least one part under the header", "the header alone")
    if len(body) > MOST_ROWS:
        raise _refusal("file", f"at most {MOST_ROWS} parts", len(body))
    for line, row in body:
        if len(row) > len(header):
            slips.append(_slip(line, f"{len(header) + 1}", "no cell beyond the header", row[len(header)]))
            continue
        cells = dict(zip(header, row, strict=False))
        if semicolon:
            cells = {
                k: v.replace(",", ".") if k not in ("title", "mounting") else v for k, v in cells.items()
            }
        priced = _row(line, cells, slips)
        if priced is None:
            continue
        earlier = lines.setdefault(priced.part.part, line)
        if earlier != line:
            slips.append(
                _slip(line, "part", f"a number listed once; it is in line {earlier} too", priced.part.part)
            )
        found.append(priced)
    if slips:
        more = f" And {len(slips) - MOST_SLIPS} more." if len(slips) > MOST_SLIPS else ""
        raise InputProblem(
            slips[:MOST_SLIPS], next_step=f"Nothing was imported. Fix these lines and try again.{more}"
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
            _slip(
                line, e.field.split("[")[0], e.wanted, e.got if e.got is not None else cells.get(e.field, "")
            )
            for e in problem.errors
        ]
    return PricedPart(part=part, price=price) if part is not None and len(slips) == before else None


def _price(line: int, text: str, slips: list[FieldProblem]) -> float | None:
    if not text.strip():
        return None
    try:
        price = float(text)
    except ValueError:
        price = -1.0
    if not 0 < price <= 1e6:
        slips.append(_slip(line, "price", "a price above zero, or blank", text))
        return None
    return price


def _refuse_header(header: list[str]) -> None:
    known = [c.name for c in columns()]
    wrong = [_slip(1, name or f"{i + 1}", "one of " + ", ".join(known), name) for i, name in enumerate(header)
             if name not in known]  # fmt: skip
    wrong += [_slip(1, name, "each column once", name) for name in set(header) if header.count(name) > 1]
    wrong += [_slip(1, name, "this column", None) for name in ("part", "kind", "title") if name not in header]
    if wrong:
        raise InputProblem(
            wrong, next_step="Nothing was imported. The columns are published beside the list."
        )


def _slip(line: int, column: str, wanted: str, got: object) -> FieldProblem:
    shown = got if isinstance(got, str | int | float) or got is None else str(got)
    return FieldProblem(field=f"line {line}, column {column}", wanted=wanted, got=shown)


def _refusal(field: str, wanted: str, got: object) -> InputProblem:
    shown = got if isinstance(got, str | int) else str(got)
    return InputProblem(
        [FieldProblem(field=field, wanted=wanted, got=shown)], next_step="Nothing was imported."
    )
