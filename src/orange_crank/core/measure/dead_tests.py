"""The dead tests of a call: single readings gathered into the tests they belong to, and judged."""

from collections.abc import Mapping, Sequence
from typing import Any

from pydantic import Field

from orange_crank.core.measure.capacitor import OUT_BY_LOOK, Capacitor, judge_capacitor
from orange_crank.core.measure.contactor import Contactor, judge_contactor
from orange_crank.core.measure.reading import Quantity
from orange_crank.core.measure.taken import TakenReading
from orange_crank.core.measure.windings import Windings, judge_windings
from orange_crank.core.messages import Prose, joined, msg
from orange_crank.core.nomenclature import Finding, Frozen, Verdict, say, worst
from orange_crank.core.plate import Plate
from orange_crank.core.tables.standards import Standards, shipped_standards


class DeadTest(Frozen):
    """One test with the readings it stands on."""

    name: str = Field(description="ground, windings, capacitor_run …")
    code: str
    verdict: Verdict
    summary: Prose = Field(description="The result in a few words")
    reading_ids: list[int]
    findings: list[Finding]


def judge_dead_tests(
    readings: Sequence[TakenReading],
    plate: Plate | None,
    standards: Standards | None = None,
    earlier: Mapping[Quantity, float] | None = None,
) -> list[DeadTest]:
    """Judge the dead tests from the latest standing reading of each quantity.

    Notes
    -----
    To ground joins the windings: a grounded winding outranks whatever its ohms say. Windings are held
    against the last visit's figures (``earlier``), where a turn short would show.

    """
    limits = standards or shipped_standards()
    latest: dict[Quantity, TakenReading] = {r.entry.quantity: r for r in readings}
    return [
        test
        for test in (
            _ground(latest),
            _windings(latest, plate, limits, earlier or {}),
            _capacitor("run_cap_uf", "Run", plate.run_cap_uf if plate else None, latest, limits),
            _capacitor("fan_cap_uf", "Fan", plate.fan_cap_uf if plate else None, latest, limits),
            _can(latest),
            _contactor(latest, readings, limits),
            _fuse(latest),
        )
        if test is not None
    ]


def _ground(latest: dict[Quantity, TakenReading]) -> DeadTest | None:
    reading = latest.get("to_ground")
    if reading is None:
        return None
    bad = reading.entry.value is True
    finding = Finding(
        code="TO_GROUND",
        verdict="fail" if bad else "pass",
        text=msg("Continuity to ground: something downstream is shorted.")
        if bad
        else msg("No continuity to ground at the contactor's load side."),
        rule="field practice: to ground",
        inputs={"to_ground": bad},
        next_step=msg(
            "Do not reset it. Isolate one part at a time: fan, compressor leads, crankcase "
            "heater, capacitor, wiring."
        )
        if bad
        else None,
        stops=bad,
    )
    return DeadTest(
        name="ground",
        code="grounded" if bad else "clear",
        verdict=finding.verdict,
        summary=msg("To ground: shorted") if bad else msg("To ground: clear"),
        reading_ids=[reading.id],
        findings=[finding],
    )


