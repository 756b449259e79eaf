"""Practice bites: each typical mistake has its consequence, each expert gets through, by no chance."""

import math
from itertools import pairwise
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, precondition, rule

from orange_crank.bench.practice.acts import (
    CONDUCTORS,
    MODES,
    TERMINALS,
    Act,
    seconds_of,
)
from orange_crank.bench.practice.probes import fill_at
from orange_crank.bench.practice.progress import AGAIN_DAYS, Result, due_list, due_of, skills_of
from orange_crank.bench.practice.scenario import (
    DEAD_POINTS,
    KNOWN,
    MAKE_SAFE,
    OPEN,
    POWER,
    PROVE,
    START,
    Scenario,
    bleed,
    clamp,
    endless,
    find_scenario,
    fit,
    graded,
    lead,
    look,
    switch,
    three_wire_nets,
    volts,
    wait,
)
from orange_crank.bench.practice.score import Noted, act_words, expert_path, play, score_of
from orange_crank.bench.practice.world import World, replay
from orange_crank.core.diagnosis.table import priors
from orange_crank.core.errors import GateClosed, InputProblem

BITES = {
    1: "shock", 2: "charged", 4: "condemned_good", 7: "condemned_good", 9: "control_fuse", 10: "burst",
}  # fmt: skip


def do(world: World, *acts: Any) -> World:
    for act in acts:
        if isinstance(act, Act):
            world.do(act)
    return world


def call(number: int) -> Scenario:
    return graded()[number - 1]


@pytest.mark.parametrize("number", range(1, 13))
def test_the_expert_gets_through_and_the_typical_mistake_is_punished_where_it_was_made(number: int) -> None:
    s = call(number)
    good = score_of(*play(s, s.expert))
    assert good.passed
    assert good.total >= 90
    assert good.hurt is None
    assert good.cost == 0
    world, noted = play(s, s.mistake)
    bad = score_of(world, noted)
    assert not bad.passed
    assert bad.total <= 55
    points = {d.skill: d.points for d in bad.dimensions}
    assert any(points[skill] < 60 for skill in s.teaches), points
    assert set(bad.missed) & set(s.teaches)
    if number in BITES:
        assert BITES[number] in {h.code for h in world.harms}
        assert any(p.act for d in bad.dimensions for p in d.why), "a point opens its moment"
    assert s.mistake_title
    assert bad.expert
    assert bad.cause


def test_what_would_have_hurt_names_what_was_skipped_and_is_not_done() -> None:
    world = do(World(call(1)), switch("disconnect", False), lead("run_capacitor", False))
    harm = world.hurt
    assert harm is not None
    assert harm.code == "shock"
    assert "L2" not in world.leads_off
    assert "L2 to ground measured" in harm.skipped
    assert "the meter proved on a known live source before" in harm.skipped
    assert world.leads_off == frozenset()
    # The one leg that stayed shows to ground, and not from leg to leg on a low-impedance meter.
    do(world, volts("contactor.L1", "contactor.L2", "volts_low_z"))
    assert world.display.value == 0
    do(world, volts("contactor.L2", "ground"))
    assert 110 < (world.display.value or 0) < 125
    do(world, switch("breaker", False), volts("contactor.L2", "ground"))
    assert world.display.value == 0


def test_ac_volts_say_nothing_of_what_a_capacitor_holds() -> None:
    world = do(World(call(2)), *OPEN, *PROVE, volts("run_cap.C", "run_cap.HERM"))
    assert world.display.value == 0
    do(world, *bleed("c_herm"))
    assert (world.display.value or 0) > 250, "the resistor in the bag is burnt through"
    do(world, *bleed("c_herm", "spare_resistor"))
    assert (world.display.value or 0) < 5
    do(world, lead("run_capacitor", False))
    assert world.hurt is None
    assert "run_capacitor" in world.leads_off


def test_a_screwdriver_across_a_charged_capacitor_flashes() -> None:
    world = do(World(call(2)), *OPEN, *PROVE)
    do(world, Act(verb="discharge", section="c_herm", tool="screwdriver"))
    assert [h.code for h in world.harms] == ["arc"]
    assert world.harms[0].hurts


def test_ohms_on_a_live_circuit_end_the_meter_and_a_capacitor_ends_it_too() -> None:
    world = do(World(call(6)), volts("contactor.L1", "ground", "ohms"))
    assert [h.code for h in world.harms] == ["arc"]
    other = do(World(call(2)), *OPEN, *PROVE, volts("run_cap.C", "run_cap.HERM", "microfarads"))
    assert [h.code for h in other.harms] == ["meter"]


