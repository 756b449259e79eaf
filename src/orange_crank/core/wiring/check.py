"""What was really wired against a plan, electrically: equivalent connections are right.

Each rule looks for one mistake and says what it would do. What no rule names is still listed, lead by lead.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import permutations, product

from pydantic import Field

from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.messages import Prose, msg
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.wiring.model import Circuit, Joined, nets_of
from orange_crank.core.wiring.plans import Plan, find_plan
from orange_crank.core.wiring.units import UnitWiring

MOST_LISTED = 8
NUMBERED = {"1": "L1", "2": "T1", "3": "L2", "4": "T2", "5": "L3", "6": "T3"}


class WiringFault(Frozen):
    """One mistake, and what it would do."""

    code: str
    text: Prose
    effect: Prose
    terminals: list[str]
    dangerous: bool = Field(default=False, description="Not to be energized as it is")


# What burns, bursts or bites the moment it is switched on, or leaves live what looks open.
DANGEROUS = frozenset({
    "LEGS_SHORTED", "GROUND_ON_LEG", "GROUND_OFF", "COIL_ON_LINE", "CONTROL_SHORTED", "CONTROL_ON_LOAD",
    "CONTACTOR_BYPASSED", "LINE_ON_LOAD", "LOAD_ON_LINE", "S_R_SWAPPED", "S_C_SHORTED",
    "START_CAP_ACROSS_LINE",
    "START_CAP_NOT_THROUGH_RELAY", "RELAY_BRIDGED", "RELAY_5_WRONG_LEG", "KIT_ON_COMPRESSOR_C",
    "RUN_IN_OUT_REVERSED", "REFERENCE_ON_SAME_LEG", "CAP_BEHIND_THYRISTORS", "LIMIT_BYPASSED",
    "SEQUENCER_BYPASSED", "BLOWER_NOT_ON_CIRCUIT_1", "CAP_C_ON_COMPRESSOR_C",
})  # fmt: skip


@dataclass(frozen=True)
class Wired:
    """As-wired nets with the names of the parts that may bear another key after a swap."""

    joined: Joined
    keys: frozenset[str]
    bus: bool = False

    def first(self, *keys: str) -> str | None:
        """Return the first of several component keys that is there."""
        return next((k for k in keys if k in self.keys), None)

    @property
    def contactor(self) -> str | None:
        """The contactor's key."""
        return self.first("new_contactor", "contactor", "electronic")

    @property
    def load(self) -> tuple[str, str]:
        """The contactor's two load terminals."""
        key = self.contactor
        return ("electronic.RUN", "electronic.COMMON") if key == "electronic" else (f"{key}.T1", f"{key}.T2")

    @property
    def line(self) -> tuple[str, str]:
        """The contactor's two line terminals."""
        return f"{self.contactor}.L1", f"{self.contactor}.L2"

    @property
    def cap(self) -> str:
        """The run capacitor's key."""
        return self.first("new_cap", "run_cap") or "run_cap"

    def feeds(self, terminal: str) -> str | None:
        """Return which load terminal of the contactor a terminal hangs on."""
        return next((leg for leg in self.load if self.joined.same(leg, terminal)), None)


def accepted(plan: Plan, unit: UnitWiring) -> Iterator[tuple[Circuit, frozenset[frozenset[str]]]]:
    """Yield every set of nets that is electrically as the plan says."""
    for swapped in (unit.legs_swapped, not unit.legs_swapped):
        after = find_plan(plan.kind, replace(unit, legs_swapped=swapped)).after
        base = nets_of(after).nets()
        groups = [tuple(c.at(t) for t in g) for c in after.components for g in c.same]
        for turn in product(*(list(permutations(g)) for g in groups)):
            to = {old: new for g, p in zip(groups, turn, strict=True) for old, new in zip(g, p, strict=True)}
            yield after, frozenset(frozenset(to.get(t, t) for t in net) for net in base)


