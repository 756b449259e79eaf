"""Logger files: time and channels as text, any separator, decimal comma, header lines, units in headers."""

import csv
import io
import re
from collections.abc import Mapping
from pathlib import Path
from typing import Literal

import numpy as np
import polars as pl

from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.formats.recording import Column, FileProblem, Recording, factor_of, uniform

SNIFF_BYTES = 65_536
MOST_CELL = 200
TIME_WORDS = ("time", "zeit", "tid", "temps", "sec", "t")
TIME_SCALE = {"s": 1.0, "sec": 1.0, "ms": 1e-3, "us": 1e-6, "µs": 1e-6, "μs": 1e-6, "min": 60.0, "h": 3600.0}


class CsvColumn(Frozen):
    """One column with what its header says."""

    index: int
    name: str
    unit: str
    guess: Literal["time", "amps", "volts", "other"]
    first: list[str]


class CsvPreview(Frozen):
    """What a file looks like before it is read."""

    separator: str
    decimal_comma: bool
    skip_lines: int
    columns: list[CsvColumn]
    clock_time: bool
    lines: list[str]


def preview_csv(path: Path) -> CsvPreview:
    """Look at the head of a file and guess its shape.

    Raises
    ------
    FileProblem : empty, binary, packed, or without two columns of numbers

    """
    text = _head(path)
    lines = text.splitlines()
    if len(lines) > 3 and not text.endswith(("\n", "\r")):
        lines = lines[:-1]
    separator, comma = _separator(lines)
    start = _first_data_line(lines, separator, comma)
    rows = [_split(line, separator) for line in lines[start : start + 200] if line.strip()]
    width = len(rows[0])
    header = _header(lines, start, separator, width)
    columns: list[CsvColumn] = []
    for i in range(width):
        name, unit = _name_and_unit(header[i] if header else f"column {i + 1}")
        guess = _guess(name, unit, i, [r[i] for r in rows[:3] if i < len(r)])
        columns.append(
            CsvColumn(
                index=i, name=name, unit=unit, guess=guess, first=[r[i] for r in rows[:3] if i < len(r)]
            )
        )
    if not any(c.guess == "time" for c in columns):
        columns[0] = columns[0].model_copy(update={"guess": "time"})
    clock = _figure(columns[_time_index(columns)].first[0], comma) is None
    return CsvPreview(
        separator=separator,
        decimal_comma=comma,
        skip_lines=start,
        columns=columns,
        clock_time=clock,
        lines=[line[:200] for line in lines[: start + 4]][:24],
    )


def _time_index(columns: list[CsvColumn]) -> int:
    return next(c.index for c in columns if c.guess == "time")


def _head(path: Path) -> str:
    with path.open("rb") as file:
        head = file.read(SNIFF_BYTES)
    if not head.strip():
        raise FileProblem(msg("The file is empty."), next_step=msg("Export it from the logger again."))
    if head.startswith((b"PK\x03\x04", b"\x1f\x8b", b"BZh", b"7z\xbc\xaf", b"\xfd7zXZ")):
        raise FileProblem(
            msg("The file is packed."), next_step=msg("Unpack it first and send the text file inside.")
        )
    if head.startswith((b"\xff\xfe", b"\xfe\xff")):
        raise FileProblem(
            msg("The file is UTF-16 text."),
            next_step=msg("Save it as UTF-8 or plain text CSV and send it again."),
        )
    if b"\x00" in head:
        line = head[: head.index(b"\x00")].count(b"\n") + 1
        raise FileProblem(
            msg("The file is binary, not text (a zero byte in line {line}).", line=line),
            next_step=msg("Export as CSV, or as COMTRADE with both its files."),
        )
    try:
        return head.decode("utf-8-sig")
    except UnicodeDecodeError:
        return head.decode("latin-1")


def _split(line: str, separator: str) -> list[str]:
    return [cell.strip()[:MOST_CELL] for cell in next(csv.reader(io.StringIO(line), delimiter=separator), [])]


def _figure(cell: str, comma: bool) -> float | None:
    try:
        return float(cell.replace(",", ".") if comma else cell)
    except ValueError:
        return None


_DATE = r"\d{1,4}[-/.]\d{1,2}[-/.]\d{1,4}"
_CLOCK = re.compile(
    rf"^(?:{_DATE}[ T]+)?(?P<h>\d{{1,2}}):(?P<m>\d{{2}})(?::(?P<s>\d{{2}}(?:[.,]\d+)?))?"
    r" ?(?P<half>[AaPp]\.?[Mm]\.?)?Z?$"
)
_DATE_ALONE = re.compile(rf"^{_DATE}$")


def _is_data(cells: list[str], comma: bool) -> bool:
    if len(cells) < 2:
        return False
    dates = [i < 2 and bool(_DATE_ALONE.match(c)) for i, c in enumerate(cells)]
    clocks = [i < 2 and bool(_CLOCK.match(c)) for i, c in enumerate(cells)]
    figures = [_figure(c, comma) is not None and not dates[i] for i, c in enumerate(cells)]
    blank = [c == "" or c.lower() in ("nan", "null") for c in cells]
    known = zip(figures, blank, dates, clocks, strict=True)
    return sum(figures) + any(clocks) >= 2 and all(any(cell) for cell in known)