def _windings(
    latest: dict[Quantity, TakenReading],
    plate: Plate | None,
    limits: Standards,
    earlier: Mapping[Quantity, float],
) -> DeadTest | None:
    names: tuple[Quantity, ...] = ("winding_cs_ohm", "winding_cr_ohm", "winding_sr_ohm")
    taken = [latest[n] for n in names if n in latest]
    if not taken:
        return None
    if len(taken) < 3:
        missing = [n.removeprefix("winding_").removesuffix("_ohm").upper() for n in names if n not in latest]
        finding = Finding(
            code="PAIRS_MISSING",
            verdict="unknown",
            text=msg("{join} not measured: three pairs or none.", join=joined(missing, " and ")),
            rule="field practice: windings",
            next_step=msg("Measure {join}.", join=joined(missing, " and ")),
        )
        return DeadTest(
            name="winding_part",
            code="incomplete",
            verdict="unknown",
            summary=msg("Windings: a pair is missing"),
            reading_ids=[r.id for r in taken],
            findings=[finding],
        )
    hot = latest.get("shell_hot")
    ground = latest.get("to_ground")
    leads = {r.entry.lead_ohm or 0.0 for r in taken}
    lead = leads.pop() if len(leads) == 1 else None
    entry: dict[str, Any] = {
        "cs_ohm": _ohms(latest["winding_cs_ohm"], lead),
        "cr_ohm": _ohms(latest["winding_cr_ohm"], lead),
        "sr_ohm": _ohms(latest["winding_sr_ohm"], lead),
        "lead_ohm": lead or 0.0,
        "hot": hot.entry.value if hot else None,
        "to_ground": ground.entry.value if ground else None,
        "phase": plate.phase if plate else 1,
        "accuracy_pct": taken[0].entry.accuracy_pct,
    }
    reference = {n.removeprefix("winding_"): earlier[n] for n in names if n in earlier}
    if reference:
        entry["reference"] = reference
    result = judge_windings(Windings.model_validate(entry), limits)
    words = {
        "sound": "sound",
        "start_open": msg("start open"),
        "run_open": msg("run open"),
        "overload_open": msg("overload open, not dead"),
        "all_open": msg("all open"),
        "grounded": "grounded",
        "turn_short": msg("turns shorted"),
        "not_additive": msg("do not add up"),
        "unequal": "unequal",
        "unidentified": msg("not identified"),
    }
    return DeadTest(
        name="windings",
        code=result.verdict,
        verdict=worst([f.verdict for f in result.findings if f.verdict != "note"]),
        summary=msg("Windings {words}", words=words[result.verdict]),
        reading_ids=[r.id for r in taken],
        findings=result.findings,
    )


def _ohms(reading: TakenReading, shared_lead_ohm: float | None) -> Any:
    """Return what the meter showed; less its own leads where the three were not read with the same ones."""
    value = reading.entry.value
    if shared_lead_ohm is not None or not isinstance(value, float):
        return value
    return max(0.0, value - (reading.entry.lead_ohm or 0.0))


def _capacitor(
    quantity: Quantity,
    word: str,
    label_uf: float | None,
    latest: dict[Quantity, TakenReading],
    limits: Standards,
) -> DeadTest | None:
    reading = latest.get(quantity)
    if reading is None or not isinstance(reading.entry.value, float):
        return None
    measured = reading.entry.value
    name = f"capacitor_{word.lower()}"
    if measured == 0:
        finding = Finding(
            code="CAPACITOR_OPEN",
            verdict="fail",
            text=msg("0 µF: the capacitor is open."),
            rule=limits.rule("run_capacitor_pct"),
            inputs={"measured_uf": measured},
            next_step=msg("Replace it, if its wires are lifted and the leads are on its own tabs."),
        )
        return DeadTest(
            name=name,
            code="open",
            verdict="fail",
            summary=msg("{word} 0 µF, open", word=word),
            reading_ids=[reading.id],
            findings=[finding],
        )
    if label_uf is None:
        finding = Finding(
            code="NO_LABEL",
            verdict="unknown",
            text=msg("No nameplate µF to compare with."),
            rule="plate",
            inputs={"measured_uf": measured},
            next_step=msg("Enter the µF from the capacitor label on the nameplate page."),
        )
        return DeadTest(
            name=name,
            code="no_label",
            verdict="unknown",
            summary=f"{word} {say(measured, 'µF', 3)}",
            reading_ids=[reading.id],
            findings=[finding],
        )
    own = latest.get("can_label_uf") if quantity == "run_cap_uf" else None
    printed = own.entry.value if own is not None and isinstance(own.entry.value, float) else label_uf
    result = judge_capacitor(
        Capacitor(label_uf=printed, measured_uf=measured, accuracy_pct=reading.entry.accuracy_pct), limits
    )
    ends = {"pass": "", "watch": msg(", at the limit"), "fail": msg(", out"), "unknown": "", "note": ""}
    ids = [reading.id] if own is None else [reading.id, own.id]
    if abs(printed - label_uf) > limits.run_capacitor_pct / 100 * label_uf:
        # Good by its own label, and not what this unit asks for: the wrong one.
        wrong = Finding(
            code="WRONG_CAPACITOR",
            verdict="fail",
            text=msg(
                "Capacitor is {printed:g} µF; nameplate calls for {label_uf:g} µF.",
                printed=printed,
                label_uf=label_uf,
            ),
            rule=limits.rule("run_capacitor_pct"),
            inputs={"can_label_uf": printed, "plate_uf": label_uf},
            next_step=msg("Install the nameplate µF, same or higher voltage."),
        )
        return DeadTest(
            name=name,
            code="wrong_value",
            verdict="fail",
            summary=msg(
                "{printed:g} µF fitted, nameplate asks {label_uf:g}", printed=printed, label_uf=label_uf
            ),
            reading_ids=ids,
            findings=[wrong, *result.findings],
        )
    return DeadTest(
        name=name,
        code=result.verdict,
        verdict=result.verdict,
        summary=msg(
            "{printed:g} µF → {measured}{ends}",
            printed=printed,
            measured=say(measured, "", 3),
            ends=ends[result.verdict],
        ),
        reading_ids=ids,
        findings=result.findings,
    )


