"""Choosing an aid: forbidden cases, root cause first, the goal, the relay's window, what is on the van."""

import json
from itertools import pairwise
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from orange_crank.core.aids import AidIn, AidOut, choose_aid
from orange_crank.core.aids.answer import CAUSES, OWN_ANSWERS
from orange_crank.core.aids.parts import Counted, shipped_parts
from orange_crank.core.aids.stock import aid_part
from orange_crank.core.diagnosis.model import HYPOTHESES
from orange_crank.core.errors import InputProblem
from orange_crank.core.motor import StartIn, compute_start
from orange_crank.core.motor.fit import StartPlate, fit_machine, possible_machines
from orange_crank.core.motor.machine import Machine
from orange_crank.core.motor.phasor import branch_impedance, steady_state
from orange_crank.core.motor.relay import choose_relay, relay_window
from orange_crank.core.motor.start_capacitor import best_start_capacitor
from orange_crank.core.tables import relay_classes, start_capacitor_ranges
from orange_crank.core.tables.refrigerants import find_refrigerant
from orange_crank.core.tables.standards import shipped_standards
from orange_crank.core.topics import calculate
from tests.core.motor.machines import PLATES, THREE_TONS

COOLER: dict[str, Any] = {
    "volts": 115.0,
    "phase": 1,
    "compressors": [{"rla_a": 8.4, "lra_a": 46.0}],
    "metering": "captube",
    "refrigerant": "R-134a",
}


def choose(plate: dict[str, Any] = THREE_TONS, **more: Any) -> AidOut:
    """Choose with R-410A on the nameplate unless one is named: without one it is asked first."""
    return choose_aid(AidIn.model_validate({"plate": {"refrigerant": "R-410A"} | plate} | more))


def names(out: AidOut) -> list[str]:
    return [r.aid for r in out.ranked]


@pytest.mark.parametrize("barred", [{"phase": 3}, {"inverter": True}])
def test_no_aid_is_ever_offered_to_an_inverter_or_a_three_phase_compressor(barred: dict[str, Any]) -> None:
    out = choose(THREE_TONS | barred)
    assert [] == out.ranked
    assert {"ptc_two_wire", "relay_three_wire", "soft_starter", "three_in_one"} <= {
        r.aid for r in out.refused
    }
    assert out.findings[0].next_step


def test_a_warranty_rule_and_a_flammable_refrigerant_forbid() -> None:
    assert "warranty" in choose(warranty_forbids=True).refused[0].why
    burning = choose(THREE_TONS | {"refrigerant": "R-454B"})
    assert ["none", "time_delay"] == sorted(names(burning))
    listed = {"part": "K-1", "aid": "relay_three_wire", "start_cap_uf": 136.0, "listed_for": ["R-454B"]}
    assert "relay_three_wire" in names(choose(THREE_TONS | {"refrigerant": "R-454B"}, stock=[listed]))


def test_a_cause_not_yet_put_right_comes_first_and_is_forgotten_once_it_is() -> None:
    out = choose(diagnosis="run_capacitor_weak")
    assert "Replace the run capacitor" in (out.root_cause_first or "")
    assert "ROOT_CAUSE_FIRST" == out.findings[0].code
    assert choose(diagnosis="run_capacitor_weak", put_right=True).root_cause_first is None
    assert choose(diagnosis="pressure_not_equal").root_cause_first is None


def test_a_motor_that_starts_as_it_should_needs_no_aid() -> None:
    out = choose(start_torque_pct=10.0)
    assert "none" == out.ranked[0].aid
    assert "no aid is needed" in " ".join(out.ranked[0].why)


def test_a_start_measured_slow_is_not_called_well_by_a_typical_machine() -> None:
    slow = choose(start_torque_pct=31.0, inertia_factor=6.0, run_cap_uf=42.5)
    bare = next(r for r in slow.ranked if r.aid == "none")
    assert "late" == bare.predicted.verdict
    assert not bare.fits


def test_against_a_high_load_a_kit_fits_and_bare_does_not() -> None:
    out = choose(start_torque_pct=70.0)
    assert out.ranked[0].aid in ("relay_three_wire", "relay_two_wire", "ptc_two_wire")
    assert "Without it the motor stalls here." in out.ranked[0].why
    assert not next(r for r in out.ranked if r.aid == "none").fits


