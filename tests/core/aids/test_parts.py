"""Parts from the list: contactors, capacitors and kits chosen by their ratings; what proves the work."""

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from orange_crank.core.aids import AidIn, choose_aid
from orange_crank.core.aids.combine import CombineIn, combine
from orange_crank.core.aids.contactor import ContactorIn, ContactorOut, choose_contactor, class_rows
from orange_crank.core.aids.parts import REQUIRED, Counted, Part, columns, missing_ratings, shipped_parts
from orange_crank.core.aids.run_capacitor import CapacitorIn, CapacitorOut, choose_capacitors
from orange_crank.core.aids.stock import aid_part
from orange_crank.core.call.work import (
    BackupProof,
    FittedPart,
    Fitting,
    WorkPlan,
    one_change_at_a_time,
    wanted_proofs,
)
from orange_crank.core.diagnosis.model import Symptom
from orange_crank.core.errors import InputProblem
from orange_crank.core.measure.reading import NewReading
from orange_crank.core.measure.taken import TakenReading
from tests.core.motor.machines import THREE_TONS

SPLIT: dict[str, Any] = {
    "volts": 230.0, "phase": 1, "compressors": [{"rla_a": 17.9, "lra_a": 112.0}], "motors": [{"fla_a": 1.4}],
    "run_cap_uf": 45.0, "fan_cap_uf": 5.0,
}  # fmt: skip


def held(*numbers: str, count: int = 2, price: float | None = None) -> list[Counted]:
    by = {p.part: p for p in shipped_parts()}
    return [Counted(part=by[n], count=count, price=price) for n in numbers]


def contactors(**more: Any) -> ContactorOut:
    return choose_contactor(ContactorIn.model_validate({"plate": SPLIT} | more))


def capacitors(**more: Any) -> CapacitorOut:
    return choose_capacitors(
        CapacitorIn.model_validate({"compressor_uf": 45.0, "fan_uf": 5.0, "volts_ac": 370.0} | more)
    )


def test_the_neutral_list_is_whole_and_carries_no_name() -> None:
    parts = shipped_parts()
    assert len({p.part for p in parts}) == len(parts) >= 100
    assert {p.kind for p in parts} == set(REQUIRED)
    assert all(not missing_ratings(p) for p in parts)
    assert {c.name for c in columns()} == set(Part.model_fields) | {"price"}


def test_no_contactor_label_promises_more_than_its_class() -> None:
    classes = {r["fla_a"]: r for r in class_rows()}
    for part in shipped_parts():
        if part.kind == "contactor":
            assert part.fla_a in classes
            assert float(part.lra_240_a or 0) <= classes[part.fla_a]["lra_240_a"]


def test_a_contactor_needs_full_load_and_locked_rotor_of_all_it_switches() -> None:
    """RLA 17.9 + fan 1.4 = 19.3 A; LRA 112 + 6 × 1.4 = 120.4 A: a 20 A class at 120 A falls just short."""
    out = contactors(poles_now=2)
    assert (19.3, 120.4, "240") == (out.needs.full_load_a, out.needs.locked_rotor_a, out.needs.column)
    assert "Rated 120 A LRA" in next(r.why for r in out.refused if r.part == "CN-2-20")
    assert "CN-2-30" == out.ranked[0].part
    assert "contactor_two_pole" == out.ranked[0].wiring_plan


def test_one_pole_may_grow_and_two_never_shrink() -> None:
    grown = contactors(poles_now=1, heater_on_open_pole=True)
    two = next(r for r in grown.ranked if r.part == "CN-2-30")
    assert "contactor_one_to_two_pole" == two.wiring_plan
    assert any("Move it to L1 and L2" in a for a in two.against)
    shrunk = contactors(poles_now=2)
    assert "leaves one leg hot" in next(r.why for r in shrunk.refused if r.part == "CN-1-30")


def test_three_phase_asks_for_three_poles_and_the_column_of_its_volts() -> None:
    plate = SPLIT | {"phase": 3, "volts": 460.0}
    out = contactors(plate=plate)
    assert (3, "480") == (out.needs.poles, out.needs.column)
    assert {3} == {r.poles for r in out.ranked}
    assert all(r.lra_a >= 120.4 for r in out.ranked)


