"""Of every circuit: our own answer is lawful, nothing smaller is, and what nobody said passes nothing."""

import random
from typing import Any

import pytest

from orange_crank.core.circuit import AuditIn, CircuitIn, CircuitOut, audit_circuit, size_circuit
from orange_crank.core.errors import BeyondTable, InputProblem
from orange_crank.core.tables.code import disconnect_frames_a, sizes_of
from tests.core.circuit.test_circuit import as_built

WHOLE: dict[str, Any] = {
    "outdoors": True,
    "wet": True,
    "dwelling": False,
    "overcurrent_allowed": "fuse_or_breaker",
}


def whole_entry(dice: random.Random) -> dict[str, Any]:
    """Return a circuit of which everything is said."""
    phase = dice.choice([1, 1, 3])
    count = dice.choice([1, 1, 2, 3])
    rated = [round(dice.uniform(4, 45), 1) for _ in range(count)]
    fans = [round(dice.uniform(0.5, 4), 1) for _ in range(dice.choice([0, 1, 2]))]
    entry: dict[str, Any] = WHOLE | {
        "volts": dice.choice([208.0, 230.0]) if phase == 1 else dice.choice([208.0, 460.0]),
        "phase": phase,
        "compressors": [{"rla_a": r, "lra_a": float(round(r * dice.uniform(4.2, 6.8)))} for r in rated],
        "motors": [{"fla_a": f, "lra_a": 5 * f} for f in fans],
        "edition": dice.choice(["2017", "2020", "2023"]),
        "material": dice.choice(["copper", "aluminum"]),
        "insulation": dice.choice(["THWN", "THWN-2", "XHHW-2"]),
        "termination_c": dice.choice([60, 75]),
        "ambient_f": dice.choice([80.0, 95.0, 113.0]),
        "current_carrying_conductors": 3 if phase == 3 else 2,
        "length_ft": dice.uniform(5, 60),
        "raceway": dice.choice(["EMT", "RMC", "PVC-40", "LFMC"]),
        "power_factor": 0.85,
        "on_date": "2026-11-26",
        "school": "mca",
        "overcurrent_allowed": dice.choice(["fuse", "fuse_or_breaker"]),
    }
    if dice.random() < 0.5:
        largest = max(rated)
        rest = sum(rated) + sum(fans) - largest
        entry |= {
            "mca_a": round(1.25 * largest + rest, 1),
            "mocp_a": float(dice.choice([20, 35, 50, 60, 90])),
        }
        if not entry["mca_a"] <= entry["mocp_a"] <= 2.25 * largest + rest:
            del entry["mca_a"], entry["mocp_a"]
    return entry


def sized(count: int, seed: int) -> list[tuple[CircuitIn, CircuitOut]]:
    dice = random.Random(seed)
    found: list[tuple[CircuitIn, CircuitOut]] = []
    while len(found) < count:
        entry = CircuitIn.model_validate(whole_entry(dice))
        try:
            out = size_circuit(entry)
        except BeyondTable:
            continue
        if out.disconnect_hp is not None:
            found.append((entry, out))
    return found


def test_our_own_answer_is_lawful_when_everything_was_said() -> None:
    for entry, out in sized(300, 12):
        assert out.ok
        audit = audit_circuit(as_built(entry, out))
        left = [c for c in audit.checks if c.verdict in ("fail", "unknown")]
        assert audit.lawful, (entry, left)
        assert not audit.fixes


def smaller(values: tuple[Any, ...], value: Any) -> Any:
    at = list(values).index(value)
    return values[at - 1] if at else None