def test_for_backup_power_the_soft_starter_fits_and_a_kit_says_why_not() -> None:
    out = choose(goal="backup_power", source={"kind": "generator", "rated_kva": 9.0})
    assert "soft_starter" == out.ranked[0].aid
    assert out.ranked[0].range is not None
    assert 112.0 == out.ranked[0].range.lra_a
    kit = next(r for r in out.ranked if r.aid == "relay_three_wire")
    assert not kit.fits
    assert any("first-cycle" in a for a in kit.against)


def test_the_schools_are_named_and_the_default_follows_climate_and_cycling() -> None:
    assert "two_wire" == choose(outdoor_design_f=88.0).school
    hot = choose(outdoor_design_f=108.0, start_torque_pct=60.0)
    assert "three_wire" == hot.school
    assert not next(r for r in hot.ranked if r.aid == "ptc_two_wire").fits
    assert "three_wire" == choose(cycles_per_hour=6.0).school
    assert "two_wire" == choose(outdoor_design_f=108.0, school="two_wire").school


def test_the_three_in_one_is_for_small_capillary_refrigeration_alone() -> None:
    asked = next(r for r in choose(COOLER).refused if r.aid == "three_in_one")
    assert "Horsepower: not entered" in asked.why
    small = choose(COOLER | {"hp": 0.5})
    assert "three_in_one" in names(small)
    assert {None} == {r.predicted.run_cap_uf for r in small.ranked}, "none fitted, none computed with"
    assert any("matched" in a for a in next(r for r in small.ranked if r.aid == "three_in_one").against)
    assert "three_in_one" in [r.aid for r in choose().refused]


@pytest.mark.parametrize(
    ("hp", "volts", "fits"),
    [
        (0.5, 115.0, "TI-2"),
        (0.33, 115.0, "TI-2"),
        (0.2, 115.0, "TI-4"),
        (0.5, 230.0, "TI-230-5"),
        (1.0, 230.0, "TI-230-10"),
    ],
)
def test_a_three_in_one_is_chosen_by_horsepower_and_volts_on_both_sides(
    hp: float, volts: float, fits: str
) -> None:
    """Out of the four of the neutral list exactly one, and each refusal names what does not fit."""
    stock = [
        a.model_dump()
        for p in shipped_parts()
        if p.kind == "three_in_one" and (a := aid_part(Counted(part=p, count=1))) is not None
    ]
    rla = 8.4 if volts < 150 else 6.0
    plate = COOLER | {"volts": volts, "hp": hp, "compressors": [{"rla_a": rla, "lra_a": 5.5 * rla}]}
    out = choose(plate, stock=stock)
    assert [fits] == [r.part for r in out.ranked if r.part]
    for refused in out.refused:
        assert " hp" in refused.why or " V" in refused.why


STOCK = [
    {"part": "SC-130", "aid": "relay_three_wire", "start_cap_uf": 119.0, "price": 48.0},
    {"part": "PTC-25", "aid": "ptc_two_wire", "cold_ohm": 25.0, "price": 1.0},
    {"part": "PTC-unknown", "aid": "ptc_two_wire", "price": 19.0},
    {"part": "SS-small", "aid": "soft_starter", "rla_high_a": 12.0, "price": 190.0},
    {"part": "SS-large", "aid": "soft_starter", "rla_low_a": 12.0, "rla_high_a": 20.0, "lra_high_a": 120.0},
]


def test_the_van_decides_and_a_part_without_its_rating_is_refused_not_guessed() -> None:
    out = choose(stock=STOCK, start_torque_pct=60.0)
    assert {"SC-130", "PTC-25", "SS-large"} == {r.part for r in out.ranked if r.part}
    assert {"PTC-unknown", "SS-small"} == {r.part for r in out.refused}
    assert any("no guess" in r.why for r in out.refused)
    assert 1.0 == next(r.price for r in out.ranked if r.part == "PTC-25")
    with pytest.raises(InputProblem) as empty:
        choose(stock=[])
    assert "stock" == empty.value.errors[0].field
    with pytest.raises(InputProblem) as unknown:
        calculate("aid", json.dumps({"plate": THREE_TONS, "stock": [{"part": "x", "aid": "magnet"}]}))
    assert "stock[0].aid" == unknown.value.errors[0].field