def test_the_coil_is_held_against_the_transformer() -> None:
    """8 VA of coil on 34 VA used of 40: 105 %, refused; with 20 VA used: 70 %."""
    full = contactors(poles_now=2, transformer_va=40.0, control_other_va=34.0)
    assert "105 %" in next(r.why for r in full.refused if r.part == "CN-2-30")
    easy = contactors(poles_now=2, transformer_va=40.0, control_other_va=20.0)
    assert 70.0 == next(r.transformer_pct for r in easy.ranked if r.part == "CN-2-30")
    assert "TRANSFORMER" in {f.code for f in contactors().findings if f.verdict == "unknown"}


def test_life_is_switchings_over_those_of_a_year() -> None:
    out = contactors(poles_now=2, cycles_per_day=40.0)
    assert round(200_000 / 40 / 365, 1) == out.ranked[0].life_years
    assert contactors(poles_now=2).ranked[0].life_years is None


def test_an_inverter_plate_without_locked_rotor_amps_is_said_to_be_unknown() -> None:
    plate = {"volts": 230.0, "phase": 1, "compressors": [{"rla_a": 12.0}], "inverter": True}
    out = contactors(plate=plate)
    assert out.needs.locked_rotor_a is None
    assert "unknown" == next(f.verdict for f in out.findings if f.code == "LOCKED_ROTOR")
    assert any("no locked-rotor amps" in a for a in out.ranked[0].against)


def test_a_part_with_missing_ratings_is_refused_and_not_guessed() -> None:
    bare = Counted(part=Part(part="X-1", kind="contactor", title="Contactor", poles=2, fla_a=40.0))
    out = contactors(stock=[bare])
    assert [] == out.ranked
    assert "LRA 240 A, coil V, coil VA" in out.refused[0].why
    assert "NONE_FITS" in {f.code for f in out.findings}


@pytest.mark.parametrize("choose", [contactors, capacitors])
def test_an_empty_van_is_said(choose: Any) -> None:
    with pytest.raises(InputProblem) as refused:
        choose(stock=[])
    assert "stock" == refused.value.errors[0].field
    assert refused.value.next_step


def test_the_simplest_capacitor_comes_first() -> None:
    ways = capacitors().ways
    assert ("dual", 1) == (ways[0].how, ways[0].cans)
    assert [w.cans for w in ways] == sorted(w.cans for w in ways)
    assert "dual_capacitor" == ways[0].wiring_plan
    assert "two_singles_to_dual" == capacitors(now="two_singles").ways[0].wiring_plan


def test_lower_volts_are_refused_and_higher_are_taken() -> None:
    """370 to 440 V yes, 440 to 370 V no."""
    assert capacitors(stock=held("RD-45-5-440")).ways
    only = capacitors(compressor_uf=35.0, fan_uf=None, volts_ac=440.0, stock=held("RC-35-370"))
    assert [] == only.ways
    assert "lower is not allowed" in only.refused[0].why


def test_without_the_dual_the_van_makes_it_from_what_there_is() -> None:
    out = capacitors(stock=held("RC-40-440", "RC-5-440", count=2))
    best = out.ways[0]
    assert (45.0, 5.0, 3) == (best.compressor_uf, best.fan_uf, best.cans)
    assert {"RC-40-440": 1, "RC-5-440": 2} == {
        p: sum(u.count for u in best.uses if u.part == p) for p in ("RC-40-440", "RC-5-440")
    }
    assert [] == capacitors(stock=held("RC-40-440", "RC-5-440", count=1)).ways, "one 5 µF cannot serve twice"


def test_a_multi_tap_can_says_which_sections() -> None:
    out = capacitors(stock=held("RM-60"))
    assert "multi_tap" == out.ways[0].how
    assert 50.0 == sum(out.ways[0].uses[0].sections_uf)


@settings(max_examples=60, deadline=None)
@given(comp=st.floats(15, 80), fan=st.one_of(st.none(), st.floats(3, 15)), counts=st.integers(1, 3))
def test_every_way_hits_the_value_within_the_stock(comp: float, fan: float | None, counts: int) -> None:
    stock = [Counted(part=p, count=counts) for p in shipped_parts() if p.kind.startswith("run_capacitor")]
    out = choose_capacitors(CapacitorIn(compressor_uf=comp, fan_uf=fan, volts_ac=440.0, stock=stock))
    for way in out.ways:
        assert way.off_pct <= 6.0 + 0.01
        used: dict[str, int] = {}
        for u in way.uses:
            used[u.part] = used.get(u.part, 0) + u.count
        assert all(n <= counts for n in used.values())