def read_nets(circuit: Circuit, nets: Sequence[Sequence[str]]) -> Joined:
    """Return the partition that lists of joined terminals describe.

    Raises
    ------
    InputProblem : a terminal that is not there

    Notes
    -----
    Contactors numbered in pairs are read as well: 1, 2, 3, 4 are L1, T1, L2, T2.

    """
    known = circuit.terminals()
    joined = Joined(known)
    wrong = []
    for i, net in enumerate(nets):
        names: list[str] = []
        for j, name in enumerate(net):
            key, _, terminal = name.partition(".")
            if key.endswith("contactor") and terminal in NUMBERED:
                name = f"{key}.{NUMBERED[terminal]}"
            if name in known:
                names.append(name)
            else:
                wrong.append(
                    FieldProblem(field=f"nets[{i}][{j}]", wanted=msg("one of ") + ", ".join(known), got=name)
                )
        for other in names[1:]:
            joined.join(names[0], other)
    if wrong:
        raise InputProblem(wrong, next_step=msg("Name terminals as the plan does."))
    for part in circuit.components:
        for one, two in part.joined:
            joined.join(part.at(one), part.at(two))
    return joined


def check_wiring(plan: Plan, unit: UnitWiring, nets: Sequence[Sequence[str]]) -> list[WiringFault]:
    """Return what is wrong with the work as wired; nothing when it is right.

    Raises
    ------
    InputProblem : a terminal that is not there

    """
    joined = read_nets(plan.after, nets)
    found = joined.nets()
    nearest: tuple[int, frozenset[frozenset[str]]] | None = None
    for _, target in accepted(plan, unit):
        if target == found:
            return []
        apart = len(target ^ found)
        if nearest is None or apart < nearest[0]:
            nearest = apart, target
    parts = plan.after.components
    bus = any(c.symbol == "contactor" and c.joined for c in parts)
    wired = Wired(joined, frozenset(c.key for c in parts), bus)
    faults = [f for rule in RULES if (f := rule(wired)) is not None]
    assert nearest is not None
    named = {t for f in faults for t in f.terminals}
    return faults + _unnamed(plan.after, joined, nearest[1], named)


def _unnamed(
    circuit: Circuit, joined: Joined, target: frozenset[frozenset[str]], named: set[str]
) -> list[WiringFault]:
    """List what no rule named: open leads and joins that do not belong."""
    names = {c.key: c.title for c in circuit.components}

    def said(terminal: str) -> str:
        key, _, pin = terminal.partition(".")
        return msg("{get} {pin}", get=names.get(key, key.replace("_", " ")), pin=pin).strip()

    faults = []
    for net in sorted(target, key=lambda n: sorted(n)):
        pieces: dict[str, list[str]] = {}
        for t in circuit.terminals():
            if t in net:
                pieces.setdefault(joined.find(t), []).append(t)
        if len(pieces) > 1 and not net <= named:
            parts = sorted(pieces.values(), key=len)
            loose, rest = parts[0], [t for p in parts[1:] for t in p]
            if not set(loose) <= named:
                faults.append(
                    WiringFault(
                        code="NOT_JOINED",
                        text=msg(
                            "{join} is not connected to {said}.",
                            join=", ".join(said(t) for t in loose),
                            said=said(rest[0]),
                        ),
                        effect=_open_effect(loose[0]),
                        terminals=[*loose, rest[0]],
                    )
                )
    where = {t: net for net in target for t in net}
    for net in sorted(joined.nets(), key=lambda n: sorted(n)):
        groups = {where[t] for t in net}
        if len(groups) > 1 and not net & named:
            firsts = sorted(sorted(net & g)[0] for g in groups)
            faults.append(
                WiringFault(
                    code="WRONGLY_JOINED",
                    text=msg(
                        "{said} and {said_2} are connected and should not be.",
                        said=said(firsts[0]),
                        said_2=said(firsts[1]),
                    ),
                    effect=msg("Not wired as planned. Don't energize until you know why."),
                    terminals=firsts,
                )
            )
    return faults[:MOST_LISTED] or ([] if named else [_DIFFERENT])


_DIFFERENT = WiringFault(
    code="DIFFERENT", text=msg("It is not wired as planned."),
    effect=msg("Don't energize until you know why."), terminals=[],
)  # fmt: skip


