"""What the rules of safety and of the plate say, whole: verdicts, figures, clauses and words, held as golden.

``GOLDEN=write pytest <this file>`` writes them again; read the difference before it is kept.
"""

import itertools
import json
import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from orange_crank.core.call.facts import CallFacts, Lift
from orange_crank.core.call.judge import judge_call
from orange_crank.core.call.why_record import SeenAt
from orange_crank.core.errors import CrankError
from orange_crank.core.safety.state import call_state
from orange_crank.demo.player import make_safe_record
from orange_crank.topics import calculate
from tests.core.call.test_ladder import NOON, PLATE
from tests.core.call.test_states_and_stops import HOT, LEGS, PIN, event, ground, test

GOLDEN = Path(__file__).resolve().parents[1] / "golden" / "findings"
Entry = dict[str, Any]


def plates() -> Iterator[Entry]:
    one = {"rla_a": 17.9, "lra_a": 112.0, "kind": "scroll"}
    plain: Entry = {"volts": 230, "phase": 1, "compressors": [one], "motors": [{"fla_a": 1.4}]}
    yield plain
    yield plain | {"mca_a": 23.8, "mocp_a": 40, "tons": 3.0}
    yield plain | {"mca_a": 24.3, "mocp_a": 40}
    yield plain | {"mca_a": 28.0, "mocp_a": 45, "tons": 5.0}
    yield plain | {"mca_a": 19.0, "mocp_a": 25, "tons": 1.0}
    yield plain | {"mca_a": 23.8, "mocp_a": 60, "overcurrent_allowed": "fuse"}
    yield plain | {"mocp_a": 35, "other_a": 5.0}
    yield plain | {"mca_a": 23.8, "mocp_a": 43}
    for rla, lra in (
        (179.0, 112.0),
        (1.79, 112.0),
        (17.9, 11.2),
        (17.9, 1120.0),
        (17.9, 60.0),
        (17.9, 140.0),
    ):
        yield plain | {"compressors": [one | {"rla_a": rla, "lra_a": lra}], "mca_a": 23.8, "mocp_a": 40}
    yield plain | {"compressors": [one], "motors": [{"fla_a": 14.0}], "mca_a": 23.8}
    yield plain | {"compressors": [one | {"bcsc_a": 20.0}], "mca_a": 26.4, "mocp_a": 45}
    yield {"volts": 208, "phase": 3, "compressors": [{"rla_a": 12.2, "lra_a": 83}] * 2,
           "motors": [{"fla_a": 2.1}, {"fla_a": 2.1}], "mca_a": 31.7, "mocp_a": 40, "tons": 7.5}  # fmt: skip
    yield {"volts": 230, "phase": 1, "compressors": [{"rla_a": 15.0, "kind": "inverter"}], "inverter": True,
           "mca_a": 19.2, "mocp_a": 30}  # fmt: skip
    yield {"volts": 115, "phase": 1, "compressors": [{"rla_a": 8.0, "lra_a": 40}], "run_cap_uf": 25}
    yield {"volts": 230, "phase": 1}


def isolations() -> Iterator[Entry]:
    yield {}
    yield {"whole": True}
    yield {"whole": False}
    for piece in ("compressor", "fan", "crankcase_heater", "run_capacitor", "start_kit", "wiring"):
        yield {"whole": True, piece: True}
        yield {"whole": True, piece: False}
    yield {"compressor": True, "terminal_c": True, "terminal_s": False, "terminal_r": True}
    yield {"compressor": True, "terminal_c": False, "terminal_s": False, "terminal_r": False}
    every = ("compressor", "fan", "crankcase_heater", "run_capacitor", "start_kit", "wiring")
    yield {"whole": True} | dict.fromkeys(every, False)
    yield {"whole": False} | dict.fromkeys(every, False)
    for megohm, winding in itertools.product((0.2, 0.8, 4.0, 60.0, 900.0), (None, 60.0, 104.0, 160.0)):
        yield {"compressor": False, "insulation_megohm": megohm, "test_v": 500.0, "winding_f": winding}
    yield {"insulation_megohm": 30.0, "test_v": 1000.0, "winding_f": 75.0}
    yield {"insulation_megohm": 30.0}


def bleeds() -> Iterator[Entry]:
    for uf, volts, ohm in itertools.product((5.0, 45.0, 189.0), (120.0, 440.0), (None, 15_000.0, 20_000.0)):
        entry = {"capacitance_uf": uf, "rated_v": volts}
        yield entry if ohm is None else entry | {"resistance_ohm": ohm}
        if ohm is not None:
            for watts in (2.0, 5.0):
                yield entry | {"resistance_ohm": ohm, "resistor_w": watts}


