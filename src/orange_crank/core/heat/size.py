"""Electric heat as a whole: circuits, stages, choice of a kit, and what was measured."""

from pydantic import Field

from orange_crank.core.circuit.answer import MOST_LINES, AnswerLine
from orange_crank.core.circuit.conductor import CABLES, DRY_ONLY
from orange_crank.core.circuit.one_line import colors
from orange_crank.core.circuit.rules.always import standing_notes
from orange_crank.core.circuit.rules.defaults import Assumed, assumed
from orange_crank.core.circuit.rules.overcurrent import SUBDIVISION_A
from orange_crank.core.circuit.size import GRAVITY
from orange_crank.core.heat import circuits, measured
from orange_crank.core.heat.circuits import HeatCircuit, as_circuit, circuits_of
from orange_crank.core.heat.elements import (
    ONE_ELEMENT_KW,
    KitElements,
    elements_of,
    kit_amps,
    kit_watts,
    line_amps,
    usual_elements,
)
from orange_crank.core.heat.entry import HeatIn
from orange_crank.core.messages import joined, msg, shaped
from orange_crank.core.nomenclature import Finding, Frozen, say
from orange_crank.core.plate.arithmetic import HEAT, clause
from orange_crank.core.tables.standards import Standards, shipped_standards


class HeatStage(Frozen):
    """What is on once a stage has closed."""

    stage: int
    after_s: float | None
    kw: float
    total_a: float


class HeatOut(Frozen):
    """Heat strips sized, and checked against what was measured."""

    ok: bool = Field(description="Whether nothing in the answer fails")
    answer: list[AnswerLine] = Field(description="The answer in at most six lines")
    kw_actual: float
    heater_a: float
    load_a: float
    mca_a: float
    circuits: list[HeatCircuit]
    subdivisions: int
    stages: list[HeatStage]
    elements: list[KitElements]
    kit_choice_kw: float | None
    all_at_once_a: float | None
    elements_working: int | None
    elements_called: int | None
    expected_a: float | None
    airflow_cfm: float | None
    findings: list[Finding]
    assumed: list[Assumed] = Field(description="Defaults taken because nothing was entered")
    always: list[Finding] = Field(description="Notes that stand on every answer")


def size_heat(entry: HeatIn, standards: Standards | None = None) -> HeatOut:
    """Size the circuits of electric heat, and judge what was measured.

    Parameters
    ----------
    entry : kits [kW at rated volts], supply [V], blower [A]
    standards : the shop's limits (shipped ones when left out)

    Raises
    ------
    InputProblem : too hot for the insulation
    BeyondTable : more than the largest conductor carries

    References
    ----------
    NEC 424.3(B) (2017), 424.4(B) (2020 on), 424.22(B), 240.4(B), 240.4(D), 250.122.

    """
    limits = standards or shipped_standards()
    heater = line_amps([(k, k.count) for k in entry.kits], entry.supply_v, entry.phase)
    load = heater + entry.blower_fla_a
    mca = entry.mca_a if entry.single_point and entry.mca_a is not None else HEAT * load
    made = circuits_of(entry)
    kw = sum(kit_watts(k, entry.supply_v) for k in entry.kits) / 1000
    checked = measured.check(entry)
    findings = [f for i, m in enumerate(made, 1) for f in circuits.judge(entry, i, m, limits)]
    findings += [
        *_power(entry, kw, heater, mca),
        *_balance(entry, heater),
        *_rated(entry),
        *_kits(entry, heater),
        *_place(entry),
        *_choice_findings(entry),
    ]
    if checked is not None:
        findings += measured.judge(entry, checked, limits)
    findings = sorted(findings, key=lambda f: GRAVITY[f.verdict])
    return HeatOut(
        ok=not any(f.verdict == "fail" for f in findings),
        answer=_answer(entry, kw, heater, findings),
        kw_actual=round(kw, 4),
        heater_a=round(heater, 4),
        load_a=round(load, 4),
        mca_a=round(mca, 4),
        circuits=[m.circuit for m in made],
        subdivisions=len(made),
        stages=_stages(entry),
        elements=[
            elements_of(i, k, entry.supply_v, entry.phase, limits.cold_ohms_pct)
            for i, k in enumerate(entry.kits)
        ],
        kit_choice_kw=_choice(entry),
        all_at_once_a=None if entry.heat_pump_mca_a is None else round(mca + entry.heat_pump_mca_a, 2),
        elements_working=None if checked is None else checked.working,
        elements_called=None if checked is None else checked.called,
        expected_a=None if checked is None else round(checked.expected_a, 3),
        airflow_cfm=None if checked is None or checked.airflow_cfm is None else round(checked.airflow_cfm, 1),
        findings=findings,
        assumed=_assumed(entry),
        always=_always(entry),
    )


