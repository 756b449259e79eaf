"""How well nameplates are read from photographs: right, wrong but flagged, wrong and not flagged, left out.

Baseline: Tesseract's own words under the same labels, without the core's sums and without a second reading.
"""

import sys
import time
from collections import Counter

from tests.plates import LIGHTS, make_plate

from orange_crank.core.plate.photograph import PlateField, read_raw
from orange_crank.formats.plate_photo import _opened, _words, prepared, read_grey


def same(one: str, two: str) -> bool:
    """Whether two values say the same, as a figure or as written."""
    if one == two:
        return True
    try:
        return abs(float(one) - float(two)) < 1e-9
    except ValueError:
        return False


def main(count: int = 42) -> None:
    """Read plates of each light and print the shares."""
    total: Counter[str] = Counter()
    bare: Counter[str] = Counter()
    by_light: dict[str, Counter[str]] = {}
    wrong: Counter[str] = Counter()
    seconds = []
    for i in range(count):
        light = LIGHTS[i % len(LIGHTS)]
        made = make_plate(1_000 + i, light)
        began = time.perf_counter()
        grey = prepared(_opened(made.jpeg))
        told, _ = read_grey(grey)
        seconds.append(time.perf_counter() - began)
        plain = read_raw(_words(_opened(made.jpeg), 6))
        got = {p.field: p for p in told.proposed}
        for name, true in made.truth.items():
            key: PlateField = name  # type: ignore[assignment]
            p = got.get(key)
            how = (
                "left out" if p is None
                else ("right, flagged" if p.flagged else "right") if same(p.value, true)
                else "wrong, flagged" if p.flagged
                else "wrong, unflagged"
            )  # fmt: skip
            total[how] += 1
            by_light.setdefault(light, Counter())[how] += 1
            if how == "wrong, unflagged" and p is not None:
                print(f"    {light} {1_000 + i} {name}: read {p.value}, is {true} ({p.why})")
            if p is None or not same(p.value, true):
                wrong[name] += 1
            raw = plain.get(key)
            first = raw.text.split("/")[0] if raw and name == "run_cap_uf" else raw.text if raw else None
            bare["right" if first is not None and same(first, true) else "not"] += 1
    fields = sum(total.values())
    print(f"{count} plates, {fields} fields; {sorted(seconds)[len(seconds) // 2]:.1f} s a plate (median)")
    for how in ("right", "right, flagged", "wrong, flagged", "wrong, unflagged", "left out"):
        print(f"  {how}: {total[how]} ({100 * total[how] / fields:.1f} %)")
    right = total["right"] + total["right, flagged"]
    print(f"  right {right} against {bare['right']} bare, ratio {right / max(1, bare['right']):.2f}")
    for light, counts in by_light.items():
        print(f"  {light}: {dict(counts)}")
    print("  not right by field:", dict(wrong))


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 42)
