"""The unit a learner works on: told what is done, it answers with what is seen, felt, shown and broken.

Everything follows from a scenario and the acts in their order, so that the same acts give the same call on
every machine, at every time: a call is kept as its acts, two can race on one seed, and a score can be
reckoned again.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from orange_crank.bench.meter import Meter
from orange_crank.bench.practice.acts import (
    CLAMP_MODES,
    MODE_WORDS,
    TERMINALS,
    Act,
    seconds_of,
)
from orange_crank.bench.practice.happened import (
    BY_UNIT,
    Harm,
    HarmCode,
    Kind,
    Looked,
    Start,
    TestDone,
    Told,
    Unproved,
)
from orange_crank.bench.practice.mending import aid_of, cured_truth
from orange_crank.bench.practice.probes import ACCURACY_PCT, RANGES, UNIT_OF, Display, Pair, fill_at, pair
from orange_crank.bench.practice.proof import SECTIONS, missing_proof, word
from orange_crank.bench.practice.readings import ohms_between, tests_of
from orange_crank.bench.practice.scenario import Scenario
from orange_crank.bench.practice.told import asked, seen
from orange_crank.bench.scenarios import answer, remake
from orange_crank.bench.unit import SimulatedUnit, setup_of
from orange_crank.bench.wired_unit import STAYS_IN, as_wired
from orange_crank.core.aids.parts import Part, shipped_parts
from orange_crank.core.call.changes import PART_WORDS, PartKind
from orange_crank.core.diagnosis.table import priors
from orange_crank.core.errors import FieldProblem, GateClosed, InputProblem
from orange_crank.core.measure.live_meter import Fill
from orange_crank.core.messages import capital, msg
from orange_crank.core.motor.entry import Aid
from orange_crank.core.nomenclature import say
from orange_crank.core.tables.standards import shipped_standards
from orange_crank.core.wiring.check import WiringFault, check_wiring
from orange_crank.core.wiring.plan_wiring import plan_of

BITES_V = 50.0
PEAK = math.sqrt(2)
GHOST_OF_LEG = 0.5  # a leg to ground is half of line to line
FINE_S = 3.0  # before an act is over the meter follows in hundredths
DIP_PCT = shipped_standards().source_dip_pct
COMPRESSOR_COST, HOUR_COST = 1_900.0, 110.0


@dataclass
class _Hand:
    """What the learner's hands have done to the unit."""

    off: set[str] = field(default_factory=set)
    kit: Part | None = None
    own_kit: bool = False
    relay: Part | None = None
    upright: bool = True
    wiring: Act | None = None
    faults: list[WiringFault] = field(default_factory=list)


class ProbeMeter(Meter):
    """The bench's meter with its probes on any two terminals."""

    def __init__(self, world: "World", seed: int) -> None:
        super().__init__(world.unit, seed=seed)
        self.world = world
        self.mode = "off"
        self.lowest = math.inf

    @property
    def fits(self) -> bool:
        """Whether it follows something that changes: volts and amps do."""
        return self.world.mode in ("volts", "volts_low_z", "amps", "inrush", "max_hold")

    def true(self) -> float:
        """Return what is really there."""
        return self.world.true()

    def follow(self, seconds: float) -> None:
        """Let time pass with the meter looked at: coarsely, then finely before one reads it."""
        end = self.unit.now_s + seconds
        if seconds > FINE_S and not (self.armed and not self.triggered):
            self.unit.advance(end - FINE_S)
        self._at_s = self.unit.now_s
        while self._at_s < end:
            self.advance(min(end, self._at_s + 0.01))
            if self.mode in ("volts", "volts_low_z") and self.world.unit.phase == "starting":
                self.lowest = min(self.lowest, self.true())


