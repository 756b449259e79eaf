"""What a make-safe record is offered from the last one, and what one entry for all pairs may prove."""

from datetime import timedelta
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from orange_crank.core.call.expected import expected_make_safe
from orange_crank.core.safety.make_safe import PAIRS, DeadPoint, MakeSafe, judge_make_safe
from orange_crank.core.safety.state import SafetyEvent
from orange_crank.demo.player import make_safe_record
from tests.core.call.test_ladder import NOON, PLATE

WHOLE = make_safe_record("single_phase_two_leg", ["c_herm", "c_fan"])


def event(record: MakeSafe | None, minute: float = 0, kind: str = "made_safe") -> SafetyEvent:
    return SafetyEvent.model_validate(
        {"kind": kind, "at": NOON + timedelta(minutes=minute), "record": record, "place": minute}
    )


def test_what_was_said_last_is_offered_and_nothing_measured_is() -> None:
    last = expected_make_safe(PLATE, [event(WHOLE)]).last
    assert last is not None
    assert (True, "disconnect at the unit", []) == (last.here, last.fed, last.other_sources)
    assert [("Disconnect", "the technician")] == [(o.device, o.key_holder) for o in last.opened]
    assert ("house receptacle", 120.0) == (last.source, last.source_v)
    told = last.model_dump_json()
    for measured in ("reading_v", "after_v", "locked", "tagged", "dry", "control_off"):
        assert measured not in told, "what has to be done again is never carried over"


def test_this_calls_record_comes_before_an_earlier_visits_and_a_half_one_is_passed_over() -> None:
    other = WHOLE.model_copy(update={"source_identified": "Breaker 12"})
    nameless = WHOLE.model_copy(update={"source_identified": None})
    here = expected_make_safe(PLATE, [event(WHOLE, 1), event(other, 2)], event(WHOLE, -900))
    assert here.last is not None
    assert "Breaker 12" == here.last.fed
    earlier = expected_make_safe(PLATE, [event(None, 1, "caution_read")], event(other, -900))
    assert earlier.last is not None
    assert (False, "Breaker 12") == (earlier.last.here, earlier.last.fed)
    assert expected_make_safe(PLATE, [event(nameless, 1)]).last is None
    assert expected_make_safe(None).last is None
    unread = expected_make_safe(None, [event(WHOLE)])
    assert ("single_phase_two_leg", ["c_herm", "c_fan"]) == (unread.supply, unread.sections)


def test_a_start_capacitor_on_no_plate_is_measured_again_because_it_was_last_time() -> None:
    cooler = PLATE.model_copy(update={"run_cap_uf": None, "fan_cap_uf": None})
    record = make_safe_record("single_phase_one_leg", ["start"])
    assert ["start"] == expected_make_safe(cooler, [], event(record, -900)).sections
    with_can = PLATE.model_copy(update={"run_cap_uf": 45.0})
    assert ["c_herm"] == expected_make_safe(with_can, [], event(record, -900)).sections


def judged(**more: Any) -> Any:
    return judge_make_safe(WHOLE.model_copy(update={"dead_points": [], **more}))


@pytest.mark.parametrize(
    ("largest", "status", "code"),
    [
        (None, "incomplete", None),
        (0.0, "proved", None),
        (0.9, "proved", None),
        (1.0, "retest", "STRAY_VOLTAGE"),
        (29.0, "retest", "STRAY_VOLTAGE"),
        (118.0, "stop", "STOP_LIVE"),
    ],
)
def test_one_entry_for_all_pairs_proves_dead_only_below_the_limit(
    largest: float | None, status: str, code: str | None
) -> None:
    out = judged(largest_dead_v=largest)
    assert status == out.status
    if code is not None:
        found = next(f for f in out.findings if f.code == code)
        half = judged(largest_dead_v=largest, dry=None, control_off=False, proof_before=None)
        assert found.next_step == half.missing[0], "danger is said first through every door"
        assert found.stops
        assert f"{largest:g} V" in found.text
        assert ("Hands out" in (found.next_step or "")) == (code == "STOP_LIVE")


@settings(max_examples=60, deadline=None)
@given(
    by_pair=st.dictionaries(
        st.tuples(
            st.sampled_from(["contactor_line", "contactor_load"]),
            st.sampled_from(PAIRS["single_phase_two_leg"]),
        ),
        st.floats(0.0, 240.0),
        max_size=6,
    ),
    largest=st.none() | st.floats(0.0, 240.0),
)
def test_dead_is_proved_by_whatever_mixture_only_if_every_reading_is_below_the_limit(
    by_pair: dict[tuple[str, str], float], largest: float | None
) -> None:
    """Pairs written down one by one, the rest by their largest, or not at all."""
    points = [
        DeadPoint.model_validate({"place": place, "pair": pair, "reading_v": v})
        for (place, pair), v in by_pair.items()
    ]
    out = judged(dead_points=points, largest_dead_v=largest)
    seen = [*by_pair.values(), *([largest] if largest is not None else [])]
    whole = len(by_pair) == 6 or largest is not None
    assert (out.status == "proved") == (whole and all(v < 1.0 for v in seen))
    if any(v > 30.0 for v in seen):
        assert "stop" == out.status
