"""What to change about a circuit that is there: the cheapest lawful set of changes first."""

from collections.abc import Callable, Iterable, Iterator
from dataclasses import replace
from itertools import combinations

from pydantic import Field

from orange_crank.core.circuit.conductor import DRY_ONLY
from orange_crank.core.circuit.entry import AuditIn
from orange_crank.core.circuit.one_line import STATION_OF
from orange_crank.core.circuit.rules import (
    ampacity,
    disconnect,
    ground_fault,
    grounding,
    lugs,
    overcurrent,
    place,
)
from orange_crank.core.circuit.rules.job import Built, Job, poles_word
from orange_crank.core.errors import BeyondTable, CrankError
from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Finding, Frozen
from orange_crank.core.tables import overcurrent_at_least, overcurrent_sizes_a, standard_breaker
from orange_crank.core.tables.code import metal_word, size_word, sizes_of

# What each change costs in work, roughly in minutes: a breaker is swapped, conductors are pulled.
COST = {"fuses": 5, "device": 20, "disconnect": 45, "ground": 60, "conductor": 240}
PARTS = tuple(COST)
# Another set is worth telling up to so many times the work of the cheapest.
OTHER_WAYS = 4
_SETS = sorted(
    (frozenset(p) for n in range(1, len(PARTS) + 1) for p in combinations(PARTS, n)),
    key=lambda p: sum(COST[x] for x in p),
)


class Change(Frozen):
    """One part put right."""

    part: str
    text: Prose


class FixSet(Frozen):
    """Changes that together make the circuit lawful."""

    changes: list[Change]
    minutes: int = Field(description="A rough measure of the work, for the order alone")


Minimum = Callable[[Job], str]

# The rules that a change of the circuit can satisfy; what else fails is left standing.
_MENDABLE: tuple[Callable[[Job, Built], list[Finding]], ...] = (
    overcurrent.judge,
    ampacity.judge,
    grounding.judge,
    disconnect.judge,
    lambda job, _: place.judge(job),
    lugs.judge,
    ground_fault.judge,
)


# What another lug or adapter mends, no part of the circuit.
BY_HAND = frozenset({"LUG"})


def failing(findings: Iterable[Finding]) -> set[str]:
    """Return the codes of what fails."""
    return {f.code for f in findings if f.verdict == "fail"}


def fix_sets(job: Job, built: Built, fails: set[str], minimum: Minimum) -> list[FixSet]:
    """Return sets of changes that leave nothing of the circuit failing, cheapest first.

    Changes are considered together: a smaller device may cure a small ground. No set holds another. What no
    change of the circuit can put right (a plate misread, a unit's short-circuit rating) is left standing.

    """
    own = {STATION_OF.get(code, "unit") for code in fails - BY_HAND} & set(PARTS)
    if not own:
        return []
    lugs_fit = not fails & BY_HAND

    def may_do(parts: frozenset[str]) -> bool:
        # A device cures what hangs on its size; heavier conductors, or fuses at the unit, cure a device.
        return all(
            p in parts
            or "device" in parts
            or (p == "device" and parts & {"fuses", "conductor", "disconnect"})
            for p in own
        )

    found: list[tuple[frozenset[str], FixSet]] = []
    for parts in _SETS:
        cost = sum(COST[x] for x in parts)
        if found and cost > OTHER_WAYS * found[0][1].minutes:
            break
        if not may_do(parts):
            continue
        if any(done <= parts for done, _ in found):
            continue
        made = _with(job, built, minimum, parts, lugs_fit)
        if made is not None:
            found.append((parts, FixSet(changes=made, minutes=cost)))
    return [f for _, f in found]


def _with(
    job: Job, built: Built, minimum: Minimum, parts: frozenset[str], lugs_fit: bool
) -> list[Change] | None:
    for device in _devices(job, built) if "device" in parts else iter((None,)):
        try:
            new_job, new = _changed(job, built, minimum, parts, device)
        except CrankError:
            continue
        if new.protects_a is not None and new.protects_a < new_job.loads.mca_a - 1e-9:
            # What cannot carry the unit is no fix.
            continue
        left = failing(f for rule in _MENDABLE for f in rule(new_job, new))
        left -= frozenset() if lugs_fit else BY_HAND
        if all(STATION_OF.get(code, "unit") == "unit" for code in left):
            return _told(built, new_job, new, parts) or None
    return None


def _devices(job: Job, built: Built) -> Iterator[float]:
    """Yield lawful devices, the recommended first, then the others from the largest down."""
    best = float(job.device.amps)
    yield best
    most = job.device.mocp_a if job.device.mocp_a is not None else best
    least = job.loads.mca_a
    if not job.guarded and built.conductor_awg is not None:
        most = max(most, float(overcurrent_at_least(least)))
    for size in reversed(overcurrent_sizes_a()):
        if least - 1e-9 <= size <= most + 1e-9 and size != best:
            yield float(size)