def test_start_capacitors_in_series_share_the_volts() -> None:
    out = capacitors(purpose="start", start_low_uf=108.0, start_high_uf=130.0, volts_ac=420.0,
                     stock=held("SC-216-330"))  # fmt: skip
    way = out.ways[0]
    assert ("series", 2) == (way.how, way.cans)
    assert way.volts_each_v is not None
    assert max(way.volts_each_v) >= 210.0, "the smaller can takes the larger share"
    assert max(way.volts_each_v) <= 330.0
    alone = capacitors(purpose="start", start_low_uf=216.0, start_high_uf=259.0, volts_ac=420.0,
                       stock=held("SC-216-330"))  # fmt: skip
    assert [] == alone.ways, "330 V does not bear 420 V"


@pytest.mark.parametrize(
    ("entry", "field"),
    [
        ({"compressor_uf": None, "fan_uf": None}, "compressor_uf"),
        ({"purpose": "start", "start_low_uf": 130.0, "start_high_uf": 108.0}, "start_low_uf"),
    ],
)
def test_nothing_wanted_is_said(entry: dict[str, Any], field: str) -> None:
    with pytest.raises(InputProblem) as refused:
        capacitors(**entry)
    assert field == refused.value.errors[0].field


@given(each=st.lists(st.floats(1, 400), min_size=1, max_size=6), volts=st.floats(10, 500))
def test_series_is_below_the_least_and_its_shares_make_the_whole(each: list[float], volts: float) -> None:
    out = combine(CombineIn(how="series", each_uf=each, across_v=volts))
    assert out.total_uf <= min(each) + 1e-3
    assert out.shares_v is not None
    assert sum(out.shares_v) == pytest.approx(volts, abs=0.01 * len(each) + 1e-6)
    assert combine(CombineIn(how="parallel", each_uf=each)).total_uf == pytest.approx(sum(each), abs=1e-3)


def test_a_can_over_its_volts_in_series_fails() -> None:
    out = combine(CombineIn(how="series", each_uf=[50.0, 150.0], each_rated_v=[250.0, 250.0], across_v=400.0))
    assert [300.0, 100.0] == out.shares_v
    assert ["fail", "pass"] == [f.verdict for f in out.findings if f.code == "SHARE_OF_VOLTS"]
    with pytest.raises(ValidationError):
        CombineIn(how="series", each_uf=[50.0, 150.0], each_rated_v=[250.0])


def aids_of(*numbers: str, **more: Any) -> Any:
    stock = [a.model_dump() for h in held(*numbers, price=80.0) if (a := aid_part(h)) is not None]
    return choose_aid(
        AidIn.model_validate({"plate": THREE_TONS, "stock": stock, "start_torque_pct": 60.0} | more)
    )


def test_a_kit_is_taken_by_its_own_relay_and_its_own_capacitor() -> None:
    """A relay that some machine of this plate might never open is refused with the figures."""
    out = aids_of("KT-130", "KT-233", "KM-3")
    kit = next(r for r in out.ranked if r.part == "KT-130")
    assert kit.relay is not None
    assert 280.0 == kit.relay.pickup_low_v
    assert kit.relay.window.stall_v < kit.relay.pickup_low_v < kit.relay.window.reached_v
    assert ("three_wire_kit", 2) == (kit.wiring_plan, kit.count)
    assert kit.cost is not None
    assert kit.cost > 80.0
    assert "V" in next(r.why for r in out.refused if r.part == "KT-233")
    multi = next(r for r in out.ranked if r.part == "KM-3")
    assert sum(multi.taps_uf) == multi.start_cap_uf
    assert "jumper" in (multi.jumpers or "")


@pytest.mark.parametrize("share", [1.0, 0.5])
def test_a_start_capacitor_rated_for_less_than_it_sees_is_refused(share: float) -> None:
    [kit] = [a for h in held("KT-130", price=80.0) if (a := aid_part(h)) is not None]
    assert kit.volts_ac is not None
    rated = kit.model_dump() | {"volts_ac": share * kit.volts_ac}
    out = choose_aid(AidIn.model_validate({"plate": THREE_TONS, "stock": [rated], "start_torque_pct": 60.0}))
    offered = "KT-130" in [r.part for r in out.ranked]
    assert offered == (share == 1.0)
    if not offered:
        assert "V across it" in next(r.why for r in out.refused if r.part == "KT-130")