def _open_effect(terminal: str) -> str:
    for ending, effect in (
        ("compressor.S", msg("Start winding open: it hums and trips.")),
        ("compressor.R", msg("Run winding open: it does not start.")),
        ("compressor.C", msg("Compressor common open: the compressor does not run; the fan does.")),
        (".HERM", msg("Run capacitor out of circuit: it hums and trips.")),
        ("fan.S", msg("The fan hums and burns out.")),
        (".A1", msg("The coil gets no volts: nothing runs.")),
        (".A2", msg("The coil gets no volts: nothing runs.")),
        (".G", msg("Metal can be live after a fault and nothing trips.")),
    ):
        if terminal.endswith(ending):
            return effect
    return msg("It does not work.")


def _fault(code: str, text: str, effect: str, *terminals: str) -> WiringFault:
    return WiringFault(
        code=code, text=text, effect=effect, terminals=list(terminals), dangerous=code in DANGEROUS
    )


def _line_short(w: Wired) -> WiringFault | None:
    if w.contactor is None:
        return None
    for one, two in (w.load, w.line):
        if w.joined.same(one, two):
            return _fault(
                "LEGS_SHORTED", msg("L1 and L2 are connected together."),
                msg("A dead short across the line: arc, breaker, burns."),
                one, two,
            )  # fmt: skip
    return None


def _contactor_bypassed(w: Wired) -> WiringFault | None:
    if w.contactor in (None, "electronic"):
        return None
    for line, load in zip(w.line, w.load, strict=True):
        if w.joined.same(line, load) and not (w.bus and line.endswith("L2")):
            return _fault(
                "CONTACTOR_BYPASSED", msg("{line} and {load} are connected: the "
"contactor pole is jumped.", line=line, load=load),
                msg("That leg stays live with the contactor open; with both, it never stops."), line, load,
            )  # fmt: skip
    return None


def _s_r_swapped(w: Wired) -> WiringFault | None:
    if w.contactor is None:
        return None
    if w.feeds("compressor.S") and w.joined.same("compressor.R", f"{w.cap}.HERM"):
        return _fault(
            "S_R_SWAPPED", msg("S and R are swapped at the compressor."),
            msg("Start winding straight across the line, run winding behind the capacitor: "
"hums, overheats in seconds, may turn backwards."), "compressor.S", "compressor.R",
        )  # fmt: skip
    return None


def _three_in_one(w: Wired) -> WiringFault | None:
    """Name the first lead of a three-in-one that is on another pin of the compressor."""
    for lead, pin in (("RUN", "R"), ("START", "S"), ("COMMON", "C")):
        for other in "RSC":
            if other != pin and w.joined.same(f"kit.{lead}", f"compressor.{other}"):
                return _fault(
                    "KIT_LEAD_ON_WRONG_PIN",
                    msg("The kit's {lead} is on {other} instead of {pin}.", lead=lead, other=other, pin=pin),
                    msg(
                        "The start winding stays on the line: hums, overheats in seconds, may turn backwards."
                    ),
                    f"kit.{lead}",
                    f"compressor.{other}",
                    f"compressor.{pin}",
                )
    return None


def _cap_c_on_compressor_c(w: Wired) -> WiringFault | None:
    cap = f"{w.cap}.C"
    if (
        "compressor" in w.keys
        and w.joined.same(cap, "compressor.C")
        and not w.joined.same(cap, "compressor.R")
    ):
        return _fault(
            "CAP_C_ON_COMPRESSOR_C", msg("Capacitor C is on the same leg as compressor C."),
            msg("The start winding is fed by nothing but its own capacitor: no starting "
"torque, hums and trips."),
            cap, "compressor.C",
        )  # fmt: skip
    return None


