"""Every plan as two circuits, before and after; moves, drawing and check are read off them.

A plan is added here and nowhere else: a function from what the unit has to its two circuits.
"""

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Literal

from orange_crank.core.messages import msg
from orange_crank.core.wiring.model import Circuit, Component, Conductor, Role
from orange_crank.core.wiring.units import (
    CONTROL,
    DUAL,
    FAN_CAP,
    GROUND,
    HEATER,
    SINGLE,
    UnitWiring,
    contactor,
    outdoor_unit,
)

PlanKind = Literal[
    "two_wire_kit", "three_wire_kit", "multi_value_start_capacitor", "three_in_one", "soft_starter_four_lead",
    "soft_starter_five_lead", "contactor_one_pole", "contactor_two_pole", "contactor_one_to_two_pole",
    "electronic_contactor", "dual_capacitor", "dual_to_two_singles", "two_singles_to_dual", "disconnect",
    "heat_kit",
]  # fmt: skip


@dataclass(frozen=True)
class Plan:
    """One plan: what stood there, what shall stand there, and what to mind."""

    kind: PlanKind
    title: str
    before: Circuit
    after: Circuit
    minds: tuple[str, ...]
    consumables: tuple[tuple[str, int, str], ...] = ()


SECTIONS = ("P", "Q", "V")
# Where parts go that are laid beside the unit's own.
KIT = Component("kit", msg("Two-wire kit"), "box", ("1", "2"), same=(("1", "2"),), tabs=1)
START_CAP = Component(
    "start_cap", msg("Start capacitor"), "capacitor", ("1", "2"), same=(("1", "2"),), tabs=2
)
BLEED = Component(
    "bleed",
    msg("Bleed resistor"),
    "resistor",
    ("1", "2"),
    same=(("1", "2"),),
    tabs=1,
    words={"1": "15 kΩ 2 W"},
)
RELAY = Component(
    "relay", msg("Potential relay"), "relay", ("5", "2", "1"), tabs=2,
    words={"5": msg("coil"), "2": msg("coil and contact"), "1": msg("contact")},
)  # fmt: skip


def plus(circuit: Circuit, parts: Iterable[Component] = (), wires: Iterable[Conductor] = ()) -> Circuit:
    """Return a circuit with more in it; the control and the ground stay last."""
    last = [c for c in circuit.components if c.key in ("control", "cabinet")]
    rest = [c for c in circuit.components if c not in last]
    return Circuit((*rest, *parts, *last), (*circuit.conductors, *wires))


def moved(circuit: Circuit, lead: str, old: str, new: str, role: Role | None = None) -> Circuit:
    """Return a circuit with one end of a lead elsewhere."""

    def turn(c: Conductor) -> Conductor:
        if c.lead != lead:
            return c
        ends = {old: new}
        return replace(
            c,
            one=ends.get(c.one, c.one),
            two=ends.get(c.two, c.two),
            role=role if role is not None else c.role,
        )

    return Circuit(circuit.components, tuple(turn(c) for c in circuit.conductors))


def _legs(unit: UnitWiring) -> tuple[str, str]:
    return ("T2", "T1") if unit.legs_swapped else ("T1", "T2")


def _two_wire(unit: UnitWiring) -> tuple[Circuit, Circuit]:
    before = outdoor_unit(unit)
    return before, plus(before, [KIT], [
        Conductor(msg("kit, first lead"), "kit.1", "run_cap.C", "kit", msg("either way round")),
        Conductor(msg("kit, second lead"), "kit.2", "run_cap.HERM", "kit",
            msg("the compressor's tab, never FAN")),
    ])  # fmt: skip


def three_wire_conductors(unit: UnitWiring) -> list[Conductor]:
    """Return the leads of a three-wire kit with its potential relay."""
    b = _legs(unit)[1]
    return [
        Conductor(msg("relay 5"), "relay.5", f"contactor.{b}", "leg_b", msg("the leg of compressor C")),
        Conductor(msg("relay 2"), "relay.2", "run_cap.HERM", "start"),
        Conductor(msg("relay 1"), "relay.1", "start_cap.1", "kit"),
        Conductor(msg("start capacitor"), "start_cap.2", "run_cap.C", "kit", msg("the leg that feeds R")),
    ]


