"""What a customer answers and what one sees at the unit, in words, from what is true of it."""

import math
from typing import TYPE_CHECKING

from orange_crank.bench.practice.acts import Sight, Topic
from orange_crank.bench.scenarios import Case
from orange_crank.core.nomenclature import say

if TYPE_CHECKING:
    from orange_crank.bench.practice.world import World


def asked(case: Case, topic: Topic) -> str:
    """Return what the customer says."""
    t = case.truth
    if topic == "rest":
        minutes = float(t["rest_min"])
        if minutes < 6:
            return f"“It went off maybe {max(1, round(minutes))} minutes ago.”"
        return f"“It has not tried for about {round(minutes / 5) * 5} minutes.”"
    if topic == "lines":
        return f"“The lines run about {round(float(t['line_ft']) / 5) * 5} feet.”"
    if topic == "idle":
        days = float(t["idle_days"])
        return "“It ran yesterday.”" if days < 2 else f"“It stood still for about {days:.0f} days.”"
    if topic == "charge":
        return {
            "over": "“Somebody added gas this spring.”",
            "low": "“They topped it up last year, and before.”",
        }.get(str(t["charge"]), "“Nobody has touched the gas, as far as I know.”")
    if t["backup"]:
        return "“Only when the generator runs.”"
    if math.isinf(float(t["seconds"])):
        return "“It has not started since, not once.”"
    return "“Mostly on hot afternoons, and more often than last year.”"


def seen(world: "World", sight: Sight) -> str:
    """Return what one sees."""
    t, plate = world.case.truth, world.case.plate
    if sight == "plate":
        return plate_words(world)
    if sight == "capacitor":
        top = "bulged" if float(t["cap_uf"]) < 0.1 * (plate.run_cap_uf or 1) else "flat"
        fan = f" + {say(plate.fan_cap_uf, 'µF')}" if plate.fan_cap_uf else ""
        return f"The can says {say(float(t['can_label']), 'µF')}{fan}, 440 V, ±6 %. Its top is {top}."
    if sight == "contactor":
        return {
            "clean": "The contactor's points are clean.",
            "pitted": "The points are pitted.",
            "burnt": "The points are burnt black.",
            "insects": "Ants between the points.",
            "welded": "One point has welded.",
        }[str(t["contactor"])]
    if sight == "condenser":
        return "The condenser is matted with fluff." if t["condenser_dirty"] else "The condenser is clean."
    if sight == "board":
        code = "The board blinks E4." if t["code"] else "The board shows no code."
        return f"{code} A delay is running." if t["delay"] else code
    if sight == "breaker":
        trip = " It stands tripped." if world.unit.breaker_tripped else ""
        return f"A two-pole breaker, {say(world.breaker_a, 'A')}.{trip}"
    if sight == "kit":
        if world.kit_number is None:
            return "No start kit is fitted."
        where = "arrow up" if world.upright else "lying flat"
        state = " Its can is swollen and its leads are dark." if world.scenario.traps.kit_blocks else ""
        return f"A start kit is fitted, {world.kit_title[:1].lower() + world.kit_title[1:]}, {where}.{state}"
    if sight == "fan":
        right = (
            "blows up and out, as it should" if t["fan_right"] else "turns backward: air goes in at the top"
        )
        return f"The fan {right}." if world.unit.closed else "The fan stands still; its blade turns freely."
    if sight == "lugs":
        return (
            "Every lug is tight and bright."
            if t["lug_tight"]
            else "One lug at the breaker is loose and brown."
        )
    if sight == "control_fuse":
        return "The control fuse is open." if t["control_fuse_open"] else "The control fuse is whole."
    if sight == "fuses":
        return "One fuse is open." if t["fuse_open"] else "No fuse is open."
    if sight == "switches":
        return (
            "The pressure switch is open."
            if t["control_switch"]
            else "Float and pressure switches are closed."
        )
    burnt = world.scenario.cause == "lead_or_terminal_open" and t["windings"] != "sound"
    return (
        "One terminal of the compressor is burnt off." if burnt else "The compressor's terminals are sound."
    )


def plate_words(world: "World") -> str:
    """Return the nameplate as one reads it."""
    p = world.case.plate
    first = p.compressors[0]
    words = [f"{p.volts:g} V, {p.phase} phase", f"compressor RLA {first.rla_a:g}, LRA {first.lra_a:g}"]
    words += [f"fan FLA {m.fla_a:g}" for m in p.motors]
    if p.mca_a:
        words.append(f"minimum circuit ampacity {p.mca_a:g}")
    if p.mocp_a:
        words.append(f"maximum fuse or breaker {p.mocp_a:g}")
    if p.run_cap_uf:
        words.append(f"capacitor {p.run_cap_uf:g}" + (f" + {p.fan_cap_uf:g}" if p.fan_cap_uf else ""))
    return "Nameplate: " + "; ".join(words) + "."
