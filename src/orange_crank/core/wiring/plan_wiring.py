"""A wiring plan as a technician gets it: nets, moves, drawing, consumables; and the check of the work."""

from itertools import combinations
from typing import Annotated, Literal

from pydantic import ConfigDict, Field, model_validator
from pydantic_core import PydanticCustomError

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.messages import Prose, msg, within
from orange_crank.core.motor.entry import Aid
from orange_crank.core.motor.fit import StartPlate
from orange_crank.core.motor.typical import TypicalIn, typical_aids
from orange_crank.core.nomenclature import Finding, Flag, Frozen, Word
from orange_crank.core.wiring.check import Wired, WiringFault, check_wiring, read_nets
from orange_crank.core.wiring.drawing import PAIRS
from orange_crank.core.wiring.model import Circuit, listed, nets_of
from orange_crank.core.wiring.plans import SECTIONS, Plan, PlanKind, find_plan
from orange_crank.core.wiring.units import UnitWiring
from orange_crank.core.wiring.wired_start import WiredStart, start_as_wired

Terminal = Annotated[str, Field(strict=True, min_length=3, max_length=40)]
SectionUf = Annotated[float, Field(strict=True, gt=0, le=2_000, allow_inf_nan=False)]
DEFAULT_SECTIONS_UF = (43.0, 88.0, 130.0)


class OnTheVan(Frozen):
    """Something used up by the work, and how many there are."""

    item: Word
    count: Annotated[int, Field(strict=True, ge=0, le=10_000)]


class WiringIn(Frozen):
    """Which plan, on what unit; with ``nets`` the work as wired is checked as well."""

    kind: PlanKind
    colours: dict[Terminal, Word] = Field(
        default_factory=dict, max_length=60, description="This unit's colours by terminal"
    )
    nets: list[Annotated[list[Terminal], Field(max_length=40)]] | None = Field(
        default=None, max_length=80, description="Lists of joined terminals, as wired"
    )
    poles: Literal[1, 2] = 2
    new_poles: Literal[1, 2] | None = Field(default=None, description="Poles of the contactor to be fitted")
    old_kit: Literal["two_wire", "three_wire"] | None = Field(
        default=None, description="A start kit that is fitted and comes off: failed, or replaced"
    )
    run_capacitor: Literal["dual", "two_singles"] = "dual"
    fan_wires: Literal[3, 4] = 3
    crankcase_heater: Flag = False
    numbering: Literal["lettered", "numbered"] = Field(
        default="lettered", description="L1/T1, or numbered pairs 1/2 and 3/4"
    )
    sections_uf: Annotated[list[SectionUf], Field(min_length=2, max_length=3)] | None = None
    wanted_uf: SectionUf | None = Field(default=None, description="What a multi-value capacitor shall make")
    has_start_kit: Flag = Field(
        default=True, description="Multi-value: takes the place of a fitted kit's capacitor; else a whole kit"
    )
    free_tabs: dict[Terminal, Annotated[int, Field(strict=True, ge=0, le=9)]] = Field(
        default_factory=dict, max_length=60, description="Free tabs counted on this unit, by terminal"
    )
    van: list[OnTheVan] | None = Field(default=None, max_length=200)
    plate: StartPlate | None = Field(default=None, description="To compute the start as wired")
    aid: Aid | None = Field(default=None, description="The start aid, to compute the start as wired")

    @model_validator(mode="before")
    @classmethod
    def _either_way(cls, given: object) -> object:
        """Take ``{"plan": {...}}`` and ``{"check": {...}}`` as well as their fields alone."""
        if isinstance(given, dict) and len(given) == 1:
            inner = given.get("plan", given.get("check"))
            if isinstance(inner, dict):
                return inner
        return given

    @model_validator(mode="after")
    def _known_terminals(self) -> "WiringIn":
        if self.kind.startswith("contactor") and self.new_poles == 1 and (
            self.kind == "contactor_two_pole" or (self.kind != "contactor_one_pole" and self.poles == 2)
        ):  # fmt: skip
            raise PydanticCustomError(
                "value_error", "{error}",
                {"field": "new_poles", "error": msg("2: one pole in place of two leaves a leg live")},
            )  # fmt: skip
        return self


class Move(Frozen):
    """One thing a person does to one lead."""

    model_config = ConfigDict(frozen=True, extra="forbid", serialize_by_alias=True, populate_by_name=True)

    lead: Prose
    colour: str | None
    from_: Prose = Field(alias="from", description="Where it is, or where the new lead begins")
    to: Prose
    note: Prose
    photograph: bool = Field(description="Whether a photograph belongs before it")
    kind: Literal["isolate", "take_off", "move", "add"]


