"""Capacitors together: in parallel they add, in series they share the volts."""

from typing import Annotated, Literal

from pydantic import Field, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Finding, Frozen, Microfarads, Volts, say


class CombineIn(Frozen):
    """Capacitors joined one way."""

    how: Literal["parallel", "series"]
    each_uf: Annotated[list[Microfarads], Field(min_length=1, max_length=12)]
    each_rated_v: Annotated[list[Volts], Field(max_length=12)] | None = None
    across_v: Volts | None = Field(default=None, description="Across all of them [V]")

    @model_validator(mode="after")
    def _as_many(self) -> "CombineIn":
        if self.each_rated_v is not None and len(self.each_rated_v) != len(self.each_uf):
            raise PydanticCustomError(
                "value_error", "{error}", {"field": "each_rated_v", "error": msg("one for each capacitor")}
            )
        return self


class CombineOut(Frozen):
    """What they make together."""

    total_uf: float
    shares_v: list[float] | None = Field(description="Volts across each")
    findings: list[Finding]


def combine(entry: CombineIn) -> CombineOut:
    """Return the capacitance of several capacitors, and how they share the volts.

    Notes
    -----
    In series each carries the same charge: V_k = V · C / C_k. A leaky one takes less and gives the rest to
    its fellows, which is not computed: hence equal parts and a resistor across each.

    >>> combine(CombineIn(how="series", each_uf=[100.0, 50.0], across_v=300.0)).shares_v
    [100.0, 200.0]

    """
    if entry.how == "parallel":
        total = sum(entry.each_uf)
        shares = None if entry.across_v is None else [entry.across_v] * len(entry.each_uf)
        sum_ = " + ".join(f"{c:g}" for c in entry.each_uf) + f" = {total:g} µF"
    else:
        total = 1 / sum(1 / c for c in entry.each_uf)
        shares = (
            None if entry.across_v is None else [round(entry.across_v * total / c, 2) for c in entry.each_uf]
        )
        sum_ = "1 ÷ (" + " + ".join(f"1/{c:g}" for c in entry.each_uf) + f") = {total:.4g} µF"
    findings = [
        Finding(
            code="COMBINED",
            verdict="note",
            text=msg("{total} in {how}.", total=say(total, "µF"), how=entry.how),
            rule="capacitance",
            arithmetic=sum_,
        )
    ]
    if shares is not None and entry.each_rated_v is not None:
        for i, (share, rated) in enumerate(zip(shares, entry.each_rated_v, strict=True)):
            enough = rated >= share
            findings.append(
                Finding(
                    code="SHARE_OF_VOLTS",
                    verdict="pass" if enough else "fail",
                    text=msg(
                        "Capacitor {i} sees {share}, rated {rated}.",
                        i=i + 1,
                        share=say(share, "V"),
                        rated=say(rated, "V"),
                    ),
                    rule="volts rating at or above what is across it",
                    inputs={"share_v": share, "rated_v": rated},
                    next_step=None if enough else msg("Take one of higher volts."),
                )
            )
    if entry.how == "series" and len(entry.each_uf) > 1:
        findings.append(
            Finding(
                code="SERIES_SHARING",
                verdict="watch",
                text=msg(
                    "A leaky one shifts its volts onto the others: equal parts, a resistor across each."
                ),
                rule="field practice: run capacitors",
            )
        )
    return CombineOut(total_uf=round(total, 4), shares_v=shares, findings=findings)