def _three_wire(unit: UnitWiring) -> tuple[Circuit, Circuit]:
    before = outdoor_unit(unit)
    bleed = [
        Conductor(msg("bleed resistor, one end"), "bleed.1", "start_cap.1", "kit"),
        Conductor(msg("bleed resistor, other end"), "bleed.2", "start_cap.2", "kit"),
    ]
    return before, plus(before, [RELAY, START_CAP, BLEED], [*three_wire_conductors(unit), *bleed])


def _three_in_one(_: UnitWiring) -> tuple[Circuit, Circuit]:
    motor = Component("compressor", "Compressor", "compressor", ("C", "S", "R", "G"), tabs=1,
                      words={"C": msg("common"), "S": msg("start"), "R": msg("run"),
                          "G": msg("ground")})  # fmt: skip
    supply = Component("supply", msg("Supply, after the cold control"), "supply", ("L", "N", "G"),
                       same=(("L", "N"),), tabs=3)  # fmt: skip
    ground = [Conductor(msg("ground to compressor"), "supply.G", "compressor.G", "ground")]
    relay = Component("relay", msg("Current relay"), "relay", ("L", "M", "S"), tabs=1,
                      words={"L": msg("line"), "M": msg("to run"), "S": msg("to start")})  # fmt: skip
    overload = Component("overload", "Overload", "overload", ("1", "2"), same=(("1", "2"),), tabs=1)
    before = Circuit((supply, motor, relay, overload, START_CAP), (
        Conductor(msg("supply, first leg"), "supply.L", "relay.L", "line_a"),
        Conductor(msg("relay to run"), "relay.M", "compressor.R", "leg_a"),
        Conductor(msg("relay to start capacitor"), "relay.S", "start_cap.1", "kit"),
        Conductor(msg("start capacitor to start"), "start_cap.2", "compressor.S", "start"),
        Conductor(msg("supply, second leg"), "supply.N", "overload.1", "line_b"),
        Conductor(msg("overload to common"), "overload.2", "compressor.C", "leg_b"),
        *ground,
    ))  # fmt: skip
    new = Component("kit", "Three-in-one", "box", ("RUN", "START", "COMMON", "SUPPLY1", "SUPPLY2"),
                    same=(("SUPPLY1", "SUPPLY2"),), tabs=1)  # fmt: skip
    after = Circuit((supply, motor, new), (
        Conductor(msg("kit to run"), "kit.RUN", "compressor.R", "leg_a"),
        Conductor(msg("kit to start"), "kit.START", "compressor.S", "start"),
        Conductor(msg("kit to common"), "kit.COMMON", "compressor.C", "leg_b"),
        Conductor(msg("supply, first leg"), "supply.L", "kit.SUPPLY1", "line_a"),
        Conductor(msg("supply, second leg"), "supply.N", "kit.SUPPLY2", "line_b"),
        *ground,
    ))  # fmt: skip
    return before, after


def _soft_four(unit: UnitWiring) -> tuple[Circuit, Circuit]:
    before = outdoor_unit(unit)
    a, b = _legs(unit)
    soft = Component("starter", msg("Soft starter"), "box", ("START", "RUN_IN", "RUN_OUT", "REF"), tabs=1,
                     words={"RUN_IN": msg("from contactor"), "RUN_OUT": msg("to R"),
                         "REF": msg("other leg")})  # fmt: skip
    after = moved(before, msg("compressor R"), f"contactor.{a}", "starter.RUN_OUT", "feed")
    return before, plus(after, [soft], [
        Conductor(msg("starter, run in"), f"contactor.{a}", "starter.RUN_IN", "leg_a",
            msg("contactor's side")),
        Conductor(msg("starter, start lead"), "starter.START", "run_cap.HERM", "start"),
        Conductor(msg("starter, reference"), "starter.REF", f"contactor.{b}", "leg_b",
            msg("the leg of compressor C")),
    ])  # fmt: skip


