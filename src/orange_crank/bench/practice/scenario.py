"""Practice calls: twelve graded ones, one for each typical mistake, and endless ones by level and seed."""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import cache
from typing import Any, Literal

from orange_crank.bench.practice.acts import Act
from orange_crank.bench.scenarios import PLATES, TALLY, Case, make_case, remake
from orange_crank.bench.unit import Setup, setup_of
from orange_crank.core.aids.parts import Part, shipped_parts
from orange_crank.core.call.changes import PartKind
from orange_crank.core.diagnosis.model import Hypothesis
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.plate import Plate

Skill = Literal["safety", "record", "tests", "minutes", "diagnosis", "fit", "wiring", "circuit", "hand_over"]
Level = Literal[1, 2, 3]
LEVELS: dict[int, tuple[Hypothesis, ...]] = {
    1: (
        "run_capacitor_weak", "run_capacitor_open", "contactor_worn", "control_fuse_or_transformer",
        "overload_open",
    ),
    2: (
        "segment_loss", "supply_low", "start_kit_failed", "fan_motor", "high_head", "pressure_not_equal",
        "lead_or_terminal_open", "capacitor_wrong_value", "loose_lug_at_breaker", "control_switch_open",
    ),
    3: (
        "start_winding_open", "run_winding_open", "locked_rotor", "winding_grounded", "worn_bearings",
        "breaker_weak_or_small", "overcharge", "low_charge", "kit_masks_open_capacitor",
        "control_voltage_low", "long_lines_or_liquid", "overload_failed_open", "turn_short",
    ),
}  # fmt: skip
COOLS_S = 1_500.0  # of an internal overload within a shell of some pounds
# Faults that are drawn together at the highest level; the first is the one that is told.
PAIRS: tuple[tuple[Hypothesis, Hypothesis], ...] = (
    ("run_capacitor_weak", "contactor_worn"),
    ("run_capacitor_weak", "supply_low"),
    ("run_capacitor_weak", "segment_loss"),
    ("high_head", "run_capacitor_weak"),
    ("contactor_worn", "supply_low"),
)
COMPLAINTS = {
    "hums_no_start": "It hums and does not start.",
    "slow_start": "It starts slowly, with a groan.",
    "starts_then_trips": "It starts, and a while later it is off again.",
    "controls_on_nothing_runs": "The thermostat calls and nothing runs outside.",
    "starts_rarely": "It starts only now and then.",
    "trips_at_once": "The breaker trips the moment it wants to start.",
    "trips_after_minutes": "It runs some minutes, then it is off.",
    "lights_dim": "The lights dim when it starts.",
    "starts_after_long_rest": "It starts only after a long rest.",
    "rattles": "It rattles and chatters.",
    "short_cycles": "It runs, stops and runs again all day.",
    "runs_hot": "It blows warm and runs hot.",
    "fan_only": "The fan outside turns, but it does not cool.",
    "will_not_run_on_backup": "It does not run on the generator.",
    "no_sound": "No sound at all from outside.",
    "upgrade_only": "It works; the shop sent you to look it over.",
}


@dataclass(frozen=True)
class Traps:
    """What waits for a mistake.

    Parameters
    ----------
    stuck_leg : a blade of the disconnect that stays in, by its contactor terminal
    bad_resistor : the bleed resistor in the bag is burnt through
    holds_charge : nothing drains the run capacitor: the way through the windings is open
    kit : a start kit that is fitted
    kit_blocks, kit_stuck : it is shorted, and keeps the compressor from starting; its relay never opens
    weak_breaker : it bears far less than its rating
    pressed : it stopped a moment ago, the pressures still apart
    tripped, overload_open : how the unit is found
    old_breaker : the breaker is over the unit's largest

    """

    stuck_leg: Literal["L1", "L2"] | None = None
    bad_resistor: bool = False
    holds_charge: bool = False
    kit: Part | None = None
    kit_blocks: bool = False
    kit_stuck: bool = False
    weak_breaker: bool = False
    pressed: bool = False
    tripped: bool = False
    overload_open: bool = False
    old_breaker: bool = False