class Consumable(Frozen):
    """Something the work uses up."""

    item: Prose
    count: int
    what_for: Prose
    on_van: int | None
    enough: bool | None


class TabCount(Frozen):
    """Tabs of one terminal against what shall go on."""

    terminal: str
    leads_after: int
    tabs: int
    piggyback: bool


class TerminalRow(Frozen):
    """One terminal with the word it carries and the net it shall be on."""

    terminal: str
    part: Prose
    word: str
    colour: str | None
    net: int | None


class MoveGroup(Frozen):
    """Moves of a simple swap that are done together, one photograph before them."""

    title: str
    moves: list[int] = Field(description="Their places in the list of moves, from 0")


class WiringOut(Frozen):
    """A plan; ``ok`` and ``faults`` stay null until nets were given."""

    kind: PlanKind
    title: Prose
    before: list[list[str]]
    after: list[list[str]]
    moves: list[Move]
    groups: list[MoveGroup] = Field(
        default_factory=list, description="Of a swap one for one: what may be ticked together; else empty"
    )
    svg: str = Field(default="", description="The drawing after; written by the doors that can draw")
    svg_before: str = Field(default="", description="The drawing before")
    minds: list[Prose]
    finding_terminals: list[Prose] = Field(description="How R, S and C are found")
    consumables: list[Consumable]
    tabs: list[TabCount]
    terminals: list[TerminalRow]
    taps: list[str]
    taps_uf: float | None
    ok: bool | None
    faults: list[WiringFault] | None
    start_as_planned: WiredStart | None
    start_as_wired: WiredStart | None
    findings: list[Finding]


FIND = [
    msg("By the unit's own diagram: follow the wire."),
    msg("By three resistances, leads off: C–S + C–R = S–R, R is the lower with C."),
    msg("By the marking under the cover."),
]
AFTERWARDS = (
    msg("Tug each lead. Torque to the label. Bushing at the hole, slack tied. Photograph it."),
    msg("Leave enough lead to put the original wiring back."),
    msg("A forked or crushed terminal under a clamp is refused."),
)


def plan_wiring(entry: WiringIn) -> WiringOut:
    """Lay out a wiring plan, and check the work against it where nets are given.

    Raises
    ------
    InputProblem : an unknown terminal; sections that do not make the value wanted

    """
    plan, unit, taps_uf = plan_of(entry)
    _refuse_unknown(entry, plan)
    numbered = entry.numbering == "numbered"
    after = listed(plan.after)
    faults = None if entry.nets is None else check_wiring(plan, unit, entry.nets)
    planned, wired = _starts(entry, plan, faults or [])
    moves = _moves(plan, entry, numbered)
    return WiringOut(
        groups=_groups(moves) if entry.kind in ONE_FOR_ONE else [],
        kind=entry.kind,
        title=plan.title,
        before=listed(plan.before),
        after=after,
        moves=moves,
        minds=[*plan.minds, *AFTERWARDS],
        finding_terminals=FIND if any(c.key == "compressor" for c in plan.after.components) else [],
        consumables=_consumables(plan, entry),
        tabs=_tabs(plan, entry),
        terminals=_rows(plan.after, entry, after, numbered),
        taps=list(unit.taps),
        taps_uf=taps_uf,
        ok=None if faults is None else not faults,
        faults=faults,
        start_as_planned=planned,
        start_as_wired=wired,
        findings=_findings(faults),
    )


# Swaps of a part for its like: each lead goes to the terminal of the same name.
ONE_FOR_ONE: tuple[PlanKind, ...] = ("dual_capacitor", "contactor_one_pole", "contactor_two_pole")
_SIDES = {"L": msg("Line side"), "T": msg("Load side"), "A": "Coil"}


def _groups(moves: list[Move]) -> list[MoveGroup]:
    """Return plain moves of a swap by the side of the part they sit on; any other stays by itself."""
    found: dict[str, list[int]] = {}
    for i, move in enumerate(moves):
        if move.kind == "isolate":
            found.setdefault("coil leads off, each taped by itself", []).append(i)
            continue
        if move.kind != "move" or move.note:
            continue
        part, _, pin = move.to.removeprefix("New ").rpartition(" ")
        side = _SIDES.get(pin[:1], "") if part.lower().startswith("contactor") else ""
        found.setdefault(msg("{part}: {side}", part=part, side=within(side)) if side else part, []).append(i)
    return [MoveGroup(title=title, moves=places) for title, places in found.items() if len(places) > 1]


