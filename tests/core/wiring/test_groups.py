"""What of a plan may be ticked together, and what is wired lead by lead."""

from typing import Any, get_args

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from orange_crank.core.wiring import WiringIn, plan_wiring
from orange_crank.core.wiring.plans import WITH_OLD_KIT, PlanKind


@pytest.mark.parametrize("kind", get_args(PlanKind))
def test_only_a_swap_one_for_one_may_be_ticked_by_groups_and_they_cover_plain_moves_once(
    kind: PlanKind,
) -> None:
    plan = plan_wiring(WiringIn.model_validate({"kind": kind}))
    taken = [i for g in plan.groups for i in g.moves]
    assert len(taken) == len(set(taken))
    if kind not in ("dual_capacitor", "contactor_one_pole", "contactor_two_pole"):
        assert [] == plan.groups, "an aid is wired lead by lead"
        return
    assert plan.groups
    for i in taken:
        move = plan.moves[i]
        if move.kind == "isolate":
            continue
        assert ("move", "") == (move.kind, move.note)
        assert move.from_ == "its tape" or move.from_.rpartition(" ")[2] == move.to.rpartition(" ")[2], (
            "to the terminal of the same name"
        )
    if kind.startswith("contactor"):
        sides = {"line side", "load side", "coil", "coil leads off, each taped by itself"}
        assert sides >= {g.title.rpartition(": ")[2] for g in plan.groups}


UNITS = st.fixed_dictionaries(
    {
        "kind": st.sampled_from(get_args(PlanKind)),
        "poles": st.sampled_from([1, 2]),
        "run_capacitor": st.sampled_from(["dual", "two_singles"]),
        "fan_wires": st.sampled_from([3, 4]),
        "crankcase_heater": st.booleans(),
        "old_kit": st.sampled_from([None, "two_wire", "three_wire"]),
        "numbering": st.sampled_from(["lettered", "numbered"]),
    }
)


@settings(max_examples=200, deadline=None)
@given(UNITS)
def test_the_moves_come_in_the_order_of_the_hand(unit: dict[str, Any]) -> None:
    """Coil leads are taped first; what is old is off a terminal before the new is on."""
    plan = plan_wiring(WiringIn.model_validate(unit))
    kinds = [m.kind for m in plan.moves]
    assert kinds == sorted(kinds, key=["isolate", "take_off", "move", "add"].index)
    taped = {m.lead for m in plan.moves if m.kind == "isolate"}
    for i, move in enumerate(plan.moves):
        if move.kind == "move" and move.lead.startswith("coil"):
            assert move.lead in taped
            assert move.from_ == "its tape"
        if move.kind != "take_off":
            continue
        other = move.to.removeprefix("off, with its other end at ")
        for earlier in plan.moves[:i]:
            assert earlier.kind in ("isolate", "take_off") or not {earlier.from_, earlier.to} & {
                move.from_,
                other,
            }


@pytest.mark.parametrize("old", ["two_wire", "three_wire"])
@pytest.mark.parametrize("kind", WITH_OLD_KIT)
def test_a_kit_that_is_fitted_comes_off_first_and_nothing_of_it_stays(kind: PlanKind, old: str) -> None:
    plan = plan_wiring(WiringIn.model_validate({"kind": kind, "old_kit": old}))
    leads = [m for m in plan.moves if m.lead.startswith("old ")]
    assert leads == plan.moves[: len(leads)]
    assert len(leads) == (2 if old == "two_wire" else 4)
    assert {m.kind for m in leads} == {"take_off"}
    assert not [t for net in plan.after for t in net if t.startswith("old_")]
    assert [t for net in plan.before for t in net if t.startswith("old_")]
    bare = plan_wiring(WiringIn.model_validate({"kind": kind}))
    assert bare.after == plan.after
    assert [m for m in plan.moves if m not in leads] == bare.moves


@pytest.mark.parametrize(
    ("kind", "into", "out"),
    [("soft_starter_four_lead", "RUN_IN", "RUN_OUT"), ("soft_starter_five_lead", "LINE", "RUN")],
)
def test_run_in_and_run_out_swapped_is_one_sentence(kind: PlanKind, into: str, out: str) -> None:
    swap = {f"starter.{into}": f"starter.{out}", f"starter.{out}": f"starter.{into}"}
    nets = [[swap.get(t, t) for t in net] for net in plan_wiring(WiringIn(kind=kind)).after]
    faults = plan_wiring(WiringIn(kind=kind, nets=nets)).faults
    assert ["RUN_IN_OUT_REVERSED"] == [f.code for f in faults or []]
    # A second mistake beside it is still told.
    loose = [[t for t in net if t != "starter.REF"] for net in nets]
    more = plan_wiring(WiringIn(kind=kind, nets=loose)).faults
    assert {"RUN_IN_OUT_REVERSED", "REFERENCE_OFF"} == {f.code for f in more or []}