class Note(Frozen):
    """What an exercise's script writes on the record, as a technician would."""

    plate_rla_a: float | None = None
    proved: bool | None = None
    inrush: tuple[float, str, str] | None = None
    cause: Hypothesis | None = None
    condemned: bool | None = None
    changed: PartKind | None = None
    circuit_seen: bool | None = None
    handed_over: bool | None = None
    take: bool = False


Step = Act | Note


@dataclass(frozen=True)
class Scenario:
    """A unit with what is hidden in it, and what the call is scored by.

    Parameters
    ----------
    key : by which it is found again
    number : of a graded call, in order of work
    teaches : the skills it is about
    causes : every cause that is to be put right, the one told first
    work : parts whose change is the repair, where it is another than the causes' own
    expert, mistake : scripts; empty where the call is drawn from a seed
    mistake_title : the typical mistake, as one says it

    """

    key: str
    title: str
    level: int
    seed: int
    complaint: str
    case: Case
    setup: Setup
    causes: tuple[Hypothesis, ...]
    teaches: tuple[Skill, ...] = ()
    number: int | None = None
    traps: Traps = field(default_factory=Traps)
    work: frozenset[PartKind] = frozenset()
    mistake_title: str = ""
    expert: tuple[Step, ...] = ()
    mistake: tuple[Step, ...] = ()
    learning_starts: int = 0

    @property
    def cause(self) -> Hypothesis:
        """The cause that is to be named."""
        return self.causes[0]


# Scripts ------------------------------------------------------------------------------------------------


def volts(red: str, black: str, mode: str = "volts") -> Act:
    """Measure volts between two terminals."""
    return Act.model_validate({"verb": "measure", "mode": mode, "red": red, "black": black})


def switch(what: str, on: bool) -> Act:
    """Move a switch."""
    return Act.model_validate({"verb": "switch", "switch": what, "on": on})


def lead(what: str, on: bool, taped: bool = False) -> Act:
    """Take leads off, or put them on again."""
    return Act.model_validate({"verb": "lead", "lead": what, "on": on, "taped": taped})


def look(sight: str) -> Act:
    """Look at something."""
    return Act.model_validate({"verb": "look", "sight": sight})


def clamp(mode: str, conductor: str) -> Act:
    """Put the clamp round a conductor."""
    return Act.model_validate({"verb": "measure", "mode": mode, "clamp": conductor})


def fit(part: str, **more: Any) -> Act:
    """Change a part."""
    return Act.model_validate({"verb": "replace", "part": part} | more)


def wait(minutes: float) -> Act:
    """Let time go by."""
    return Act(verb="wait", minutes=minutes)


ARM = Act(verb="arm")
KNOWN = volts("known.L", "known.N")
DEAD_POINTS = tuple(
    volts(one, two)
    for one, two in (
        ("contactor.L1", "contactor.L2"),
        ("contactor.L1", "ground"),
        ("contactor.L2", "ground"),
        ("contactor.T1", "contactor.T2"),
        ("contactor.T1", "ground"),
        ("contactor.T2", "ground"),
    )
)


def bleed(section: str, tool: str = "resistor") -> tuple[Act, ...]:
    """Bleed a section and measure what is left."""
    pin = {"c_herm": "HERM", "c_fan": "FAN"}[section]
    return (
        Act.model_validate({"verb": "discharge", "section": section, "tool": tool}),
        volts("run_cap.C", f"run_cap.{pin}", "volts_dc"),
    )


OPEN = (switch("thermostat", False), switch("disconnect", False), Act(verb="lock", on=True))
PROVE = (KNOWN, *DEAD_POINTS, KNOWN)
MAKE_SAFE: tuple[Step, ...] = (*OPEN, *PROVE, *bleed("c_herm"), *bleed("c_fan"), Note(proved=True))
POWER = (Act(verb="lock", on=False), switch("disconnect", True))
START = (clamp("inrush", "common"), ARM, switch("thermostat", True))
CAPACITOR = (lead("run_capacitor", False), volts("run_cap.C", "run_cap.HERM", "microfarads"))
WINDINGS = (
    lead("compressor", False),
    volts("compressor.C", "compressor.S", "ohms"),
    volts("compressor.C", "compressor.R", "ohms"),
    volts("compressor.S", "compressor.R", "ohms"),
    volts("compressor.R", "ground", "ohms"),
)
END = (Note(handed_over=True),)