def plan_of(entry: WiringIn) -> tuple[Plan, UnitWiring, float | None]:
    """Return the plan of an entry, the unit it stands on, and what its taps make [µF]."""
    taps, taps_uf = _taps(entry)
    unit = UnitWiring(
        poles=entry.poles,
        run_capacitor=entry.run_capacitor,
        fan_wires=entry.fan_wires,
        crankcase_heater=entry.crankcase_heater,
        taps=taps,
        has_start_kit=entry.has_start_kit,
        old_kit=entry.old_kit,
    )
    return find_plan(entry.kind, unit), unit, taps_uf


def _taps(entry: WiringIn) -> tuple[tuple[str, ...], float | None]:
    """Return the sections that make the value wanted, fewest and nearest first."""
    if entry.kind != "multi_value_start_capacitor":
        return (), None
    sizes = dict(zip(SECTIONS, entry.sections_uf or DEFAULT_SECTIONS_UF, strict=False))
    wanted = entry.wanted_uf if entry.wanted_uf is not None else max(sizes.values())
    ways = [w for n in range(1, len(sizes) + 1) for w in combinations(sizes, n)]
    best = min(ways, key=lambda w: (abs(sum(sizes[t] for t in w) - wanted), len(w)))
    made = sum(sizes[t] for t in best)
    if abs(made - wanted) > 0.15 * wanted:
        raise InputProblem(
            [
                FieldProblem(
                    field="wanted_uf",
                    wanted=msg("near {made:g} µF, the closest these sections make", made=made),
                    got=wanted,
                )
            ],
            next_step=msg("Take another capacitor, or another value."),
        )
    return best, made


def _refuse_unknown(entry: WiringIn, plan: Plan) -> None:
    known = set(plan.after.terminals()) | set(plan.before.terminals())
    wrong = [
        FieldProblem(
            field=f"{field}.{name}",
            wanted=msg("a terminal of this plan: ") + ", ".join(sorted(known)),
            got=name,
        )
        for field, names in (("colours", entry.colours), ("free_tabs", entry.free_tabs))
        for name in names
        if name not in known
    ]
    if wrong:
        raise InputProblem(wrong)


def _spoken(terminal: str, circuits: tuple[Circuit, ...], numbered: bool) -> str:
    key, name = terminal.split(".", 1)
    part = next(c for circuit in circuits for c in circuit.components if c.key == key)
    if numbered and part.symbol == "contactor":
        name = PAIRS.get(name, name)
    return msg("{title} {name}", title=part.title, name=name)


def _moves(plan: Plan, entry: WiringIn, numbered: bool) -> list[Move]:
    """Return what is done to each lead, one at a time, in the order of the hand.

    Notes
    -----
    A coil lead of a contactor that goes is isolated and taped before anything is loosened: one that touches
    metal takes the control fuse. What comes off comes off first (a failed kit, old parts on the pins); then
    what stays is moved over; last what is new goes on.

    """
    circuits = (plan.after, plan.before)
    old = {c.lead: c for c in plan.before.conductors}
    new = {c.lead: c for c in plan.after.conductors}

    def say(terminal: str) -> str:
        return _spoken(terminal, circuits, numbered)

    def colour(*terminals: str) -> str | None:
        return next((entry.colours[t] for t in terminals if t in entry.colours), None)

    moves: list[Move] = []
    for lead, now in new.items():
        was = old.get(lead)
        if was is None:
            moves.append(
                Move(lead=lead, colour=colour(now.one, now.two), from_=say(now.one), to=say(now.two),
                     note=now.note, photograph=False, kind="add")
            )  # fmt: skip
            continue
        for before, after, stays in ((was.one, now.one, now.two), (was.two, now.two, now.one)):
            if before != after:
                moves.append(
                    Move(lead=lead, colour=colour(before, after, stays), from_=say(before), to=say(after),
                         note=now.note, photograph=True, kind="move")
                )  # fmt: skip
    for lead, was in old.items():
        if lead not in new:
            moves.append(
                Move(lead=lead, colour=colour(was.one, was.two), from_=say(was.one),
                     to=msg("off, with its other end at {two}", two=say(was.two)),
                         note=msg("cap it, or take it out"),
                     photograph=True, kind="take_off")
            )  # fmt: skip
    isolated = [
        Move(lead=m.lead, colour=m.colour, from_=m.from_, to=msg("off, taped by itself"), kind="isolate",
             note=msg("touches no metal and no other lead; the other end stays"), photograph=True)
        for m in moves
        if m.kind == "move" and (was := old[m.lead]).role == "control"
        and m.from_ in (say(was.one), say(was.two))
    ]  # fmt: skip
    taped = {m.lead for m in isolated}
    moves = [
        m.model_copy(update={"from_": msg("its tape"), "photograph": False})
        if m.kind == "move" and m.lead in taped else m
        for m in moves
    ]  # fmt: skip
    order = {"isolate": 0, "take_off": 1, "move": 2, "add": 3}
    return sorted([*isolated, *moves], key=lambda m: order[m.kind])


