"""What a camera saw of a plate: proposed with what speaks for it, never wrong without a flag."""

from collections.abc import Sequence

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from orange_crank.core.plate.arithmetic import circuit_figures
from orange_crank.core.plate.photograph import LABELS, PlatePhoto, SeenWord, alike, lines_of, propose

PLATE = """MODEL NO. EEJ48-230
SERIAL NO. 1237W16304
VOLTS 208/230 PHASE 1 HERTZ 60
COMPRESSOR RLA 20.1 LRA 102
FAN MOTOR FLA 1.3
MINIMUM CIRCUIT AMPACITY 26.4
MAXIMUM FUSE OR BREAKER 45
CAPACITOR 40/5 MFD 440 V
REFRIGERANT R-410A"""
TRUE = {
    "model": "EEJ48-230", "serial": "1237W16304", "volts": "208/230", "phase": "1", "hertz": "60",
    "rla_a": "20.1", "lra_a": "102", "fla_a": "1.3", "mca_a": "26.4", "mocp_a": "45", "run_cap_uf": "40",
    "fan_cap_uf": "5", "refrigerant": "R-410A",
}  # fmt: skip


def seen(text: str, sure: float = 95, lean: float = 0.0) -> list[SeenWord]:
    found = []
    for row, line in enumerate(text.splitlines()):
        left = 40.0
        for word in line.split():
            found.append(
                SeenWord(text=word, left_px=left, top_px=60.0 * row + lean * left, width_px=18.0 * len(word),
                         height_px=30, sure_pct=sure)
            )  # fmt: skip
            left += 18.0 * len(word) + 20
    return found


def got(photo: PlatePhoto) -> dict[str, str]:
    return {p.field: p.value for p in photo.proposed}


def flagged(photo: PlatePhoto) -> set[str]:
    return {p.field for p in photo.proposed if p.flagged}


@pytest.mark.parametrize("lean", [0.0, 0.012, -0.012])
def test_a_plate_read_alike_twice_is_proposed_whole(lean: float) -> None:
    photo = propose(seen(PLATE, lean=lean), seen(PLATE, lean=lean))
    assert TRUE == got(photo)
    # Codes are always to be compared by eye; nothing on the plate checks them.
    assert {"model", "serial"} == flagged(photo)
    assert [] == photo.unread
    settled = next(p for p in photo.proposed if p.field == "mca_a")
    assert settled.why == "1.25 × 20.1 + 1.3 = 26.43 A: MCA 26.4 fits."


def test_a_table_with_its_values_under_the_heads() -> None:
    words = [
        *((w, x, 0) for w, x in (("VOLTS", 300), ("PH", 500), ("RLA", 700), ("LRA", 900))),
        *((w, x, 60) for w, x in (("COMPR", 20), ("230", 310), ("1", 505), ("17.9", 705), ("112", 905))),
        *((w, x, 120) for w, x in (("FAN", 20), ("230", 310), ("1", 505), ("1.4", 705))),
    ]
    photo = propose(
        [SeenWord(text=w, left_px=x, top_px=y, width_px=60, height_px=30, sure_pct=95) for w, x, y in words]
    )
    assert {"volts": "230", "phase": "1", "rla_a": "17.9", "lra_a": "112"} == got(photo)


@pytest.mark.parametrize(
    ("wrong", "was", "field"),
    [("RLA 201", "RLA 20.1", "rla_a"), ("FLA 13", "FLA 1.3", "fla_a"),
     ("AMPACITY 28.4", "AMPACITY 26.4", "mca_a"), ("RLA 20.7", "RLA 20.1", "rla_a")],
)  # fmt: skip
def test_the_plates_own_sum_mends_one_misread_figure_and_flags_it(wrong: str, was: str, field: str) -> None:
    text = PLATE.replace(was, wrong)
    photo = propose(seen(text), seen(text))
    one = next(p for p in photo.proposed if p.field == field)
    assert TRUE[field] == one.value
    assert one.flagged
    assert wrong.split()[-1] in one.instead