def _herm_fan_swapped(w: Wired) -> WiringFault | None:
    fan_tab = "new_fan_cap.1" if "new_fan_cap" in w.keys else f"{w.cap}.FAN"
    if w.joined.same("compressor.S", fan_tab) or w.joined.same("fan.S", f"{w.cap}.HERM"):
        return _fault(
            "HERM_FAN_SWAPPED", msg("Compressor and fan leads are swapped at the capacitor."),
            msg("The compressor hums on a few microfarads; the fan motor burns on too many."),
            f"{w.cap}.HERM", fan_tab, "compressor.S", "fan.S",
        )  # fmt: skip
    return None


def _kit_across_fan(w: Wired) -> WiringFault | None:
    if w.joined.same(f"{w.cap}.FAN", "kit.1") or w.joined.same(f"{w.cap}.FAN", "kit.2"):
        return _fault(
            "KIT_ACROSS_FAN", msg("The kit is on the fan's tab."),
            msg("The compressor has no help; the fan's small "
"winding takes the kick and burns."), "kit.1", "kit.2",
        )  # fmt: skip
    return None


def _kit_both_ends(w: Wired) -> WiringFault | None:
    if w.joined.same("kit.1", "kit.2"):
        return _fault(
            "KIT_BOTH_LEADS_TOGETHER", msg("Both leads of the kit are on one tab."), msg("It does nothing."),
            "kit.1", "kit.2",
        )  # fmt: skip
    return None


def _kit_wrong_leg(w: Wired) -> WiringFault | None:
    if "kit" not in w.keys or w.contactor is None:
        return None
    for end in ("kit.1", "kit.2"):
        if w.joined.same(end, "compressor.C"):
            return _fault(
                "KIT_ON_COMPRESSOR_C", msg("The kit is on the compressor C leg."),
                msg("Across the start winding instead of the run capacitor: no help, and the kit "
"overheats."), end,
                "compressor.C",
            )  # fmt: skip
    return None


def _coil_on_line(w: Wired) -> WiringFault | None:
    if w.contactor is None:
        return None
    coil = ("electronic.CTRL1", "electronic.CTRL2") if w.contactor == "electronic" else (
        f"{w.contactor}.A1", f"{w.contactor}.A2")  # fmt: skip
    for end in coil:
        for hot in (*w.line, *w.load):
            if w.joined.same(end, hot):
                return _fault(
                    "COIL_ON_LINE", msg("A coil lead ({end}) is on the line.", end=end),
                    msg("240 V on a 24 V coil: it burns at once, with transformer and board."), end, hot,
                )  # fmt: skip
    return None


def _control_on_load(w: Wired) -> WiringFault | None:
    if w.contactor is None:
        return None
    for lead in ("control.Y", "control.COM"):
        for hot in (*w.line, *w.load):
            if w.joined.same(lead, hot):
                return _fault(
                    "CONTROL_ON_LOAD", msg("A 24 V lead ({lead}) is on a "
"line terminal ({hot}).", lead=lead, hot=hot),
                    msg("Line volts go into the thermostat, the board "
"and the transformer: they burn."), lead, hot,
                )  # fmt: skip
    return None


def _s_c_shorted(w: Wired) -> WiringFault | None:
    def is_s(t: str) -> bool:
        return w.joined.same(t, "compressor.S")

    def is_c(t: str) -> bool:
        return w.joined.same(t, "compressor.C")

    if w.joined.same("compressor.S", "compressor.C"):
        return _fault(
            "S_C_SHORTED", msg("S and C are joined."),
            msg("The start winding is shorted: locked-rotor amps, a tripping breaker, a burnt "
"winding."),
            "compressor.S", "compressor.C",
        )  # fmt: skip
    if "relay" in w.keys and ((is_s("relay.1") and is_c("relay.2")) or (is_s("relay.2") and is_c("relay.1"))):
        return _fault(
            "S_C_SHORTED", msg("The relay's contact is between S and C."),
            msg("Closed at rest, it shorts the start winding: the contact welds, the winding "
"burns."),
            "relay.1", "relay.2",
        )  # fmt: skip
    return None