def _soft_five(unit: UnitWiring) -> tuple[Circuit, Circuit]:
    before = outdoor_unit(unit)
    a, b = _legs(unit)
    soft = Component("starter", msg("Soft starter"), "box", ("LINE", "RUN", "CAP_FEED", "HERM",
        "REF"), tabs=1,
                     words={"LINE": msg("from contactor"), "RUN": msg("to R"),
                         "REF": msg("other leg")})  # fmt: skip
    after = moved(before, msg("compressor R"), f"contactor.{a}", "starter.RUN", "feed")
    after = moved(after, msg("capacitor C"), f"contactor.{a}", "starter.CAP_FEED")
    return before, plus(after, [soft], [
        Conductor(msg("starter, line"), f"contactor.{a}", "starter.LINE", "leg_a"),
        Conductor(msg("starter, HERM lead"), "starter.HERM", "run_cap.HERM", "start"),
        Conductor(msg("starter, reference"), "starter.REF", f"contactor.{b}", "leg_b",
            msg("the leg of compressor C")),
    ])  # fmt: skip


def _multi_value(unit: UnitWiring) -> tuple[Circuit, Circuit]:
    bare, kit = _three_wire(unit)
    before = kit if unit.has_start_kit else bare
    multi = Component("new_start_cap", msg("Multi-value start capacitor"), "capacitor", ("COM",
        *SECTIONS), tabs=3,
                      words={"COM": msg("all sections")} | dict.fromkeys(SECTIONS,
                          msg("section")))  # fmt: skip
    parts = tuple(multi if c.key == "start_cap" else c for c in kit.components)
    used = unit.taps or SECTIONS[:1]
    to = {"start_cap.1": f"new_start_cap.{used[0]}", "start_cap.2": "new_start_cap.COM"}
    wires = [replace(c, one=to.get(c.one, c.one), two=to.get(c.two, c.two)) for c in kit.conductors]
    jumpers = [
        Conductor(
            msg("jumper {one} to {two}", one=one, two=two),
            f"new_start_cap.{one}",
            f"new_start_cap.{two}",
            "kit",
        )
        for one, two in pairwise(used)
    ]
    return before, Circuit(parts, (*wires, *jumpers))


def _contactor(unit: UnitWiring, poles: Literal[1, 2]) -> tuple[Circuit, Circuit]:
    before = outdoor_unit(unit)
    after = outdoor_unit(replace(unit, poles=poles), "new_contactor")
    parts = tuple(
        contactor(poles, "new_contactor", msg("New contactor")) if c.key == "new_contactor" else c
        for c in after.components
    )
    return before, Circuit(parts, after.conductors)


def _contactor_one(unit: UnitWiring) -> tuple[Circuit, Circuit]:
    return _contactor(replace(unit, poles=1), 1)


def _contactor_two(unit: UnitWiring) -> tuple[Circuit, Circuit]:
    return _contactor(replace(unit, poles=2), 2)


def _contactor_one_to_two(unit: UnitWiring) -> tuple[Circuit, Circuit]:
    return _contactor(replace(unit, poles=1), 2)


def _electronic(unit: UnitWiring) -> tuple[Circuit, Circuit]:
    before = outdoor_unit(unit)
    a, b = _legs(unit)
    new = Component(
        "electronic", msg("Electronic contactor"), "box", ("L1", "L2", "RUN", "COMMON", "CTRL1", "CTRL2"),
        same=(("CTRL1", "CTRL2"),), tabs=5,
        words={"L1": msg("line"), "L2": msg("line"), "RUN": msg("run group"), "COMMON": msg("common group"),
               "CTRL1": msg("control pair"), "CTRL2": msg("control pair")},
    )  # fmt: skip
    to = {
        "L1": "L1",
        "L2": "L2",
        a: "RUN",
        b: "COMMON",
        "A1": "CTRL1",
        "A2": "CTRL2",
    }

    def turn(end: str) -> str:
        key, terminal = end.split(".", 1)
        return f"electronic.{to[terminal]}" if key == "contactor" else end

    wires = tuple(replace(c, one=turn(c.one), two=turn(c.two)) for c in before.conductors)
    heater_alive = {"heater, first lead": "electronic.L1", "heater, second lead": "electronic.L2"}
    wires = tuple(replace(c, one=heater_alive.get(c.lead, c.one)) for c in wires)
    return before, Circuit(tuple(new if c.key == "contactor" else c for c in before.components), wires)


