"""Starts side by side, what it would take, sweeps, and a machine sharpened by a measured start."""

import threading
from typing import Any

import numpy as np
import pytest

from orange_crank.core.errors import InputProblem
from orange_crank.core.measure.waveform import Waveform, read_waveform
from orange_crank.core.motor import StartIn, compute_start
from orange_crank.core.motor.assemble import assemble
from orange_crank.core.motor.lab import LabIn, Sought, TakeIn, compare_starts, what_it_takes
from orange_crank.core.motor.measured import fit_measured
from orange_crank.core.motor.on_source import judge_on_source
from orange_crank.core.motor.start import simulate
from orange_crank.core.motor.sweep import SweepIn, SweepRow, run_sweep, sweep_size
from orange_crank.core.tables.standards import shipped_standards
from orange_crank.formats.sweep_csv import write_sweep
from tests.core.motor.machines import THREE_TONS, plate_start

KIT = {"kind": "start_capacitor", "start_cap_uf": 130.0}
SOFT = {"kind": "soft_starter", "start_cap_uf": 130.0, "ceiling_a": 66.0}


def side_by_side(load: dict[str, Any], **starts: dict[str, Any]) -> LabIn:
    return LabIn.model_validate(
        {
            "starts": [
                {"label": label, "start": {"plate": THREE_TONS, "load": load, **more}}
                for label, more in starts.items()
            ]
        }
    )


def codes(findings: list[Any]) -> set[str]:
    return {f.code for f in findings}


def test_the_lab_says_why_a_kit_helps_and_what_the_meter_will_say() -> None:
    out = compare_starts(
        side_by_side({"start_torque_pct": 20.0}, bare={}, kit={"aid": KIT}, soft={"aid": SOFT})
    )
    bare, kit, soft = out.results
    assert [] == bare.against_first
    assert {"FIRST_CYCLES_NO_LOWER", "SOONER"} == codes(kit.against_first)
    assert "LARGEST_CYCLE_HELD" in codes(soft.against_first)
    assert "Fastest start: kit" in out.sentence
    assert "Least amps: soft" in out.sentence


def test_the_lab_says_when_an_aid_starts_what_stalls_and_when_nothing_does() -> None:
    out = compare_starts(side_by_side({"start_torque_pct": 80.0}, bare={}, kit={"aid": KIT}))
    assert "STARTS_WHERE_FIRST_STALLS" in codes(out.results[1].against_first)
    assert "Does not start: bare" in out.sentence
    out = compare_starts(side_by_side({"start_torque_pct": 600.0}, bare={}, kit={"aid": KIT}))
    assert "NOTHING_HELPS" in codes(out.findings)
    assert out.findings[0].next_step


def test_two_starts_of_one_name_and_a_bad_second_start_are_refused_by_their_number() -> None:
    with pytest.raises(ValueError, match="no other start"):
        LabIn.model_validate(
            {
                "starts": [
                    {"label": "a", "start": {"plate": THREE_TONS}},
                    {"label": "a", "start": {"plate": THREE_TONS}},
                ]
            }
        )
    bad = {"plate": THREE_TONS | {"phase": 3}}
    entry = LabIn.model_validate(
        {"starts": [{"label": "a", "start": {"plate": THREE_TONS}}, {"label": "b", "start": bad}]}
    )
    with pytest.raises(InputProblem) as refused:
        compare_starts(entry)
    assert "starts[1].start.plate.phase" == refused.value.errors[0].field


SOURCE = {"volts": 229.0, "resistance_ohm": 0.12, "inductance_mh": 0.3}


@pytest.mark.parametrize(
    ("seek", "torque_pct", "path"),
    [
        ("start_capacitor", 60.0, "aid"),
        ("lowest_volts", 20.0, "volts"),
        ("highest_start_torque", 20.0, "torque"),
        ("smallest_source", 20.0, "source"),
    ],
)
def test_just_this_side_of_the_answer_it_starts_and_just_beyond_it_does_not(
    seek: Sought, torque_pct: float, path: str
) -> None:
    base = plate_start(source=SOURCE, load={"start_torque_pct": torque_pct})
    out = what_it_takes(TakeIn(start=base, seek=seek))
    assert out.found
    assert out.value is not None

    def verdict(value: float) -> str:
        raw = base.model_dump(exclude_none=True)
        if path == "aid":
            raw["aid"] = {"kind": "start_capacitor", "start_cap_uf": value}
        elif path == "volts":
            raw["source"]["volts"] = value
        elif path == "torque":
            raw["load"]["start_torque_pct"] = value
        else:
            raw["source"] |= {"kind": "generator", "rated_kva": value}
            start = compute_start(StartIn.model_validate(raw))
            judged = judge_on_source(start, start.volts, shipped_standards())
            return "stalled" if judged.verdict == "fails" else "started"
        return compute_start(StartIn.model_validate(raw)).verdict

    beyond = 1.06 if path == "torque" else 0.90
    assert verdict(out.value * (0.97 if path == "torque" else 1.02)) in ("started", "late")
    assert verdict(out.value * beyond) == "stalled"
    if path == "aid":
        assert out.standard_range is not None
        assert out.standard_range.low_uf >= out.value