def after(*work: Step) -> tuple[Step, ...]:
    """Power the unit, start it with the shot armed, take the reading, hand over."""
    return (*work, *POWER, *START, Note(take=True), wait(5), *END)


# The twelve ---------------------------------------------------------------------------------------------


def _case(fault: Hypothesis, plate: int = 0, seed: int = 11, **truth: Any) -> Case:
    """Return a case of a fault on one of the plates, with some of its truth laid down."""
    n = seed
    wanted = Plate.model_validate(PLATES[plate])
    while True:
        case = make_case(n, (fault,))
        if case.plate == wanted:
            break
        n += 1
    sound: dict[str, Any] = {
        "shell_hot": False, "rest_min": 30.0, "kit": False, "delay": False, "code": False, "lug_tight": True,
        "equal": True, "condenser_dirty": False, "contactor": "clean", "holds": True,
    }  # fmt: skip
    if fault == "contactor_worn":
        sound.pop("contactor")
    return remake(case, **(sound | truth))


def _part(number: str) -> Part:
    return next(p for p in shipped_parts() if p.part == number)


def _graded(
    number: int, title: str, skill: tuple[Skill, ...], case: Case, complaint: str, **more: Any
) -> Scenario:
    setup = more.pop("setup", {})
    return Scenario(
        key=f"graded-{number}",
        number=number,
        title=title,
        level=1 if number in (1, 2, 3, 5) else 2 if number in (4, 6, 7, 8) else 3,
        seed=1_000 + number,
        complaint=complaint,
        case=case,
        setup=replace(setup_of(case), **setup),
        teaches=skill,
        **({"causes": (case.fault,)} | more),
    )


def _handle() -> Scenario:
    case = _case("run_capacitor_weak", cap_uf=33.0, load=14.0)
    rest: tuple[Step, ...] = (
        *bleed("c_herm"), *bleed("c_fan"), Note(proved=True), *CAPACITOR, Note(cause="run_capacitor_weak"),
        fit("dual_capacitor"), Note(changed="dual_capacitor"), lead("run_capacitor", True),
    )  # fmt: skip
    opened = (switch("thermostat", False), switch("disconnect", False))
    back = (Act(verb="lock", on=False), switch("disconnect", True), switch("breaker", True))
    return _graded(
        1, "The handle says OFF", ("safety",), case, COMPLAINTS["slow_start"],
        traps=Traps(stuck_leg="L2"),
        mistake_title="Dead is believed from the handle, or from a clamp at zero",
        expert=(
            look("plate"), Note(plate_rla_a=17.9), *opened, Act(verb="lock", on=True), KNOWN,
            *DEAD_POINTS[:3], switch("breaker", False), *DEAD_POINTS, KNOWN, *rest, *back, *START,
            Note(take=True), wait(5), *END,
        ),
        mistake=(
            look("plate"), Note(plate_rla_a=17.9), *opened, clamp("amps", "whole_unit"), look("lugs"),
            *CAPACITOR, Note(cause="run_capacitor_weak"), *END,
        ),
    )  # fmt: skip