def test_the_fan_spends_the_shot_where_the_clamp_holds_both() -> None:
    world = do(World(call(5)), clamp("inrush", "whole_unit"), Act(verb="arm"), switch("thermostat", True))
    fan = world.display.value or 0
    assert 2 < fan < 12
    do(world, switch("thermostat", False), wait(5), *START)
    shot = world.display.value or 0
    assert shot > 5 * fan
    do(world, wait(3), look("plate"), switch("thermostat", False))
    assert world.display.value == shot, "it is held"
    do(world, wait(5), switch("thermostat", True), wait(1), Act(verb="arm"))
    assert "shot_spent" in {h.code for h in world.harms}, "what runs already spends it"


def test_the_failed_kit_holds_the_compressor_until_it_is_lifted() -> None:
    world = do(World(call(7)), switch("thermostat", True))
    assert [s.started for s in world.starts] == [False]
    do(world, *MAKE_SAFE, lead("start_kit", False), *POWER, switch("thermostat", True))
    assert [s.started for s in world.starts] == [False, True]
    assert "kit_bypass" in {t.test for t in world.tests}


def test_a_relay_that_hangs_flat_or_is_of_a_class_never_reached_bursts_its_capacitor() -> None:
    own: dict[str, Any] = {}
    high: dict[str, Any] = {"relay": "PR-405"}
    for more, upright, burst in ((own, True, False), (own, False, True), (high, True, True)):
        kit = fit("start_kit", number="KT-88", upright=upright, **more)
        world = do(World(call(10)), *MAKE_SAFE, kit, *POWER, switch("thermostat", True), wait(2))
        assert ("burst" in {h.code for h in world.harms}) is burst, (more, upright)
        assert world.runs_well() or burst


def test_an_overload_closes_when_it_has_cooled() -> None:
    world = do(World(call(4)), *MAKE_SAFE, lead("compressor", False))
    open_pair = volts("compressor.C", "compressor.R", "ohms")
    do(world, open_pair)
    assert world.display.text == "OL"
    do(world, volts("compressor.S", "compressor.R", "ohms"))
    assert 1 < (world.display.value or 0) < 10
    do(world, wait(30), open_pair)
    assert (world.display.value or 99) < 5


def test_wired_as_drawn_a_relay_on_the_wrong_leg_is_seen_to_fail() -> None:
    kit = fit("start_kit", number="KT-130")
    for wrong in (False, True):
        nets = [list(n) for n in three_wire_nets(wrong)]
        wire = Act.model_validate({"verb": "wire", "wiring": {"kind": "three_wire_kit", "nets": nets}})
        taped = lead("coil", False, taped=True)
        world = do(World(call(9)), *MAKE_SAFE, taped, kit, wire, lead("coil", True), *POWER)
        do(world, switch("thermostat", True), wait(1))
        assert world.runs_well() is not wrong
        assert {f.code for f in world.faults} == ({"RELAY_5_WRONG_LEG"} if wrong else set())
    # Two legs joined: a bang as the power comes back, and the breaker is weaker for it.
    shorted = [list(n) for n in three_wire_nets()]
    one = next(n for n in shorted if "contactor.T1" in n)
    two = next(n for n in shorted if "contactor.T2" in n)
    merged = [n for n in shorted if n is not one and n is not two] + [one + two]
    wire = Act.model_validate({"verb": "wire", "wiring": {"kind": "three_wire_kit", "nets": merged}})
    world = do(World(call(9)), *MAKE_SAFE, lead("coil", False, taped=True), kit, wire, *POWER)
    assert world.hurt is not None
    assert world.hurt.code == "bang"
    assert world.unit.breaker_tripped
    assert world.unit.bears < 1


def test_a_soft_starter_is_gentler_once_it_has_learned() -> None:
    s = call(11)
    acts = (*MAKE_SAFE, fit("soft_starter", number="SS-16"), *POWER)
    world = do(World(s), *acts)
    deepest = []
    for _ in range(6):
        do(world, switch("thermostat", True))
        deepest.append(world.unit.deepest_dip_pct())
        do(world, switch("thermostat", False), wait(4))
    assert deepest[0] > deepest[-1] + 5
    assert all(later <= earlier + 0.5 for earlier, later in pairwise(deepest))
    assert not World(s).runs_well()
    assert world.runs_well()


