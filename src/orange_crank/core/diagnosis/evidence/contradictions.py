"""What was seen that cannot all be true."""

from orange_crank.core.diagnosis.evidence.readings import Readings
from orange_crank.core.diagnosis.model import Contradiction, DiagnoseIn, Evidence


def contradictions(entry: DiagnoseIn, r: Readings) -> list[Contradiction]:
    """Return what was seen that cannot all be true, with what to do about it."""
    found: list[Contradiction] = []

    def clash(fact: str, text: str, step: str) -> None:
        found.append(Contradiction(fact=fact, text=text, next_step=step))

    idle, start, end = (r.number(q) for q in ("line_v_idle", "line_v_start", "terminal_v_start"))
    if idle is not None and start is not None and start > idle + r.limits.volts_agree_v:
        clash(
            "panel_dip",
            f"{start:g} V during the start is higher than {idle:g} V idle.",
            "Take both again, same place, same meter.",
        )
    if start is not None and end is not None and end > start + r.limits.volts_agree_v:
        clash(
            "path_loss",
            f"{end:g} V at the compressor is higher than {start:g} V at the panel.",
            "Take both again during one start.",
        )
    hums = {"hums_no_start", "controls_on_nothing_runs", "no_sound"} & set(entry.symptoms)
    if (
        hums
        and r.get("running_a") is not None
        and r.get("start_time_s") is None
        and r.get("start_kit_bypassed_starts") is None
    ):
        clash(
            "start_behaviour",
            "Reported as not starting, but running amps are entered.",
            "Does it start now? Ask, or listen to one start.",
        )
    if {"controls_on_nothing_runs", "no_sound"} & set(entry.symptoms) and {
        "hums_no_start",
        "slow_start",
        "starts_then_trips",
    } & set(entry.symptoms):
        clash(
            "start_behaviour",
            "Nothing runs, and yet it hums or starts.",
            "Listen to one call for cooling and say which.",
        )
    none = next((e for e in entry.readings if e.quantity == "start_kit_present" and e.value is False), None)
    if none is not None and any(
        e.quantity in ("start_kit_contact_ohm", "start_kit_bypassed_starts") for e in entry.readings
    ):
        clash(
            "kit",
            "No start kit is fitted, yet one was tested.",
            "Look again for a kit across the run capacitor.",
        )
    ground = [e.value for e in entry.readings if e.quantity == "to_ground"]
    if True in ground and ground[-1] is False:
        clash(
            "to_ground",
            ("It read shorted to ground, then clear. It counts as shorted until you enter what was fixed."),
            "Write down what was changed, or correct the reading that was wrong.",
        )
    spread: dict[str, list[Evidence]] = {}
    for e in entry.readings:
        if e.number is not None:
            spread.setdefault(f"{e.quantity} {e.where} {e.state}", []).append(e)
    for group in spread.values():
        values = [e.number or 0.0 for e in group]
        if len(values) > 1 and max(values) - min(values) > r.limits.reading_spread_pct / 100 * max(
            abs(v) for v in values
        ):
            name, told = group[0].quantity, ", ".join(f"{v:g}" for v in values)
            clash(
                name,
                f"{name.replace('_', ' ')} was entered as {told}. The last one counts.",
                "Remeasure if they can't both be right.",
            )
    return found
