"""What could be done, side by side before the work: price, what each is expected to do, what it will not."""

from collections.abc import Sequence

from pydantic import Field

from orange_crank.core.aids.candidates import MINUTES
from orange_crank.core.aids.contactor import ContactorIn, choose_contactor
from orange_crank.core.aids.entry import AidOut, AidRanked
from orange_crank.core.aids.parts import Counted
from orange_crank.core.aids.run_capacitor import CapacitorIn, choose_capacitors
from orange_crank.core.call.judge import JudgedCall
from orange_crank.core.call.judging import judged_or_said
from orange_crank.core.call.start import start_on_call
from orange_crank.core.diagnosis.table import priors
from orange_crank.core.handover.money import Rates, Statement, UsedPart, statement
from orange_crank.core.handover.words import plain
from orange_crank.core.measure.taken import TakenReading
from orange_crank.core.messages import Prose, joined, msg
from orange_crank.core.motor.entry import StartIn
from orange_crank.core.motor.start import StartResult, compute_start
from orange_crank.core.nomenclature import Frozen, say

CAPACITOR_MIN = 30.0  # fetch, fit, measure running amps after
CONTACTOR_MIN = 45.0  # leads one for one, tug, torque, coil proved before the line
SAFE_VOLTS_AC = 440.0  # a can of this rating serves wherever a lower one does
MOST_AIDS = 3
_CAPACITOR_CAUSES = frozenset(
    {"run_capacitor_weak", "run_capacitor_open", "kit_masks_open_capacitor", "capacitor_wrong_value"}
)
_CONTACTOR_CAUSES = frozenset({"contactor_worn"})
_CIRCUIT_CAUSES = frozenset({"breaker_weak_or_small", "segment_loss"})


class WorkOption(Frozen):
    """One thing that could be done."""

    key: str
    title: Prose
    part: str | None = Field(description="Part number, where one was found")
    minutes: float = Field(description="Labor it is priced with [min]")
    cost: Statement
    does: Prose = Field(description="What it is expected to do, by the computed start")
    will_not: list[Prose] = Field(description="For the customer")
    notes: list[Prose] = Field(description="For the technician; on no paper of the customer's")
    first: bool = Field(description="Whether the cause found asks for this one")


class Options(Frozen):
    """What could be done, the one the cause asks for first."""

    options: list[WorkOption]
    not_computed: str | None = Field(description="Why no start could be computed, where none could")


def options_of(call: JudgedCall, aids: AidOut | None, stock: Sequence[Counted], rates: Rates) -> Options:
    """Return what could be done on a call.

    Parameters
    ----------
    call : the judged call
    aids : the aids ranked for it; None where none can be chosen
    stock : parts to choose a capacitor from, with what the shop pays for each
    rates : by what the shop reckons

    """
    if must_stay_off(call):
        off = [*_replacements(call, rates), _as_it_is(call, None)]
        return Options(options=off, not_computed=None)
    base, why = judged_or_said(lambda: (start_on_call(call).start, None), lambda reason: (None, reason))  # type: tuple[StartIn | None, str | None]
    bare = _computed(base)
    offered = (
        _capacitor(call, base, bare, stock, rates),
        _contactor(call, stock, rates),
        _circuit(call, rates),
        *_replacements(call, rates),
        _as_it_is(call, bare),
    )
    found = [o for o in offered if o is not None]
    if aids is not None and not measured_stall(call):
        found += [
            _aid(a, bare, rates) for a in [a for a in aids.ranked if a.fits and a.aid != "none"][:MOST_AIDS]
        ]
    return Options(options=sorted(found, key=lambda o: (not o.first, o.key == "as_it_is")), not_computed=why)


_OFF_CAUSES = frozenset({"winding_grounded"})


def must_stay_off(call: JudgedCall) -> bool:
    """Tell whether no start may be promised: a short to metal, or a condemned compressor."""
    grounded = any(s.code in ("GROUNDED", "SHORT_CURRENT") for s in call.stops)
    return grounded or call.facts.condemned or call.facts.settled_cause in _OFF_CAUSES


def measured_stall(call: JudgedCall) -> TakenReading | None:
    """Return the newest start on the unit as it is now, where it did not start; it outranks the model."""
    starts = [r for r in call.facts.current if r.entry.quantity == "inrush_a"]
    last = starts[-1] if starts else None
    return last if last is not None and last.entry.outcome in ("stalled", "tripped") else None