@pytest.mark.parametrize("level", [1, 2, 3])
@settings(max_examples=25)
@given(seed=st.integers(0, 10**6))
def test_any_seed_is_solvable_by_its_own_repair_and_scored(level: int, seed: int) -> None:
    s = endless(level, seed)
    assert find_scenario(s.key) is not None
    assert s.complaint
    world = do(World(s), look("plate"), *OPEN, KNOWN, *DEAD_POINTS[:3], switch("breaker", False))
    do(world, *DEAD_POINTS, KNOWN)
    for section in ("c_herm", "c_fan"):
        do(world, *bleed(section, "spare_resistor"))
    small = s.case.plate.run_cap_uf == 35.0
    for cause in s.causes:
        parts = sorted(s.work or priors()[cause].mended_by)
        part = "start_kit" if "start_kit" in parts else next(iter(parts), None)
        if part is not None:
            more: dict[str, Any] = {}
            if part == "start_kit":
                more = {"number": "KT-88" if small else "KT-130"}
            if part == "breaker":
                more = {"rating_a": s.case.plate.mocp_a}
            do(world, fit(part, **more))
    do(world, wait(30))
    assert world.cured()
    assert world.hurt is None
    assert not {h.code for h in world.harms} - {"condemned_good"}
    score = score_of(world, Noted(cause=s.cause, handed_over=True))
    assert 0 <= score.total <= 100
    assert next(d.points for d in score.dimensions if d.skill == "diagnosis") == 100
    assert expert_path(s).minutes > 0


def test_one_seed_is_one_call_for_everybody() -> None:
    one, two = endless(2, 77), endless(2, 77)
    assert one.case.truth == two.case.truth
    assert one.setup == two.setup
    assert one.complaint == two.complaint
    assert find_scenario("seed-4-1") is None
    assert find_scenario("graded-13") is None
    assert find_scenario("seed-1-99999999999") is None
    assert find_scenario("") is None


terminals = st.sampled_from(TERMINALS)


class AtTheUnit(RuleBasedStateMachine):
    """Any acts in any order: never a crash, never time that runs back, always the same call again."""

    @initialize(number=st.integers(1, 12))
    def begin(self, number: int) -> None:
        self.scenario = call(number)
        self.world = World(self.scenario)
        self.done: list[Act] = []
        self.before = 0.0

    def act(self, act: Act) -> None:
        count, at, harms = self.world.count, self.world.at_s, len(self.world.harms)
        refused = None
        try:
            self.world.do(act)
        except (GateClosed, InputProblem) as refusal:
            refused = refusal
        if refused is not None:
            assert refused.next_step
            assert (self.world.count, len(self.world.harms)) == (count, harms)
            # What was refused may have been begun: a call is its acts, so it is worked out again from them.
            self.world = replay(self.scenario, self.done)
            assert self.world.at_s == at
            return
        self.done.append(act)
        if act.verb == "wait":
            assert self.world.at_s == pytest.approx(at + seconds_of(act), abs=0.6)

    @rule(what=st.sampled_from(["thermostat", "disconnect", "breaker"]), on=st.booleans())
    def switch(self, what: str, on: bool) -> None:
        self.act(switch(what, on))

    @rule(on=st.booleans())
    def lock(self, on: bool) -> None:
        self.act(Act(verb="lock", on=on))

    @rule(mode=st.sampled_from(MODES[:5]), red=terminals, black=terminals)
    def probe(self, mode: str, red: str, black: str) -> None:
        self.act(volts(red, black, mode))

    @rule(mode=st.sampled_from(MODES[5:]), conductor=st.sampled_from(CONDUCTORS))
    def clamp(self, mode: str, conductor: str) -> None:
        self.act(clamp(mode, conductor))

    @rule(what=st.sampled_from(["compressor", "run_capacitor", "start_kit", "coil"]), on=st.booleans(),
          taped=st.booleans())  # fmt: skip
    def lead(self, what: str, on: bool, taped: bool) -> None:
        live = bool(self.world.live("contactor", "run_cap", "compressor"))
        harms = len(self.world.harms)
        self.act(lead(what, on, taped))
        if not live:
            assert not any(h.code == "shock" for h in self.world.harms[harms:])

    @rule(tool=st.sampled_from(["resistor", "spare_resistor", "screwdriver"]),
          section=st.sampled_from(["c_herm", "c_fan"]))  # fmt: skip
    def bleed(self, tool: str, section: str) -> None:
        self.act(Act.model_validate({"verb": "discharge", "section": section, "tool": tool}))

    @rule(part=st.sampled_from(["dual_capacitor", "contactor", "start_kit", "wiring", "control", "breaker"]))
    def replace(self, part: str) -> None:
        live = bool(self.world.live())
        changed = len(self.world.changed)
        self.act(fit(part))
        if live and part in ("dual_capacitor", "start_kit"):
            assert self.world.hurt is not None
            assert len(self.world.changed) == changed

    @rule(minutes=st.floats(0.5, 20))
    def wait(self, minutes: float) -> None:
        self.act(wait(minutes))

    @rule(verb=st.sampled_from(["feel", "listen", "gauges", "arm", "ask", "look"]))
    def other(self, verb: str) -> None:
        self.act(Act.model_validate({"verb": verb, "topic": "rest", "sight": "lugs"}))

    @precondition(lambda self: self.done)
    @invariant()
    def is_whole(self) -> None:
        w = self.world
        assert w.at_s >= self.before
        self.before = w.at_s
        assert all(math.isfinite(t.at_s) and t.text for t in w.told)
        assert w.display.value is None or w.display.value >= 0
        assert (w.hurt is None) or w.hurt.text.strip()
        assert all(0 < v < 400 or v == 0 for v in w.charge.values())

    def teardown(self) -> None:
        if getattr(self, "done", None):
            again = replay(self.scenario, self.done)
            assert (again.at_s, again.told, again.display) == (
                self.world.at_s, self.world.told, self.world.display,
            )  # fmt: skip
            assert score_of(again, Noted()).total == score_of(self.world, Noted()).total
            assert all(act_words(a) for a in self.done)