def _start_cap_across_line(w: Wired) -> WiringFault | None:
    legs = (*w.load, *w.line) if w.contactor else ()
    for key in ("start_cap", "new_start_cap"):
        ends = w.joined.nets_terminals(f"{key}.")
        hung = [{leg[-1] for leg in legs if w.joined.same(leg, end)} for end in ends]
        sides = {side for h in hung for side in h}
        if len(sides) > 1 and any(h != hung[0] for h in hung):
            return _fault(
                "START_CAP_ACROSS_LINE", msg("The start capacitor is across the two legs."),
                msg("It is on line voltage all the time: it bursts within a minute."), *ends[:2],
            )  # fmt: skip
    return None


def _cap_behind_thyristors(w: Wired) -> WiringFault | None:
    if not w.first("starter") or w.feeds(f"{w.cap}.C"):
        return None
    out = next((t for t in ("starter.RUN_OUT", "starter.RUN") if w.joined.has(t)), None)
    if out is not None and w.joined.same(out, f"{w.cap}.C"):
        return _fault(
            "CAP_BEHIND_THYRISTORS", msg("Run capacitor C is on the soft starter output."),
            msg("The starter fires into a capacitor: its "
"thyristors and the capacitor fail."), out, f"{w.cap}.C",
        )  # fmt: skip
    return None


def _sequencer_bypassed(w: Wired) -> WiringFault | None:
    for feed in ("supply", "supply2"):
        for leg in ("L1", "L2"):
            for n in (1, 2):
                for end in (f"element{n}.1", f"limit{n}.1", f"limit{n}.2"):
                    if w.joined.has(end) and w.joined.same(f"{feed}.{leg}", end):
                        return _fault(
                            "SEQUENCER_BYPASSED", msg("Element {n} is fed past its sequencer.", n=n),
                            msg("It heats whenever the circuit is on, blower or no blower: fire."),
                            f"{feed}.{leg}", end,
                        )  # fmt: skip
    return None


def _coil_shorted(w: Wired) -> WiringFault | None:
    for lead in ("control.Y", "control.W"):
        if w.joined.has(lead) and w.joined.same(lead, "control.COM"):
            return _fault(
                "CONTROL_SHORTED", msg("Both control leads are joined."),
                msg("The control fuse or the transformer burns."), lead, "control.COM",
            )  # fmt: skip
    return None


def _relay_5(w: Wired) -> WiringFault | None:
    if "relay" in w.keys and w.joined.same("relay.5", "compressor.R"):
        return _fault(
            "RELAY_5_WRONG_LEG", msg("Relay 5 is on the R leg."),
            msg("Its coil sees the capacitor's volts, not the start winding's. It lets the "
"start capacitor in at the wrong time, or for good."), "relay.5", "compressor.R",
        )  # fmt: skip
    return None


def _relay_12(w: Wired) -> WiringFault | None:
    if w.joined.same("relay.1", f"{w.cap}.HERM"):
        return _fault(
            "RELAY_1_2_SWAPPED", msg("Relay 1 and 2 are swapped."),
            (msg("After it opens, its coil is in series with the start capacitor: it chatters "
"and burns its contact.")),
            "relay.1", "relay.2",
        )  # fmt: skip
    return None


def _start_cap_in_for_good(w: Wired) -> WiringFault | None:
    for one, two in (("start_cap.1", "start_cap.2"), ("start_cap.2", "start_cap.1")):
        if w.joined.same(one, f"{w.cap}.HERM") and w.joined.same(two, f"{w.cap}.C"):
            return _fault(
                "START_CAP_NOT_THROUGH_RELAY",
                msg("The start capacitor is across the run capacitor, past the relay."),
                msg("It never drops out: it bursts within a minute and burns the start winding."), one, two,
            )  # fmt: skip
    return None


def _relay_contact_bypassed(w: Wired) -> WiringFault | None:
    if w.joined.same("relay.1", "relay.2"):
        return _fault(
            "RELAY_BRIDGED", msg("Relay 1 and 2 are joined."),
            msg("The start capacitor never drops out: it bursts and burns the start winding."), "relay.1",
            "relay.2",
        )  # fmt: skip
    return None