def _tabs(plan: Plan, entry: WiringIn) -> list[TabCount]:
    before = {c.lead: {c.one, c.two} for c in plan.before.conductors}
    found = []
    for part in plan.after.components:
        for t in (part.at(x) for x in part.terminals):
            on = [c.lead for c in plan.after.conductors if t in (c.one, c.two)]
            fresh = [lead for lead in on if t not in before.get(lead, set())]
            if not fresh or part.tabs >= 9:
                continue
            there = len(on) - len(fresh)
            tabs = there + entry.free_tabs[t] if t in entry.free_tabs else part.tabs
            if len(on) > 1 or t in entry.free_tabs:
                found.append(TabCount(terminal=t, leads_after=len(on), tabs=tabs, piggyback=len(on) > tabs))
    return found


def _consumables(plan: Plan, entry: WiringIn) -> list[Consumable]:
    have = None if entry.van is None else {v.item: v.count for v in entry.van}
    wanted = list(plan.consumables)
    fitted = {c.key for c in plan.after.components} - {c.key for c in plan.before.components}
    if "bleed" in fitted:
        wanted.append((msg("bleed resistor 15 kΩ 2 W"), 1, msg("across the start capacitor")))
    short = sum(t.leads_after - t.tabs for t in _tabs(plan, entry) if t.piggyback)
    if short:
        wanted.append((msg("piggyback terminal, insulated, 105 °C"), short, msg("no free tab is left")))
    return [
        Consumable(
            item=item,
            count=count,
            what_for=why,
            on_van=None if have is None else have.get(item, 0),
            enough=None if have is None else have.get(item, 0) >= count,
        )
        for item, count, why in wanted
    ]


def _rows(circuit: Circuit, entry: WiringIn, after: list[list[str]], numbered: bool) -> list[TerminalRow]:
    where = {t: i for i, net in enumerate(after) for t in net}
    return [
        TerminalRow(
            terminal=c.at(t),
            part=c.title,
            word=PAIRS.get(t, t) if numbered and c.symbol == "contactor" else t,
            colour=entry.colours.get(c.at(t)),
            net=where.get(c.at(t)),
        )
        for c in circuit.components
        for t in c.terminals
    ]


def _starts(
    entry: WiringIn, plan: Plan, faults: list[WiringFault]
) -> tuple[WiredStart | None, WiredStart | None]:
    motor = any(c.key == "compressor" for c in plan.after.components)
    contactor = any(c.key in ("contactor", "new_contactor", "electronic") for c in plan.after.components)
    if entry.plate is None or not motor or not contactor:
        return None, None
    parts = plan.after.components
    bus = any(c.symbol == "contactor" and c.joined for c in parts)
    keys = frozenset(c.key for c in parts)
    aid = entry.aid or _ordinary(entry.plate, keys)
    planned = start_as_wired(Wired(nets_of(plan.after), keys, bus), entry.plate, aid)
    if entry.nets is None:
        return planned, None
    return planned, start_as_wired(
        Wired(read_nets(plan.after, entry.nets), keys, bus), entry.plate, aid, faults
    )


def _ordinary(plate: StartPlate, keys: frozenset[str]) -> Aid:
    """Return an aid of ordinary size of the kind a plan fits, where none was named."""
    label = {"kit": msg("Start kit, PTC"), "relay": msg("Start kit, relay"), "starter": msg("Soft starter")}
    wanted = next((label[k] for k in label if k in keys), None)
    return next((a.aid for a in typical_aids(TypicalIn(plate=plate)).aids if a.label == wanted), Aid())


def _findings(faults: list[WiringFault] | None) -> list[Finding]:
    found = [
        Finding(
            code="DEAD_WORK",
            verdict="watch",
            text=msg("Dead work: locked, proved dead, bled. The unit's own diagram and local code lead."),
            rule="field practice: safety",
        )
    ]
    for fault in faults or []:
        found.append(
            Finding(
                code=fault.code,
                verdict="fail",
                text=msg("{text} {effect}", text=fault.text, effect=fault.effect),
                rule="wiring plan",
                inputs={"terminals": list(fault.terminals)},
                next_step=msg("Fix it before you energize, then check again."),
            )
        )
    if faults == []:
        found.append(
            Finding(
                code="AS_PLANNED",
                verdict="pass",
                text=msg("Wired as planned, electrically."),
                rule="wiring plan",
                next_step=msg("Tug each lead, torque, photograph. Then energize by the procedure."),
            )
        )
    return found
