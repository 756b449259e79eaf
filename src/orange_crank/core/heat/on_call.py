"""Heat strips on a call: one stage called and measured, its dead elements, and the rise they cost."""

from typing import Annotated

from pydantic import Field, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.heat.elements import HeatKit, Kilowatts
from orange_crank.core.heat.entry import DeltaF, HeatIn, HeatMeasured
from orange_crank.core.heat.measured import check, judge
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import AltitudeFt, Finding, Flag, Frozen, Volts, ZeroOrMoreAmps, apart
from orange_crank.core.tables.standards import Standards, shipped_standards

ElementCount = Annotated[int, Field(strict=True, ge=1, le=24)]
HeatStage = Annotated[int, Field(strict=True, ge=1, le=8)]


class HeatStrips(Frozen):
    """Strips as measured while one call for heat stands."""

    stage_called: HeatStage = Field(description="Up to which stage the thermostat calls")
    elements: ElementCount = Field(description="Elements that should heat on this call")
    element_kw: Kilowatts = Field(description="Each, as marked [kW]")
    rated_v: Volts = Field(default=240.0, description="What the elements are marked for [V]")
    volts: Volts = Field(description="At the strips, heating [V]")
    amps: ZeroOrMoreAmps = Field(description="Of strips and blower together [A]")
    blower_fla_a: ZeroOrMoreAmps = Field(default=0.0, description="Blower's share of those amps [A]")
    rise_f: DeltaF | None = Field(default=None, description="Air out less air in [°F]")
    altitude_ft: AltitudeFt | None = None
    rise_low_f: DeltaF | None = Field(default=None, description="Plate: rise from [°F]")
    rise_high_f: DeltaF | None = Field(default=None, description="Plate: rise to [°F]")
    on_backup: Flag = Field(default=False, description="The strips are on the backup source as well")

    @model_validator(mode="after")
    def _possible(self) -> "HeatStrips":
        if self.rise_low_f and self.rise_high_f and self.rise_low_f > self.rise_high_f:
            raise PydanticCustomError(
                "value_error", "{error}",
                {"field": "rise_high_f", "error": msg("at least {apart}", apart=apart(self.rise_low_f))},
            )  # fmt: skip
        if self.volts > 1.1 * self.rated_v:
            raise PydanticCustomError(
                "value_error", "{error}",
                {"field": "volts", "error": msg("at most {rated_v:g} V: the "
"elements would burn", rated_v=1.1 * self.rated_v)},
            )  # fmt: skip
        return self


class HeatStripsOut(Frozen):
    """What the strips show."""

    called: int
    working: int
    expected_a: float
    heat_kw: float = Field(description="What heats, from the measured volts and amps [kW]")
    rise_with_all_f: float | None = Field(description="Rise with every called element, same air [°F]")
    findings: list[Finding]


def judge_strips(strips: HeatStrips, standards: Standards | None = None) -> HeatStripsOut:
    """Judge heat strips measured on a call.

    Parameters
    ----------
    strips : stage called, elements, volts [V], amps [A], rise [°F]
    standards : the shop's limits (shipped ones when left out)

    Notes
    -----
    The same air carries less heat with an element dead: the rise falls in proportion, so a low rise with an
    element dead is the element, and not too much air.

    """
    limits = standards or shipped_standards()
    entry = HeatIn(
        kits=[
            HeatKit(
                kw=strips.element_kw * strips.elements,
                elements=strips.elements,
                rated_v=strips.rated_v,
                stage=1,
            )
        ],
        supply_v=strips.volts,
        phase=1,
        blower_fla_a=strips.blower_fla_a,
        rise_low_f=strips.rise_low_f,
        rise_high_f=strips.rise_high_f,
        measured=HeatMeasured(
            volts=strips.volts,
            amps=strips.amps,
            stages_called=1,
            delta_t_f=strips.rise_f,
            altitude_ft=strips.altitude_ft,
        ),
    )
    checked = check(entry)
    assert checked is not None
    findings = judge(entry, checked, limits)
    heat_a = max(0.0, strips.amps - strips.blower_fla_a)
    whole = None
    if checked.working < checked.called:
        # Too little heat, or none, tells nothing of the air by itself.
        findings = [f for f in findings if f.code != "AIRFLOW"]
    if strips.rise_f is not None and 0 < checked.working < checked.called:
        whole = strips.rise_f * checked.called / checked.working
        findings.append(_rise_of_dead(strips, checked.working, whole))
    if strips.on_backup:
        findings.append(
            Finding(
                code="STRIPS_ON_BACKUP",
                verdict="watch",
                text=msg(
                    "{elements:g} kW of strips hang on the backup source too.",
                    elements=strips.elements * strips.element_kw,
                ),
                rule="field practice: backup power",
                inputs={"elements": strips.elements, "element_kw": strips.element_kw},
                next_step=msg("Lock the strips out on backup, or leave their breaker off. Label the panel."),
            )
        )
    return HeatStripsOut(
        called=checked.called,
        working=checked.working,
        expected_a=round(checked.expected_a, 2),
        heat_kw=round(strips.volts * heat_a / 1000, 3),
        rise_with_all_f=None if whole is None else round(whole, 1),
        findings=findings,
    )


def _rise_of_dead(strips: HeatStrips, working: int, whole: float) -> Finding:
    low, high = strips.rise_low_f, strips.rise_high_f
    still_low = low is not None and whole < low
    still_high = high is not None and whole > high
    end = msg("; then it is within the nameplate")
    if still_low:
        end = msg(
            "; that is still under the nameplate's {apart}: too much air as well", apart=apart(low or 0.0)
        )
    elif still_high:
        end = msg(
            "; that would be over the nameplate's {apart}: too little air as well", apart=apart(high or 0.0)
        )
    elif low is None or high is None:
        end = ""
    return Finding(
        code="RISE_OF_DEAD_ELEMENT",
        verdict="watch" if still_low or still_high else "note",
        text=msg(
            "The {apart} of rise is that of {working} of {elements} elements. With all of "
            "them the same air rises {apart_2}{end}.",
            apart=apart(strips.rise_f or 0.0),
            working=working,
            elements=strips.elements,
            apart_2=apart(whole, 0),
            end=end,
        ),
        rule="rise is in proportion to heat, same air",
        inputs={"rise_f": strips.rise_f or 0.0, "working": working, "called": strips.elements},
        arithmetic=f"{strips.rise_f:g} × {strips.elements} ÷ {working} = {whole:.1f} °F",
        next_step=msg("Fix the element first. Remeasure the rise before you change the blower."),
    )