def _swap_capacitor(
    unit: UnitWiring, old: str, new: tuple[Component, ...], to: dict[str, str]
) -> tuple[Circuit, Circuit]:
    before = outdoor_unit(replace(unit, run_capacitor="dual" if old == "dual" else "two_singles"))
    drop = {"run_cap", "fan_cap"}
    parts: list[Component] = []
    for c in before.components:
        if c.key == "run_cap":
            parts += list(new)
        elif c.key not in drop:
            parts.append(c)
    wires = tuple(replace(c, one=to.get(c.one, c.one), two=to.get(c.two, c.two)) for c in before.conductors)
    return before, Circuit(tuple(parts), wires)


def _dual(unit: UnitWiring) -> tuple[Circuit, Circuit]:
    new = replace(DUAL, key="new_cap", title="New run capacitor")
    return _swap_capacitor(unit, "dual", (new,), {
        "run_cap.C": "new_cap.C", "run_cap.HERM": "new_cap.HERM", "run_cap.FAN": "new_cap.FAN",
    })  # fmt: skip


def _dual_to_singles(unit: UnitWiring) -> tuple[Circuit, Circuit]:
    compressor_cap = replace(SINGLE, key="new_cap", title="New compressor capacitor")
    fan_cap = replace(FAN_CAP, key="new_fan_cap", title="New fan capacitor")
    before, after = _swap_capacitor(unit, "dual", (compressor_cap, fan_cap), {
        "run_cap.C": "new_cap.C", "run_cap.HERM": "new_cap.HERM", "run_cap.FAN": "new_fan_cap.1",
    })  # fmt: skip
    link = Conductor(msg("link between the two capacitors"), "new_cap.C", "new_fan_cap.2", "leg_a")
    return before, plus(after, (), [link])


def _singles_to_dual(unit: UnitWiring) -> tuple[Circuit, Circuit]:
    new = replace(DUAL, key="new_cap", title="New dual run capacitor")
    before, after = _swap_capacitor(unit, "two_singles", (new,), {
        "run_cap.C": "new_cap.C", "run_cap.HERM": "new_cap.HERM", "fan_cap.1": "new_cap.FAN",
        "fan_cap.2": "new_cap.C",
    })  # fmt: skip
    wires = tuple(c for c in after.conductors if c.one != c.two)
    return before, Circuit(after.components, wires)


def _disconnect(_: UnitWiring) -> tuple[Circuit, Circuit]:
    def box(key: str, title: str) -> Component:
        words = {"L1": "line", "L2": "line", "T1": "load", "T2": "load", "G": "ground"}
        return Component(key, title, "switch", ("L1", "L2", "T1", "T2", "G"), tabs=2, words=words)

    feeder = Component("feeder", msg("Circuit from the panel"), "supply", ("1", "2", "G"), same=(("1", "2"),))
    whip = Component("unit", msg("Unit's whip"), "box", ("1", "2", "G"), same=(("1", "2"),), tabs=1)
    surge = Component("surge", msg("Surge module"), "box", ("1", "2", "G"), same=(("1", "2"),), tabs=1)

    def wires(k: str) -> list[Conductor]:
        return [
            Conductor(msg("feeder, first leg"), "feeder.1", f"{k}.L1", "line_a"),
            Conductor(msg("feeder, second leg"), "feeder.2", f"{k}.L2", "line_b"),
            Conductor(msg("feeder ground"), "feeder.G", f"{k}.G", "ground"),
            Conductor(msg("whip, first leg"), f"{k}.T1", "unit.1", "leg_a"),
            Conductor(msg("whip, second leg"), f"{k}.T2", "unit.2", "leg_b"),
            Conductor(msg("whip ground"), f"{k}.G", "unit.G", "ground"),
        ]

    before = Circuit((feeder, box("disconnect", "Disconnect"), whip), tuple(wires("disconnect")))
    after = Circuit((feeder, box("new_disconnect", msg("New disconnect")), whip, surge), (
        *wires("new_disconnect"),
        Conductor(msg("surge module, first leg"), "surge.1", "new_disconnect.T1", "leg_a"),
        Conductor(msg("surge module, second leg"), "surge.2", "new_disconnect.T2", "leg_b"),
        Conductor(msg("surge module ground"), "surge.G", "new_disconnect.G", "ground"),
    ))  # fmt: skip
    return before, after