def test_readings_that_differ_are_flagged_with_both() -> None:
    photo = propose(seen(PLATE), seen(PLATE.replace("LRA 102", "LRA 107")))
    one = next(p for p in photo.proposed if p.field == "lra_a")
    assert one.flagged
    assert ["107"] == one.instead
    assert "102" in one.why
    assert "107" in one.why


@pytest.mark.parametrize(
    ("wrong", "was", "why"),
    [("45", "BREAKER 43", "No standard size"), ("45", "BREAKER 25", "Below the MCA"),
     ("LRA 102", "LRA 402", "× RLA"), ("VOLTS 208/230", "VOLTS 273", "Not a standard nameplate voltage"),
     ("PHASE 1", "PHASE 7", "One or three"), ("HERTZ 60", "HERTZ 80", "50 or 60"),
     ("R-410A", "R-470A", "No refrigerant")],
)  # fmt: skip
def test_what_cannot_be_is_flagged(wrong: str, was: str, why: str) -> None:
    old = "BREAKER 45" if wrong == "45" else wrong
    text = PLATE.replace(old, was)
    photo = propose(seen(text), seen(text))
    assert any(p.flagged and why in p.why for p in photo.proposed), photo


def test_hardly_read_words_are_flagged_and_an_empty_picture_has_a_way_on() -> None:
    assert set(TRUE) - {"rla_a", "fla_a", "mca_a"} == flagged(propose(seen(PLATE, 60), seen(PLATE, 60)))
    nothing = propose([], [])
    assert [] == nothing.proposed
    assert nothing.next_step is not None
    assert "type it" in nothing.next_step
    assert "RLA" in nothing.unread


WORDS = st.lists(
    st.builds(
        SeenWord,
        text=st.one_of(st.text(min_size=1, max_size=12), st.sampled_from(PLATE.split())),
        left_px=st.floats(0, 2000),
        top_px=st.floats(0, 2000),
        width_px=st.floats(1, 300),
        height_px=st.floats(1, 90),
        sure_pct=st.floats(0, 100),
    ),
    max_size=40,
)


@settings(max_examples=300, deadline=None)
@given(WORDS, WORDS)
def test_whatever_a_camera_saw_is_read_without_a_fault(words: list[SeenWord], again: list[SeenWord]) -> None:
    photo = propose(words, again)
    assert len({p.field for p in photo.proposed}) == len(photo.proposed)
    assert all(p.value.strip() and p.why for p in photo.proposed)
    assert all(p.label == LABELS[p.field] for p in photo.proposed)
    assert sum(len(line) for line in lines_of(words)) == len(words)


@settings(max_examples=300, deadline=None)
@given(st.integers(50, 340), st.integers(5, 25), st.data())
def test_one_figure_misread_never_passes_unflagged(tenths: int, fan: int, data: st.DataObject) -> None:
    """Any of the three the sum ties together, a look-alike digit or a lost point, alike both times."""
    rla, fla = tenths / 10, fan / 10
    mca = round(circuit_figures([rla], [fla]).mca_a + 1e-9, 1)
    true = {"rla_a": f"{rla:g}", "fla_a": f"{fla:g}", "mca_a": f"{mca:g}"}
    name = data.draw(st.sampled_from(sorted(true)))
    ways: Sequence[str] = [t for t in (*alike(true[name]), true[name].replace(".", "")) if t != true[name]]
    if not ways:
        return
    read = {**true, name: data.draw(st.sampled_from(ways))}
    text = f"RLA {read['rla_a']}\nFAN FLA {read['fla_a']}\nMCA {read['mca_a']}"
    photo = propose(seen(text), seen(text))
    for p in photo.proposed:
        close = abs(float(p.value) - float(true[p.field])) < 0.15
        assert close or p.flagged, (true, read, photo)