def records() -> Iterator[Entry]:
    for supply, sections in (
        ("single_phase_two_leg", ["c_herm", "c_fan"]),
        ("single_phase_one_leg", ["c_herm"]),
        ("three_phase", []),
    ):
        whole = make_safe_record(supply, sections).model_dump(mode="json")  # type: ignore[arg-type]
        yield whole
        for field in whole:
            empty: Any = [] if isinstance(whole[field], list) else None
            yield whole | {field: empty}
        for volts in (0.5, 5.0, 29.0, 31.0, 118.0):
            points = [p | {"reading_v": volts} for p in whole["dead_points"]]
            yield whole | {"dead_points": points}
            yield whole | {
                "dead_points": [p | {"low_impedance_v": 0.2, "explained": "long run"} for p in points]
            }
            yield whole | {"capacitors": [c | {"after_v": volts} for c in whole.get("capacitors", [])]}


BANK = {"plate": plates, "isolation": isolations, "bleed": bleeds, "make-safe": records}


def keep(name: str, found: list[Any]) -> None:
    file = GOLDEN / f"{name}.json"
    if os.environ.get("GOLDEN") == "write":
        GOLDEN.mkdir(exist_ok=True)
        lines = ",\n".join(json.dumps(f, ensure_ascii=False) for f in found)
        file.write_text(f"[\n{lines}\n]\n", "utf-8")
    assert json.loads(file.read_text("utf-8")) == json.loads(json.dumps(found))


@pytest.mark.parametrize("topic", BANK)
def test_what_a_rule_says_is_as_kept(topic: str) -> None:
    found = []
    for entry in BANK[topic]():
        try:
            said = calculate(topic, json.dumps(entry)).model_dump(mode="json")
        except CrankError as refusal:
            said = refusal.problem().model_dump(mode="json")
        found.append({"entry": entry, "said": said})
    assert sum("findings" in f["said"] or "verdict" in f["said"] for f in found) > len(found) / 2
    keep(topic, found)


PROVED = event("made_safe", 1, 1, make_safe_record("single_phase_two_leg", ["c_herm", "c_fan"]))
CAUTION = event("caution_read", 0, 0.5)
CALLS: dict[str, Any] = {
    "as found": {},
    "caution": {"events": [CAUTION]},
    "dead": {"events": [CAUTION, PROVED]},
    "control": {"events": [CAUTION, PROVED, event("control_live", 2, 2)]},
    "live": {"events": [CAUTION, PROVED, event("went_live", 2, 2)]},
    "lapsed": {"events": [CAUTION, PROVED, event("lapsed", 2, 2, detail="break")]},
    "dead, no caution": {"events": [PROVED]},
    "no plate": {"plate": None, "events": [CAUTION]},
    "closed": {"status": "closed", "events": [CAUTION]},
    "hot": {"events": [CAUTION, event("made_safe", 1, 1, HOT)]},
    "wet": {
        "events": [
            event("made_safe", 1, 1, PROVED.record and PROVED.record.model_copy(update={"dry": False}))
        ]
    },
    "short": {"events": [CAUTION, PROVED], "readings": [ground(1, 2, True)]},
    "short, clear": {"events": [CAUTION], "readings": [ground(1, 2, True), ground(2, 3, False)]},
    "pin": {"tests": [test(7, 2, "isolation", PIN)]},
    "legs": {"events": [CAUTION], "tests": [test(3, 1, "legs", LEGS)]},
    "legs, lifted": {
        "events": [CAUTION],
        "tests": [test(3, 1, "legs", LEGS)],
        "lifts": [Lift(stop="test-3", how="Utility remade it", lifted_at=NOON, person="Marlo", place=2.0)],
    },
    "trips": {"hazards": [SeenAt("repeated_trips", 2.0, NOON, "Marlo")]},
    "feed": {"hazards": [SeenAt("unknown_feed", 2.0, NOON, "Marlo")]},
}


def test_gates_and_stops_of_a_call_are_as_kept() -> None:
    found = []
    for name, known in CALLS.items():
        facts: Any = {"plate": PLATE, "events": []} | known
        call = judge_call(CallFacts(state=call_state(facts["events"], NOON), **facts))
        found.append(
            {
                "call": name,
                "state": call.facts.state.model_dump(mode="json"),
                "gates": {n: g.model_dump(mode="json") for n, g in call.gates.items()},
                "stops": [s.model_dump(mode="json") for s in call.stops],
                "settled": dict(call.found_stops.settled),
            }
        )
    keep("gates", found)