def test_with_any_one_part_made_smaller_it_fails() -> None:
    """Conductor, ground, frame, horsepower, poles; a larger device; the fix makes each lawful again."""
    tried: dict[str, int] = {}
    for entry, out in sized(150, 5):
        sizes = sizes_of(entry.material)
        below = {
            "conductor_awg": (smaller(sizes, out.minimum_conductor_awg), "AMPACITY"),
            "egc_awg": (smaller(sizes, out.egc_awg), "EGC_SMALL"),
            "disconnect_a": (smaller(disconnect_frames_a(), out.disconnect_a), "DISCONNECT_SMALL"),
            "disconnect_hp": (0.4 * (out.disconnect_hp or 0), "DISCONNECT_HP"),
            "poles": (out.poles - 1, "POLES"),
            "overcurrent_a": (2.5 * (out.mocp_a or 0.0), "OCPD_ABOVE_MOCP"),
        }
        for part, (less, code) in below.items():
            if less is None or (part == "egc_awg" and out.conductor_awg != out.minimum_conductor_awg):
                continue
            other: dict[str, Any] = {part: float(less) if part in ("disconnect_a", "overcurrent_a") else less}
            if part == "overcurrent_a" and out.overcurrent_kind == "fuse":
                other["fuse_a"] = other[part]
            audit = audit_circuit(as_built(entry, out, **other))
            wrong = {c.code: c for c in audit.checks if c.verdict == "fail"}
            assert code in wrong, (part, less, entry, out.answer)
            assert not audit.ok
            assert wrong[code].fix
            assert audit.fixes, (part, entry)
            tried[part] = tried.get(part, 0) + 1
    assert set(tried) == {
        "conductor_awg", "egc_awg", "disconnect_a", "disconnect_hp", "poles", "overcurrent_a",
    }  # fmt: skip
    assert min(tried.values()) >= 40


SAFETY = {
    "insulation": {"AMPACITY", "WET_LOCATION"},
    "material": {"AMPACITY"},
    "ambient_f": {"AMPACITY"},
    "length_ft": {"VOLTAGE_DROP"},
    "overcurrent_allowed": {"FUSE_REQUIRED"},
    "egc_awg": {"EGC_SMALL"},
    "disconnect_a": {"DISCONNECT_SMALL"},
    "disconnect_hp": {"DISCONNECT_HP"},
    "poles": {"POLES"},
    "conductor_awg": {"AMPACITY", "EGC_SMALL", "OCPD_ABOVE_CONDUCTOR", "SMALL_CONDUCTOR"},
    "overcurrent_a": {"OCPD_ABOVE_MOCP", "OCPD_BELOW_MCA", "EGC_SMALL"},
}


@pytest.mark.parametrize("count", [1, 2, 4, len(SAFETY)])
def test_what_nobody_said_passes_nothing_and_keeps_it_from_being_lawful(count: int) -> None:
    dice = random.Random(count)
    for entry, out in sized(60, 77):
        left_out = dice.sample(sorted(SAFETY), count)
        said = as_built(entry, out).model_dump(exclude_unset=True)
        for name in left_out:
            said.pop(name, None)
            said["installed"].pop(name, None)
        audit = audit_circuit(AuditIn.model_validate(said))
        assert not audit.lawful
        verdicts = {c.code: c for c in audit.checks}
        for name in left_out:
            for code in SAFETY[name]:
                assert verdicts[code].verdict in ("unknown", "fail"), (name, code, verdicts[code])
                assert verdicts[code].fix, (name, code)


def test_wet_unsaid_is_asked_and_outdoors_or_a_roof_says_it() -> None:
    base = {"volts": 230.0, "phase": 1, "mca_a": 20.0, "mocp_a": 30.0, "insulation": "THHN", "installed": {}}

    def wet(**more: Any) -> str:
        audit = audit_circuit(AuditIn.model_validate(base | more))
        return next(c.verdict for c in audit.checks if c.code == "WET_LOCATION")

    assert "unknown" == wet()
    assert "fail" == wet(outdoors=True)
    assert "fail" == wet(rooftop_clearance_in=12.0)
    assert "pass" == wet(outdoors=True, wet=False)
    assert "pass" == wet(wet=False)