def _heat_kit(_: UnitWiring) -> tuple[Circuit, Circuit]:
    supply = Component("supply", msg("Circuit 1"), "supply", ("L1", "L2", "G"), same=(("L1", "L2"),), tabs=3)
    second = Component("supply2", msg("Circuit 2"), "supply", ("L1", "L2", "G"), same=(("L1", "L2"),), tabs=3)
    blower = Component("blower", "Blower", "fan", ("1", "2"), same=(("1", "2"),), tabs=1)
    cabinet = replace(GROUND, key="cabinet")
    run = [
        Conductor(msg("blower, first leg"), "supply.L1", "blower.1", "leg_a"),
        Conductor(msg("blower, second leg"), "supply.L2", "blower.2", "leg_b"),
        Conductor(msg("ground, circuit 1"), "supply.G", "cabinet.G", "ground"),
    ]
    # A heat call comes from W; Y is the compressor's.
    control = replace(CONTROL, terminals=("W", "COM"), same=(("W", "COM"),))
    before = Circuit((supply, blower, control, cabinet), tuple(run))
    seq = Component("sequencer", "Sequencer", "relay", ("H1", "H2", "M1", "M2", "M3", "M4"),
                    same=(("H1", "H2"), ("M1", "M2"), ("M3", "M4")), tabs=2,
                    words={"H1": msg("24 V heater"), "H2": msg("24 V heater"),
                        "M1": msg("first pair"), "M2": msg("first pair"),
                           "M3": msg("second pair, later"), "M4": msg("second pair, later")})  # fmt: skip
    parts: list[Component] = [seq]
    wires = [
        Conductor(
            msg("sequencer control, W"),
            "control.W",
            "sequencer.H1",
            "control",
            msg("terminal W of the board"),
        ),
        Conductor(msg("sequencer control, common"), "control.COM", "sequencer.H2", "control"),
        Conductor(msg("ground, circuit 2"), "supply2.G", "cabinet.G", "ground"),
    ]
    for n, feed, pair in ((1, "supply", ("M1", "M2")), (2, "supply2", ("M3", "M4"))):
        parts += [
            Component(f"limit{n}", msg("Limit {n}", n=n), "overload", ("1", "2"), same=(("1", "2"),), tabs=1),
            Component(
                f"element{n}", msg("Element {n}", n=n), "heater", ("1", "2"), same=(("1", "2"),), tabs=1
            ),
        ]
        wires += [
            Conductor(msg("element {n}, feed", n=n), f"{feed}.L1", f"sequencer.{pair[0]}", "leg_a"),
            Conductor(msg("element {n}, to its limit", n=n), f"sequencer.{pair[1]}", f"limit{n}.1", "kit"),
            Conductor(msg("element {n}, from its limit", n=n), f"limit{n}.2", f"element{n}.1", "kit"),
            Conductor(msg("element {n}, return", n=n), f"element{n}.2", f"{feed}.L2", "leg_b"),
        ]
    after = Circuit((supply, second, blower, *parts, control, cabinet), (*run, *wires))
    return before, after


_UPRIGHT = msg("Mount the capacitor upright if you can, clear of tubing and edges.")
_SPADE = (msg("female quick-connect terminal, insulated, 105 °C"), 2, msg("each new lead"))
_STRAP = (msg("strap or sheet-metal screws"), 2, msg("nothing hangs by its leads"))
_TIES = (msg("cable tie, sunlight-resistant"), 4, msg("slack tied away from tubes, fan and edges"))

