"""Whether a figure rises or falls over the visits, by a slope that one odd reading cannot turn."""

from collections.abc import Sequence

import numpy as np
from pydantic import Field

from orange_crank.core.logbook.wear import YEAR_DAYS, Seen
from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Frozen

LEAST_VISITS = 4
SURE = 0.1


class TrendLine(Frozen):
    """The drift of a figure."""

    quantity: str
    title: Prose
    unit: str
    visits: int
    per_year: float = Field(description="Theil–Sen slope, in the figure's own unit a year")
    low_per_year: float = Field(description="Lower end of its 90 % interval")
    high_per_year: float = Field(description="Upper end of its 90 % interval")
    sure: bool = Field(description="Whether a drift this steady would be chance in fewer than one of ten")
    words: Prose


def trend(seen: Sequence[Seen], quantity: str, title: str, unit: str) -> TrendLine | None:
    """Return the drift of a figure, or None where fewer than four visits speak.

    References
    ----------
    Sen (1968), slope by median of pairs; Kendall's tau for whether it is more than chance.

    """
    by_day: dict[object, list[Seen]] = {}
    for s in seen:
        by_day.setdefault(s.at.date(), []).append(s)
    if len(by_day) < LEAST_VISITS:
        return None
    t = np.array([v[0].at.timestamp() / 86_400 / YEAR_DAYS for v in by_day.values()])
    y = np.array([float(np.median([s.value for s in v])) for v in by_day.values()])
    # Loaded when first used: it takes as long as the rest of the core.
    from scipy.stats import kendalltau, theilslopes

    slope, _, low, high = theilslopes(y, t, 0.9)
    sure = float(y.max() - y.min()) > 0 and kendalltau(t, y).pvalue < SURE
    move = "rises" if slope > 0 else "falls"
    words = (
        msg("{title} {move} {slope:.2g} {unit} a year.", title=title, move=move, slope=abs(slope), unit=unit)
        if sure
        else msg("{title}: no steady change over {by_day} visits.", title=title, by_day=len(by_day))
    )
    return TrendLine(
        quantity=quantity,
        title=title,
        unit=unit,
        visits=len(by_day),
        per_year=float(slope),
        low_per_year=float(low),
        high_per_year=float(high),
        sure=sure,
        words=words,
    )
