"""How good the forecasts are: coverage of their intervals over simulated histories, and the median error.

Each history ends at a visit while the capacitor is still in tolerance; the forecast knows nothing but its
readings. A 90 % interval that covers 80 to 95 % is honest: less promises too much, more says nothing.
"""

from dataclasses import dataclass, field
from datetime import datetime

import numpy as np

from orange_crank.bench.histories import amps_history, capacitor_history, start_history
from orange_crank.core.logbook.baseline import baseline
from orange_crank.core.logbook.wear import CAPACITOR, START_TIME, YEAR_DAYS, Forecast, forecast

# Other seeds than the constants were chosen with.
FIRST_SEED = 10_000


@dataclass
class Score:
    """How forecasts of one kind did."""

    told: int = 0
    inside: int = 0
    errors: list[float] = field(default_factory=list)
    widths: list[float] = field(default_factory=list)

    def take(self, found: Forecast | None, truth: datetime) -> None:
        """Count one forecast against the day it truly happened."""
        if found is None or found.state == "passed":
            return
        day = truth.date()
        self.told += 1
        late_enough = found.latest is None or day <= found.latest
        self.inside += (found.earliest is None or day >= found.earliest) and late_enough
        if found.likely is not None:
            self.errors.append(abs((found.likely - day).days) / YEAR_DAYS)
        if found.latest is not None and found.earliest is not None:
            self.widths.append((found.latest - found.earliest).days / YEAR_DAYS)

    def told_in_words(self, visits: int) -> str:
        """Return the score as a line."""
        return (
            f"  {visits:2d} visits: {self.told} forecasts, covered {100 * self.inside / self.told:.0f} %, "
            f"median error {np.median(self.errors):.1f} years, "
            f"median width {np.median(self.widths):.1f} years"
        )


def capacitors(visits: int, histories: int = 1_000) -> Score:
    """Return the score of the 90 % interval of a run capacitor, over histories of a length."""
    score = Score()
    for seed in range(FIRST_SEED, FIRST_SEED + histories):
        h = capacitor_history(seed, visits)
        if h.leaves_at is not None and h.leaves_at > h.now and h.seen[-1].value >= h.low_uf:
            score.take(
                forecast(h.seen, wear=CAPACITOR, scale=h.label_uf, limit=h.low_uf, now=h.now), h.leaves_at
            )
    return score


def starts(visits: int, histories: int = 1_000) -> Score:
    """Return the score of the 90 % interval of starts that get longer, over histories of a length."""
    score = Score()
    for seed in range(FIRST_SEED, FIRST_SEED + histories):
        h = start_history(seed, visits)
        if h.passes_at is not None and h.passes_at > h.now and h.seen[-1].value <= h.limit_s:
            score.take(
                forecast(h.seen, wear=START_TIME, scale=h.limit_s, limit=h.limit_s, now=h.now), h.passes_at
            )
    return score


def main() -> None:
    """Print the scores."""
    print("Run capacitor leaving its tolerance, 90 % interval:")
    for visits in (3, 4, 6, 10):
        print(capacitors(visits).told_in_words(visits))
    print("Starts passing the shop's limit, 90 % interval:")
    for visits in (3, 4, 6, 10):
        print(starts(visits).told_in_words(visits))
    print("Running amps, a sound visit more, two standard deviations:")
    for visits in (3, 6, 12):
        held = total = 0
        for seed in range(FIRST_SEED, FIRST_SEED + 1_000):
            drawn, _, _ = amps_history(seed, visits + 1)
            line = baseline(drawn[:-1])
            if line is None:
                continue
            expected, spread = line.expected(drawn[-1].outdoor_f, drawn[-1].volts_v)
            total += 1
            held += abs(drawn[-1].amps_a - expected) <= 2 * spread
        print(f"  {visits:2d} visits: {100 * held / total:.0f} % inside (one in eight was dirty)")


if __name__ == "__main__":
    main()