def _bleed(w: Wired) -> WiringFault | None:
    if "bleed" not in w.keys:
        return None
    cap = w.first("new_start_cap", "start_cap")
    ends = {w.joined.find("bleed.1"), w.joined.find("bleed.2")}
    tops = {w.joined.find(t) for t in w.joined.nets_terminals(f"{cap}.")}
    if len(ends) < 2 or not ends <= tops:
        return _fault(
            "NO_BLEED_RESISTOR", msg("The bleed resistor is not across the start capacitor."),
            msg("It stays charged: it can shock you and pits the relay contact."), "bleed.1", "bleed.2",
        )  # fmt: skip
    return None


def _run_in_out(w: Wired) -> WiringFault | None:
    out, into = ("starter.RUN_OUT", "starter.RUN_IN")
    if w.first("starter") and w.feeds(out) and w.joined.same(into, "compressor.R"):
        return _fault(
            "RUN_IN_OUT_REVERSED", msg("The starter's run in and run out are reversed."),
            msg("It measures on the wrong side: it faults, or starts with no limit on the amps."),
            into, out, "compressor.R", w.feeds(out) or into,
        )  # fmt: skip
    out, into = ("starter.RUN", "starter.LINE")
    if w.first("starter") and w.feeds(out) and w.joined.same(into, "compressor.R"):
        return _fault(
            "RUN_IN_OUT_REVERSED", msg("The starter's line and run leads are reversed."),
            msg("It is fed backward: it faults, and the run capacitor is behind the thyristors."),
            into, out, "compressor.R", w.feeds(out) or into,
        )  # fmt: skip
    return None


def _starter_bypassed(w: Wired) -> WiringFault | None:
    if w.first("starter") and w.feeds("compressor.R"):
        leads = ("starter.RUN_OUT",) if w.joined.has("starter.RUN_OUT") else ("starter.RUN",)
        if not w.joined.same(leads[0], "compressor.R") or w.feeds(leads[0]):
            return _fault(
                "STARTER_BYPASSED", msg("R is still fed straight from the contactor."),
                msg("The starter limits nothing: amps as before."), "compressor.R", *leads,
            )  # fmt: skip
    return None


def _reference(w: Wired) -> WiringFault | None:
    if not w.first("starter"):
        return None
    if w.joined.same("starter.REF", "compressor.C"):
        return None
    if w.feeds("starter.REF"):
        return _fault(
            "REFERENCE_ON_SAME_LEG", msg("The starter's reference is on the leg that feeds R."),
            msg("It sees no volts and does not start."), "starter.REF",
        )  # fmt: skip
    return _fault(
        "REFERENCE_OFF", msg("The starter's reference is not on the other leg."),
        msg("It sees no volts and does not start."), "starter.REF",
    )  # fmt: skip


def _ground_off(w: Wired) -> WiringFault | None:
    pairs = (
        ("disconnect.G", "compressor.G"), ("disconnect.G", "cabinet.G"), ("supply.G", "compressor.G"),
        ("supply.G", "cabinet.G"), ("supply2.G", "cabinet.G"), ("feeder.G", "unit.G"),
    )  # fmt: skip
    for one, two in pairs:
        if w.joined.has(one) and w.joined.has(two) and not w.joined.same(one, two):
            return _fault(
                "GROUND_OFF", msg("No ground between {one} and {two}.", one=one, two=two),
                msg("With a ground fault nothing trips and the cabinet is live."), one, two,
            )  # fmt: skip
    return None


def _ground_on_line(w: Wired) -> WiringFault | None:
    for key in ("disconnect", "supply", "supply2", "feeder", "cabinet"):
        ground = f"{key}.G"
        if not w.joined.has(ground):
            continue
        live = [t for t in w.joined.net(ground) if not t.endswith(".G") and not t.startswith("control.")]
        if live:
            return _fault(
                "GROUND_ON_LEG", msg("The ground is joined to {live}.", live=live[0]),
                msg("The cabinet is live, or the breaker trips on a dead short."), ground, live[0],
            )  # fmt: skip
    return None