def _changed(
    job: Job, built: Built, minimum: Minimum, parts: frozenset[str], device: float | None
) -> tuple[Job, Built]:
    entry, limits = job.entry, job.limits
    assert isinstance(entry, AuditIn)
    if device is not None:
        # A breaker in a panel stays a breaker; fuses go into the disconnect.
        kind = built.device_kind or overcurrent.kind_of(job)
        if kind == "breaker" and not standard_breaker(device, entry.edition):
            raise BeyondTable(msg("No standard breaker of {device:g} A.", device=device))
        fuse_a = device if kind == "fuse" and built.disconnect_fused else built.fuse_a
        built = replace(built, device_a=device, device_kind=kind, poles=entry.poles, fuse_a=fuse_a)
        bare = replace(built, ground_fault=False)
        if failing(ground_fault.judge(job, bare)):
            built = replace(built, ground_fault=True)
    if "fuses" in parts:
        if not built.disconnect_fused:
            raise BeyondTable(msg("No fuses in the disconnect to swap."))
        built = replace(built, fuse_a=float(job.device.amps))
    if "conductor" in parts:
        wet = entry.is_wet and entry.insulation in DRY_ONLY
        entry = entry.model_copy(update={"insulation": "THWN-2"}) if wet else entry
        job = replace(job, entry=entry)
        size = _pulled(job, built, minimum)
        metal = built.egc_material if "ground" not in parts else entry.material
        built = replace(built, conductor_awg=size, minimum_awg=minimum(job), egc_material=metal)
    if "ground" in parts and built.device_a is not None and built.conductor_awg is not None:
        ground = grounding.in_proportion(
            built.device_a,
            built.minimum_awg or built.conductor_awg,
            built.conductor_awg,
            built.egc_material,
            limits.ground_tolerance_pct,
        )
        built = replace(built, egc_awg=ground, egc_raceway=False)
        job = replace(job, entry=job.entry.model_copy(update={"ground_by": "wire"}))
    if "disconnect" in parts:
        needs_fuses = overcurrent.kind_of(job) == "fuse" and built.device_kind != "fuse"
        fused = needs_fuses or bool(built.disconnect_fused)
        fuse = float(job.device.amps) if fused else None
        power = disconnect.horsepower(entry, job.loads, limits)
        need = disconnect.need_a(job.loads)
        built = replace(
            built,
            disconnect_fused=fused,
            fuse_a=fuse,
            disconnect_a=float(disconnect.frame_a(need, fuse)),
            disconnect_hp=power if power is not None else built.disconnect_hp,
        )
    return job, built


def _pulled(job: Job, built: Built, minimum: Minimum) -> str:
    """Return the conductor to pull: enough for the load and, for heat, for the device it is on."""
    size = minimum(job)
    if job.guarded or built.device_a is None:
        return size
    order = sizes_of(job.entry.material)
    for bigger in order[order.index(size) :]:
        trial = replace(built, conductor_awg=bigger)
        if all(f.verdict != "fail" for f in overcurrent.judge(job, trial) if "CONDUCTOR" in f.code):
            return bigger
    return size


def _told(old: Built, new_job: Job, new: Built, parts: frozenset[str]) -> list[Change]:
    entry, found = new_job.entry, []
    if "device" in parts and new.device_a is not None:
        guarded = new.ground_fault and not old.ground_fault
        guard = msg(", GFCI (Class A)") if guarded else ""
        text = msg("Put in {device_a:g} A fuses{guard}.", device_a=new.device_a, guard=guard)
        if new.device_kind == "breaker":
            text = msg(
                "Put in a {device_a:g} A breaker, {poles_word}, ",
                device_a=new.device_a,
                poles_word=poles_word(entry.poles),
            )
            text += msg("listed for that panel{guard}.", guard=guard)
        found.append(Change(part="device", text=text))
    if "fuses" in parts and new.fuse_a is not None:
        text = msg("Put {fuse_a:g} A time-delay fuses in the disconnect.", fuse_a=new.fuse_a)
        found.append(Change(part="fuses", text=text))
    if "disconnect" in parts and new.disconnect_a is not None:
        text = msg("Fit a {disconnect_a:g} A disconnect", disconnect_a=new.disconnect_a)
        text += (
            msg(", {disconnect_hp:g} hp", disconnect_hp=new.disconnect_hp)
            if new.disconnect_hp is not None
            else ""
        )
        text += (
            msg(", fused {fuse_a:g} A", fuse_a=new.fuse_a)
            if new.disconnect_fused and new.fuse_a is not None
            else ""
        )
        found.append(Change(part="disconnect", text=msg("{text}.", text=text)))
    if "ground" in parts and new.egc_awg is not None:
        text = msg(
            "Pull a {size_word} {metal_word} ground.",
            size_word=size_word(new.egc_awg),
            metal_word=metal_word(new.egc_material),
        )
        found.append(Change(part="ground", text=text))
    if "conductor" in parts and new.conductor_awg is not None:
        wire = f"{size_word(new.conductor_awg)} {metal_word(entry.material)} {entry.insulation}"
        found.append(Change(part="conductor", text=msg("Pull {wire} conductors.", wire=wire)))
    return found