@settings(max_examples=60, deadline=None)
@given(
    rla=st.floats(6.0, 40.0),
    ratio=st.floats(4.0, 7.5),
    volts=st.sampled_from([115.0, 208.0, 230.0]),
    share=st.floats(0.2, 0.45),
    cap=st.sampled_from([98.0, 136.5, 208.0, 297.0]),
)
def test_the_relays_class_always_lies_inside_what_the_model_gives(
    rla: float, ratio: float, volts: float, share: float, cap: float
) -> None:
    run_uf = share * rla / (2 * 3.14159265 * 60 * volts) * 1e6
    plate = {
        "volts": volts,
        "phase": 1,
        "compressors": [{"rla_a": rla, "lra_a": rla * ratio}],
        "run_cap_uf": run_uf,
    }
    machines = possible_machines(StartPlate.model_validate(plate))
    relay = choose_relay(relay_window(machines, volts, run_uf, cap))
    if relay is None:
        return
    w = machines[0].omega
    with_start = branch_impedance(w, (run_uf, 0.0), (cap, 0.0))
    running = branch_impedance(w, (run_uf, 0.0))

    def seen(machine: Machine, speed: float, line: float, branch: complex | None) -> float:
        return abs(steady_state(machine, line, speed, branch).start_winding_v)

    for machine in machines:
        assert seen(machine, 0.0, 1.1 * volts, with_start) < relay.pickup_low_v
        assert relay.pickup_high_v < seen(machine, 0.92, 0.9 * volts, with_start)
        assert relay.dropout_high_v < seen(machine, 0.97, 0.9 * volts, running)
        assert seen(machine, 0.98, volts, running) < relay.continuous_v
    assert relay.pickup_high_v < seen(machines[0], 0.80, volts, with_start)
    assert seen(machines[0], 0.98, 1.1 * volts, running) < relay.continuous_v


@settings(max_examples=12, deadline=None)
@given(
    size=st.sampled_from(
        [(7.7, 43.0, 30.0), (10.3, 58.0, 35.0), (15.9, 83.0, 40.0), (19.9, 109.0, 45.0), (26.4, 134.0, 80.0)]
    ),
    line=st.sampled_from([0.9, 1.0, 1.1]),
    torque_pct=st.sampled_from([10.0, 40.0]),
    inertia=st.sampled_from([0.5, 1.0, 4.0]),
)
def test_on_every_machine_a_plate_allows_the_relay_opens_and_stays_open(
    size: tuple[float, float, float], line: float, torque_pct: float, inertia: float
) -> None:
    """Without a measured S–C: by whole starts, on low and high line, light and heavy rotors."""
    rla, lra, uf = size
    plate = {
        "volts": 230.0, "phase": 1, "compressors": [{"rla_a": rla, "lra_a": lra}], "run_cap_uf": uf,
    }  # fmt: skip
    kit = next((r for r in choose(plate).ranked if r.aid == "relay_three_wire"), None)
    assert kit is not None, "a common plate gets a three-wire kit"
    assert kit.relay is not None
    own = kit.relay
    for machine in possible_machines(StartPlate.model_validate(plate)):
        rated_nm = 0.8 * 230.0 * rla / machine.synchronous_rad_s
        start = compute_start(
            StartIn.model_validate(
                {
                    "machine": machine.model_dump(),
                    "run_cap_uf": uf,
                    "source": {"volts": 230.0 * line},
                    "aid": {
                        "kind": "start_capacitor",
                        "start_cap_uf": kit.start_cap_uf,
                        "pickup_v": own.pickup_high_v,
                        "dropout_v": own.dropout_high_v,
                    },
                    "load": {"start_torque_nm": torque_pct / 100 * rated_nm, "run_torque_nm": rated_nm},
                    "inertia_factor": inertia,
                    "duration_s": 3.0,
                }
            )
        )
        if start.time_to_speed_s is None:
            continue  # a machine that does not start under low line is found by its verdict
        assert start.relay_opened_s is not None
        # A light rotor that swings past speed may let it fall back once; then it stays open.
        assert "relay_opened" == start.events[-1].what
        assert start.events[-1].at_s < start.time_to_speed_s + 0.5
        assert len(start.events) <= 3