def _not_measured() -> Scenario:
    case = _case("lead_or_terminal_open", windings="start_open", turns=True, start_branch=False)
    dead = (*OPEN, *PROVE)
    work = (
        look("terminals"), Note(cause="lead_or_terminal_open"), fit("wiring"), Note(changed="wiring"),
        lead("compressor", True),
    )  # fmt: skip
    return _graded(
        2, "\"It's already bled\"", ("safety",), case, COMPLAINTS["hums_no_start"],
        traps=Traps(bad_resistor=True, holds_charge=True),
        mistake_title="The capacitor is bled and not measured, or measured on AC volts",
        expert=(
            look("plate"), Note(plate_rla_a=17.9), *dead, *bleed("c_herm"),
            *bleed("c_herm", "spare_resistor"), *bleed("c_fan"),
            Note(proved=True), *CAPACITOR, lead("run_capacitor", True), *WINDINGS,
            *after(*work),
        ),
        mistake=(
            look("plate"), Note(plate_rla_a=17.9), *dead, bleed("c_herm")[0],
            volts("run_cap.C", "run_cap.HERM"), *WINDINGS, *END,
        ),
    )  # fmt: skip


def _misread() -> Scenario:
    case = _case("run_capacitor_weak", cap_uf=31.0, load=14.0)
    work = (
        *MAKE_SAFE, *CAPACITOR, Note(cause="run_capacitor_weak"), fit("dual_capacitor"),
        Note(changed="dual_capacitor"), lead("run_capacitor", True),
    )  # fmt: skip
    return _graded(
        3, "The worn nameplate", ("record",), case, COMPLAINTS["slow_start"],
        mistake_title="A plate figure is mistyped and believed; RLA is taken for what the unit draws",
        expert=(look("plate"), Note(plate_rla_a=17.9), *after(*work)),
        mistake=(
            clamp("amps", "common"), switch("thermostat", True), wait(2), clamp("amps", "common"),
            Note(plate_rla_a=12.6, cause="low_charge"), fit("charge"), Note(changed="charge"), *END,
        ),
    )  # fmt: skip


def _hot_shell() -> Scenario:
    case = _case("run_capacitor_open", cap_uf=2.0, shell_hot=True, rest_min=20.0)
    return _graded(
        4, "A hot shell", ("diagnosis",), case, COMPLAINTS["fan_only"],
        traps=Traps(overload_open=True),
        setup={"overload_cools_s": COOLS_S},
        mistake_title="The overload is open, the shell is hot, and the compressor is condemned",
        expert=(
            look("plate"), Note(plate_rla_a=17.9), Act(verb="feel"), *MAKE_SAFE, *CAPACITOR,
            *WINDINGS, wait(20), *WINDINGS[1:4],
            Note(cause="run_capacitor_open"), fit("dual_capacitor"), Note(changed="dual_capacitor"),
            lead("run_capacitor", True), *after(lead("compressor", True)),
        ),
        mistake=(
            look("plate"), Note(plate_rla_a=17.9), *MAKE_SAFE, *WINDINGS,
            Note(cause="start_winding_open", condemned=True), fit("compressor"), Note(changed="compressor"),
            lead("compressor", True), *END,
        ),
    )  # fmt: skip


def _spent() -> Scenario:
    case = _case("run_capacitor_weak", cap_uf=34.0, load=15.0)
    work = (
        *MAKE_SAFE, *CAPACITOR, Note(cause="run_capacitor_weak"), fit("dual_capacitor"),
        Note(changed="dual_capacitor"), lead("run_capacitor", True),
    )  # fmt: skip
    return _graded(
        5, "One shot", ("record",), case, COMPLAINTS["lights_dim"],
        setup={"fan_leads_s": 0.6},
        mistake_title="The fan spends the one inrush shot; before and after are taken in two modes",
        expert=(
            look("plate"), Note(plate_rla_a=17.9), *START, Note(take=True), wait(1), *after(*work),
        ),
        mistake=(
            look("plate"), Note(plate_rla_a=17.9), clamp("inrush", "whole_unit"), ARM,
            switch("thermostat", True), Note(take=True), *work, *POWER, clamp("max_hold", "common"),
            switch("thermostat", True), Note(take=True), *END,
        ),
    )  # fmt: skip