class World:
    """A scenario as it goes on under a learner's hands."""

    def __init__(self, scenario: Scenario) -> None:
        self.scenario = scenario
        self.case = scenario.case
        self.unit = SimulatedUnit(scenario.setup)
        self.unit.breaker_tripped = scenario.traps.tripped
        if scenario.traps.overload_open:
            self.unit.overload_open, self.unit.overload_heat = True, 1.0
        if scenario.traps.pressed:
            self.unit.pressure = 1.0
        if scenario.traps.weak_breaker:
            self.unit.bears = 0.4
        self.count = 0
        self.told: list[Told] = []
        self.harms: list[Harm] = []
        self.tests: list[TestDone] = []
        self.starts: list[Start] = []
        self.unproved: list[Unproved] = []
        self.changed: list[tuple[int, PartKind, str | None]] = []
        self.money = 0.0
        self.locked = False
        self.mode: str = "off"
        self.red: str | None = None
        self.black: str | None = None
        self.clamp: str | None = None
        self.charge: dict[str, float] = {"c_herm": 0.0, "c_fan": 0.0}
        self.display = Display(None)
        self._hand = _Hand(kit=scenario.traps.kit, own_kit=scenario.traps.kit is not None)
        self._looked: list[Looked] = []
        self._opened_act = 0
        self._pairs: set[Pair] = set()
        self._heard = 0
        self._tried: tuple[int, bool] | None = None
        self._resistor_good = not scenario.traps.bad_resistor
        self.breaker_a = scenario.setup.rated_a
        self.meter = ProbeMeter(self, scenario.seed)
        self._refit()

    # What is so --------------------------------------------------------------------------------------

    @property
    def at_s(self) -> float:
        """Time since arrival [s]."""
        return self.unit.now_s

    @property
    def hurt(self) -> Harm | None:
        """The first mistake that would have hurt somebody."""
        return next((h for h in self.harms if h.hurts), None)

    @property
    def leads_off(self) -> frozenset[str]:
        """Parts whose leads are off."""
        return frozenset(self._hand.off)

    @property
    def kit_number(self) -> str | None:
        """Number of the aid that is fitted."""
        return self._hand.kit.part if self._hand.kit is not None else None

    @property
    def kit_title(self) -> str:
        """What the aid that is fitted is called."""
        return self._hand.kit.title if self._hand.kit is not None else ""

    @property
    def upright(self) -> bool:
        """Whether its relay hangs arrow up."""
        return self._hand.upright

    @property
    def faults(self) -> tuple[WiringFault, ...]:
        """What is wrong with the work as wired last."""
        return tuple(self._hand.faults)

    def potential(self, terminal: str) -> float | None:
        """Return a terminal's potential in halves of line to line; None where it floats."""
        part, _, pin = terminal.partition(".")
        if terminal == "ground":
            return 0.0
        fed = not self.unit.breaker_tripped
        if part == "panel":
            return (1.0 if pin == "A" else -1.0) if fed else None
        if part == "contactor" and pin in ("L1", "L2"):
            through = self.unit.disconnect or self.scenario.traps.stuck_leg == pin
            return (1.0 if pin == "L1" else -1.0) if fed and through else None
        leg = _LEG.get(terminal)
        if leg is None or not self.unit.closed:
            return None
        if part == "compressor" and "compressor" in self._hand.off:
            return None
        if part == "run_cap" and "run_capacitor" in self._hand.off:
            return None
        return self.potential(f"contactor.{leg}")

    def live(self, *parts: str) -> list[str]:
        """Return the terminals of parts, or of the whole unit, that are live now."""
        found = [t for t in TERMINALS if t != "ground" and not t.startswith(("known", "panel"))]
        if parts:
            found = [t for t in found if t.partition(".")[0] in parts]
        return [t for t in found if self.potential(t)]

    def true(self) -> float:
        """Return what the meter would show were it perfect, where its mode can show it."""
        if self.mode in CLAMP_MODES:
            return self.unit.amps(self.clamp) if self.clamp else 0.0  # type: ignore[arg-type]
        if self.red is None or self.black is None:
            return 0.0
        return self._volts(self.red, self.black)

    def _volts(self, red: str, black: str) -> float:
        at = pair(red, black)
        if at == pair("known.L", "known.N"):
            return 120.4
        if at == pair("contactor.A1", "contactor.A2"):
            return self.unit.coil_v
        if at == pair("panel.A", "panel.B"):
            share = float(self.case.truth["source_ohm"])
            whole = share + float(self.case.truth["path_ohm"])
            if self.unit.breaker_tripped:
                return 0.0
            idle = self.unit.idle_v
            if not self.unit.disconnect:
                return idle
            return idle - (idle - self.unit.line_v()) * share / whole
        if at in (pair("contactor.L1", "contactor.T1"), pair("contactor.L2", "contactor.T2")):
            return self.unit.volts("pole") if self.unit.closed else self._floating(red, black)
        if self.unit.closed:
            if at == pair("contactor.L1", "contactor.L2"):
                return self.unit.line_v()
            if at == pair("contactor.T1", "contactor.T2"):
                return self.unit.volts("load")
            if at == pair("compressor.C", "compressor.S"):
                return self.unit.volts("start_winding")
        return self._floating(red, black)

    def _floating(self, red: str, black: str) -> float:
        one, two = self.potential(red), self.potential(black)
        if one is not None and two is not None:
            return abs(one - two) * GHOST_OF_LEG * (self.unit.line_v() or self.unit.idle_v)
        beside = (one or two) and self.mode == "volts"
        return self.unit.ghost_v if beside else 0.0

    # What is done ------------------------------------------------------------------------------------

    def do(self, act: Act) -> None:
        """Do one act; what comes of it is told.

        Raises
        ------
        InputProblem : the act lacks what its verb needs
        GateClosed : it cannot be done as things stand

        """
        handler = getattr(self, f"_{act.verb}")
        before = self.count
        self.count += 1
        try:
            handler(act)
        except (InputProblem, GateClosed):
            self.count = before
            raise
        self._follow_unit()
        self._show(act)

    def _say(self, kind: Kind, text: str, at_s: float | None = None) -> None:
        self.told.append(Told(self.count, round(self.at_s if at_s is None else at_s, 2), kind, text))

    def _harm(
        self,
        code: HarmCode,
        text: str,
        skipped: Sequence[str] = (),
        cost: float = 0.0,
        at_s: float | None = None,
    ) -> None:
        self.harms.append(Harm(self.count, code, text, tuple(skipped), cost))
        self.money += cost
        self._say("harm", text, at_s)

    def _spend(self, act: Act) -> None:
        self.meter.follow(seconds_of(act))

    def _test(self, test: str) -> None:
        """Note a test of the diagnosis as done, with what it shows, once for the unit as it stands."""
        if any(t.test == test for t in self.tests) or self.changed:
            return
        rng = np.random.default_rng((self.scenario.seed, len(self.tests), len(test)))
        case = self.case
        if self.unit.overload_open and test == "windings":
            case = replace(case, truth=case.truth | {"windings": "common_open", "shell_hot": True})
        self.tests.append(TestDone(self.count, test, tuple(answer(case, test, rng))))

    def _follow_unit(self) -> None:
        """Tell what the unit did by itself since the last act, where it belongs in time."""
        first = next((i for i, t in enumerate(self.told) if t.act == self.count), len(self.told))
        for one in self.unit.happened[self._heard :]:
            at = round(one.at_s, 2)
            self.told.append(Told(self.count, at, "unit", BY_UNIT[one.what]))
            if one.what in ("started", "stalled"):
                self.starts.append(Start(self.count, len(self.starts) + 1, one.what == "started"))
            if one.what == "breaker_tripped":
                self.locked = False
                self._harm("tripped", "The breaker tripped under your start; it bears less now.", at_s=at)
            if one.what == "capacitor_burst":
                burst = "The start capacitor burst: its relay never opened."
                self._harm("burst", burst, cost=60.0, at_s=at)
                self._hand.kit = None
        self._heard = len(self.unit.happened)
        self.told[first:] = sorted(self.told[first:], key=lambda t: t.at_s)

    def _show(self, act: Act) -> None:
        """Let the display show what it shows after this act."""
        mode = self.mode
        if mode == "off":
            self.display = Display(None)
            return
        unit = UNIT_OF[mode]  # type: ignore[index]
        low = None
        if mode == "inrush":
            value = self.meter._held
        elif mode == "max_hold":
            value = self.meter._most
        elif mode in ("volts", "volts_low_z", "amps"):
            value = self.meter._shown
            if math.isfinite(self.meter.lowest):
                low = round(self._with_error(self.meter.lowest), 1)
        else:
            value = self._dead_value()
        if value is None:
            self.display = Display(None, unit, armed=self.meter.armed and not self.meter.triggered)
            return
        shown = self._with_error(value) if math.isfinite(value) else value
        over = shown > RANGES[mode]  # type: ignore[index]
        shown = math.inf if over else round(shown, 1 if shown >= 10 else 2)
        self.display = Display(shown, unit, low, self.meter.armed and not self.meter.triggered)
        self._after_reading(act, shown)
        if act.verb == "measure" or (act.verb == "switch" and mode in ("inrush", "max_hold")):
            self._say("shown", f"{self._place_words()}: {self.display.text}")

    def _place_words(self) -> str:
        mode = MODE_WORDS[self.mode]
        if self.clamp is not None:
            return f"{mode} on {self.clamp.replace('_', ' ')}"
        return f"{mode} {word(self.red or '')} to {word(self.black or '')}"

    def _with_error(self, value: float) -> float:
        """Return a value as this meter shows it: its own error, and a little that goes with the value."""
        own = np.random.default_rng(self.scenario.seed).normal(0, 0.3)
        here = np.random.default_rng((self.scenario.seed, round(value * 1_000))).normal(0, 0.15)
        return value * float(1 + ACCURACY_PCT[self.mode] / 100 * (own + here))  # type: ignore[index]

    def fill(self) -> Fill | None:
        """Return the reading the display may be taken as."""
        if self.display.value is None or self.mode == "off":
            return None
        line_v = self.unit.line_v() or None
        return fill_at(self.mode, self.red, self.black, self.clamp, self.display.value, line_v)  # type: ignore[arg-type]

    def _after_reading(self, act: Act, shown: float) -> None:
        """Note what a reading proves: of the circuit being dead, and of the cause."""
        at = pair(self.red or "", self.black or "")
        if act.verb == "measure" and self.mode in ("volts", "volts_low_z", "volts_dc"):
            self._looked.append(Looked(self.count, self.mode, at, shown))
        for test in self._tests_of(at):
            self._test(test)

    def _tests_of(self, at: Pair) -> list[str]:
        started = bool(self.starts and self.starts[-1].act == self.count)
        if self.mode == "ohms" and all(t.startswith("compressor.") for t in at):
            self._pairs.add(at)
        return tests_of(self.mode, at, self.clamp, self.unit, started=started, pairs=len(self._pairs))

    def _dead_value(self) -> float | None:
        """Return ohms, microfarads or direct volts between the probes; None where nothing can be read."""
        red, black = self.red or "", self.black or ""
        at = pair(red, black)
        if self.mode == "volts_dc":
            section = SECTIONS.get(at)
            return self.charge[section] if section else 0.0
        if self.mode == "microfarads":
            if at not in SECTIONS or "run_capacitor" not in self._hand.off:
                return None
            t = self.case.truth
            return float(t["cap_uf"] if SECTIONS[at] == "c_herm" else t["fan_cap_uf"])
        return ohms_between(self.case.truth, at, self.unit.overload_open)

    # The verbs ---------------------------------------------------------------------------------------

    def _ask(self, act: Act) -> None:
        if act.topic is None:
            raise _wanted("topic", "what is asked")
        topic = act.topic
        self._spend(act)
        self._say("said", asked(self.case, topic))
        test = {"rest": "ask_rest", "lines": "ask_lines", "idle": "ask_idle", "charge": "charge_history"}
        if topic in test:
            self._test(test[topic])

    def _look(self, act: Act) -> None:
        if act.sight is None:
            raise _wanted("sight", "what is looked at")
        sight = act.sight
        if sight in _INSIDE and not self._hand_on(act, f"you reached for the {sight}", *_INSIDE[sight]):
            return
        self._spend(act)
        self._say("said", seen(self, sight))
        test = _TEST_OF_SIGHT.get(sight)
        if test:
            self._test(test)

    def _feel(self, act: Act) -> None:
        self._spend(act)
        hot = bool(self.case.truth["shell_hot"]) or self.unit.overload_heat > 0.3
        self._say("said", "The shell is too hot to keep the hand near." if hot else "The shell is warm.")

    def _listen(self, act: Act) -> None:
        self._spend(act)
        words = {
            "off": "Nothing runs." if not self.unit.closed else "The fan runs; the compressor is silent.",
            "starting": "It is starting.",
            "running": "It runs evenly.",
            "stalled": "A deep hum at twice line frequency; it does not turn.",
        }
        self._say("said", words[self.unit.phase])

    def _switch(self, act: Act) -> None:
        if act.switch is None:
            raise _wanted("switch", "thermostat, disconnect or breaker")
        what = act.switch
        if act.on is None:
            raise _wanted("on", "whether it goes on or off")
        on = act.on
        if what == "thermostat" and on and "coil" in self._hand.off:
            self._blow_control_fuse()
        if what != "thermostat" and on and self.locked:
            raise GateClosed(
                msg("It is locked open, with your lock."),
                next_step=msg("Take your lock off first: Lock, off."),
            )
        if on and what in ("disconnect", "breaker"):
            self._power_on()
        before = self.unit.powered
        self.meter.lowest = math.inf
        self.unit.switch(what, on)
        if before and not self.unit.powered:
            self._opened_act = self.count
            self._charge_up()
        words = {"thermostat": ("calls for cooling", "is off"), "disconnect": ("is in", "is pulled")}
        told = words.get(what, ("is on", "is off"))
        self._say("said", f"The {what} {told[0 if on else 1]}.")
        self._spend(act)
        if self.unit.phase in ("running", "stalled") and "start_kit" in self._hand.off:
            self._test("kit_bypass")

    def _power_on(self) -> None:
        """Let what is wired dangerously show itself when the power comes back."""
        bangs = [f for f in self._hand.faults if f.code in _BANGS]
        if bangs:
            self.unit.trip()
            self._harm("bang", f"A bang as it goes on. {bangs[0].text} {bangs[0].effect}", cost=80.0)
            self._hand.faults = [f for f in self._hand.faults if f not in bangs]

    def _charge_up(self) -> None:
        """Leave on the capacitors what is left on them: nothing drains one whose winding is open."""
        keeps = self.scenario.traps.holds_charge
        line = self.unit.idle_v
        self.charge = {
            "c_herm": (0.94 * PEAK * line if keeps else 6.0),
            "c_fan": 3.0,
        }

    def _lock(self, act: Act) -> None:
        on = act.on is not False
        if on and self.unit.disconnect and not self.unit.breaker_tripped:
            raise GateClosed(
                msg("Nothing is open that could be locked."),
                next_step=msg("Pull the disconnect or open the breaker."),
            )
        self.locked = on
        self._spend(act)
        self._say("said", "Locked and tagged." if on else "Your lock is off.")

    def _measure(self, act: Act) -> None:
        if act.mode is None:
            raise _wanted("mode", "where the dial goes")
        mode = act.mode
        clamps = mode in CLAMP_MODES
        if clamps and act.clamp is None:
            raise _wanted("clamp", "the conductor the clamp goes round")
        if not clamps and (act.red not in TERMINALS or act.black not in TERMINALS or act.red == act.black):
            raise _wanted("red", "two different terminals for the probes")
        self.mode = mode
        self.red, self.black = (None, None) if clamps else (act.red, act.black)
        self.clamp = act.clamp if clamps else None
        touched = [t for t in (self.red, self.black) if t is not None]
        if mode in ("ohms", "microfarads"):
            if any(self.potential(t) for t in touched):
                self._harm(
                    "arc",
                    f"{MODE_WORDS[mode]} on a live circuit: the meter flashes over in your hand.",
                    self.skipped(),
                    cost=140.0,
                )
                self.mode = "off"
                return
            section = SECTIONS.get(pair(act.red or "", act.black or ""))
            if section and self.charge[section] > BITES_V:
                self._harm(
                    "meter",
                    f"{say(self.charge[section], 'V')} on the capacitor went through the meter.",
                    self.skipped(),
                    cost=60.0,
                )
                self.charge[section] = 0.0
                self.mode = "off"
                return
            if mode == "microfarads" and section and "run_capacitor" not in self._hand.off:
                self._say("said", "In circuit it reads nonsense: take its leads off first.")
            parts = tuple(dict.fromkeys(t.partition(".")[0] for t in touched if t != "ground"))
            self._note_unproved("probes on a dead circuit", *parts)
        self.meter.mode = "off"
        self.meter.set(
            "inrush" if mode == "inrush" else "max_hold" if mode == "max_hold" else "volts", "line"
        )
        if mode == "amps":
            self.meter.mode = "amps"
        self.meter.lowest = math.inf
        self.meter.follow(seconds_of(act))

    def _arm(self, act: Act) -> None:
        if self.mode != "inrush":
            raise GateClosed(
                msg("Only inrush is armed."), next_step=msg("Turn the dial to inrush, then arm it.")
            )
        self.meter.arm()
        self.meter.follow(seconds_of(act))
        if self.meter.triggered:
            self._harm("shot_spent", "What runs already has spent the shot. Stop it, then arm again.")

    def _discharge(self, act: Act) -> None:
        if act.section is None:
            raise _wanted("section", "which section")
        section = act.section
        if act.tool is None:
            raise _wanted("tool", "what it is bled with")
        tool = act.tool
        if not self._hand_on(act, "you reached for the capacitor", "run_cap", charged=False):
            return
        self._spend(act)
        volts = self.charge[section]
        if tool == "screwdriver":
            if volts > BITES_V:
                self._harm(
                    "arc", f"A flash: {say(volts, 'V')} through a screwdriver.", ("a resistor to bleed it",)
                )
            self.charge[section] = 0.0
        elif tool == "spare_resistor" or self._resistor_good:
            self.charge[section] = round(0.002 * volts, 2)
        self._say("said", f"You held the {tool.replace('_', ' ')} across it for ten seconds.")

    def _lead(self, act: Act) -> None:
        if act.lead is None:
            raise _wanted("lead", "whose leads")
        what = act.lead
        off = act.on is False
        parts = {"compressor": ("compressor", "contactor"), "run_capacitor": ("run_cap", "contactor"),
                 "start_kit": ("run_cap",), "coil": ("contactor",)}[what]  # fmt: skip
        if what == "start_kit" and self._hand.kit is None:
            raise GateClosed(
                msg("There is no start kit on this unit."), next_step=msg("Look for one: Look, kit.")
            )
        if not self._hand_on(act, f"you took hold of the leads of the {what.replace('_', ' ')}", *parts):
            return
        self._spend(act)
        if off:
            self._hand.off.add(what)
            if what == "coil" and not act.taped and self.unit.call:
                self._blow_control_fuse()
                self._hand.off.discard("coil")
            if what == "coil" and act.taped and not self.unit.call:
                self._hand.off.discard("coil")
                self._hand.off.add("coil_taped")
        else:
            self._hand.off -= {what, "coil_taped" if what == "coil" else what}
        self._refit()
        self._say("said", f"Leads of the {what.replace('_', ' ')} {'off' if off else 'on again'}.")

    def _blow_control_fuse(self) -> None:
        self._hand.off.discard("coil")
        self.case = remake(self.case, control_fuse_open=True)
        self._harm(
            "control_fuse",
            "A coil lead that was not taped touched metal: the control fuse is blown.",
            ("thermostat off", "coil leads taped, each by itself"),
            cost=25.0,
        )
        self._refit()

    def _gauges(self, act: Act) -> None:
        self._spend(act)
        if self.unit.phase == "running":
            self._test("head")
            ratio = float(self.case.truth["head_ratio"])
            head = (92.0 + 14.7) * ratio - 14.7
            self._say("said", f"Suction 92 psig, discharge {head:.0f} psig.")
        else:
            self._test("pressures")
            equal = bool(self.case.truth["equal"]) and self.unit.pressure < 0.15
            self._say("said", "The pressures are equal." if equal else "The pressures are far apart.")

    def _wait(self, act: Act) -> None:
        if act.minutes is None:
            raise _wanted("minutes", "how long, 1 to 120 minutes")
        minutes = act.minutes
        self._spend(act)
        self._say("said", f"{minutes:g} minutes went by.")

    def _reset(self, act: Act) -> None:
        """Turn the meter off."""
        self.mode = "off"
        self._spend(act)

    def _replace(self, act: Act) -> None:
        if act.part is None:
            raise _wanted("part", "which part")
        part = act.part
        number = self._part_of(act) if part in ("start_kit", "soft_starter") and act.number else None
        relay = next((p for p in shipped_parts() if p.part == act.relay and p.kind == "relay"), None)
        if act.relay is not None and relay is None:
            raise _wanted("relay", "a potential relay of the list")
        if part == "breaker" and act.rating_a is None:
            raise _wanted("rating_a", "the amps of the new breaker")
        reach = _REACH.get(part, ("contactor", "run_cap", "compressor"))
        if reach and not self._hand_on(act, f"you began to change the {PART_WORDS[part].lower()}", *reach):
            return
        self._spend(act)
        self.changed.append((self.count, part, act.number))
        if part == "compressor":
            self._new_compressor(act)
        elif part in ("start_kit", "soft_starter"):
            self._hand.kit, self._hand.upright, self._hand.own_kit = number, act.upright, False
            self._hand.relay = relay
            self._hand.off.discard("start_kit")
        elif part == "breaker" and act.rating_a is not None:
            self.breaker_a = act.rating_a
        self._mend(part)
        self._refit()
        what = number.title if number is not None else PART_WORDS[part]
        gone = part in ("start_kit", "soft_starter") and number is None
        self._say("said", "The old kit is off." if gone else f"Done: {what[:1].lower()}{what[1:]}.")

    def _new_compressor(self, act: Act) -> None:
        if "compressor" in (priors()[self.scenario.cause].mended_by):
            return
        hours = seconds_of(act) / 3600
        cost = COMPRESSOR_COST + HOUR_COST * hours
        self._harm(
            "condemned_good",
            f"The compressor that came out was sound. It cost {cost:,.0f} dollars and {hours:.0f} hours.",
            cost=cost,
        )

    def _part_of(self, act: Act) -> Part:
        found = next((p for p in shipped_parts() if p.part == act.number), None)
        starter = act.part == "soft_starter"
        if found is None or found.kind not in _AID_KINDS or (found.kind == "soft_starter") != starter:
            raise _wanted("number", f"a {'soft starter' if starter else 'start kit'} of the list")
        return found

    def _wire(self, act: Act) -> None:
        wiring = act.wiring
        if wiring is None or wiring.nets is None:
            raise _wanted("wiring", "what is joined to what, as it was checked on the call")
        if not self._hand_on(act, "you began to move leads", "contactor", "run_cap", "compressor"):
            return
        if "coil_taped" not in self._hand.off and self.unit.call:
            self._blow_control_fuse()
        plan, unit, _ = plan_of(wiring)
        self._hand.faults = check_wiring(plan, unit, wiring.nets)
        self._hand.wiring = act
        self._spend(act)
        self._refit()
        self._say("said", f"Wired: {plan.title.lower()}.")

    # Hands, proof, mending ---------------------------------------------------------------------------

    def _hand_on(self, act: Act, doing: str, *parts: str, charged: bool = True) -> bool:
        """Tell whether a hand on the unit stays whole; what was skipped is named either way."""
        live = self.live(*parts)
        if live:
            leg = live[0]
            volts = abs(self.potential(leg) or 0.0) * GHOST_OF_LEG * self.unit.idle_v
            self._harm(
                "shock",
                f"{capital(word(leg))} was at {say(volts, 'V')} to ground when {doing}.",
                self.skipped(),
            )
            return False
        held = self.charge["c_herm"] if charged and {"run_cap", "compressor"} & set(parts) else 0.0
        if held > BITES_V:
            self._harm(
                "charged",
                f"The capacitor held {say(held, 'V')} when {doing}.",
                self.skipped(),
            )
            return False
        self._note_unproved(doing, *parts)
        return True

    def _note_unproved(self, doing: str, *parts: str) -> None:
        skipped = self.skipped(bled=bool({"run_cap", "compressor"} & set(parts)) and "reached" not in doing)
        if skipped and (not self.unproved or self.unproved[-1].skipped != tuple(skipped)):
            self.unproved.append(Unproved(self.count, doing, tuple(skipped)))

    def skipped(self, bled: bool = True) -> list[str]:
        """Return what of the proof that the unit is dead has not been done since it was opened."""
        return missing_proof(
            self._looked,
            opened_act=self._opened_act,
            now=self.count,
            powered=self.unit.powered,
            calls=self.unit.call,
            locked=self.locked,
            bled=bled,
        )

    def _mend(self, part: PartKind) -> None:
        """Put right in the unit what a new part or a piece of work puts right."""
        if part == "breaker":
            self.unit.bears = 1.0
            self.unit.breaker_tripped = False
        cured = cured_truth(self.case, self.scenario.cause, part, self.breaker_a)
        mended = priors()[self.scenario.cause].mended_by
        if part not in mended and part not in ("start_kit", "soft_starter", "breaker", "wiring"):
            self._say("said", "It does as the old one did.")
        self.case = remake(self.case, **cured) if cured else self.case

    def _refit(self) -> None:
        """Make the simulated unit follow the case, the kit and the leads."""
        base, s = setup_of(self.case), self.scenario.setup
        off, hand = self._hand.off, self._hand
        blocked = self.scenario.traps.kit_blocks and hand.own_kit and "start_kit" not in off
        kit = None if "start_kit" in off or blocked or hand.faults else hand.kit
        setup = replace(
            base,
            fan_leads_s=s.fan_leads_s,
            overload_cools_s=s.overload_cools_s,
            source_kind=s.source_kind,
            source_kva=s.source_kva,
            house_a=s.house_a,
            breaker_a=self.breaker_a,
            aid=aid_of(kit, self.case.plate.compressors[0].lra_a or 60.0, hand.relay)
            if kit is not None
            else Aid(),
            relay_stays_in=kit is not None
            and (
                (self.scenario.traps.kit_stuck and hand.own_kit)
                or (not hand.upright and kit.kind == "kit_three_wire")
            ),
            learns=kit is not None and kit.kind == "soft_starter",
            no_path=base.no_path or "compressor" in off,
        )
        if blocked or "run_capacitor" in off:
            setup = replace(setup, run_cap_uf="open")
        if hand.wiring is not None and hand.wiring.wiring is not None:
            setup = as_wired(setup, hand.wiring.wiring, hand.faults)
        self.unit.refit(setup)

    def runs_well(self) -> bool:
        """Tell whether the unit as it stands starts and keeps running, tried on a copy for five minutes."""
        if self._tried is None or self._tried[0] != self.count:
            self._tried = (self.count, self._try())
        return self._tried[1]

    def _try(self) -> bool:
        if self.leads_off - {"coil_taped"} or self.relay_miswired:
            return False
        trial = SimulatedUnit(self.unit.setup)
        trial.starts = max(4, self.unit.starts)
        trial.switch("thermostat", True)
        trial.advance(300.0)
        bad = {"stalled", "breaker_tripped", "capacitor_burst", "overload_opened"}
        if trial.phase != "running" or bad & {h.what for h in trial.happened}:
            return False
        return self.unit.setup.source_kind == "utility" or trial.deepest_dip_pct() <= DIP_PCT

    @property
    def relay_miswired(self) -> bool:
        """Whether a start capacitor stays in circuit as wired: starts after it burst prove nothing."""
        return any(f.code in STAYS_IN for f in self.faults)

    def cured(self) -> bool:
        """Tell whether every cause is put right in the unit itself, not only hidden."""
        for cause in self.scenario.causes:
            mended = priors()[cause].mended_by
            needed: frozenset[str] = self.scenario.work or frozenset(mended)
            done = {part for _, part, number in self.changed if part not in _AIDS or self._hand.kit}
            if needed and not needed & done:
                return False
        return self.runs_well()