Builder = Callable[[UnitWiring], tuple[Circuit, Circuit]]
_PLANS: dict[PlanKind, tuple[str, Builder, tuple[str, ...], tuple[tuple[str, int, str], ...]]] = {
    "two_wire_kit": (msg("Two-wire kit"), _two_wire, (
        msg("Connect to C and HERM, either way. Don't touch FAN."),
        msg("A safety lead goes where that part's instructions say."), _UPRIGHT,
    ), (_SPADE, _STRAP, _TIES)),
    "three_wire_kit": (msg("Three-wire kit, potential relay"), _three_wire, (
        msg("Relay arrow up. Capacitor upright if you can. Both clear of everything."),
        msg("15 kΩ 2 W across the start capacitor."),
        msg("Coil between 5 and 2: 5 on the leg of compressor C."),
    ), ((msg("female quick-connect terminal, insulated, 105 °C"), 4, msg("each new lead")), _STRAP, _TIES)),
    "multi_value_start_capacitor": (msg("Multi-value start capacitor"), _multi_value, (
        msg("Set the value with jumpers. Count twice. Write the µF and date on the case."),
        _UPRIGHT,
    ), (_SPADE, (msg("jumper, insulated, 105 °C"), 2, msg("between the sections used")), _STRAP)),
    "three_in_one": ("Three-in-one", _three_in_one, (
        msg("Old relay, overload and capacitor come out, all three."),
        msg("Leads by function: RUN, START, COMMON, never by color alone."),
        msg("A universal overload replaces the matched one."),
    ), ((msg("female push-on terminal for compressor pins"), 3, msg("C, S and R")), _TIES)),
    "soft_starter_four_lead": (msg("Soft starter, four leads"), _soft_four, (
        msg("The wire to R is cut: compressor's side to run out, contactor's side to run "
"in."),
        msg("It governs the compressor, not the fan."),
        msg("Check the lead length before drilling; only in the positions its maker allows."),
    ), ((msg("splice, insulated, rated for "
"the amps, 105 °C, damp"), 2, msg("the cut R wire")), _SPADE, _STRAP, _TIES,
        ("bushing", 1, msg("at the hole")))),
    "soft_starter_five_lead": (msg("Soft starter, five leads"), _soft_five, (
        msg("Run capacitor C is fed by the starter's capacitor feed; the fan goes on with "
"it."),
        msg("It governs the compressor, not the fan."),
        msg("Check the lead length before drilling; only in the positions its maker allows."),
    ), ((msg("splice, insulated, rated for "
"the amps, 105 °C, damp"), 2, msg("R and capacitor feed")), _SPADE, _STRAP,
        _TIES, ("bushing", 1, msg("at the hole")))),
    "contactor_one_pole": (msg("Contactor for contactor, one pole"), _contactor_one, (
        msg("One leg stays live with the contactor open: proved dead at the disconnect, "
"not at the contactor."),
        msg("One pole for one pole or two poles; never two for one."),
        msg("Line and load confirmed by test, whatever is printed."),
    ), ((msg("female quick-connect "
"terminal, insulated, 105 °C"), 2, msg("for any that is loose or burnt")),)),
    "contactor_two_pole": (msg("Contactor for contactor, two poles"), _contactor_two, (
        msg("Swap one for one. Move one wire at a time. Tug and torque each."),
        msg("Line and load confirmed by test, whatever is printed."),
        msg("Never one pole in place of two: a leg would stay live."),
    ), ((msg("female quick-connect "
"terminal, insulated, 105 °C"), 2, msg("for any that is loose or burnt")),)),
    "contactor_one_to_two_pole": (msg("One pole to two poles"), _contactor_one_to_two, (
        msg("A crankcase heater fed across the open pole stops. Move it to L1 and L2."),
        msg("Line and load confirmed by test, whatever is printed."),
    ), ((msg("female quick-connect terminal, insulated, 105 °C"), 3, msg("each moved lead")),)),
    "electronic_contactor": (msg("Electronic contactor"), _electronic, (
        msg("Run group: R, capacitor C, start kit. Common group: compressor C, fan common."),
        msg("The crankcase heater is on the line side."),
        msg("It waits about 3 minutes before it closes again. This is normal."),
        msg("Larger than the old one: check that the cover closes."),
    ), ((msg("female quick-connect terminal, insulated, 105 °C"), 4, msg("each moved lead")), _STRAP)),
    "dual_capacitor": (msg("Dual capacitor for dual"), _dual, (
        msg("Swap one for one. Move one wire at a time."),
        msg("Volts equal or higher; upright and strapped."),
    ), ((msg("strap for the capacitor's shape"), 1, msg("round or oval")),)),
    "dual_to_two_singles": (msg("Dual capacitor for two singles"), _dual_to_singles, (
        msg("A link joins the two capacitors where the dual had its C."),
        msg("Volts equal or higher; upright and strapped."),
    ), ((msg("strap for the capacitor's shape"), 2, "each"), (msg("jumper, insulated, 105 °C"), 1,
        msg("the link")))),
    "two_singles_to_dual": (msg("Two singles to a dual"), _singles_to_dual, (
        msg("Both old C tabs come together on the dual's C."),
        msg("Volts equal or higher; upright and strapped."),
    ), ((msg("strap for the capacitor's shape"), 1, msg("round or oval")),)),
    "disconnect": ("Disconnect", _disconnect, (
        msg("Its line side stays live until the breaker is locked: prove it there."),
        msg("Within sight, readily accessible, not on an access panel nor over the "
"nameplate."),
        msg("Surge module: indicator on means protected; on the load side, same ratings."),
        msg("Sealed at top and sides, drain at the bottom."),
    ), ((msg("weatherproof fitting and locknut"), 2, msg("line and load")), ("bushing", 2,
        msg("each raceway end")),
        (msg("fasteners for the wall"), 4, msg("plumb and level")), ("sealant", 1, msg("top and sides")))),
    "heat_kit": (msg("Heat kit"), _heat_kit, (
        msg("The blower rides on circuit 1; never heat with the blower off; never bypass a "
"limit."),
        msg("Each circuit has its own disconnect, all marked."),
        msg("Only a kit listed for this air handler."),
    ), ((msg("ring or fork terminal as "
"the kit's lugs ask"), 4, "feeds"), ("bushing", 2, msg("each raceway end")))),
}  # fmt: skip


