"""Wiring plans: golden nets and pictures, equivalents accepted, every mistake found and seen to fail."""

import json
import os
import re
from itertools import permutations
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from orange_crank.core.errors import InputProblem
from orange_crank.core.wiring import WiringIn, WiringOut
from orange_crank.core.wiring.check import DANGEROUS
from orange_crank.core.wiring.plans import find_plan, plan_titles
from orange_crank.core.wiring.units import UnitWiring
from orange_crank.formats.wiring_svg import plan_with_pictures
from orange_crank.topics import calculate

GOLDEN = Path(__file__).resolve().parents[2] / "golden" / "wiring"
KINDS = list(plan_titles())
TICKET_OFFICE = {
    "volts": 230.0, "phase": 1, "compressors": [{"rla_a": 17.9, "lra_a": 112.0}], "run_cap_uf": 45.0,
    "fan_cap_uf": 5.0,
}  # fmt: skip


def plan(kind: str, **more: Any) -> WiringOut:
    return plan_with_pictures(WiringIn.model_validate({"kind": kind} | more))


def wired(kind: str, moves: dict[str, str | None], **more: Any) -> WiringOut:
    """Plan a kind, then put terminals where they do not belong: onto another's net, or onto none."""
    nets = [list(n) for n in plan(kind, **more).after]
    places = {t: n for n in nets for t in n}
    for terminal, onto in moves.items():
        if terminal in places:
            places[terminal].remove(terminal)
        if onto is not None:
            target = places.get(onto)
            if target is None:
                nets.append([onto])
                target = nets[-1]
            target.append(terminal)
    return plan(kind, nets=nets, **more)


def codes(out: WiringOut) -> set[str]:
    return {f.code for f in out.faults or []}


@pytest.mark.parametrize("kind", KINDS)
def test_nets_moves_and_picture_are_as_kept(kind: str) -> None:
    out = plan(kind)
    told = out.model_dump(mode="json", include={"before", "after", "moves", "minds", "consumables"})
    if os.environ.get("GOLDEN") == "write":
        (GOLDEN / f"{kind}.json").write_text(json.dumps(told, indent=1, ensure_ascii=False) + "\n", "utf-8")
        (GOLDEN / f"{kind}.svg").write_text(out.svg + "\n", "utf-8")
    assert json.loads((GOLDEN / f"{kind}.json").read_text("utf-8")) == told
    assert (GOLDEN / f"{kind}.svg").read_text("utf-8").strip() == out.svg


@pytest.mark.parametrize("kind", KINDS)
def test_every_move_leads_from_before_to_after(kind: str) -> None:
    """Moves are what differs between the two circuits: nothing is moved twice, nothing forgotten."""
    found = find_plan(kind, UnitWiring())  # type: ignore[arg-type]
    leads = {c.lead: c for c in found.before.conductors}
    after = {c.lead: c for c in found.after.conductors}
    assert len(after) == len(found.after.conductors), "each lead has a name of its own"
    out = plan(kind)
    by = {k: {m.lead for m in out.moves if m.kind == k} for k in ("move", "add", "take_off")}
    assert by["add"] == set(after) - set(leads)
    assert by["take_off"] == set(leads) - set(after)
    ends = {k: (leads[k].one, leads[k].two) for k in leads if k in after}
    assert by["move"] == {k for k, e in ends.items() if e != (after[k].one, after[k].two)}
    assert all(m.photograph for m in out.moves if m.kind != "add" and m.from_ != "its tape")


@pytest.mark.parametrize("kind", KINDS)
def test_the_picture_stands_alone_and_names_every_terminal(kind: str) -> None:
    out = plan(kind, colours={})
    root = ElementTree.fromstring(out.svg)
    box = [float(v) for v in root.attrib["viewBox"].split()]
    assert box[2] <= 390
    words = [t.text for t in root.iter("{http://www.w3.org/2000/svg}text")]
    for part in find_plan(kind, UnitWiring()).after.components:  # type: ignore[arg-type]
        assert part.title in words
        assert set(part.terminals) <= set(words)
    for line in root.iter("{http://www.w3.org/2000/svg}line"):
        assert 0 <= float(line.attrib["x1"]) <= box[2]
        assert 0 <= float(line.attrib["y2"]) <= box[3]