_LEG = {
    "contactor.T1": "L1", "compressor.R": "L1", "run_cap.C": "L1",
    "contactor.T2": "L2", "compressor.C": "L2",
    "compressor.S": "L1", "run_cap.HERM": "L1", "run_cap.FAN": "L1",
}  # fmt: skip
_BANGS = frozenset({"LEGS_SHORTED", "GROUND_ON_LEG", "COIL_ON_LINE", "S_C_SHORTED", "START_CAP_ACROSS_LINE"})
_AID_KINDS = ("kit_ptc", "kit_two_wire", "kit_three_wire", "kit_multi_value", "soft_starter")
_AIDS: frozenset[PartKind] = frozenset({"start_kit", "soft_starter"})
_INSIDE: dict[str, tuple[str, ...]] = {
    "capacitor": (), "kit": ("run_cap",), "control_fuse": (), "fuses": (), "lugs": ("contactor",),
    "terminals": ("compressor",), "switches": (),
}  # fmt: skip
_REACH: dict[PartKind, tuple[str, ...]] = {
    "condenser": ("contactor",), "charge": (), "supply": (), "breaker": (), "control": ("contactor",),
}  # fmt: skip
_TEST_OF_SIGHT = {
    "condenser": "look_condenser", "board": "look_delay", "breaker": "look_breaker", "contactor": "contactor",
    "kit": "kit", "capacitor": "can_label", "fan": "fan_turns", "lugs": "breaker_lug",
    "control_fuse": "control_fuse", "fuses": "fuses", "terminals": "pins", "switches": "control_switch",
}  # fmt: skip


def _wanted(name: str, what: str) -> InputProblem:
    return InputProblem(
        [FieldProblem(field=name, wanted=what, got=None)], next_step=msg("Say it, then do it.")
    )


def replay(scenario: Scenario, acts: Sequence[Act]) -> World:
    """Return the world after acts."""
    world = World(scenario)
    for act in acts:
        world.do(act)
    return world


__all__ = ["Harm", "Start", "Told", "World", "replay"]