def _after_colon(text: str) -> str:
    return text.partition(": ")[2]


def _answer(entry: HeatIn, kw: float, heater: float, findings: list[Finding]) -> list[AnswerLine]:
    found = [f for f in findings if f.code == "CIRCUIT"]
    lines = [
        AnswerLine(
            part="power",
            label=msg("Heat here"),
            text=msg(
                "{kw:.2f} kW at {supply_v:g} V, {heater:.1f} A", kw=kw, supply_v=entry.supply_v, heater=heater
            ),
            verdict="note",
        )
    ]
    lines += [
        AnswerLine(
            part=msg("circuit {i}", i=i),
            label=msg("Circuit {i}", i=i),
            text=shaped(f.text, _after_colon),
            verdict=f.verdict,
        )
        for i, f in enumerate(sorted(found, key=lambda f: f.text), 1)
    ]
    wiring = as_circuit(entry)
    hots = joined(colors(wiring), ", ")
    lines.append(AnswerLine(part="colors", label=msg("Conductors"), text=hots, verdict="note"))
    lines += [
        AnswerLine(part="elements", label=msg("Elements"), text=f.text, verdict=f.verdict)
        for f in findings
        if f.code == "ELEMENTS"
    ]
    if len(lines) > MOST_LINES:
        more = AnswerLine(
            part="more",
            label=msg("More"),
            text=msg("{found} circuits; all below.", found=len(found)),
            verdict="note",
        )
        lines = [*lines[: MOST_LINES - 1], more]
    return lines


def _stages(entry: HeatIn) -> list[HeatStage]:
    order = sorted({k.stage or 1 for k in entry.kits})
    stages = []
    for s in order:
        on = [k for k in entry.kits if (k.stage or 1) <= s]
        here = [k.on_after_s for k in entry.kits if (k.stage or 1) == s and k.on_after_s is not None]
        stages.append(
            HeatStage(
                stage=s,
                after_s=max(here) if here else None,
                kw=round(sum(kit_watts(k, entry.supply_v) for k in on) / 1000, 4),
                total_a=round(
                    line_amps([(k, k.count) for k in on], entry.supply_v, entry.phase) + entry.blower_fla_a, 4
                ),
            )
        )
    return stages


# Under this share of its rated volts an element gives less than two thirds of its power; 208 on 240 is 87 %.
LEAST_OF_RATED = 0.8


def _balance(entry: HeatIn, heater: float) -> list[Finding]:
    """Say where a number of elements that three does not divide loads one line more than the others."""
    even = sum(kit_amps(k, entry.supply_v, entry.phase) for k in entry.kits)
    if heater <= even + 1e-6:
        return []
    return [
        Finding(
            code="UNBALANCED",
            verdict="watch",
            text=msg(
                "Three does not divide the elements: the fullest line carries {heater}, balanced {even}.",
                heater=say(heater, "A"),
                even=say(even, "A"),
            ),
            rule=clause(entry.edition, "424.4(B), 220.61"),
            arithmetic=msg("√(a² + b² + a·b) × the amps of one element, a and b on the two fullest pairs"),
            inputs={"heater_a": round(heater, 3), "balanced_a": round(even, 3)},
            next_step=msg("Look how the elements are connected, and clamp each line."),
        )
    ]


def _rated(entry: HeatIn) -> list[Finding]:
    """Say where an element is far below its rated volts."""
    low = [k for k in entry.kits if entry.supply_v < LEAST_OF_RATED * k.rated_v]
    return [
        Finding(
            code="RATED_VOLTS",
            verdict="watch",
            text=msg(
                "A {rated:g} V element on {supply:g} V gives {share:.0f} % of its power.",
                rated=k.rated_v,
                supply=entry.supply_v,
                share=100 * (entry.supply_v / k.rated_v) ** 2,
            ),
            rule=clause(entry.edition, "110.3(B)"),
            arithmetic=f"({entry.supply_v:g} ÷ {k.rated_v:g})² = {(entry.supply_v / k.rated_v) ** 2:.3f}",
            next_step=msg("Use a kit rated for this supply."),
        )
        for k in low[:1]
    ]