def _heater(w: Wired) -> WiringFault | None:
    if "heater" not in w.keys or w.contactor is None:
        return None
    ends = ("heater.1", "heater.2")
    if any(w.joined.same(e, load) and not w.joined.same(load, line)
           for e in ends for load, line in zip(w.load, w.line, strict=True)) and not w.bus:  # fmt: skip
        return _fault(
            "HEATER_STOPS", msg("The crankcase heater is not on L1 and L2."),
            msg("It stops when the contactor opens: liquid gathers in the shell, the next "
"start is flooded."),
            *ends,
        )  # fmt: skip
    if w.joined.same(ends[0], ends[1]):
        return _fault(
            "HEATER_SHORTED", msg("Both heater leads are together."), msg("It does not heat."), *ends
        )
    return None


def _fan_legs(w: Wired) -> WiringFault | None:
    if w.contactor is None or "fan" not in w.keys:
        return None
    common, run = (
        w.feeds("fan.C"),
        w.feeds("fan.R") or ("cap" if w.joined.same("fan.R", f"{w.cap}.C") else None),
    )
    if common and common == w.feeds("compressor.R") and run and run != common:
        return _fault(
            "FAN_LEADS_SWAPPED", msg("The fan's common and run leads are swapped."),
            msg("Its capacitor feeds nothing: it hums and burns."), "fan.C", "fan.R",
        )  # fmt: skip
    return None


def _line_load(w: Wired) -> WiringFault | None:
    for key in ("new_disconnect",):
        if key in w.keys and w.joined.same("feeder.1", f"{key}.T1") | w.joined.same("feeder.2", f"{key}.T1"):
            return _fault(
                "LINE_ON_LOAD", msg("The feeder is on the load side of the disconnect."),
                msg("Opened, its blades and the fuses stay live to the touch."), f"{key}.T1", f"{key}.L1",
            )  # fmt: skip
    if w.contactor in ("new_contactor", "contactor"):
        k = w.contactor
        if w.joined.same("compressor.R", f"{k}.L1") or w.joined.same("compressor.C", f"{k}.L1"):
            return _fault(
                "LOAD_ON_LINE", msg("A load wire is on the contactor's line side."),
                msg("That side of the compressor stays live with the contactor open."), f"{k}.L1",
            )  # fmt: skip
    return None


def _blower(w: Wired) -> WiringFault | None:
    if "blower" in w.keys and not any(
        w.joined.same("supply.L1", b) or w.joined.same("supply.L2", b) for b in ("blower.1", "blower.2")
    ):
        return _fault(
            "BLOWER_NOT_ON_CIRCUIT_1", msg("The blower is not on circuit 1."),
            msg("With circuit 1 off, elements can heat without airflow: fire."),
            "blower.1", "blower.2",
        )  # fmt: skip
    return None


def _limit_bypassed(w: Wired) -> WiringFault | None:
    for n in (1, 2):
        if w.joined.same(f"limit{n}.1", f"limit{n}.2") or (
            w.joined.has(f"limit{n}.1")
            and any(w.joined.same(f"sequencer.{m}", f"element{n}.{e}") for m in ("M1", "M2", "M3", "M4")
                    for e in ("1", "2"))
        ):  # fmt: skip
            return _fault(
                "LIMIT_BYPASSED", msg("Limit {n} is bypassed.", n=n),
                    msg("Without air the element glows: fire."),
                f"limit{n}.1", f"limit{n}.2",
            )  # fmt: skip
    return None


RULES: tuple[Callable[[Wired], WiringFault | None], ...] = (
    _line_short, _ground_on_line, _coil_on_line, _control_on_load, _coil_shorted, _s_c_shorted,
    _start_cap_across_line, _cap_behind_thyristors, _sequencer_bypassed, _contactor_bypassed, _line_load,
    _s_r_swapped, _three_in_one,
    _cap_c_on_compressor_c, _herm_fan_swapped, _kit_across_fan, _kit_both_ends, _kit_wrong_leg, _relay_5,
    _relay_12, _start_cap_in_for_good, _relay_contact_bypassed, _bleed, _run_in_out, _starter_bypassed,
    _reference, _fan_legs, _heater, _blower, _limit_bypassed, _ground_off,
)  # fmt: skip