def test_what_is_not_missing_is_said_not_to_be() -> None:
    base = plate_start(load={"start_torque_pct": 60.0})
    for seek in ("lowest_volts", "smallest_source"):
        out = what_it_takes(
            TakeIn.model_validate({"start": base.model_dump(exclude_none=True), "seek": seek})
        )
        assert not out.found
        assert "not what is missing" in out.text


def sweep(**more: Any) -> SweepIn:
    return SweepIn.model_validate(
        {
            "start": {"plate": THREE_TONS, "duration_s": 0.6},
            "vary": [
                {"field": "load.start_torque_pct", "values": [10.0, 90.0]},
                {"field": "aid", "values": [{"kind": "none"}, KIT]},
            ],
        }
        | more
    )


def test_a_sweep_keeps_the_order_of_its_combinations_and_agrees_with_single_starts() -> None:
    seen: list[int] = []

    def note(number: int, _: SweepRow) -> None:
        seen.append(number)

    out = run_sweep(sweep(), on_row=note)
    assert ["started", "started", "stalled", "started"] == [r.verdict for r in out.rows]
    assert [0, 1, 2, 3] == sorted(seen)
    one = compute_start(plate_start(load={"start_torque_pct": 10.0}, duration_s=0.6))
    assert one.time_to_speed_s == out.rows[0].time_to_speed_s
    lines = write_sweep(out).splitlines()
    assert "load.start_torque_pct,aid,verdict,time_to_speed_s" in lines[0]
    assert 5 == len(lines)


def test_a_point_that_cannot_be_computed_is_a_row_that_says_so() -> None:
    out = run_sweep(sweep(vary=[{"field": "run_cap_uf", "values": [45.0, -1.0, "open"]}]))
    assert ["started", "refused", "stalled"] == [r.verdict for r in out.rows]
    assert "Run capacitor" in (out.rows[1].problem or "")


def test_a_sweep_stops_when_told() -> None:
    stop = threading.Event()
    many = sweep(vary=[{"field": "run_cap_uf", "values": [30.0 + i / 10 for i in range(300)]}])
    out = run_sweep(many, on_row=lambda *_: stop.set(), stop=stop)
    assert 0 < len(out.rows) < 40


@pytest.mark.parametrize(
    "vary",
    [
        [{"field": "nonsense", "values": [1.0]}],
        [{"field": "run_cap_uf", "values": [1.0]}, {"field": "run_cap_uf", "values": [2.0]}],
        [{"field": f, "values": [float(i) for i in range(1, 400)]} for f in ("run_cap_uf", "load.rise_s")],
    ],
)
def test_a_sweep_that_cannot_be_read_is_refused(vary: list[dict[str, Any]]) -> None:
    with pytest.raises(InputProblem):
        sweep_size(sweep(vary=vary))


def recorded(entry: StartIn) -> Waveform:
    """Return a start as a 4 kHz logger would keep it: a fifth of a second before, noise of 0.3 A."""
    ran = simulate(assemble(entry))
    lead = 4000
    phase = 2 * np.pi * 60 * (np.arange(lead) - lead) * 50e-6
    volts = float(entry.source.volts or 230.0)
    amps = np.concatenate((np.zeros(lead), ran.out[0]))[::5]
    line_v = np.concatenate((np.sqrt(2) * volts * np.sin(phase), ran.out[1]))[::5]
    return Waveform(4000.0, amps + np.random.default_rng(4).normal(0, 0.3, len(amps)), line_v)


def test_a_measured_start_gives_back_what_made_it() -> None:
    true = plate_start(
        run_cap_uf=43.0,
        inertia_factor=2.0,
        load={"start_torque_pct": 22.0},
        source={"volts": 229.0, "resistance_ohm": 0.15, "inductance_mh": 0.3},
        duration_s=1.5,
    )
    wave = recorded(true)
    start = read_waveform(wave).starts[0]
    fit = fit_measured(plate_start(), wave, start)
    told = {f.name: f for f in fit.fitted}
    assert told["start_torque_pct"].value == pytest.approx(22.0, abs=4.0)
    assert told["run_cap_uf"].value == pytest.approx(43.0, abs=2.5)
    assert told["inertia_factor"].value == pytest.approx(2.0, rel=0.1)
    assert fit.residual_pct < 2
    assert fit.result.time_to_speed_s == pytest.approx(compute_start(true).time_to_speed_s, abs=0.03)
    assert "pass" == fit.findings[0].verdict


def test_a_measured_capacitor_is_not_argued_with() -> None:
    wave = recorded(plate_start(run_cap_uf=40.0, load={"start_torque_pct": 12.0}, duration_s=1.0))
    fit = fit_measured(plate_start(run_cap_uf=40.0), wave, read_waveform(wave).starts[0])
    assert 40.0 == fit.start.run_cap_uf
    assert next(f for f in fit.fitted if f.name == "run_cap_uf").plus_minus is None