def test_the_two_legs_differ_without_colour() -> None:
    """One leg is drawn doubled: a capacitor's C and a compressor's C cannot be confused on grey paper."""
    svg = plan("two_wire_kit").svg
    grey = re.sub(r"var\(--[\w-]+, #\w+\)|#\w{6}", "grey", svg)
    doubled = re.findall(r'stroke-width="4"/><line [^>]+stroke-width="1.4"', grey)
    assert len(doubled) >= 4


@pytest.mark.parametrize("poles", [1, 2])
@pytest.mark.parametrize("capacitor", ["dual", "two_singles"])
@pytest.mark.parametrize("fan", [3, 4])
@pytest.mark.parametrize(
    "kind", ["two_wire_kit", "three_wire_kit", "soft_starter_five_lead", "electronic_contactor"]
)
def test_any_unit_wired_as_planned_passes(kind: str, fan: int, capacitor: str, poles: int) -> None:
    unit = {"poles": poles, "run_capacitor": capacitor, "fan_wires": fan, "crankcase_heater": True}
    out = plan(kind, **unit)
    again = plan(kind, nets=out.after, **unit)
    assert again.ok is True
    assert [] == again.faults


@settings(max_examples=60, deadline=None)
@given(kind=st.sampled_from(KINDS), data=st.data())
def test_equivalent_wiring_is_right(kind: str, data: st.DataObject) -> None:
    """Either tab of a pair, any order of the lists: electrically the same is the same."""
    circuit = find_plan(kind, UnitWiring()).after  # type: ignore[arg-type]
    to: dict[str, str] = {}
    for part in circuit.components:
        for group in part.same:
            full = [part.at(t) for t in group]
            turned = data.draw(st.sampled_from(list(permutations(full))))
            to |= dict(zip(full, turned, strict=True))
    nets = [[to.get(t, t) for t in net] for net in plan(kind).after]
    shuffled = data.draw(st.permutations([data.draw(st.permutations(n)) for n in nets]))
    assert plan(kind, nets=shuffled).ok is True


def test_either_leg_is_right_as_long_as_both_change_together() -> None:
    nets = plan("two_wire_kit").after
    swap = {"contactor.T1": "contactor.T2", "contactor.T2": "contactor.T1"}
    assert plan("two_wire_kit", nets=[[swap.get(t, t) for t in n] for n in nets]).ok is True


@settings(max_examples=150, deadline=None)
@given(kind=st.sampled_from(KINDS), data=st.data())
def test_one_lead_in_a_wrong_place_is_always_found(kind: str, data: st.DataObject) -> None:
    out = plan(kind)
    order = {t: i for i, n in enumerate(out.after) for t in n}
    terminal = data.draw(st.sampled_from(sorted(order)))
    elsewhere = [t for t in sorted(order) if order[t] != order[terminal]]
    onto = data.draw(st.sampled_from([*elsewhere, None]))
    found = wired(kind, {terminal: onto})
    circuit = find_plan(kind, UnitWiring()).after  # type: ignore[arg-type]
    bus = {p.at(t) for p in circuit.components for pair in p.joined for t in pair}
    if terminal in bus and onto is None:
        assert found.ok, "one piece of metal inside: its other end still joins it"
        return
    assert found.ok is False
    assert found.faults
    assert all(f.text and f.effect for f in found.faults)