def test_a_measured_s_c_voltage_caps_the_pickup() -> None:
    machine, _ = fit_machine(StartPlate.model_validate(THREE_TONS))
    free = relay_window(machine, 230.0, 45.0, 136.5)
    capped = relay_window(machine, 230.0, 45.0, 136.5, measured_v=380.0)
    assert 0.85 * 380.0 == pytest.approx(min(capped.reached_v, 0.85 * 380.0))
    assert capped.reached_v <= free.reached_v


@pytest.mark.parametrize("plate", PLATES.values(), ids=PLATES)
def test_what_was_measured_running_outranks_the_model(plate: dict[str, Any]) -> None:
    machine, fit = fit_machine(StartPlate.model_validate(plate))
    volts = plate["volts"]
    modelled = relay_window(machine, volts, fit.run_cap_uf, 136.5)
    for share in (0.8, 1.0, 1.1):
        at_line = abs(
            steady_state(
                machine, volts, 0.98, branch_impedance(machine.omega, (fit.run_cap_uf, 0.0))
            ).start_winding_v
        )
        window = relay_window(machine, volts, fit.run_cap_uf, 136.5, measured_v=share * at_line)
        assert window.running_high_v == pytest.approx(share * modelled.running_high_v)
        assert window.running_low_v == pytest.approx(share * modelled.running_low_v)
        assert window.running_low_v < share * at_line < window.running_high_v


def test_a_three_wire_kit_takes_a_capacitor_and_a_relay_that_go_together() -> None:
    """The middle of the range may have no relay class in its window; one beside it has."""
    plate = {"volts": 230.0, "phase": 1, "compressors": [{"rla_a": 17.9, "lra_a": 112.0}], "run_cap_uf": 45.0}
    chosen = next(a for a in choose(plate, run_cap_uf=29.0).ranked if a.aid == "relay_three_wire")
    assert chosen.relay is not None
    assert chosen.start_cap_range is not None
    assert chosen.start_cap_range.low_uf <= (chosen.start_cap_uf or 0) <= chosen.start_cap_range.high_uf


@pytest.mark.parametrize("plate", PLATES.values(), ids=PLATES)
def test_the_start_capacitor_gives_the_best_torque_within_the_windings_current(plate: dict[str, Any]) -> None:
    machine, fit = fit_machine(StartPlate.model_validate(plate))
    limits = shipped_standards()
    best = best_start_capacitor(machine, plate["volts"], fit.run_cap_uf, limits)
    assert best is not None
    run = (fit.run_cap_uf, 0.0)
    across = abs(steady_state(machine, plate["volts"], 0.0, complex(1e-9)).i_d)

    def torque(middle: float) -> tuple[float, float]:
        branch = branch_impedance(machine.omega, run, (middle, 0.0))
        stall = abs(steady_state(machine, plate["volts"], 0.0, branch).i_d)
        return sum(
            steady_state(machine, plate["volts"], s, branch).torque_nm for s in (0.0, 0.25, 0.5)
        ), stall

    own, amps = torque((best.low_uf + best.high_uf) / 2)
    assert amps <= limits.start_capacitor_current * across
    for other in start_capacitor_ranges():
        its, its_amps = torque((other.low_uf + other.high_uf) / 2)
        assert its <= own + 1e-9 or its_amps > limits.start_capacitor_current * across


@pytest.mark.parametrize(
    ("plate", "low", "high"), [("three tons, 230 V", 100.0, 130.0), ("five tons, 230 V", 189.0, 230.0)]
)
def test_the_start_capacitor_is_of_the_size_makers_fit(plate: str, low: float, high: float) -> None:
    machine, fit = fit_machine(StartPlate.model_validate(PLATES[plate]))
    best = best_start_capacitor(machine, 230.0, fit.run_cap_uf, shipped_standards())
    assert best is not None
    assert low <= (best.low_uf + best.high_uf) / 2 <= high