def test_an_empty_shelf_and_a_line_too_high_are_refused() -> None:
    stock = [a.model_dump() | {"count": 0} for h in held("KT-130") if (a := aid_part(h)) is not None]
    out = choose_aid(AidIn.model_validate({"plate": THREE_TONS, "stock": stock}))
    assert ["None on the van."] == [r.why for r in out.refused]
    small = aids_of("SS-24", plate=THREE_TONS | {"volts": 277.0})
    assert "lines to 240 V" in small.refused[0].why


def test_a_compressor_at_the_edge_of_a_range_is_told_of_both_classes() -> None:
    out = aids_of(
        "SS-24", plate=THREE_TONS | {"compressors": [{"rla_a": 22.5, "lra_a": 130.0}]}, goal="flicker"
    )
    soft = next(r for r in out.ranked if r.aid == "soft_starter")
    assert any("hold the larger one beside it" in a for a in soft.against)
    assert (8, 180.0, "soft_starter_four_lead") == (soft.learning_starts, soft.min_off_s, soft.wiring_plan)


def test_backup_power_on_the_utility_contradicts_itself() -> None:
    with pytest.raises(ValidationError, match="generator or inverter"):
        AidIn.model_validate({"plate": THREE_TONS, "goal": "backup_power", "source": {"kind": "utility"}})


NOON = datetime(2026, 7, 1, 12, tzinfo=UTC)


def taken(quantity: str, minute: float, **more: Any) -> TakenReading:
    start = {"mode": "inrush", "conductor": "common", "volts": 230.0} if quantity == "inrush_a" else {}
    entry = NewReading.model_validate({"quantity": quantity, "value": 80.0} | start | more)
    return TakenReading(
        id=int(minute), entry=entry, taken_at=NOON + timedelta(minutes=minute), person="x", place=minute
    )


def test_an_aid_asks_for_the_same_start_before_and_after_and_for_its_learning() -> None:
    plan = WorkPlan(work="aid", title="Soft starter", learning_starts=5)
    done = [FittedPart(work="aid", title="Soft starter", place=30)]
    early = wanted_proofs(plan, done, [taken("inrush_a", 5), taken("inrush_a", 40, learning_starts=2)], None)
    assert {"start_before": True, "fitted": True, "start_after": False} == {p.key: p.done for p in early}
    assert "inrush on common" in next(p.how for p in early if p.key == "start_after")
    taught = wanted_proofs(plan, done, [taken("inrush_a", 5), taken("inrush_a", 50, learning_starts=5)], None)
    assert all(p.done for p in taught)


def test_a_swap_is_proved_by_compressor_and_fan_amps() -> None:
    plan = WorkPlan(work="contactor", title="Contactor")
    done = [FittedPart(work="contactor", title="Contactor", place=30)]
    readings = [taken("running_a", 5), taken("fan_a", 6), taken("running_a", 40)]
    proofs = {p.key: p.done for p in wanted_proofs(plan, done, readings, None)}
    assert {
        "running_a_before": True,
        "running_a_after": True,
        "fan_a_before": True,
        "fan_a_after": False,
    } == proofs


@pytest.mark.parametrize(
    ("symptoms", "outcomes", "wanted"),
    [
        (["hums_no_start"], [], {"fan_a_before"}),
        (["hums_no_start"], ["stalled"], {"fan_a_before"}),
        (["hums_no_start"], ["stalled", "started"], {"running_a_before", "fan_a_before"}),
        (["controls_on_nothing_runs"], [], set()),
        (["slow_start"], [], {"running_a_before", "fan_a_before"}),
        ([], ["tripped"], {"fan_a_before"}),
        ([], [], {"running_a_before", "fan_a_before"}),
    ],
)
def test_only_what_the_unit_could_give_is_asked_for_before(
    symptoms: list[Symptom], outcomes: list[str], wanted: set[str]
) -> None:
    plan = WorkPlan(work="capacitor", title="Dual capacitor for dual")
    starts = [taken("inrush_a", i, outcome=o) for i, o in enumerate(outcomes)]
    asked = {p.key for p in wanted_proofs(plan, [], starts, None, symptoms) if p.key.endswith("_before")}
    assert wanted == asked
    # What was measured all the same stays on the list, and counts.
    more = [*starts, taken("running_a", 8)]
    told = {p.key: p.done for p in wanted_proofs(plan, [], more, None, symptoms)}
    assert told["running_a_before"]