def find_plan(kind: PlanKind, unit: UnitWiring) -> Plan:
    """Return a plan for a unit."""
    title, build, minds, consumables = _PLANS[kind]
    before, after = build(unit)
    if unit.old_kit is not None and kind in WITH_OLD_KIT:
        before = _with_old_kit(before, unit)
        minds = (
            *minds,
            msg("Remove the old kit first. Bleed and measure its capacitor before you touch it."),
        )
    return Plan(kind, title, before, after, minds, consumables)


# Plans in which a kit that is fitted comes off, failed or replaced.
WITH_OLD_KIT: tuple[PlanKind, ...] = (
    "two_wire_kit", "three_wire_kit", "soft_starter_four_lead", "soft_starter_five_lead",
)  # fmt: skip


def _with_old_kit(before: Circuit, unit: UnitWiring) -> Circuit:
    """Return a unit with a kit fitted earlier, beside its own parts."""
    if unit.old_kit == "two_wire":
        kit = replace(KIT, key="old_kit", title="Old kit")
        return plus(before, [kit], [
            Conductor(msg("old kit, first lead"), "old_kit.1", "run_cap.C", "kit"),
            Conductor(msg("old kit, second lead"), "old_kit.2", "run_cap.HERM", "kit"),
        ])  # fmt: skip
    relay = replace(RELAY, key="old_relay", title="Old relay")
    capacitor = replace(START_CAP, key="old_start_cap", title="Old start capacitor")
    to = {"relay": "old_relay", "start_cap": "old_start_cap"}

    def turn(end: str) -> str:
        key, name = end.split(".", 1)
        return f"{to.get(key, key)}.{name}"

    return plus(before, [relay, capacitor], [
        replace(c, lead=msg("old {lead}", lead=c.lead), one=turn(c.one), two=turn(c.two))
        for c in three_wire_conductors(unit)
    ])  # fmt: skip


def plan_titles() -> dict[PlanKind, str]:
    """Return every plan's title, in the order of the list."""
    return {kind: row[0] for kind, row in _PLANS.items()}


__all__ = ["CONTROL", "HEATER", "Plan", "PlanKind", "find_plan", "plan_titles"]