@pytest.mark.parametrize(("tons", "verdict"), [(3.0, "note"), (1.5, "watch"), (6.0, "watch")])
def test_the_size_is_held_against_the_tons(tons: float, verdict: str) -> None:
    out = choose(THREE_TONS | {"tons": tons}, start_torque_pct=70.0)
    told = next(f for f in out.findings if f.code == "SANITY")
    assert verdict == told.verdict
    assert "is usual" in told.text


def test_the_relay_table_ascends_and_each_class_can_let_go() -> None:
    classes = relay_classes()
    assert 11 == len(classes)
    assert (108.0, 118.0) == (classes[0].pickup_low_v, classes[0].pickup_high_v)
    for one, two in pairwise(classes):
        assert one.pickup_high_v < two.pickup_low_v
        assert one.continuous_v < two.continuous_v
    for c in classes:
        assert c.dropout_high_v < 0.4 * c.pickup_low_v
        assert c.continuous_v > 1.3 * c.pickup_high_v


@pytest.mark.parametrize(
    ("diagnosis", "kind", "first"),
    [
        ("locked_rotor", "trial", "none"),
        ("worn_bearings", "buys_time", "none"),
        ("pressure_not_equal", "delay", "time_delay"),
        ("reverse_rotation", "fix", "none"),
        ("phase_fault", "fix", "none"),
        ("run_capacitor_open", "fix", "none"),
        ("high_head", "fix", "none"),
    ],
)
@pytest.mark.parametrize("goal", ["start_at_all", "faster", "long_lines"])
def test_the_cause_decides_before_any_kit(diagnosis: str, kind: str, first: str, goal: str) -> None:
    out = choose(diagnosis=diagnosis, goal=goal)
    assert out.answer is not None
    assert kind == out.answer.kind
    assert first == out.ranked[0].aid
    kits = [r for r in out.ranked if r.aid not in ("none", "time_delay")]
    assert kits
    assert not any(r.fits for r in kits)
    assert all(out.answer.text in r.against for r in kits)
    assert "BEST_FIT" not in {f.code for f in out.findings}
    mended = choose(diagnosis=diagnosis, goal=goal, put_right=True)
    assert mended.answer is None


@pytest.mark.parametrize(
    ("read", "asked"), [(38.0, True), ("open", True), (54.0, True), (44.0, False), (None, False)]
)
def test_a_capacitor_read_out_of_tolerance_counts_without_a_diagnosis(read: Any, asked: bool) -> None:
    plate = THREE_TONS | {"run_cap_uf": 45.0}
    out = choose(plate, run_cap_uf=read)
    assert (out.answer is not None) == asked
    if asked:
        assert out.answer is not None
        assert "fix" == out.answer.kind
        assert "ROOT_CAUSE_FIRST" in {f.code for f in out.findings}
        assert not any(r.fits for r in out.ranked if r.aid.startswith(("relay", "ptc", "soft")))


@pytest.mark.parametrize(
    ("printed", "name", "safety"),
    [
        ("R410A", "R-410A", "A1"),
        ("410", "R-410A", "A1"),
        ("r 22", "R-22", "A1"),
        ("HFC-134a", "R-134a", "A1"),
        ("R 454B", "R-454B", "A2L"),
        ("r-32", "R-32", "A2L"),
        ("1234yf", "R-1234yf", "A2L"),
        ("propane", "R-290", "A3"),
        ("Isobutane", "R-600a", "A3"),
        ("600A", "R-600a", "A3"),
    ],
)
def test_a_refrigerant_is_known_by_its_many_names(printed: str, name: str, safety: str) -> None:
    found = find_refrigerant(printed)
    assert found is not None
    assert (name, safety) == (found.name, found.safety)
    plate = StartPlate.model_validate(THREE_TONS | {"refrigerant": printed})
    assert name == plate.refrigerant
    out = choose(THREE_TONS | {"refrigerant": printed})
    offered = {r.aid for r in out.ranked}
    assert ("relay_three_wire" in offered) == (safety == "A1")
    assert {"none", "time_delay"} <= offered