MISTAKES: list[tuple[str, dict[str, str | None], dict[str, Any], str]] = [
    ("two_wire_kit", {"compressor.S": "contactor.T1", "compressor.R": "run_cap.HERM"}, {}, "S_R_SWAPPED"),
    ("two_wire_kit", {"kit.2": "run_cap.FAN"}, {}, "KIT_ACROSS_FAN"),
    ("two_wire_kit", {"kit.1": "run_cap.HERM"}, {}, "KIT_BOTH_LEADS_TOGETHER"),
    ("two_wire_kit", {"kit.1": "compressor.C"}, {}, "KIT_ON_COMPRESSOR_C"),
    ("two_wire_kit", {"run_cap.C": "compressor.C", "fan.R": "compressor.C", "kit.1": "compressor.C"}, {},
     "CAP_C_ON_COMPRESSOR_C"),
    ("two_wire_kit", {"contactor.A1": "contactor.L1"}, {}, "COIL_ON_LINE"),
    ("two_wire_kit", {"compressor.G": None}, {}, "GROUND_OFF"),
    ("two_wire_kit", {"cabinet.G": "contactor.T1"}, {}, "GROUND_ON_LEG"),
    ("two_wire_kit", {"contactor.A2": "control.Y", "control.COM": "control.Y"}, {}, "CONTROL_SHORTED"),
    ("two_wire_kit", {"compressor.S": "run_cap.FAN", "fan.S": "run_cap.HERM"}, {}, "HERM_FAN_SWAPPED"),
    ("two_wire_kit", {"fan.C": "contactor.T1", "fan.R": "contactor.T2"}, {"run_capacitor": "two_singles"},
     "FAN_LEADS_SWAPPED"),
    ("three_wire_kit", {"relay.5": "run_cap.C"}, {}, "RELAY_5_WRONG_LEG"),
    ("three_wire_kit", {"relay.1": "run_cap.HERM", "relay.2": "start_cap.1"}, {}, "RELAY_1_2_SWAPPED"),
    ("three_wire_kit", {"start_cap.1": "run_cap.HERM", "bleed.1": "run_cap.HERM"}, {},
     "START_CAP_NOT_THROUGH_RELAY"),
    ("three_wire_kit", {"relay.1": "relay.2"}, {}, "RELAY_BRIDGED"),
    ("three_wire_kit", {"bleed.1": None}, {}, "NO_BLEED_RESISTOR"),
    ("soft_starter_four_lead", {"starter.RUN_IN": "compressor.R", "starter.RUN_OUT": "contactor.T1"}, {},
     "RUN_IN_OUT_REVERSED"),
    ("soft_starter_five_lead", {"starter.LINE": "compressor.R", "starter.RUN": "contactor.T1"}, {},
     "RUN_IN_OUT_REVERSED"),
    ("soft_starter_four_lead", {"compressor.R": "contactor.T1"}, {}, "STARTER_BYPASSED"),
    ("soft_starter_four_lead", {"starter.REF": "contactor.T1"}, {}, "REFERENCE_ON_SAME_LEG"),
    ("soft_starter_five_lead", {"starter.REF": None}, {}, "REFERENCE_OFF"),
    ("contactor_two_pole", {"new_contactor.T1": "new_contactor.L1"}, {}, "CONTACTOR_BYPASSED"),
    ("contactor_two_pole", {"new_contactor.T2": "new_contactor.T1"}, {}, "LEGS_SHORTED"),
    ("contactor_two_pole", {"compressor.R": "new_contactor.L1"}, {}, "LOAD_ON_LINE"),
    ("contactor_one_to_two_pole", {"heater.2": "new_contactor.T1"}, {"crankcase_heater": True},
     "HEATER_STOPS"),
    ("electronic_contactor", {"electronic.CTRL1": "electronic.RUN"}, {}, "COIL_ON_LINE"),
    ("disconnect", {"new_disconnect.T1": "feeder.1", "new_disconnect.L1": "unit.1"}, {}, "LINE_ON_LOAD"),
    ("disconnect", {"unit.G": None}, {}, "GROUND_OFF"),
    ("heat_kit", {"blower.1": "supply2.L1", "blower.2": "supply2.L2"}, {}, "BLOWER_NOT_ON_CIRCUIT_1"),
    ("heat_kit", {"limit1.1": "element1.1"}, {}, "LIMIT_BYPASSED"),
    ("two_wire_kit", {"control.Y": "contactor.T1"}, {}, "CONTROL_ON_LOAD"),
    ("two_wire_kit", {"compressor.S": "compressor.C"}, {}, "S_C_SHORTED"),
    ("three_wire_kit", {"relay.1": "compressor.C", "relay.2": "compressor.S"}, {}, "S_C_SHORTED"),
    ("three_wire_kit", {"start_cap.1": "contactor.T1", "start_cap.2": "contactor.T2"}, {},
     "START_CAP_ACROSS_LINE"),
    ("soft_starter_four_lead", {"run_cap.C": "starter.RUN_OUT"}, {}, "CAP_BEHIND_THYRISTORS"),
    ("heat_kit", {"element1.1": "supply.L1"}, {}, "SEQUENCER_BYPASSED"),
    ("heat_kit", {"control.W": "control.COM"}, {}, "CONTROL_SHORTED"),
    ("three_in_one", {"compressor.G": None}, {}, "GROUND_OFF"),
    ("three_in_one", {"compressor.R": "kit.START", "compressor.S": "kit.RUN"}, {}, "KIT_LEAD_ON_WRONG_PIN"),
]  # fmt: skip