def _masked() -> Scenario:
    case = _case("run_capacitor_open", cap_uf=1.5)
    return _graded(
        6, "The kit that hid the fault", ("fit", "diagnosis"), case, COMPLAINTS["hums_no_start"],
        mistake_title="A start kit goes over an open run capacitor and seems to have cured it",
        expert=(
            look("plate"), Note(plate_rla_a=17.9), *MAKE_SAFE, *CAPACITOR, Note(cause="run_capacitor_open"),
            fit("dual_capacitor"), Note(changed="dual_capacitor"), *after(lead("run_capacitor", True)),
        ),
        mistake=(
            look("plate"), Note(plate_rla_a=17.9), *MAKE_SAFE, Note(cause="worn_bearings"),
            fit("start_kit", number="KT-130"), Note(changed="start_kit"), *after(),
        ),
    )  # fmt: skip


def _own_kit() -> Scenario:
    case = _case("start_kit_failed", kit=True, kit_bad=True, load=14.0, kit_stuck=False)
    return _graded(
        7, "The bad start kit", ("diagnosis",), case, COMPLAINTS["hums_no_start"],
        traps=Traps(kit=_part("KT-130"), kit_blocks=True),
        work=frozenset({"start_kit", "soft_starter"}),
        mistake_title="The failed start kit itself keeps the compressor from starting",
        expert=(
            look("plate"), Note(plate_rla_a=17.9), *MAKE_SAFE, look("kit"), lead("start_kit", False),
            *POWER, *START, Note(take=True), *MAKE_SAFE, Note(cause="start_kit_failed"),
            fit("start_kit", number="KT-130"), Note(changed="start_kit"), *after(),
        ),
        mistake=(
            look("plate"), Note(plate_rla_a=17.9), switch("thermostat", True), wait(1), *MAKE_SAFE,
            Note(cause="locked_rotor", condemned=True), fit("compressor"), Note(changed="compressor"), *END,
        ),
    )  # fmt: skip


def _feeder() -> Scenario:
    z = 230 / 112
    case = _case("segment_loss", path_ohm=0.2 * z, source_ohm=0.02 * z, load=18.0)
    walk = (
        volts("panel.A", "panel.B"), switch("thermostat", True), switch("thermostat", False), wait(5),
        volts("contactor.L1", "contactor.L2"), switch("thermostat", True),
    )  # fmt: skip
    return _graded(
        8, "The lost volts", ("diagnosis", "fit"), case, COMPLAINTS["slow_start"],
        mistake_title="The volts are lost in the feeder or a lug, and the compressor gets the kit",
        expert=(
            look("plate"), Note(plate_rla_a=17.9), *walk, *MAKE_SAFE, *CAPACITOR, Note(cause="segment_loss"),
            lead("run_capacitor", True), look("lugs"), fit("wiring"), Note(changed="wiring"), *after(),
        ),
        mistake=(
            look("plate"), Note(plate_rla_a=17.9), *MAKE_SAFE, *CAPACITOR, lead("run_capacitor", True),
            Note(cause="long_lines_or_liquid"), fit("start_kit", number="KT-130"), Note(changed="start_kit"),
            *after(),
        ),
    )  # fmt: skip


def _wires() -> Scenario:
    case = _case("long_lines_or_liquid", line_ft=110.0, load=42.0)
    kit = fit("start_kit", number="KT-130")
    taped = lead("coil", False, taped=True)
    return _graded(
        9, "Which C?", ("wiring",), case, COMPLAINTS["slow_start"],
        work=frozenset({"start_kit"}),
        mistake_title="Capacitor C is taken for compressor C; relay 5 goes on the wrong leg; a lead touches",
        expert=(
            look("plate"), Note(plate_rla_a=17.9), Act(verb="ask", topic="lines"), *MAKE_SAFE, *CAPACITOR,
            lead("run_capacitor", True), Note(cause="long_lines_or_liquid"), taped, kit, _kit_wired(),
            Note(changed="start_kit"), lead("coil", True), *after(),
        ),
        mistake=(
            look("plate"), Note(plate_rla_a=17.9), *MAKE_SAFE, *CAPACITOR, lead("run_capacitor", True),
            Note(cause="long_lines_or_liquid"), switch("thermostat", True), lead("coil", False),
            switch("thermostat", False), fit("control"), kit, _kit_wired(wrong=True),
            Note(changed="start_kit"), *after(),
        ),
    )  # fmt: skip