TestAtTheUnit = AtTheUnit.TestCase
TestAtTheUnit.settings = settings(max_examples=25, stateful_step_count=14, deadline=None)


@given(red=terminals, black=terminals, mode=st.sampled_from(MODES[:5]), value=st.floats(0, 300))
def test_a_display_is_taken_only_as_what_it_is(red: str, black: str, mode: Any, value: float) -> None:
    fill = fill_at(mode, red, black, None, value, 236.0)
    if fill is not None:
        same = fill_at(mode, black, red, None, value, 236.0)
        assert same == fill, "whichever probe is where"
        assert ("_v" in fill.quantity) == (mode in ("volts", "volts_low_z"))
        assert fill.quantity.endswith("_ohm") == (mode == "ohms")
    assert fill_at(mode, red, black, None, math.inf, 236.0) is None


days = st.integers(0, 300)


@given(st.lists(st.tuples(days, st.booleans()), min_size=1, max_size=12))
def test_what_goes_well_comes_back_later_and_what_was_missed_tomorrow(found: list[tuple[int, bool]]) -> None:
    from datetime import date, timedelta

    begin = date(2026, 1, 1)
    results = [
        Result("graded-1", begin + timedelta(days=d), 80.0 if ok else 20.0, ok, () if ok else ("safety",))
        for d, ok in sorted(found)
    ]
    due = due_of("graded-1", results)
    assert due is not None
    wait_days = (due - results[-1].on).days
    assert wait_days == 1 if not results[-1].passed else wait_days in AGAIN_DAYS
    more = [*results, Result("graded-1", due, 90.0, True, ())]
    later = due_of("graded-1", more)
    assert later is not None
    assert (later - due).days >= (wait_days if results[-1].passed else 2)
    assert any(d.key == "graded-1" for d in due_list(results, due))
    assert not any(d.key == "graded-1" for d in due_list(results, due - timedelta(days=1)))
    assert all(s.held <= s.of for s in skills_of(results))


def test_a_skill_missed_on_an_endless_call_brings_its_graded_call() -> None:
    from datetime import date

    missed = [Result("seed-1-5", date(2026, 3, 1), 40.0, False, ("wiring",))]
    due = due_list(missed, date(2026, 3, 2))
    assert [d.key for d in due] == ["graded-9"]
    assert "wiring" in due[0].why
    done = [*missed, Result("graded-9", date(2026, 3, 2), 95.0, True, ())]
    assert due_list(done, date(2026, 3, 3)) == []


def test_a_breaker_without_its_rating_and_a_starter_called_a_kit_are_asked_about() -> None:
    for act, field in (
        (fit("breaker"), "rating_a"),
        (fit("start_kit", number="SS-16"), "number"),
        (fit("soft_starter", number="KT-130"), "number"),
    ):
        world = do(World(call(12)), *MAKE_SAFE)
        before = world.count
        with pytest.raises(InputProblem) as refused:
            world.do(act)
        assert [p.field for p in refused.value.problem().errors] == [field]
        assert (world.count, world.changed) == (before, [])
