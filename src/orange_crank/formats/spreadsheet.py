"""A table as a spreadsheet saves it: encoding, separator and decimal comma found out, lines numbered."""

import csv
import io
from dataclasses import dataclass

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.messages import msg

MOST_ROWS = 5_000
LONGEST_SHOWN = 80


@dataclass(frozen=True)
class Table:
    """Headings as written, and the lines that say something with their numbers in the file."""

    headings: list[str]
    body: list[tuple[int, list[str]]]
    semicolon: bool

    @property
    def names(self) -> list[str]:
        """Return the headings in small letters, words joined by underscores."""
        return ["_".join(name.strip().lower().split()) for name in self.headings]


def read_table(data: bytes, thing: str) -> Table:
    """Read a table.

    Parameters
    ----------
    data : the file: UTF-8, UTF-16 or Windows letters; comma, semicolon or tab
    thing : what a line is, for the refusals ("part")

    Raises
    ------
    InputProblem : no text, quotes that do not close, nothing under the header, too many lines

    """
    text = _text(data)
    if "\x00" in text:
        raise refusal("file", "a CSV file", "something that is not text")
    head = text.lstrip().split("\n", 1)[0]
    delimiter = max(",;\t", key=head.count)
    reader = csv.reader(io.StringIO(text), delimiter=delimiter, strict=True)
    try:
        rows = [(reader.line_num, row) for row in reader]
    except csv.Error as error:
        raise refusal(f"line {reader.line_num}", "quotes that close", str(error)) from None
    if not rows:
        raise refusal("file", f"a header line and at least one {thing}", "nothing")
    body = [(n, row) for n, row in rows[1:] if any(cell.strip() for cell in row)]
    if not body:
        raise refusal("file", f"at least one {thing} under the header", "the header alone")
    if len(body) > MOST_ROWS:
        raise refusal("file", f"at most {MOST_ROWS} {thing}s", len(body))
    return Table(rows[0][1], body, delimiter == ";")


def _text(data: bytes) -> str:
    """Return a file's text by the marks at its head, else as UTF-8, else as Windows saves it here."""
    codes = ["utf-16"] if data[:2] in (b"\xff\xfe", b"\xfe\xff") else ["utf-8-sig", "cp1252"]
    for code in codes:
        try:
            return data.decode(code)
        except UnicodeDecodeError:
            continue
    raise refusal("file", "text in UTF-8, UTF-16 or Windows letters", "another encoding")


def slip(line: int, column: str, wanted: str, got: object) -> FieldProblem:
    """Name what is wrong in one cell."""
    shown = got if isinstance(got, int | float) or got is None else short(str(got))
    return FieldProblem(field=f"line {line}, column {short(column)}", wanted=wanted, got=shown)


def short(text: str) -> str:
    """Return what a cell says, cut where it is longer than anybody reads in a refusal."""
    return text if len(text) <= LONGEST_SHOWN else text[: LONGEST_SHOWN - 1] + "…"


def refusal(field: str, wanted: str, got: object) -> InputProblem:
    """Refuse a whole file."""
    shown = got if isinstance(got, str | int) else str(got)
    return InputProblem(
        [FieldProblem(field=field, wanted=wanted, got=shown)],
        next_step=msg("Fix the file and import it again. Nothing was imported."),
    )
