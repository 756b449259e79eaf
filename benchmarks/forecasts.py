"""How good the forecasts are: coverage of their intervals over simulated histories, and the median error.

Each history ends at a visit while the capacitor is still in tolerance; the forecast knows nothing but its
readings. A 90 % interval that covers 80 to 95 % is honest: less promises too much, more says nothing.
"""

import numpy as np

from orange_crank.bench.histories import amps_history, capacitor_history
from orange_crank.core.logbook.baseline import baseline
from orange_crank.core.logbook.wear import CAPACITOR, YEAR_DAYS, forecast

# Other seeds than the constants were chosen with.
FIRST_SEED = 10_000


def capacitors(visits: int, histories: int = 1_000) -> dict[str, float]:
    """Return coverage of the 90 % interval and the median error of the date, over histories of a length."""
    inside = told = 0
    errors, widths = [], []
    for seed in range(FIRST_SEED, FIRST_SEED + histories):
        h = capacitor_history(seed, visits)
        if h.leaves_at is None or h.leaves_at <= h.now or h.seen[-1].value < h.low_uf:
            continue
        found = forecast(h.seen, wear=CAPACITOR, scale=h.label_uf, limit=h.low_uf, now=h.now)
        if found is None or found.state == "passed":
            continue
        truth = h.leaves_at.date()
        told += 1
        late_enough = found.latest is None or truth <= found.latest
        inside += (found.earliest is None or truth >= found.earliest) and late_enough
        if found.likely is not None:
            errors.append(abs((found.likely - truth).days) / YEAR_DAYS)
        if found.latest is not None and found.earliest is not None:
            widths.append((found.latest - found.earliest).days / YEAR_DAYS)
    return {
        "forecasts": told,
        "coverage_pct": 100 * inside / told,
        "median_error_years": float(np.median(errors)),
        "median_width_years": float(np.median(widths)),
    }


def main() -> None:
    """Print the scores."""
    print("Run capacitor leaving its tolerance, 90 % interval:")
    for visits in (3, 4, 6, 10):
        s = capacitors(visits)
        print(
            f"  {visits:2d} visits: {s['forecasts']:.0f} forecasts, covered {s['coverage_pct']:.0f} %, "
            f"median error {s['median_error_years']:.1f} years, "
            f"median width {s['median_width_years']:.1f} years"
        )
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