def _power(entry: HeatIn, kw: float, heater: float, mca: float) -> list[Finding]:
    e = entry.edition
    roots = "√3 × " if entry.phase == 3 else ""
    marked = entry.single_point and entry.mca_a is not None
    return [
        Finding(
            code="POWER",
            verdict="note",
            text=msg(
                "{kw:.2f} kW at {supply_v:g} V, {heater:.1f} A.",
                kw=kw,
                supply_v=entry.supply_v,
                heater=heater,
            ),
            rule="P = P_rated · (V ÷ V_rated)²",
            inputs={"supply_v": entry.supply_v},
            arithmetic=joined(
                (
                    msg(
                        "{kw:g} kW × ({supply_v:g}/{rated_v:g})²",
                        kw=k.kw,
                        supply_v=entry.supply_v,
                        rated_v=k.rated_v,
                    )
                    for k in entry.kits
                ),
                " + ",
            )
            + f"; I = P ÷ ({roots}{entry.supply_v:g} V)",
        ),
        Finding(
            code="CONTINUOUS",
            verdict="note",
            text=msg("The kit's own MCA governs: {mca}.", mca=say(mca, "A", 5))
            if marked
            else msg("A continuous load: conductors and devices for {mca}.", mca=say(mca, "A", 5)),
            rule=clause(e, "424.3(B)" if e == "2017" else "424.4(B)"),
            arithmetic=None
            if marked
            else f"{HEAT:g} × ({heater:.2f} + {entry.blower_fla_a:g}) A = {mca:.2f} A",
        ),
    ]


def _kits(entry: HeatIn, heater: float) -> list[Finding]:
    e, found = entry.edition, []
    for i, k in enumerate(entry.kits):
        if k.elements is None and k.kw > ONE_ELEMENT_KW:
            n = usual_elements(k.kw)
            found.append(
                Finding(
                    code="ELEMENTS_UNSAID",
                    verdict="unknown",
                    text=msg(
                        "{kw:g} kW in how many elements? {n} × {kw_2:g} kW is usual; one is taken.",
                        kw=k.kw,
                        n=n,
                        kw_2=k.kw / n,
                    ),
                    rule=clause(e, "424.22(B)"),
                    inputs={"kit": i + 1, "usual": n},
                    next_step=msg("Count the elements, or read the kit's diagram."),
                )
            )
    if entry.single_point and (entry.mca_a is None or entry.mocp_a is None):
        found.append(
            Finding(
                code="SINGLE_POINT",
                verdict="unknown",
                text=msg("Enter the single-point kit's own MCA and MOCP. Computed values shown for now."),
                rule=clause(e, "424.22(B), 110.3(B)"),
                next_step=msg("Read both on the kit's label."),
            )
        )
    elif entry.single_point:
        found.append(
            Finding(
                code="SINGLE_POINT",
                verdict="note",
                text=msg("One circuit to a listed single-point kit, which divides itself inside."),
                rule=clause(e, "424.22(B), 110.3(B)"),
                next_step=msg("See its listing and its own fuses."),
            )
        )
        computed = HEAT * (heater + entry.blower_fla_a)
        if (
            entry.mca_a is not None
            and entry.mca_a < 0.98 * computed
            and entry.supply_v >= entry.kits[0].rated_v
        ):
            found.append(
                Finding(
                    code="MCA_DIFFERS",
                    verdict="fail",
                    text=msg(
                        "The kit's MCA {mca_a:g} A is below 125 % of heater and blower, {computed}. A "
                        "figure is misread, or it is another kit.",
                        mca_a=entry.mca_a,
                        computed=say(computed, "A"),
                    ),
                    rule=clause(e, "424.3(B)" if e == "2017" else "424.4(B)"),
                    arithmetic=f"{HEAT:g} × ({heater:.2f} + {entry.blower_fla_a:g}) A = {computed:.2f} A",
                    next_step=msg("Read the kit's label again, and the air handler's blower amps."),
                )
            )
    return found