def test_a_name_that_is_not_on_the_list_is_taken_to_burn_and_none_is_asked_for() -> None:
    odd = choose(THREE_TONS | {"refrigerant": "Kühlgas 9"})
    assert {"none", "time_delay"} == {r.aid for r in odd.ranked}
    assert all("flammable" in r.why for r in odd.refused)
    assert find_refrigerant("422") is None, "R-422B or R-422D: not guessed"
    silent = choose(THREE_TONS | {"refrigerant": None})
    asked = next(f for f in silent.findings if f.code == "REFRIGERANT")
    assert "unknown" == asked.verdict
    assert silent.answer is not None
    assert ("ask", False) == (silent.answer.kind, any(r.fits for r in silent.ranked if r.aid != "none"))
    known = choose(THREE_TONS | {"refrigerant": "R-410A"})
    assert "REFRIGERANT" not in {f.code for f in known.findings}


# What comes before any aid ------------------------------------------------------------------------------


def kits_that_fit(out: AidOut) -> list[str]:
    return [r.aid for r in out.ranked if r.fits and r.aid not in ("none", "time_delay")]


def test_every_cause_has_its_column() -> None:
    assert set(CAUSES) == set(HYPOTHESES)
    assert set(OWN_ANSWERS) == {cause for cause, column in CAUSES.items() if column == "own"}


@pytest.mark.parametrize("cause", HYPOTHESES)
def test_a_kit_fits_only_with_a_cause_that_allows_one(cause: Any) -> None:
    out = choose(diagnosis=cause, run_cap_uf=45.0, run_cap_measured=True)
    assert bool(kits_that_fit(out)) == (CAUSES[cause] == "allowed"), (cause, out.answer)
    if CAUSES[cause] == "first":
        assert out.root_cause_first
        mended = choose(diagnosis=cause, run_cap_uf=45.0, run_cap_measured=True, put_right=True)
        assert kits_that_fit(mended)


@pytest.mark.parametrize("read", ["open", 0.3, 31.0])
@pytest.mark.parametrize(
    "told",
    [
        {},
        {"diagnosis": "contactor_worn", "put_right": True},
        {"diagnosis": "locked_rotor"},
        {"diagnosis": "worn_bearings"},
        {"diagnosis": "healthy"},
    ],
)
def test_no_kit_over_a_bad_run_capacitor_whatever_cause_was_taken(read: Any, told: dict[str, Any]) -> None:
    out = choose(run_cap_uf=read, run_cap_measured=True, **told)
    assert [] == kits_that_fit(out)
    assert out.answer is not None
    assert "capacitor" in out.answer.text.lower()
    assert "fix" == out.answer.kind


def test_on_a_call_the_run_capacitor_is_measured_before_a_kit_fits() -> None:
    out = choose(run_cap_measured=False)
    assert [] == kits_that_fit(out)
    assert out.answer is not None
    assert ("ask", True) == (out.answer.kind, "Measure the run capacitor" in out.answer.text)
    assert kits_that_fit(choose(run_cap_uf=45.0, run_cap_measured=True))
    assert kits_that_fit(choose(COOLER, run_cap_measured=False)), "it has no run capacitor to measure"


def test_a_two_wire_relay_that_was_not_checked_says_so() -> None:
    kits = [r for r in choose().ranked if r.aid == "relay_two_wire"]
    assert kits
    assert all(any("not checked for this motor" in a for a in r.against) for r in kits)


def test_under_a_stop_no_card_fits_and_it_leads() -> None:
    out = choose(run_cap_uf=45.0, run_cap_measured=True, stop="Something is shorted to metal. Power off.")
    assert [] == kits_that_fit(out)
    assert ("STOP_FIRST", "fail") == (out.findings[0].code, out.findings[0].verdict)
    assert all("Something is shorted" in r.against[0] for r in out.ranked if r.aid != "none")


@pytest.mark.parametrize(
    ("kind", "drive"),
    [
        ("inverter scroll", True), ("Variable speed", True), ("variable-speed scroll", True), ("VRF", True),
        ("BLDC rotary", True), ("modulating scroll", True), ("variable capacity", True), ("DC rotary", True),
        ("digital scroll", False), ("two-stage scroll", False), ("scroll", False), ("reciprocating", False),
    ],
)  # fmt: skip
def test_an_inverter_is_known_by_any_of_its_names(kind: str, drive: bool) -> None:
    compressor = THREE_TONS["compressors"][0] | {"kind": kind}
    out = choose(THREE_TONS | {"compressors": [compressor]})
    assert drive == (out.ranked == []), kind