@pytest.mark.parametrize(
    ("kind", "moves", "more", "code"), MISTAKES, ids=[f"{m[0]}-{m[3]}" for m in MISTAKES]
)
def test_a_known_mistake_is_named_with_what_it_would_do(
    kind: str, moves: dict[str, str | None], more: dict[str, Any], code: str
) -> None:
    out = wired(kind, moves, **more)
    assert out.ok is False
    assert code in codes(out)
    fault = next(f for f in out.faults or [] if f.code == code)
    assert len(fault.effect) > 15
    finding = next(f for f in out.findings if f.code == code)
    assert "fail" == finding.verdict
    assert finding.next_step


@pytest.mark.parametrize(
    ("kind", "moves", "more", "code"), MISTAKES, ids=[f"{m[0]}-{m[3]}" for m in MISTAKES]
)
def test_a_dangerous_wiring_is_never_said_to_start(
    kind: str, moves: dict[str, str | None], more: dict[str, Any], code: str
) -> None:
    out = wired(kind, moves, plate=TICKET_OFFICE, **more)
    start = out.start_as_wired
    dangerous = [f for f in out.faults or [] if f.dangerous]
    assert all(f.code in DANGEROUS for f in dangerous)
    if start is None or not dangerous:
        return
    assert not start.runs
    assert start.verdict not in ("started", "late")
    assert start.danger == dangerous[0].code
    assert start.sentence.startswith("Do not energize. ")
    assert dangerous[0].effect in start.sentence


@settings(max_examples=60, deadline=None)
@given(kind=st.sampled_from(["two_wire_kit", "three_wire_kit", "soft_starter_four_lead"]), data=st.data())
def test_whatever_is_moved_danger_and_a_start_never_stand_together(kind: str, data: st.DataObject) -> None:
    terminals = sorted(t for n in plan(kind).after for t in n)
    moves = data.draw(
        st.dictionaries(st.sampled_from(terminals), st.sampled_from(terminals), min_size=1, max_size=2)
    )
    out = wired(kind, {k: v for k, v in moves.items() if k != v}, plate=TICKET_OFFICE)
    start = out.start_as_wired
    if start is not None and any(f.dangerous for f in out.faults or []):
        assert not start.runs
        assert "Up to speed" not in start.sentence


def test_heat_is_called_from_w_and_the_bleed_resistor_is_brought() -> None:
    assert any("control.W" in n and "sequencer.H1" in n for n in plan("heat_kit").after)
    assert not any("control.Y" in n for n in plan("heat_kit").after)
    brought = {c.item: c.count for c in plan("three_wire_kit").consumables}
    assert 1 == brought["bleed resistor 15 kΩ 2 W"]


def test_what_no_rule_names_is_listed_lead_by_lead() -> None:
    out = wired("heat_kit", {"element1.2": "supply2.L2"})
    assert out.ok is False
    assert codes(out) <= {"NOT_JOINED", "WRONGLY_JOINED", "DIFFERENT"}
    assert any("element1.2" in f.terminals and "_" not in f.text for f in out.faults or [])


def seen(moves: dict[str, str | None], kind: str = "two_wire_kit") -> Any:
    out = wired(kind, moves, plate=TICKET_OFFICE)
    assert out.start_as_planned is not None
    assert out.start_as_planned.runs
    return out.start_as_wired


def test_a_wrong_wiring_is_seen_to_fail() -> None:
    """The same nets feed the start model."""
    dead_cap = seen({"run_cap.C": "compressor.C", "fan.R": "compressor.C", "kit.1": "compressor.C"})
    assert "stalled" == dead_cap.verdict
    open_common = seen({"compressor.C": None})
    assert (False, None) == (open_common.runs, open_common.verdict)
    assert "nothing turns" in open_common.sentence
    across_fan = seen({"kit.2": "run_cap.FAN"})
    planned = plan("two_wire_kit", plate=TICKET_OFFICE).start_as_planned
    assert planned is not None
    assert across_fan.time_to_speed_s > planned.time_to_speed_s
    swapped = seen({"compressor.S": "contactor.T1", "compressor.R": "run_cap.HERM"})
    assert swapped.max_cycle_rms_a < 0.6 * 112 or not swapped.runs
    bypassed = seen({"compressor.R": "contactor.T1"}, "soft_starter_four_lead")
    soft = plan("soft_starter_four_lead", plate=TICKET_OFFICE).start_as_planned
    assert soft is not None
    assert bypassed.max_cycle_rms_a > 1.2 * float(soft.max_cycle_rms_a or 0)


