"""What was seen that cannot all be true."""

from orange_crank.core.diagnosis.evidence.readings import Readings
from orange_crank.core.diagnosis.model import Contradiction, DiagnoseIn, Evidence
from orange_crank.core.messages import msg


def contradictions(entry: DiagnoseIn, r: Readings) -> list[Contradiction]:
    """Return what was seen that cannot all be true, with what to do about it."""
    found: list[Contradiction] = []

    def clash(fact: str, text: str, step: str) -> None:
        found.append(Contradiction(fact=fact, text=text, next_step=step))

    idle, start, end = (r.number(q) for q in ("line_v_idle", "line_v_start", "terminal_v_start"))
    if idle is not None and start is not None and start > idle + r.limits.volts_agree_v:
        clash(
            "panel_dip",
            msg("{start:g} V during the start is higher than {idle:g} V idle.", start=start, idle=idle),
            msg("Take both again, same place, same meter."),
        )
    if start is not None and end is not None and end > start + r.limits.volts_agree_v:
        clash(
            "path_loss",
            msg("{end:g} V at the compressor is higher than {start:g} V at the panel.", end=end, start=start),
            msg("Take both again during one start."),
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
            msg("Reported as not starting, but running amps are entered."),
            msg("Does it start now? Ask, or listen to one start."),
        )
    if {"controls_on_nothing_runs", "no_sound"} & set(entry.symptoms) and {
        "hums_no_start",
        "slow_start",
        "starts_then_trips",
    } & set(entry.symptoms):
        clash(
            "start_behaviour",
            msg("Nothing runs, and yet it hums or starts."),
            msg("Listen to one call for cooling and say which."),
        )
    none = next((e for e in entry.readings if e.quantity == "start_kit_present" and e.value is False), None)
    if none is not None and any(
        e.quantity in ("start_kit_contact_ohm", "start_kit_bypassed_starts") for e in entry.readings
    ):
        clash(
            "kit",
            msg("No start kit is fitted, yet one was tested."),
            msg("Look again for a kit across the run capacitor."),
        )
    ground = [e.value for e in entry.readings if e.quantity == "to_ground"]
    if True in ground and ground[-1] is False:
        clash(
            "to_ground",
            (
                msg(
                    "It read shorted to ground, then clear. It counts as shorted until you enter "
                    "what was fixed."
                )
            ),
            msg("Write down what was changed, or correct the reading that was wrong."),
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
                msg(
                    "{replace} was entered as {told}. The last one counts.",
                    replace=name.replace("_", " "),
                    told=told,
                ),
                msg("Remeasure if they can't both be right."),
            )
    return found