@cache
def three_wire_nets(wrong: bool = False) -> tuple[tuple[str, ...], ...]:
    """Return the nets of a three-wire kit as planned; ``wrong``: its relay's 5 on the run leg."""
    from orange_crank.core.wiring.plan_wiring import WiringIn, plan_wiring

    nets = [list(n) for n in plan_wiring(WiringIn(kind="three_wire_kit")).after]
    if wrong:
        for net in nets:
            if "relay.5" in net:
                net.remove("relay.5")
        next(n for n in nets if "run_cap.C" in n).append("relay.5")
    return tuple(tuple(n) for n in nets if len(n) > 1)


def _kit_wired(wrong: bool = False) -> Act:
    nets = [list(n) for n in three_wire_nets(wrong)]
    return Act.model_validate({"verb": "wire", "wiring": {"kind": "three_wire_kit", "nets": nets}})


def _class() -> Scenario:
    case = _case("long_lines_or_liquid", plate=1, line_ft=95.0, load=30.0, idle_v=209.0)
    begin: tuple[Step, ...] = (
        look("plate"), Note(plate_rla_a=21.8), Act(verb="ask", topic="lines"), *MAKE_SAFE, *CAPACITOR,
        lead("run_capacitor", True), Note(cause="long_lines_or_liquid"),
    )  # fmt: skip
    return _graded(
        10, "Arrow up", ("fit",), case, COMPLAINTS["slow_start"],
        work=frozenset({"start_kit"}),
        mistake_title="The relay is mounted flat, or of a class this motor never reaches",
        expert=(
            *begin, fit("start_kit", number="KT-88"), Note(changed="start_kit"), *after(),
        ),
        mistake=(
            *begin, fit("start_kit", number="KT-88", relay="PR-405"), Note(changed="start_kit"), *after(),
        ),
    )  # fmt: skip


def _learns() -> Scenario:
    case = _case("source_too_small", plate=2, load=12.0, source_ohm=0.05, path_ohm=0.05, backup=True)
    starts: tuple[Step, ...] = ()
    for _ in range(5):
        starts += (switch("thermostat", True), switch("thermostat", False), wait(4))
    fitted: tuple[Step, ...] = (
        *MAKE_SAFE, *CAPACITOR, lead("run_capacitor", True), Note(cause="source_too_small"),
        fit("soft_starter", number="SS-16"), Note(changed="soft_starter"), *POWER,
    )  # fmt: skip
    return _graded(
        11, "Judged on the first start", ("fit", "record"), case, COMPLAINTS["will_not_run_on_backup"],
        setup={"source_kind": "generator", "source_kva": 5.0},
        work=frozenset({"soft_starter"}),
        learning_starts=5,
        mistake_title="The soft starter is judged on its first start; a generator by running watts",
        expert=(
            look("plate"), Note(plate_rla_a=10.9), Act(verb="ask", topic="when"), *fitted, *starts, *START,
            Note(take=True), wait(5), *END,
        ),
        mistake=(
            look("plate"), Note(plate_rla_a=10.9), *fitted, *START, Note(take=True), *MAKE_SAFE,
            fit("soft_starter"), *END,
        ),
    )  # fmt: skip


def _breaker() -> Scenario:
    case = _case("run_capacitor_weak", cap_uf=36.0, load=13.0, breaker_a=60.0)
    work = (
        *MAKE_SAFE, *CAPACITOR, Note(cause="run_capacitor_weak"), fit("dual_capacitor"),
        Note(changed="dual_capacitor"), lead("run_capacitor", True),
    )  # fmt: skip
    return _graded(
        12, "The breaker that was there", ("circuit",), case, COMPLAINTS["slow_start"],
        traps=Traps(old_breaker=True),
        mistake_title="The old breaker stays over the new unit's largest; the wire is sized by the breaker",
        expert=(
            look("plate"), Note(plate_rla_a=17.9), look("breaker"), *work, Note(circuit_seen=True),
            fit("breaker", rating_a=40.0), Note(changed="breaker"), *after(),
        ),
        mistake=(look("plate"), Note(plate_rla_a=17.9), *after(*work)),
    )  # fmt: skip