def test_the_plan_speaks_in_the_colours_of_this_unit_and_the_terminal() -> None:
    out = plan(
        "soft_starter_four_lead", colours={"compressor.R": "yellow", "compressor.C": "black, two stripes"}
    )
    move = next(m for m in out.moves if m.lead == "compressor R")
    assert "yellow" == move.colour
    assert "Soft starter RUN_OUT" == move.to
    assert "yellow" in out.svg
    assert "Compressor" in out.svg
    dumped = json.loads(out.model_dump_json())["moves"][0]
    assert {"lead", "from", "to", "note"} <= set(dumped)


def test_either_custom_of_numbering_is_spoken_and_understood() -> None:
    out = plan("contactor_two_pole", numbering="numbered")
    assert "Contactor 2" in {m.from_ for m in out.moves}
    nets = [
        [t.replace("new_contactor.T1", "new_contactor.2") for t in n]
        for n in plan("contactor_two_pole").after
    ]
    assert plan("contactor_two_pole", nets=nets).ok is True


def test_a_heater_that_lived_on_the_open_pole_is_moved_to_both_legs() -> None:
    out = plan("contactor_one_to_two_pole", crankcase_heater=True)
    heater = next(n for n in out.after if "heater.2" in n)
    assert "new_contactor.L2" in heater
    assert any("crankcase heater" in m for m in out.minds)


def test_multi_value_sections_make_the_value_or_say_they_cannot() -> None:
    out = plan("multi_value_start_capacitor", wanted_uf=130.0, sections_uf=[43.0, 88.0, 130.0])
    assert (["V"], 130.0) == (out.taps, out.taps_uf)
    both = plan("multi_value_start_capacitor", wanted_uf=218.0)
    assert (["Q", "V"], 218.0) == (both.taps, both.taps_uf)
    assert any(m.lead == "jumper Q to V" for m in both.moves)
    whole = plan("multi_value_start_capacitor", wanted_uf=218.0, has_start_kit=False)
    assert not any("relay" in t for n in whole.before for t in n)
    with pytest.raises(InputProblem) as refused:
        plan("multi_value_start_capacitor", wanted_uf=600.0)
    assert "wanted_uf" == refused.value.errors[0].field


def test_free_tabs_are_counted_and_piggybacks_asked_for() -> None:
    out = plan("two_wire_kit", free_tabs={"run_cap.C": 0, "run_cap.HERM": 2},
               van=[{"item": "piggyback terminal, insulated, 105 °C", "count": 0}])  # fmt: skip
    tight = next(t for t in out.tabs if t.terminal == "run_cap.C")
    assert tight.piggyback
    piggy = next(c for c in out.consumables if c.item.startswith("piggyback"))
    assert (1, 0, False) == (piggy.count, piggy.on_van, piggy.enough)
    assert not next(t for t in out.tabs if t.terminal == "run_cap.HERM").piggyback


@pytest.mark.parametrize(
    ("entry", "field"),
    [
        ({"kind": "two_wire_kit", "colours": {"compressor.Q": "red"}}, "colours.compressor.Q"),
        ({"kind": "two_wire_kit", "nets": [["compressor.R", "pump.R"]]}, "nets[0][1]"),
        ({"kind": "contactor_two_pole", "new_poles": 1}, "new_poles"),
        ({"kind": "something"}, "kind"),
        ({"kind": "two_wire_kit", "nets": "all"}, "nets"),
        ({"kind": "two_wire_kit", "free_tabs": {"run_cap.C": -1}}, "free_tabs.run_cap.C"),
    ],
)
def test_bad_input_is_refused_by_field(entry: dict[str, Any], field: str) -> None:
    with pytest.raises(InputProblem) as refused:
        calculate("wiring", json.dumps(entry))
    assert field in {e.field for e in refused.value.errors}
    assert all(e.wanted for e in refused.value.errors)


def test_nets_given_twice_are_one_and_an_empty_list_is_everything_open() -> None:
    nets = plan("two_wire_kit").after
    assert plan("two_wire_kit", nets=[*nets, nets[0]]).ok is True
    bare = plan("two_wire_kit", nets=[])
    assert bare.ok is False
    assert bare.faults


def test_a_plan_is_frozen() -> None:
    with pytest.raises(ValidationError):
        plan("two_wire_kit").title = "other"  # type: ignore[misc]


def test_plan_and_check_may_be_named() -> None:
    after = calculate("wiring", json.dumps({"plan": {"kind": "two_wire_kit"}})).model_dump()["after"]
    told = calculate("wiring", json.dumps({"check": {"kind": "two_wire_kit", "nets": after}})).model_dump()
    assert told["ok"] is True
