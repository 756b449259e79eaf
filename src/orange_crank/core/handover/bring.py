"""What to bring to a visit: the parts a unit's history makes likely, and which of them the van lacks."""

from collections.abc import Mapping, Sequence
from datetime import date

from pydantic import Field

from orange_crank.core.aids.parts import Counted, Part
from orange_crank.core.aids.run_capacitor import CapacitorIn, choose_capacitors
from orange_crank.core.call.judging import judged_or_said
from orange_crank.core.handover.options import SAFE_VOLTS_AC
from orange_crank.core.logbook.fleet import chance_within
from orange_crank.core.logbook.unit import Logbook
from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Frozen, say
from orange_crank.core.plate import Plate

LIKELY = 0.15  # a chance within a year from which a part rides along


class Bring(Frozen):
    """One thing to bring."""

    what: Prose
    why: Prose
    part: str | None = Field(description="Part number that serves, where the list has one")
    on_van: int = Field(description="How many of it the van holds")
    lacks: bool


def bring(
    plate: Plate | None,
    logbook: Logbook,
    tasks: Sequence[str],
    parts: Sequence[Part],
    van: Mapping[str, int],
    today: date,
) -> list[Bring]:
    """Return what to bring to a unit.

    Parameters
    ----------
    plate : as read; None where it is not
    logbook : what its visits say
    tasks : titles of its open tasks
    parts : the list to choose from
    van : how many of each part the van holds
    today : the day it is asked

    """
    found: list[Bring] = []
    if plate is not None and plate.run_cap_uf is not None:
        due = {f.quantity: f for f in logbook.forecasts}
        f = due.get("run_cap_uf") or due.get("fan_cap_uf")
        chance = max((chance_within(x, today, 1.0) for x in due.values() if "cap" in x.quantity), default=0)
        wanted = f is not None and chance >= LIKELY
        if wanted or any("apacitor" in t for t in tasks):
            found.append(
                _capacitor(plate, f.words if f is not None else msg("Needed for a task."), parts, van)
            )
    drop = next((f for f in logbook.forecasts if f.quantity == "contactor_drop_v"), None)
    if drop is not None and chance_within(drop, today, 1.0) >= LIKELY and plate is not None:
        amps = sum(c.rla_a for c in plate.compressors) + sum(m.fla_a for m in plate.motors)
        fits = [
            p
            for p in parts
            if p.kind == "contactor"
            and (p.fla_a or 0) >= amps
            and (p.poles or 0) >= (3 if plate.phase == 3 else 2)
        ]
        fits.sort(key=lambda p: (-van.get(p.part, 0), p.fla_a or 0))
        found.append(
            _one(
                msg("Contactor for at least {amps}", amps=say(amps, "A")),
                drop.words,
                fits[0].part if fits else None,
                van,
            )
        )
    return found


def _capacitor(plate: Plate, why: str, parts: Sequence[Part], van: Mapping[str, int]) -> Bring:
    title = msg("Run capacitor {run_cap_uf}", run_cap_uf=say(plate.run_cap_uf or 0, "µF"))
    if plate.fan_cap_uf is not None:
        title += f" + {say(plate.fan_cap_uf, 'µF')}"

    def ways(stock: list[Counted]) -> str | None:
        if not stock:
            return None
        entry = CapacitorIn(
            compressor_uf=plate.run_cap_uf, fan_uf=plate.fan_cap_uf, volts_ac=SAFE_VOLTS_AC, stock=stock
        )
        made = judged_or_said(lambda: choose_capacitors(entry).ways, lambda _: [])
        return made[0].uses[0].part if made else None

    held = ways([Counted(part=p, count=van[p.part]) for p in parts if van.get(p.part, 0) > 0])
    listed = held or ways([Counted(part=p, count=9) for p in parts])
    return _one(title, why, listed, van if held else {})


def _one(what: str, why: str, part: str | None, van: Mapping[str, int]) -> Bring:
    count = van.get(part, 0) if part is not None else 0
    return Bring(what=what, why=why, part=part, on_van=count, lacks=count < 1)