def _place(entry: HeatIn) -> list[Finding]:
    if not (entry.wet and entry.insulation in DRY_ONLY):
        return []
    return [
        Finding(
            code="WET_LOCATION",
            verdict="fail",
            text=msg("{insulation} is for dry places.", insulation=entry.insulation),
            rule=clause(entry.edition, "300.9, 310.10(C)"),
            next_step=msg("Take THWN-2 or XHHW-2."),
        )
    ]


def _choice(entry: HeatIn) -> float | None:
    """Return the smallest listed kit that gives what is needed at this supply's volts, by its rated kW."""
    if entry.needed_kw is None or not entry.listed_kits_kw:
        return None
    share = (entry.supply_v / entry.listed_rated_v) ** 2
    return next((kw for kw in sorted(entry.listed_kits_kw) if kw * share >= entry.needed_kw - 1e-9), None)


def _choice_findings(entry: HeatIn) -> list[Finding]:
    if entry.needed_kw is None:
        return []
    rule = clause(entry.edition, "110.3(B)")
    choice = _choice(entry)
    if not entry.listed_kits_kw:
        return [
            Finding(
                code="KIT_LIST",
                verdict="unknown",
                text=msg("Air handler kit list not entered, so no kit is picked."),
                rule=rule,
                next_step=msg("Read the kits listed on the air handler."),
            )
        ]
    if choice is None:
        return [
            Finding(
                code="KIT_CHOICE",
                verdict="fail",
                text=msg(
                    "No listed kit gives {needed_kw:g} kW at {supply_v:g} V.",
                    needed_kw=entry.needed_kw,
                    supply_v=entry.supply_v,
                ),
                rule=rule,
                next_step=msg("Use only listed kits. Otherwise another air handler, or reduce the load."),
            )
        ]
    real = choice * (entry.supply_v / entry.listed_rated_v) ** 2
    return [
        Finding(
            code="KIT_CHOICE",
            verdict="pass",
            text=msg(
                "{choice:g} kW kit: {real:.2f} kW here for {needed_kw:g} kW.",
                choice=choice,
                real=real,
                needed_kw=entry.needed_kw,
            ),
            rule=rule,
            arithmetic=msg(
                "{choice:g} × ({supply_v:g}/{listed_rated_v:g})² = {real:.2f} kW",
                choice=choice,
                supply_v=entry.supply_v,
                listed_rated_v=entry.listed_rated_v,
                real=real,
            ),
        )
    ]


_DEFAULTS = {
    "edition": msg("the newest edition here"),
    "insulation": msg("usual for pulled conductors, wet and dry"),
    "material": msg("the usual metal"),
    "ambient_f": msg("the table's own air temperature; an attic is hotter"),
    "wet": msg("not entered: dry assumed"),
}


def _assumed(entry: HeatIn) -> list[Assumed]:
    given = entry.model_fields_set
    found = [assumed(n, getattr(entry, n), why) for n, why in _DEFAULTS.items() if n not in given]
    if entry.termination_c is None and entry.insulation not in CABLES:
        found.append(assumed("termination_c", 60, msg("unmarked: 60 °C up to 100 A, 75 °C above")))
    if entry.current_carrying_conductors is None:
        found.append(
            assumed(
                "current_carrying_conductors", 3 if entry.phase == 3 else 2, msg("each circuit by itself")
            )
        )
    if entry.single_point is None:
        found.append(
            assumed(
                "single_point",
                False,
                msg("the elements are divided above {subdivision_a:g} A", subdivision_a=SUBDIVISION_A),
            )
        )
    if any(k.elements is None for k in entry.kits):
        found.append(assumed("kits.elements", 1, msg("each kit is one element")))
    m = entry.measured
    if m is not None and m.stages_called is None and len({k.stage or 1 for k in entry.kits}) > 1:
        found.append(
            assumed("measured.stages_called", "all", msg("every stage called while it was measured"))
        )
    if m is not None and m.delta_t_f is not None and m.altitude_ft is None:
        found.append(assumed("measured.altitude_ft", 0, msg("sea level")))
    return found


def _always(entry: HeatIn) -> list[Finding]:
    e = entry.edition
    blower = Finding(
        code="BLOWER_FIRST",
        verdict="note",
        text=msg("Never with the blower off; never bypass a limit."),
        rule=clause(e, "424.63, 424.64"),
    )
    return [blower, *standing_notes(e, heat=True, to_ground_v=as_circuit(entry).volts_to_ground)]