def _replacements(call: JudgedCall, rates: Rates) -> list[WorkOption]:
    """Return a new compressor and a new unit, where the cause is in the compressor; the price is typed."""
    cause = call.facts.settled_cause
    in_it = cause is not None and "compressor" in priors()[cause].mended_by
    if not (in_it or call.facts.condemned or must_stay_off(call)):
        return []
    return [
        _replacement("replace_compressor", msg("New compressor"), rates, first=False),
        _replacement("replace_unit", msg("New outdoor unit"), rates, first=call.facts.condemned),
    ]


def _replacement(key: str, title: str, rates: Rates, first: bool) -> WorkOption:
    return WorkOption(
        key=key,
        title=title,
        part=None,
        minutes=0.0,
        cost=statement([UsedPart(title=title, count=1, price=None)], 0.0, rates),
        does=msg("Done on a visit of its own, at the price agreed here."),
        will_not=[msg("What killed the old compressor has to be found first, or it kills the new one.")],
        notes=[],
        first=first,
    )


def _computed(entry: StartIn | None) -> StartResult | None:
    if entry is None:
        return None
    return judged_or_said(lambda: compute_start(entry), lambda _: None)


def _capacitor(
    call: JudgedCall,
    base: StartIn | None,
    bare: StartResult | None,
    stock: Sequence[Counted],
    rates: Rates,
) -> WorkOption | None:
    plate = call.facts.plate
    if plate is None or plate.run_cap_uf is None:
        return None
    entry = CapacitorIn(
        compressor_uf=plate.run_cap_uf,
        fan_uf=plate.fan_cap_uf,
        volts_ac=SAFE_VOLTS_AC,
        stock=list(stock) or None,
    )
    ways = judged_or_said(lambda: choose_capacitors(entry).ways, lambda _: [])
    way = ways[0] if ways else None
    title = msg("New run capacitor, {run_cap_uf}", run_cap_uf=say(plate.run_cap_uf, "µF"))
    if plate.fan_cap_uf is not None:
        title += f" + {say(plate.fan_cap_uf, 'µF')}"
    parts = (
        [UsedPart(title=way.words, count=1, price=way.price)]
        if way is not None
        else [UsedPart(title=title, count=1, price=None)]
    )
    after = _computed(base.model_copy(update={"run_cap_uf": plate.run_cap_uf})) if base is not None else None
    return WorkOption(
        key="run_capacitor",
        title=title,
        part=way.uses[0].part if way is not None else None,
        minutes=CAPACITOR_MIN,
        cost=statement(parts, CAPACITOR_MIN, rates),
        does=expected(bare, after) if measured_stall(call) is None else _computed_alone(after),
        will_not=[msg("It does not fix a worn compressor, low voltage or a bad connection.")],
        notes=[],
        first=call.facts.settled_cause in _CAPACITOR_CAUSES,
    )


def _contactor(call: JudgedCall, stock: Sequence[Counted], rates: Rates) -> WorkOption | None:
    """Return a new contactor, where the cause or a test of this call asks for one."""
    plate = call.facts.plate
    asked = call.facts.settled_cause in _CONTACTOR_CAUSES
    told = [t for t in call.dead if t.name.startswith("contactor") and t.verdict in ("watch", "fail")]
    taken = {r.id: r.entry.quantity for r in call.facts.current}
    drops = [
        r
        for r in call.readings
        if taken.get(r.reading_id) == "contactor_drop_v"
        and r.verdict in ("watch", "fail")
        and r.old_part is None
    ]
    if plate is None or not (asked or told or drops):
        return None
    entry = ContactorIn(plate=plate, stock=list(stock) or None)
    ranked = judged_or_said(lambda: choose_contactor(entry).ranked, lambda _: [])
    best = ranked[0] if ranked else None
    title = msg("New contactor, {title}", title=best.title) if best is not None else msg("New contactor")
    part = UsedPart(title=title, count=1, price=best.price if best is not None else None)
    return WorkOption(
        key="contactor",
        title=title,
        part=best.part if best is not None else None,
        minutes=CONTACTOR_MIN,
        cost=statement([part], CONTACTOR_MIN, rates),
        does=msg("The new contactor passes full voltage to the motor."),
        will_not=[msg("It does not fix a weak capacitor, a worn compressor or low utility voltage.")],
        notes=[told[0].summary] if told else [drops[0].summary] if drops else [],
        first=asked,
    )


