"""What is missing of the proof is just what was not measured; ohms add up as windings do."""

import math
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from orange_crank.bench.practice.happened import Looked
from orange_crank.bench.practice.probes import pair
from orange_crank.bench.practice.proof import missing_proof, word
from orange_crank.bench.practice.readings import ohms_between

KNOWN = pair("known.L", "known.N")
POINTS = [
    pair(f"contactor.{side}{n}", other)
    for side in ("L", "T")
    for n, other in ((1, f"contactor.{side}2"), (1, "ground"), (2, "ground"))
]
SECTIONS = [pair("run_cap.C", "run_cap.HERM"), pair("run_cap.C", "run_cap.FAN")]
SAFE = {"powered": False, "calls": False, "locked": True}


def looked(points: list[Any], before: bool = True, after: bool = True, opened: int = 3) -> list[Looked]:
    found = [Looked(1, "volts", KNOWN, 120.0)] if before else []
    at = opened
    for point in points:
        at += 1
        mode = "volts_dc" if point in SECTIONS else "volts"
        found.append(Looked(at, mode, point, 0.0))
    return [*found, Looked(at + 1, "volts", KNOWN, 120.0)] if after else found


@given(order=st.permutations(POINTS + SECTIONS))
def test_the_whole_proof_in_any_order_leaves_nothing_missing(order: list[Any]) -> None:
    assert missing_proof(looked(order), opened_act=3, now=99, bled=True, **SAFE) == []


@given(order=st.permutations(POINTS + SECTIONS), left_out=st.integers(0, 7))
def test_what_was_left_out_is_named_and_nothing_else(order: list[Any], left_out: int) -> None:
    gone = order[left_out]
    rest = [p for p in order if p != gone]
    missing = missing_proof(looked(rest), opened_act=3, now=99, bled=True, **SAFE)
    assert len(missing) == 1
    assert all(word(t).replace("run_cap", "") in missing[0] for t in gone if t != "ground")


@given(order=st.permutations(POINTS), before=st.booleans(), after=st.booleans(), flags=st.integers(0, 7))
def test_meter_and_switches_count_too(order: list[Any], before: bool, after: bool, flags: int) -> None:
    powered, calls, locked = bool(flags & 1), bool(flags & 2), bool(flags & 4)
    missing = missing_proof(
        looked(order, before, after), opened_act=3, now=99, powered=powered, calls=calls, locked=locked,
        bled=False,
    )  # fmt: skip
    assert len(missing) == sum((not before, not after, powered, calls, not locked))


@given(order=st.permutations(POINTS + SECTIONS))
def test_what_was_measured_before_it_was_opened_proves_nothing(order: list[Any]) -> None:
    early = looked(order, opened=3)
    assert len(missing_proof(early, opened_act=50, now=99, bled=True, **SAFE)) >= len(POINTS) + len(SECTIONS)


@given(cr=st.floats(0.2, 5), windings=st.sampled_from(["sound", "turn_short", "start_open", "run_open"]))
def test_windings_add_up_or_are_open_and_say_so_from_either_side(cr: float, windings: str) -> None:
    truth: dict[str, float | bool | str] = {"cr_ohm": cr, "windings": windings, "ground": False}

    def ohms(one: str, two: str, hot: bool = False) -> float:
        return ohms_between(truth, pair(f"compressor.{one}", f"compressor.{two}"), hot)

    cs, run, sr = ohms("C", "S"), ohms("C", "R"), ohms("S", "R")
    if windings in ("sound", "turn_short"):
        assert math.isclose(cs + run, sr)
        assert run < cs
    else:
        pin = {"start_open": "S", "run_open": "R"}[windings]
        assert [math.isinf(v) for v in (cs, run, sr)] == [pin in p for p in ("CS", "CR", "SR")]
    assert math.isinf(ohms("C", "R", hot=True))
    assert math.isinf(ohms("C", "S", hot=True))
    assert ohms_between(truth, pair("compressor.C", "ground"), False) == math.inf
    assert ohms_between(truth | {"ground": True}, pair("contactor.T1", "ground"), False) < 10_000