_GRADED: tuple[Callable[[], Scenario], ...] = (
    _handle, _not_measured, _misread, _hot_shell, _spent, _masked, _own_kit, _feeder, _wires, _class,
    _learns, _breaker,
)  # fmt: skip


@cache
def graded() -> tuple[Scenario, ...]:
    """Return the twelve graded calls, in order of work."""
    return tuple(make() for make in _GRADED)


# Where the repair of a cause is this and nothing else of what may mend it.
_WORK: dict[Hypothesis, frozenset[PartKind]] = {
    "segment_loss": frozenset({"wiring"}),
    "loose_lug_at_breaker": frozenset({"wiring", "breaker"}),
    "long_lines_or_liquid": frozenset({"start_kit", "soft_starter"}),
    "start_kit_failed": frozenset({"start_kit", "soft_starter"}),
}


def endless(level: int, seed: int) -> Scenario:
    """Return the call of a seed: at level 1 one plain fault, at 3 rare ones, pairs and traps."""
    import numpy as np

    rng = np.random.default_rng((level, seed))
    among = tuple(f for n in range(1, level + 1) for f in LEVELS[n] if f in TALLY)
    paired = level == 3 and rng.random() < 0.3
    first, second = PAIRS[int(rng.integers(len(PAIRS)))] if paired else (None, None)
    n = int(rng.integers(1, 2**30))
    while True:
        case = make_case(n, (first,) if first else among, second)
        if case.plate.phase == 1 and case.plate.run_cap_uf is not None:
            break
        n += 1
    fault = case.fault
    kit = bool(case.truth["kit"])
    blocks = fault == "start_kit_failed" and not case.truth.get("kit_stuck")
    if fault == "overload_open":
        # The windings are sound: what is open is the overload, which the unit itself opens and closes.
        case = remake(case, windings="sound", turns=True)
    if blocks:
        case = remake(case, load=14.0)
    traps = Traps(
        stuck_leg=("L1", "L2")[int(rng.integers(2))] if level == 3 and rng.random() < 0.25 else None,
        bad_resistor=level > 1 and bool(rng.random() < 0.3),
        holds_charge=str(case.truth["windings"]) == "start_open",
        kit=_part("KT-130") if kit else None,
        kit_blocks=blocks,
        kit_stuck=fault == "start_kit_failed" and not blocks,
        tripped=fault in ("winding_grounded", "breaker_weak_or_small") and bool(rng.random() < 0.7),
        overload_open=fault == "overload_open",
        weak_breaker=fault == "breaker_weak_or_small",
        pressed=fault == "pressure_not_equal",
    )
    setup = replace(setup_of(case), overload_cools_s=COOLS_S)
    if level > 1 and rng.random() < 0.5:
        setup = replace(setup, fan_leads_s=0.5)
    complaint = " ".join(COMPLAINTS[s] for s in case.symptoms[:2]) or COMPLAINTS["upgrade_only"]
    return Scenario(
        key=f"seed-{level}-{seed}",
        title=f"Level {level}, call {seed}",
        level=level,
        seed=seed,
        complaint=complaint,
        case=case,
        setup=setup,
        causes=(fault,) if second is None else (fault, second),
        work=_WORK.get(fault, frozenset()) if second is None else frozenset(),
        teaches=("diagnosis",),
        traps=traps,
    )


def find_scenario(key: str) -> Scenario | None:
    """Return the call of a key; None where there is none."""
    kind, _, rest = key.partition("-")
    if kind == "graded":
        return next((s for s in graded() if s.key == key), None)
    level, _, seed = rest.partition("-")
    if kind == "seed" and level in ("1", "2", "3") and seed.isdigit() and int(seed) < 2**31:
        return endless(int(level), int(seed))
    return None