def test_backup_is_proved_by_a_cold_start_and_a_rested_hot_one() -> None:
    plan = WorkPlan(work="aid", title="Soft starter", for_backup=True)
    proof = {"loads_on": ["lights"], "cold_started": True, "cold_v": 214.0, "cold_hz": 59.2, "off_min": 3.0,
             "hot_started": True, "hot_v": 211.0, "hot_hz": 59.0, "min_off_s": 180.0}  # fmt: skip
    good = BackupProof.model_validate(proof)
    assert next(p.done for p in wanted_proofs(plan, [], [], good) if p.key == "backup")
    assert not next(p.done for p in wanted_proofs(plan, [], [], None) if p.key == "backup")
    with pytest.raises(ValidationError, match="at least 3 min"):
        BackupProof.model_validate(proof | {"off_min": 2.0})


def test_two_kinds_of_change_leave_no_sole_credit() -> None:
    aid = FittedPart(work="aid", title="Kit", place=1)
    assert one_change_at_a_time([aid, aid]) is None
    both = one_change_at_a_time([aid, FittedPart(work="capacitor", title="Cap", place=2)])
    assert both is not None


@settings(max_examples=40, deadline=None)
@given(
    goal=st.sampled_from(["start_at_all", "faster", "flicker", "long_lines"]),
    barred=st.sampled_from([{"phase": 3}, {"inverter": True}]),
    rla=st.floats(4.0, 40.0),
    from_van=st.booleans(),
)
def test_no_aid_is_ever_offered_to_inverter_or_three_phase(
    goal: str, barred: dict[str, Any], rla: float, from_van: bool
) -> None:
    stock = [a.model_dump() for p in shipped_parts() if (a := aid_part(Counted(part=p))) is not None]
    plate = THREE_TONS | {"compressors": [{"rla_a": rla, "lra_a": 5.5 * rla}]} | barred
    entry: dict[str, Any] = {"plate": plate, "goal": goal} | ({"stock": stock} if from_van else {})
    out = choose_aid(AidIn.model_validate(entry))
    assert [] == out.ranked
    assert out.refused


@pytest.mark.parametrize("refrigerant", ["R-32", "R 454B", "propane", "Kühlgas 9"])
def test_an_open_contactor_stays_out_beside_what_burns(refrigerant: str) -> None:
    out = contactors(plate=SPLIT | {"refrigerant": refrigerant}, poles_now=2)
    open_ones = {p.part for p in shipped_parts() if p.kind == "contactor"}
    assert not {r.part for r in out.ranked} & open_ones
    barred = [r for r in out.refused if r.part in open_ones]
    assert all("listed for it" in r.why for r in barred)
    listed = {r.part for r in out.ranked}
    assert listed == ({"CE-2-40"} if refrigerant in ("R-32", "R 454B") else set())


def test_one_pole_to_three_keeps_the_crankcase_heater_warning() -> None:
    out = contactors(poles_now=1, heater_on_open_pole=None)
    grown = [r for r in out.ranked if r.poles == 3]
    assert grown
    assert all(any("crankcase heater" in a for a in r.against) for r in grown)
    asked = next(f for f in out.findings if f.code == "REFRIGERANT")
    assert "unknown" == asked.verdict


@pytest.mark.parametrize(
    ("compressor_uf", "fan_uf", "replaces"),
    [(45.0, 5.0, "dual_capacitor"), (45.0, None, "run_capacitor"), (None, 5.0, "fan_capacitor")],
)
def test_each_way_to_make_a_value_says_which_part_it_takes_the_place_of(
    compressor_uf: float | None, fan_uf: float | None, replaces: str
) -> None:
    entry = {"purpose": "run", "compressor_uf": compressor_uf, "fan_uf": fan_uf, "volts_ac": 440.0}
    out = choose_capacitors(CapacitorIn.model_validate(entry))
    assert out.ways
    assert {w.replaces for w in out.ways} == {replaces}


@pytest.mark.parametrize(
    ("what", "kind"),
    [
        ("Run capacitor: compressor: sections 20 + 25 joined by jumpers; fan: sections 5", "dual_capacitor"),
        ("Dual capacitor, fan side", "dual_capacitor"),
        ("Fan capacitor", "fan_capacitor"),
        ("Run capacitor: One single, 45 µF", "run_capacitor"),
    ],
)
def test_a_can_for_both_is_no_fan_capacitor(what: str, kind: str) -> None:
    assert Fitting(work="capacitor", what=what).part_kind == kind
    assert Fitting(work="capacitor", what=what, replaces="run_capacitor").part_kind == "run_capacitor"
