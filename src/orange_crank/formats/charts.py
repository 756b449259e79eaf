"""Charts for paper and for files: SVG that carries its own colors and opens in any viewer."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from html import escape

import numpy as np

from orange_crank.core.logbook.wear import Forecast
from orange_crank.core.messages import for_reader, msg
from orange_crank.core.nomenclature import say

INK, SOFT, FAINT, PAPER, ORANGE, TEAL = "#121618", "#4a565b", "#c3cacd", "#ffffff", "#c2410c", "#0f5c5c"
FONT = "Atkinson Hyperlegible, DejaVu Sans, sans-serif"


@dataclass(frozen=True)
class TrendPoint:
    """One figure of a trend."""

    at: datetime
    value: float


# Figures nearer to each other than this lie on one line; what is no figure of a meter divides by nothing.
LEAST_SPREAD = 1e-9


def trend_svg(
    title: str,
    unit: str,
    points: Sequence[TrendPoint],
    low: float | None = None,
    high: float | None = None,
    ahead: Forecast | None = None,
    width: int = 520,
    height: int = 190,
) -> str:
    """Return a quantity over the visits with its band of tolerance, and the interval of its forecast.

    Parameters
    ----------
    title, unit : as written above it
    points : at least one, oldest first
    low, high : ends of the band of tolerance; None where open
    ahead : forecast whose interval is drawn where it has one

    """
    left, right, top, bottom = 46, 18, 30, 30
    times = [p.at.timestamp() for p in points]
    values = [p.value for p in points]
    shown = [v for v in (low, high) if v is not None and _near(v, values)]
    v0, v1 = min([*values, *shown]), max([*values, *shown])
    room = max(v1 - v0 or abs(v1) or 1.0, LEAST_SPREAD) * 0.15
    v0, v1 = v0 - room, v1 + room
    t0, t1 = min(times), max(times)
    ends = [d for d in (ahead.earliest, ahead.latest or ahead.likely) if d] if ahead is not None else []
    if ends:
        t1 = max(t1, min(_stamp(max(ends)), t1 + 1.5 * max(t1 - t0, 3.15e7)))
    span = (t1 - t0) or 1.0

    def x(t: float) -> float:
        return left + (min(t, t1) - t0) / span * (width - left - right)

    def y(v: float) -> float:
        return height - bottom - (min(max(v, v0), v1) - v0) / (v1 - v0) * (height - top - bottom)

    out = [
        _open(
            width,
            height,
            msg("{title}: {values}", title=title, values=", ".join(say(v, unit) for v in values)),
        )
    ]
    out.append(
        _text(
            left, 18, msg("{title} [{unit}]", title=title, unit=unit) if unit else title, 14, INK, weight=700
        )
    )
    if low is not None or high is not None:
        y_top, y_low = y(high if high is not None else v1), y(low if low is not None else v0)
        out.append(
            f'<rect x="{left}" y="{y_top:.1f}" width="{width - left - right}" '
            f'height="{max(1.0, y_low - y_top):.1f}" fill="{TEAL}" fill-opacity="0.10"/>'
        )
        for v in (low, high):
            if v is not None and v0 <= v <= v1:
                out.append(_line(left, y(v), width - right, y(v), TEAL, 1.2, "5 4"))
                out.append(_text(left - 5, y(v) + 4, say(v, "", 3), 11, TEAL, "end"))
    if ends:
        x0 = x(_stamp(min(ends)))
        x1 = x(_stamp(max(ends))) if ahead is not None and ahead.latest else width - right
        out.append(
            f'<rect x="{x0:.1f}" y="{top}" width="{max(2.0, x1 - x0):.1f}" '
            f'height="{height - top - bottom}" fill="{ORANGE}" fill-opacity="0.14"/>'
        )
    path = _path([(x(t), y(v)) for t, v in zip(times, values, strict=True)])
    out.append(f'<path d="{path}" fill="none" stroke="{ORANGE}" stroke-width="2.4"/>')
    last_x = -100.0
    for t, v in zip(times, values, strict=True):
        out.append(f'<circle cx="{x(t):.1f}" cy="{y(v):.1f}" r="3.6" fill="{INK}"/>')
        if x(t) - last_x > 34 or t == times[-1]:
            out.append(_text(x(t), y(v) - 8, say(v, "", 3), 12, INK, "middle"))
            last_x = x(t)
    out.append(_line(left, height - bottom, width - right, height - bottom, SOFT, 1))
    out.append(_text(left, height - 10, f"{points[0].at:%b %Y}", 11, SOFT))
    end = datetime.fromtimestamp(t1, points[0].at.tzinfo)
    out.append(_text(width - right, height - 10, f"{end:%b %Y}", 11, SOFT, "end"))
    return "".join(out) + "</svg>"


def starts_svg(
    before: tuple[Sequence[float], Sequence[float]],
    after: tuple[Sequence[float], Sequence[float]],
    width: int = 520,
    height: int = 200,
) -> str:
    """Return two recorded starts over each other: time [s] and amps, before and after."""
    left, right, top, bottom = 46, 14, 30, 30
    t1 = max(float(before[0][-1]), float(after[0][-1]), 1e-3)
    peak = max(float(np.max(np.abs(before[1]))), float(np.max(np.abs(after[1]))), 1.0)

    def path(wave: tuple[Sequence[float], Sequence[float]]) -> str:
        t, a = np.asarray(wave[0]), np.asarray(wave[1])
        xs = left + t / t1 * (width - left - right)
        ys = top + (1 - (a + peak) / (2 * peak)) * (height - top - bottom)
        return _path(list(zip(xs.tolist(), ys.tolist(), strict=True)))

    out = [_open(width, height, msg("Two starts over each other, up to {peak:.0f} A", peak=peak))]
    out.append(_text(left, 18, msg("A start before and after [A]"), 14, INK, weight=700))
    out.append(_text(width - right - 110, 18, msg("before"), 12, SOFT, "end"))
    out.append(_line(width - right - 106, 14, width - right - 80, 14, SOFT, 2))
    out.append(_text(width - right - 30, 18, msg("after"), 12, ORANGE, "end"))
    out.append(_line(width - right - 26, 14, width - right, 14, ORANGE, 2))
    out.append(f'<path d="{path(before)}" fill="none" stroke="{SOFT}" stroke-width="1"/>')
    out.append(f'<path d="{path(after)}" fill="none" stroke="{ORANGE}" stroke-width="1.2"/>')
    middle = top + (height - top - bottom) / 2
    out.append(_line(left, middle, width - right, middle, FAINT, 1))
    out.append(_text(left - 5, top + 8, f"{peak:.0f}", 11, SOFT, "end"))
    out.append(_text(left - 5, height - bottom, f"−{peak:.0f}", 11, SOFT, "end"))
    out.append(_text(left, height - 10, "0 s", 11, SOFT))
    out.append(_text(width - right, height - 10, f"{t1:.2f} s", 11, SOFT, "end"))
    return "".join(out) + "</svg>"


def pair_svg(rows: Sequence[tuple[str, float, float, str]], width: int = 520) -> str:
    """Return figures before and after as bars: title, before, after, unit."""
    height = 34 + 46 * len(rows)
    out = [_open(width, height, msg("Before and after"))]
    out.append(_text(8, 18, msg("Before and after"), 14, INK, weight=700))
    for i, (title, before, after, unit) in enumerate(rows):
        y = 34 + 46 * i
        most = max(before, after, 1e-9)
        out.append(_text(8, y + 22, title, 12, INK))
        for k, (value, color, word) in enumerate(((before, SOFT, "before"), (after, ORANGE, "after"))):
            bar = value / most * (width - 330)
            out.append(f'<rect x="150" y="{y + 3 + 18 * k}" width="{bar:.1f}" height="14" fill="{color}"/>')
            out.append(
                _text(
                    156 + bar,
                    y + 15 + 18 * k,
                    msg("{figure} {when}", figure=say(value, unit), when=msg(word)),
                    12,
                    INK,
                )
            )
    return "".join(out) + "</svg>"


def _path(points: Sequence[tuple[float, float]]) -> str:
    return "".join(f"{'L' if i else 'M'}{x:.1f} {y:.1f}" for i, (x, y) in enumerate(points))


def _near(v: float, values: Sequence[float]) -> bool:
    """Tell whether a limit is near enough to be drawn without flattening the figures."""
    span = max(values) - min(values)
    return min(abs(v - x) for x in values) <= max(4 * span, 0.35 * max(abs(x) for x in values))


def _stamp(day: date) -> float:
    return datetime(day.year, day.month, day.day).timestamp()


def _open(width: int, height: int, label: str) -> str:
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} {height}" width="{width}" '
        f'height="{height}" role="img" font-family="{FONT}"><title>{escape(for_reader(label))}</title>'
        f'<rect width="{width}" height="{height}" fill="{PAPER}"/>'
    )


def _text(
    x: float, y: float, text: str, size: int, fill: str, anchor: str = "start", weight: int = 400
) -> str:
    return (
        f'<text x="{x:.1f}" y="{y:.1f}" font-size="{size}" fill="{fill}" text-anchor="{anchor}" '
        f'font-weight="{weight}">{escape(for_reader(text))}</text>'
    )


def _line(x1: float, y1: float, x2: float, y2: float, color: str, width: float, dash: str = "") -> str:
    dashed = f' stroke-dasharray="{dash}"' if dash else ""
    return (
        f'<line x1="{x1:.1f}" y1="{y1:.1f}" x2="{x2:.1f}" y2="{y2:.1f}" stroke="{color}" '
        f'stroke-width="{width:g}"{dashed}/>'
    )