_TRIED = ((";", (False, True)), ("\t", (False, True)), (",", (False,)), ("|", (False, True)))


def _separator(lines: list[str]) -> tuple[str, bool]:
    best: tuple[int, str, bool] = (0, "", False)
    for separator, commas in _TRIED:
        for comma in commas:
            score = sum(_is_data(_split(line, separator), comma) for line in lines if line.strip())
            if score > best[0]:
                best = (score, separator, comma)
    if best[0] < 2:
        longest = max(range(len(lines)), key=lambda i: len(lines[i]))
        raise FileProblem(
            msg(
                "No lines with two columns of numbers were found (line {longest}: “{lines}”).",
                longest=longest + 1,
                lines=lines[longest][:60],
            ),
            next_step=msg("Use a file with time and current in each line, separated by comma or tab."),
        )
    return best[1], best[2]


def _first_data_line(lines: list[str], separator: str, comma: bool) -> int:
    for i, line in enumerate(lines):
        cells = _split(line, separator) if line.strip() else []
        later = [_split(x, separator) for x in lines[i + 1 : i + 4] if x.strip()]
        if _is_data(cells, comma) and all(_is_data(x, comma) and len(x) == len(cells) for x in later[:2]):
            return i
    raise FileProblem(msg("Lines of numbers do not keep one width."), next_step=msg("Export it again."))


def _header(lines: list[str], start: int, separator: str, width: int) -> list[str] | None:
    names: list[str] | None = None
    for i in range(start - 1, max(-1, start - 4), -1):
        cells = _split(lines[i], separator)
        if len(cells) != width or not any(re.search(r"[A-Za-zµΩ]", c) for c in cells):
            continue
        if names is None:
            names = cells
        elif all(len(c) <= 4 for c in names):
            # A line of units under the line of names.
            return [f"{name} [{unit}]" for name, unit in zip(cells, names, strict=True)]
    return names


_BRACKETS = {"]": "[", ")": "(", "}": "{"}


def _name_and_unit(cell: str) -> tuple[str, str]:
    """Split "Current [A]" into its name and unit.

    >>> _name_and_unit("Line current (mA) "), _name_and_unit("time_s"), _name_and_unit("[A]")
    (('Line current', 'mA'), ('time_s', ''), ('[A]', 'A'))
    """
    text = cell.strip()
    opening = text.rfind(_BRACKETS.get(text[-1:], "\0"))
    if opening < 0:
        return cell, ""
    return text[:opening].rstrip(" _\t") or cell, text[opening + 1 : -1].strip()


_CURRENT_NAMES = re.compile(r"curr|amp|strom|clamp|\bct\b|^i\b|^i[abc_\d]|^i ?(l\d|line|rms|ac)\b")
_VOLTAGE_NAMES = re.compile(r"volt|spann|^[uv]\b|^[uv][abc_\d]|^[uv] ?(l\d|line|rms|ac)\b")


def _guess(name: str, unit: str, index: int, first: list[str]) -> Literal["time", "amps", "volts", "other"]:
    low, u = name.lower(), unit.lower()
    if any(_CLOCK.match(cell) for cell in first):
        return "time"
    if first and all(_DATE_ALONE.match(cell) for cell in first):
        return "other"
    if u in TIME_SCALE or any(low == w or low.startswith(w + " ") for w in TIME_WORDS) or "time" in low:
        return "time"
    # A clamp's own output is in millivolts and is still the current; a name tells that, the unit does not.
    if u in ("a", "ma", "ka") or (u in ("", "v", "mv") and _CURRENT_NAMES.search(low)):
        return "amps"
    if u in ("v", "mv", "kv") or _VOLTAGE_NAMES.search(low):
        return "volts"
    return "time" if index == 0 and not unit else "other"


