"""Rung 3: dead tests."""

from orange_crank.core.call.judge import JudgedCall
from orange_crank.core.call.open_points import to_measure_again
from orange_crank.core.call.rungs.rung import Contact, Rung
from orange_crank.core.measure.reading import QUANTITIES
from orange_crank.core.messages import joined, msg, within
from orange_crank.core.nomenclature import worst


def wanted_dead_tests(call: JudgedCall) -> list[tuple[str, str]]:
    """Return the dead tests every unit of this kind gets: by the name its judge gives them, and in words."""
    plate = call.facts.plate
    wanted = [("ground", msg("To ground")), ("windings", "Windings")]
    if plate is None or plate.run_cap_uf or plate.fan_cap_uf:
        wanted.append(("capacitor", "Capacitor"))
    return wanted


def missing_dead_tests(call: JudgedCall) -> list[str]:
    """Return which of them were not measured on this call, in words."""
    done = {t.name for t in call.dead}
    return [within(w) for name, w in wanted_dead_tests(call) if not any(d.startswith(name) for d in done)]


def dead_tests_rung(call: JudgedCall) -> Rung:
    """Say what was measured dead, what of it fails, and what is still to be measured."""
    facts, tests = call.facts, call.dead
    ground = next((s for s in call.stops if s.code == "GROUNDED"), None)
    again = [words for quantity, words in to_measure_again(facts) if QUANTITIES[quantity].work == "dead"]
    proved = facts.state.state == "dead_proved"
    done = {t.name for t in tests}
    wanted = wanted_dead_tests(call)
    have = all(any(d.startswith(name) for d in done) for name, _ in wanted)
    contacts = [
        Contact(
            word=msg("Proved dead"), closed=proved or have, why=msg("Make safe complete, or a reason given")
        )
    ]
    contacts += [
        Contact(
            word=word,
            closed=any(d.startswith(name) for d in done),
            why=msg("{word} measured on this call", word=word),
        )
        for name, word in wanted
    ]
    verdict = worst([t.verdict for t in tests if t.verdict != "note"]) if tests else "unknown"
    open_overload = call.overload is not None and call.overload.answered_by is None
    ranked = sorted(tests, key=lambda t: t.verdict not in ("fail", "watch", "unknown"))
    missing = next((word for name, word in wanted if not any(d.startswith(name) for d in done)), None)
    step = msg("Still to measure: {missing}.", missing=within(missing)) if missing else None
    if not proved and not have:
        step = msg("Fill in Make safe first.")
    load = joined((t.summary for t in ranked[:2]), " · ") if tests else msg("Nothing measured yet")
    if again:
        step, have = msg("Remeasure: {again}.", again=again[0]), False
    if open_overload:
        load = msg("Overload was open · {load}", load=load)
        verdict = worst([verdict, "watch"])
        step = step or msg("Enter what overheated the compressor (step 5).")
    if ground is not None:
        load, verdict, step, have = ground.text, "fail", ground.next_step, False
    return Rung(
        key="dead_tests",
        number=3,
        title=msg("Power-off tests"),
        status="energized" if have else "ready" if proved else "blocked",
        danger="dead",
        contacts=contacts,
        load=load,
        verdict=verdict,
        next_step=step,
    )
