"""Lugs: size, metal, wires and temperature, as their labels say, against the wire that is there."""

from orange_crank.core.circuit.rules.job import Built, Job, finding
from orange_crank.core.nomenclature import Finding
from orange_crank.core.plate.arithmetic import clause
from orange_crank.core.tables.code import RANK, metal_word, size_word


def judge(job: Job, built: Built) -> list[Finding]:
    """Judge every lug whose label was read."""
    return [f for i in range(len(job.entry.lugs)) for f in _lug(job, built, i)]


def _lug(job: Job, built: Built, index: int) -> list[Finding]:
    entry, lug, size = job.entry, job.entry.lugs[index], built.conductor_awg
    rule = clause(entry.edition, "110.14(A), 110.14(C)")
    if size is None:
        return [
            finding("LUG", "unknown", f"{lug.at}: conductors not entered.", rule, step="Read their size.")
        ]
    wrong = []
    if not RANK[lug.low_awg] <= RANK[size] <= RANK[lug.high_awg]:
        wrong.append(
            f"takes {size_word(lug.low_awg)} to {size_word(lug.high_awg)}, not "
            f"{size_word(size)}: bigger is not "
            "always safe"
        )
    if entry.material not in lug.metals:
        wrong.append(f"is not marked for {metal_word(entry.material)}")
    if lug.wires_on_it > lug.wires:
        wrong.append(f"takes {lug.wires} wire{'s' if lug.wires > 1 else ''}, not {lug.wires_on_it}")
    found = [
        finding(
            "LUG",
            "fail" if wrong else "pass",
            f"{lug.at}: "
            + ("; ".join(wrong) if wrong else f"takes {size_word(size)} {metal_word(entry.material)}")
            + ".",
            rule,
            step="Another lug, or a listed adapter or pin." if wrong else None,
        )
    ]
    if lug.marked_c == 60 and entry.termination_c == 75:
        found.append(
            finding(
                "LUG_60",
                "watch",
                f"{lug.at}: marked 60 °C, so the whole circuit goes by 60 °C, not 75 °C.",
                rule,
                step="A lug marked 75 °C allows the 75 °C column.",
            )
        )
    return found