def test_the_answer_does_not_hang_on_the_order_of_entry_or_on_how_numbers_are_written() -> None:
    dice = random.Random(3)
    for entry, out in sized(120, 31):
        raw = entry.model_dump(exclude_unset=True)
        shuffled = list(raw.items())
        dice.shuffle(shuffled)
        other = dict(shuffled)
        other["compressors"] = dice.sample(raw["compressors"], len(raw["compressors"]))
        other["motors"] = dice.sample(raw["motors"], len(raw["motors"]))
        other["volts"] = int(raw["volts"])
        again = size_circuit(CircuitIn.model_validate(other))
        assert [a.text for a in out.answer] == [a.text for a in again.answer]
        assert out.materials == again.materials
        assert {f.code: f.verdict for f in out.findings} == {f.code: f.verdict for f in again.findings}


def test_nothing_is_sent_twice() -> None:
    for entry, out in sized(40, 9):
        audit = audit_circuit(
            as_built(entry, out, conductor_awg="14" if entry.material == "copper" else "12")
        )
        assert len(out.answer) <= 6
        assert len(audit.answer) <= 6
        for told in (out.findings, audit.findings, audit.checks):
            texts = [f.text for f in told]
            assert len(texts) == len(set(texts))
        assert not {f.text for f in out.findings} & {f.text for f in out.always}
        assert not {c.text for c in audit.checks} & {f.text for f in (*audit.findings, *audit.always)}
        assert len(out.findings) <= 20


def test_a_fix_never_asks_for_what_the_audit_would_fail() -> None:
    """The cheapest set, put in, leaves nothing failing that the circuit can mend."""
    dice, tried = random.Random(44), 0
    for entry, out in sized(120, 18):
        sizes = sizes_of(entry.material)
        there = {
            "overcurrent_a": float(dice.choice([15, 30, 60, 100, 150])),
            "conductor_awg": dice.choice(sizes),
            "egc_awg": dice.choice(sizes),
            "disconnect_a": float(dice.choice([20, 30, 60, 100])),
            "disconnect_hp": dice.choice([1.0, 5.0, 20.0]),
            "disconnect_fused": False,
            "overcurrent_kind": "breaker",
        }
        audit = audit_circuit(as_built(entry, out, **there))
        if audit.ok:
            continue
        assert audit.fixes, [c for c in audit.checks if c.verdict == "fail"]
        costs = [f.minutes for f in audit.fixes]
        assert costs == sorted(costs)
        parts = {c.part for c in audit.fixes[0].changes}
        mended = dict(there)
        best = audit.wanted
        device = next((c.text for c in audit.fixes[0].changes if c.part == "device"), None)
        if device is not None:
            mended["overcurrent_a"] = float(
                device.removeprefix("Put in a ").removeprefix("Put in ").split()[0]
            )
            mended["overcurrent_kind"] = "fuse" if "fuse" in device else "breaker"
        if "conductor" in parts:
            mended["conductor_awg"] = best.conductor_awg
        if "ground" in parts:
            text = next(c.text for c in audit.fixes[0].changes if c.part == "ground")
            mended["egc_awg"] = text.split()[2]
        if "disconnect" in parts:
            text = next(c.text for c in audit.fixes[0].changes if c.part == "disconnect")
            mended |= {"disconnect_a": float(text.split()[2]), "disconnect_hp": best.disconnect_hp}
            mended["disconnect_fused"] = "fused" in text
            mended["fuse_a"] = float(best.overcurrent_a) if "fused" in text else None
        again = audit_circuit(as_built(entry, out, **mended))
        assert again.ok, (audit.fixes[0], [c for c in again.checks if c.verdict == "fail"])
        tried += 1
    assert tried > 60


def test_a_maximum_no_standard_fuse_is_within_is_refused_by_its_name() -> None:
    with pytest.raises(InputProblem) as refused:
        size_circuit(CircuitIn.model_validate({"volts": 115.0, "phase": 1, "mca_a": 0.4, "mocp_a": 0.5}))
    assert ["MOCP"] == [e.label for e in refused.value.errors]
    assert refused.value.next_step
