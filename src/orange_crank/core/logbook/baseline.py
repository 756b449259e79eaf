"""What this unit draws: running amps against outdoor temperature and volts, by robust regression."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np
from pydantic import Field
from scipy.optimize import least_squares

from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Finding, Frozen, Verdict, say, temperature

LEAST_VISITS = 3
MANY_VISITS = 6
HOT_F = 95.0
# Running amps rise 0.7 to 1.2 % for each °F outdoors and fall as volts rise within their band: a prior that
# a unit's own visits overrule.
SLOPE_PER_F, SLOPE_SD = 0.0095, 0.0025
VOLTS_SLOPE, VOLTS_SD = -0.5, 0.4
SCATTER = 0.03  # charge, indoor load, clamp and place, as a share of the reading
UNUSUAL = 2.0  # standard deviations


@dataclass(frozen=True)
class Drawn:
    """Running amps as they were read once, with what they depend on."""

    amps_a: float
    outdoor_f: float
    volts_v: float | None
    at: datetime


class Baseline(Frozen):
    """A unit's own line: what it draws at a temperature, and how sure that is."""

    visits: int
    few: bool
    at_95f_a: float = Field(description="What it draws at 95 °F on its usual volts [A]")
    rise_pct_per_f: float
    usual_v: float | None = Field(description="Volts it usually runs on; none where they were not noted")
    scatter_pct: float = Field(description="Spread of one reading about the line [%]")
    slope: list[float] = Field(description="Logarithm of amps: level, per °F, per ln(volts)")
    covariance: list[list[float]]

    def expected(self, outdoor_f: float, volts_v: float | None) -> tuple[float, float]:
        """Return the amps to expect and their standard deviation, one reading's own scatter included."""
        v = np.log(volts_v / self.usual_v) if volts_v and self.usual_v else 0.0
        row = np.array([1.0, outdoor_f - HOT_F, v])
        mean = float(row @ np.array(self.slope))
        spread = float(np.sqrt(row @ np.array(self.covariance) @ row + (self.scatter_pct / 100) ** 2))
        return float(np.exp(mean)), float(np.exp(mean) * spread)


def baseline(drawn: Sequence[Drawn]) -> Baseline | None:
    """Return this unit's own line, or None where fewer than three visits speak.

    Notes
    -----
    Regression of ln(amps) on outdoor temperature and ln(volts) with a Huber loss, and with what units of this
    trade do as prior on both slopes, so that three visits on like days do not make a wild slope.

    """
    if len({d.at.date() for d in drawn}) < LEAST_VISITS:
        return None
    volts = [d.volts_v for d in drawn if d.volts_v]
    usual = float(np.median(volts)) if volts else None
    y = np.log([d.amps_a for d in drawn])
    rows = np.array(
        [[1.0, d.outdoor_f - HOT_F, np.log(d.volts_v / usual) if d.volts_v and usual else 0.0] for d in drawn]
    )
    prior = np.array([SLOPE_PER_F, VOLTS_SLOPE])
    prior_sd = np.array([SLOPE_SD, VOLTS_SD])

    def off(b: np.ndarray) -> np.ndarray:
        return np.concatenate([(rows @ b - y) / SCATTER, (b[1:] - prior) / prior_sd])

    begin = np.array([float(np.median(y - rows[:, 1] * SLOPE_PER_F)), SLOPE_PER_F, VOLTS_SLOPE])
    # Straight in what is sought: its slopes are known, not felt for.
    slopes = np.vstack([rows / SCATTER, np.array([[0.0, 1.0, 0.0], [0.0, 0.0, 1.0]]) / prior_sd[:, None]])
    found = least_squares(off, begin, jac=lambda _: slopes, loss="huber", f_scale=1.5)
    residual = np.abs(rows @ found.x - y)
    # Never tighter than what is known of meters and days, never blind to a unit that scatters more.
    scatter = float(max(SCATTER, 1.4826 * np.median(residual)))
    counted = np.minimum(1.0, 1.5 * scatter / np.maximum(residual, 1e-9))
    curve = (rows.T * counted) @ rows / scatter**2 + np.diag([0.0, *(1 / prior_sd**2)])
    days = len({d.at.date() for d in drawn})
    return Baseline(
        visits=days,
        few=days < MANY_VISITS,
        at_95f_a=float(np.exp(found.x[0])),
        rise_pct_per_f=float(100 * found.x[1]),
        usual_v=usual,
        scatter_pct=100 * scatter,
        slope=[float(x) for x in found.x],
        covariance=np.linalg.inv(curve).tolist(),
    )


def against_baseline(line: Baseline, today: Drawn) -> Finding:
    """Say how today's amps stand to what this unit draws."""
    expected, spread = line.expected(today.outdoor_f, today.volts_v)
    more = today.amps_a - expected
    verdict: Verdict = "watch" if abs(more) > UNUSUAL * spread else "pass"
    side = "above" if more >= 0 else "below"
    few = msg(" Based on only {visits} visits.", visits=line.visits) if line.few else ""
    text = msg(
        "{more:.1f} A {side} what this unit draws at {outdoor_f} ({expected:.1f} A ± {unusual:.1f}).",
        more=abs(more),
        side=side,
        outdoor_f=temperature(today.outdoor_f, 0),
        expected=expected,
        unusual=UNUSUAL * spread,
    )
    step = None
    if verdict == "watch":
        step = (
            (msg("Check the clamp position first. Then dirty coil, charge, low voltage, tight compressor."))
            if more > 0
            else msg("Look for low charge or a compressor that does not pump; the clamp and its place first.")
        )
    return Finding(
        code="OWN_BASELINE",
        verdict=verdict,
        text=text + few,
        rule="this unit's own visits, robust regression",
        inputs={"running_a": today.amps_a, "outdoor_f": today.outdoor_f, "expected_a": round(expected, 2)},
        arithmetic=msg(
            "{amps_a} − {expected:.2f} A = {more:+.2f} A; {rise_pct_per_f:.2f} %/°F over {visits} visits",
            amps_a=say(today.amps_a, "A"),
            expected=expected,
            more=more,
            rise_pct_per_f=line.rise_pct_per_f,
            visits=line.visits,
        ),
        next_step=step,
    )