def _can(latest: dict[Quantity, TakenReading]) -> DeadTest | None:
    """Judge how the run capacitor's can looks: what is bulged, oily or burnt is out whatever it measures."""
    reading = latest.get("can_look")
    if reading is None:
        return None
    look = str(reading.entry.value)
    verdict: Verdict = "fail" if look in OUT_BY_LOOK else "watch" if look == "rusty" else "pass"
    words = {
        "bulged": "bulged",
        "oily": msg("leaking oil"),
        "burnt_tab": msg("burnt at a tab"),
        "rusty": "rusty",
    }
    text = {
        "fail": msg("Capacitor is {get}: replace it, whatever it reads.", get=words.get(look, look)),
        "watch": msg("The can is rusty. What it measures decides."),
        "pass": msg("The can looks clean."),
    }[verdict]
    finding = Finding(
        code="CAN_LOOK",
        verdict=verdict,
        text=text,
        rule="field practice: capacitor",
        inputs={"look": look.replace("_", " ")},
        next_step=msg("Replace it, one for one.") if verdict == "fail" else None,
    )
    return DeadTest(
        name="can",
        code=look,
        verdict=verdict,
        summary=msg("Can {get}", get=words.get(look, look)),
        reading_ids=[reading.id],
        findings=[finding],
    )


def drops_by_pole(readings: Sequence[TakenReading]) -> dict[str, TakenReading]:
    """Return the newest drop of each closed pole; one with no pole said stands by itself."""
    return {r.entry.spot or "": r for r in readings if r.entry.quantity == "contactor_drop_v"}


def _contactor(
    latest: dict[Quantity, TakenReading], readings: Sequence[TakenReading], limits: Standards
) -> DeadTest | None:
    names: tuple[Quantity, ...] = ("contactor_look", "coil_ohm", "coil_v")
    drops = drops_by_pole(readings)
    taken = [*(latest[n] for n in names if n in latest), *drops.values()]
    if not taken:
        return None
    entry: dict[str, Any] = {}
    for name, field in (("contactor_look", "look"), ("coil_ohm", "coil_ohm"), ("coil_v", "coil_v")):
        if name in latest:
            entry[field] = latest[name].entry.value
    if drops:
        entry["pole_drop_v"] = [r.entry.value for r in drops.values()][:4]
        entry["poles"] = list(drops)[:4]
    running = latest.get("running_a")
    if running is not None and running.figure:
        entry["load_a"] = running.entry.value
    result = judge_contactor(Contactor.model_validate(entry), limits)
    words = {"pass": "sound", "watch": msg("to watch"), "fail": "out", "unknown": "unknown", "note": "noted"}
    return DeadTest(
        name="contactor",
        code=result.verdict,
        verdict=result.verdict,
        summary=msg("Contactor {words}", words=words[result.verdict]),
        reading_ids=[r.id for r in taken],
        findings=result.findings,
    )


def _fuse(latest: dict[Quantity, TakenReading]) -> DeadTest | None:
    reading = latest.get("fuse_open")
    if reading is None:
        return None
    bad = reading.entry.value is True
    finding = Finding(
        code="FUSE",
        verdict="fail" if bad else "pass",
        text=msg("A fuse is open. Find out why before you replace it.") if bad else msg("Fuses are good."),
        rule="field practice: dead tests",
        inputs={"fuse_open": bad},
        next_step=msg("Test to ground before you install a new fuse.") if bad else None,
    )
    return DeadTest(
        name="fuse",
        code="open" if bad else "whole",
        verdict=finding.verdict,
        summary=msg("Fuse open") if bad else msg("Fuses good"),
        reading_ids=[reading.id],
        findings=[finding],
    )