def _circuit(call: JudgedCall, rates: Rates) -> WorkOption | None:
    """Return the cheapest set of changes that makes the circuit meet code, where it does not."""
    circuit = call.circuit
    if circuit is None or circuit.ok or not circuit.fixes:
        return None
    words = joined((change.text for change in circuit.fixes[0].changes), "; ")
    # What a circuit costs depends on its run and its walls: no price is guessed.
    part = UsedPart(title=msg("Wire, breaker and disconnect for the circuit"), count=1, price=None)
    return WorkOption(
        key="circuit",
        title=msg("Correct the circuit"),
        part=None,
        minutes=0.0,
        cost=statement([part], 0.0, rates),
        does=msg("The wiring, its breaker and its switch then meet the electrical code for this unit."),
        will_not=[msg("Priced after we look at the wire run. A licensed electrician may have to do it.")],
        notes=[words],
        first=call.facts.settled_cause in _CIRCUIT_CAUSES,
    )


def _as_it_is(call: JudgedCall, bare: StartResult | None) -> WorkOption:
    cause = call.facts.settled_cause
    wait = plain().causes[cause].wait if cause is not None else ""
    return WorkOption(
        key="as_it_is",
        title=msg("Leave it as it is"),
        part=None,
        minutes=0.0,
        cost=statement([], 0.0, Rates(labor_per_hour=0.0)),
        does=_left_as_it_is(call, bare),
        will_not=[wait or msg("It does not change anything.")],
        notes=[],
        first=False,
    )


def _left_as_it_is(call: JudgedCall, bare: StartResult | None) -> str:
    if must_stay_off(call):
        return msg("The unit stays switched off. It must not be switched on.")
    stall = measured_stall(call)
    if stall is not None:
        return msg("Measured: it did not start, {figure:.0f} A.", figure=stall.figure or 0.0)
    return expected(bare, None)


def _aid(aid: AidRanked, bare: StartResult | None, rates: Rates) -> WorkOption:
    minutes = float(MINUTES[aid.aid])
    # An aid is ranked by what the customer pays: the markup is in its price already.
    parts = [UsedPart(title=aid.part or aid.title, count=1, price=aid.price)]
    rates = rates.model_copy(update={"parts_markup_pct": 0.0})
    return WorkOption(
        key=f"aid-{aid.part or aid.aid}",
        title=aid.title if aid.part is None else f"{aid.title}, {aid.part}",
        part=aid.part,
        minutes=minutes,
        cost=statement(parts, minutes, rates),
        does=expected(bare, aid.predicted),
        will_not=[plain().aids],
        notes=aid.against[:3],
        first=False,
    )


def _computed_alone(after: StartResult | None) -> str:
    return (
        msg("Computed: {words}.", words=_words(after))
        if after is not None
        else msg("No start could be computed for it.")
    )


def expected(before: StartResult | None, after: StartResult | None) -> str:
    """Say what a start is expected to become, by the computed start."""
    if before is None and after is None:
        return msg("No start could be computed for this unit.")
    if after is None:
        return (
            msg("Computed: {words}.", words=_words(before))
            if before is not None
            else msg("No start could be computed for it.")
        )
    if before is None:
        return msg("Computed: {words}.", words=_words(after))
    if _words(before) == _words(after):
        return msg("By the computed start it changes nothing you would notice.")
    return msg("Computed: {words}, instead of: {words_2}.", words=_words(after), words_2=_words(before))


def _words(result: StartResult) -> str:
    if result.time_to_speed_s is not None and result.verdict in ("started", "late"):
        return msg(
            "up to speed in {time_to_speed_s:.2f} s, drawing {inrush_100ms_a:.0f} A at "
            "first; the voltage dips {sag_pct:.0f} %",
            time_to_speed_s=result.time_to_speed_s,
            inrush_100ms_a=result.inrush_100ms_a,
            sag_pct=result.sag_pct,
        )
    return msg("it does not start ({inrush_100ms_a:.0f} A)", inrush_100ms_a=result.inrush_100ms_a)
