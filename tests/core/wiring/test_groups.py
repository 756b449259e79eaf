"""What of a plan may be ticked together, and what is wired lead by lead."""

from typing import get_args

import pytest

from orange_crank.core.wiring import WiringIn, plan_wiring
from orange_crank.core.wiring.plans import PlanKind


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
        assert ("move", "", True) == (move.kind, move.note, move.photograph)
        assert move.from_.rpartition(" ")[2] == move.to.rpartition(" ")[2], "to the terminal of the same name"
    if kind.startswith("contactor"):
        assert {"line side", "load side", "coil"} >= {g.title.rpartition(": ")[2] for g in plan.groups}
