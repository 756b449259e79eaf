"""Lugs: size, metal, wires and temperature, as their labels say, against the wire that is there."""

from orange_crank.core.circuit.rules.job import Built, Job, finding
from orange_crank.core.messages import joined, msg
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
            finding(
                "LUG",
                "unknown",
                msg("{at}: conductors not entered.", at=lug.at),
                rule,
                step=msg("Read their size."),
            )
        ]
    low, high = lug.low_awg, lug.high_awg
    wrong, unread = [], []
    if (low and RANK[size] < RANK[low]) or (high and RANK[size] > RANK[high]):
        takes = joined((size_word(s) for s in (low, high) if s), " to ")
        wrong.append(
            msg(
                "takes {takes}, not {size_word}: bigger is not always safe",
                takes=takes,
                size_word=size_word(size),
            )
        )
    elif not (low and high):
        unread.append(msg("sizes it takes"))
    if lug.metals and entry.material not in lug.metals:
        wrong.append(msg("is not marked for {metal_word}", metal_word=metal_word(entry.material)))
    elif not lug.metals:
        unread.append("metals")
    if lug.wires_on_it > lug.wires:
        wrong.append(
            msg(
                "takes {wires} wire{wires_2}, not {wires_on_it}",
                wires=lug.wires,
                wires_2="s" if lug.wires > 1 else "",
                wires_on_it=lug.wires_on_it,
            )
        )
    told = msg(
        "takes {size_word} {metal_word}", size_word=size_word(size), metal_word=metal_word(entry.material)
    )
    if unread:
        told = msg("not entered: {join}", join=joined(unread, ", "))
    found = [
        finding(
            "LUG",
            "fail" if wrong else "unknown" if unread else "pass",
            msg("{at}: {told}.", at=lug.at, told=joined(wrong, "; ") or told),
            rule,
            step=msg("Another lug, or a listed adapter or pin.")
            if wrong
            else msg("Read the rest of its label.")
            if unread
            else None,
        )
    ]
    if lug.marked_c == 60 and entry.termination_c == 75:
        found.append(
            finding(
                "LUG_60",
                "watch",
                msg("{at}: marked 60 °C, so the whole circuit goes by 60 °C, not 75 °C.", at=lug.at),
                rule,
                step=msg("A lug marked 75 °C allows the 75 °C column."),
            )
        )
    return found