def read_csv(
    path: Path,
    preview: CsvPreview,
    time_index: int,
    channels: dict[str, int],
    scale: Mapping[str, float | None] | None = None,
) -> Recording:
    """Read a logger file onto a uniform time base.

    Parameters
    ----------
    path : the file
    preview : its shape
    time_index : which column is time
    channels : column number by the name it shall have (``line_a``, ``line_v``)
    scale : extra factor by name, such as a clamp's ratio

    Raises
    ------
    FileProblem : a column that is not there, a cell that is no number (line and column named)
    InputProblem : a clamp's volts without its ratio, or amps where volts belong

    """
    width = len(preview.columns)
    for name, index in {"time": time_index, **channels}.items():
        if not 0 <= index < width:
            raise FileProblem(
                msg(
                    "{name}: there is no column {index}; the file has {width}.",
                    name=name,
                    index=index + 1,
                    width=width,
                )
            )
    wanted = sorted({time_index, *channels.values()})
    clock = preview.clock_time and time_index == _time_index(preview.columns)
    types = {f"column_{i}": pl.String if clock and i == time_index else pl.Float64 for i in range(width)}
    try:
        frame = pl.read_csv(
            path,
            has_header=False,
            skip_lines=preview.skip_lines,
            separator=preview.separator,
            decimal_comma=preview.decimal_comma,
            columns=[f"column_{i}" for i in wanted],
            schema_overrides=types,
            ignore_errors=True,
            truncate_ragged_lines=True,
            encoding="utf8-lossy",
        )
    except (pl.exceptions.PolarsError, OSError) as error:
        raise FileProblem(
            msg(
                "The file breaks off or changes shape: {splitlines}",
                splitlines=str(error).splitlines()[0][:200],
            )
        ) from error
    series = {index: frame.get_column(f"column_{index}") for index in wanted}
    _refuse_words(path, preview, series)
    time = (
        _clock(series[time_index])
        if clock
        else _numbers(series[time_index]) * _time_scale(preview, time_index)
    )
    columns: dict[str, Column] = {}
    units: dict[str, str] = {}
    for name, index in channels.items():
        unit = preview.columns[index].unit
        factor = factor_of(name, unit, (scale or {}).get(name))
        values = _numbers(series[index])
        columns[name] = values * factor if factor != 1.0 else values
        units[name] = {"line_a": "A", "line_v": "V"}.get(name, unit)
    return uniform(time, columns, units)


def _numbers(series: pl.Series) -> Column:
    return series.to_numpy() if series.null_count() == 0 else series.fill_null(float("nan")).to_numpy()


def _time_scale(preview: CsvPreview, index: int) -> float:
    return TIME_SCALE.get(preview.columns[index].unit.lower(), 1.0)


def _clock(series: pl.Series) -> Column:
    """Return seconds since midnight of the first stamp, shape (n,); NaN where a cell holds no time of day.

    The date is not needed, nor which of its figures is the month: neighboring samples lie less than half
    a day apart, so a clock that falls by more has gone over midnight.
    """
    found = series.str.extract_groups(_CLOCK.pattern).struct.unnest()
    hours = _numbers(found["h"].cast(pl.Float64, strict=False))
    half = found["half"].str.slice(0, 1).str.to_lowercase()
    twelve = half.is_not_null().to_numpy()
    hours = np.where(twelve, hours % 12 + 12 * (half == "p").fill_null(value=False).to_numpy(), hours)
    minutes = _numbers(found["m"].cast(pl.Float64, strict=False))
    seconds = np.nan_to_num(_numbers(found["s"].str.replace(",", ".").cast(pl.Float64, strict=False)))
    whole: Column = hours * 3600 + minutes * 60 + seconds
    told = np.flatnonzero(np.isfinite(whole))
    if not len(told):
        return whole
    falls = np.concatenate(([0.0], np.diff(whole[told])))
    whole[told] += 86_400.0 * (np.cumsum(falls < -43_200.0) - np.cumsum(falls > 43_200.0))
    # From 12:59 to 1:00 on a clock that marks no half of the day.
    whole[told] += 43_200.0 * np.cumsum((falls >= -43_200.0) & (falls < -39_600.0))
    return whole


def _refuse_words(path: Path, preview: CsvPreview, series: dict[int, pl.Series]) -> None:
    """Name the first cell that holds text where a number belongs; empty cells and NaN are gaps."""
    rows = {index: s.is_null().arg_true() for index, s in series.items() if s.null_count()}
    suspects = sorted({int(r) for found in rows.values() for r in found[:50]})
    if not suspects:
        return
    last_row = max(len(s) for s in series.values()) - 1
    wanted = set(suspects)
    with path.open(encoding="utf-8", errors="replace") as file:
        data_row = -1
        for number, line in enumerate(file):
            if number < preview.skip_lines:
                continue
            if not line.strip():
                continue
            data_row += 1
            if data_row > suspects[-1]:
                return
            if data_row not in wanted or data_row == last_row:
                continue
            cells = _split(line, preview.separator)
            for index in series:
                cell = cells[index] if index < len(cells) else ""
                if (
                    cell.lower() not in ("", "nan", "null", "-")
                    and _figure(cell, preview.decimal_comma) is None
                ):
                    raise FileProblem(
                        msg(
                            "Line {number}, column {index} ({name}): “{cell}” is not a number.",
                            number=number + 1,
                            index=index + 1,
                            name=preview.columns[index].name,
                            cell=cell[:40],
                        ),
                        next_step=msg("Fix or delete that line, then send the file again."),
                    )


def write_csv(recording: Recording) -> str:
    """Return a recording as CSV text: its own time in seconds, then channels, units in the header."""
    names = list(recording.channels)
    count = len(next(iter(recording.channels.values())))
    frame = pl.DataFrame(
        {
            "time_s": recording.start_s + np.arange(count) / recording.sample_hz,
            **{f"{n} [{recording.units.get(n, '')}]": recording.channels[n] for n in names},
        }
    )
    return frame.write_csv(float_precision=9)
