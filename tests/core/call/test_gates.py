"""The gates of a call: one authority, asked by every door."""

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from orange_crank.core.call.facts import CallFacts
from orange_crank.core.call.gates import require, take_gate
from orange_crank.core.call.judge import judge_call
from orange_crank.core.errors import GateClosed
from orange_crank.core.safety.state import SafetyEvent, call_state
from orange_crank.demo.player import make_safe_record

NOON = datetime(2026, 7, 1, 12, tzinfo=UTC)


def events(*kinds: str) -> list[SafetyEvent]:
    record = make_safe_record("single_phase_two_leg", ["c_herm", "c_fan"])
    return [
        SafetyEvent.model_validate(
            {
                "kind": kind,
                "at": NOON + timedelta(minutes=i),
                "record": record if kind == "made_safe" else None,
                "place": float(i + 1),
            }
        )
        for i, kind in enumerate(kinds)
    ]


@pytest.mark.parametrize(
    ("work", "kinds", "reason", "opens"),
    [
        ("dead", (), None, False),
        ("dead", (), "  ", False),
        ("dead", (), "unit is on the bench, cord in my hand", True),
        ("dead", ("made_safe",), None, True),
        ("dead", ("made_safe", "control_live"), None, False),
        ("live", (), None, False),
        ("live", ("caution_read",), None, True),
        ("live", ("caution_read", "made_safe"), None, False),
        ("live", ("caution_read", "made_safe", "lapsed"), None, False),
        ("live", ("caution_read", "made_safe", "went_live"), None, True),
        ("control", ("caution_read", "made_safe"), None, False),
        ("control", ("caution_read", "made_safe", "control_live"), None, True),
        ("any", (), None, True),
    ],
)
def test_the_gate_opens_only_for_work_the_state_allows(
    work: Any, kinds: tuple[str, ...], reason: str | None, opens: bool
) -> None:
    call = judge_call(CallFacts(plate=None, state=call_state(events(*kinds), NOON + timedelta(minutes=5))))
    gate = call.gates[take_gate(work)]
    if opens:
        require(gate, reason)
    else:
        with pytest.raises(GateClosed) as caught:
            require(gate, reason)
        assert caught.value.next_step
