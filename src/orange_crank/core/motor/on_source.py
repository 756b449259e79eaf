"""Whether a start on a small source is good enough: speed, contactor, dip, what the engine is asked for."""

from typing import Literal

from orange_crank.core.messages import Prose, joined, msg
from orange_crank.core.motor.start import StartResult
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.tables.standards import Standards

SourceVerdict = Literal["starts", "marginal", "fails"]
# A 24 V coil lets go anywhere between 25 and 62 % of its volts: the conservative end.
DROPOUT_PCT = 62.0
# So near to letting go nobody counts on it [% of rated volts].
HOLD_SPARE_PCT = 3.0


class OnSource(Frozen):
    """One start, judged for the source it was computed on."""

    verdict: SourceVerdict
    holds: bool
    spare_pct: float
    why: Prose


def judge_on_source(
    start: StartResult, rated_v: float, limits: Standards, dropout_pct: float = DROPOUT_PCT
) -> OnSource:
    """Judge a start computed on a generator or inverter.

    Parameters
    ----------
    start : the start, other loads already taken off its source
    rated_v : the plate's volts, by whose transformer the coil is fed [V]
    dropout_pct : at which share of rated volts the contactor lets go [%]

    Notes
    -----
    Fails: no start, or the contactor lets go. Marginal at best: a late start, a contactor near letting go, a
    dip above the shop's limit for a small source, an engine asked for more than its rating for longer than a
    good start takes (its hertz sag, which the start itself leaves out).

    """
    lowest_pct = 100 * start.volts * (1 - start.sag_pct / 100) / rated_v
    spare = lowest_pct - dropout_pct
    holds = spare > 0
    if start.verdict not in ("started", "late"):
        return OnSource(verdict="fails", holds=holds, spare_pct=spare, why=start.sentence)
    if not holds:
        return OnSource(
            verdict="fails",
            holds=False,
            spare_pct=spare,
            why=msg(
                "Volts dip by {sag_pct:.0f} %: the contactor lets go during the start.", sag_pct=start.sag_pct
            ),
        )
    little = []
    if start.verdict == "late":
        little.append(msg("It starts late."))
    if start.sag_pct > limits.source_dip_pct:
        little.append(
            msg(
                "Volts dip by {sag_pct:.0f} %; {source_dip_pct:g} % is the shop's limit.",
                sag_pct=start.sag_pct,
                source_dip_pct=limits.source_dip_pct,
            )
        )
    if spare < HOLD_SPARE_PCT:
        little.append(msg("The contactor is near letting go."))
    if start.overloaded_s is not None and start.overloaded_s > limits.start_seconds:
        little.append(
            msg(
                "The engine is asked for more than its rating for {overloaded_s:.1f} s: its hertz sag.",
                overloaded_s=start.overloaded_s,
            )
        )
    if little:
        return OnSource(
            verdict="marginal",
            holds=True,
            spare_pct=spare,
            why=msg("{sentence} {join}", sentence=start.sentence, join=joined(little, " ")),
        )
    return OnSource(verdict="starts", holds=True, spare_pct=spare, why=start.sentence)
