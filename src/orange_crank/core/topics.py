"""The computations by name: one table that the command line and HTTP both open.

A topic is a frozen model in, one call, a frozen model out.
"""

from collections.abc import Callable
from dataclasses import dataclass
from inspect import signature
from typing import Any

from pydantic import BaseModel, JsonValue, ValidationError

from orange_crank.core.aids import AidIn, AidOut, choose_aid
from orange_crank.core.aids.combine import CombineIn, CombineOut, combine
from orange_crank.core.aids.contactor import ContactorIn, ContactorOut, choose_contactor
from orange_crank.core.aids.run_capacitor import CapacitorIn, CapacitorOut, choose_capacitors
from orange_crank.core.backup import BackupIn, BackupOut, check_backup
from orange_crank.core.circuit import AuditIn, AuditOut, CircuitIn, CircuitOut, audit_circuit, size_circuit
from orange_crank.core.circuit.book import (
    CoverIn,
    CoverOut,
    FaultIn,
    FaultOut,
    ServiceIn,
    ServiceOut,
    TorqueIn,
    TorqueOut,
    cover,
    fault_current,
    service_load,
    torque,
)
from orange_crank.core.circuit.quick import (
    AirflowIn,
    AirflowOut,
    DropIn,
    DropOut,
    PowerIn,
    PowerOut,
    airflow,
    power_and_amps,
    voltage_drop,
)
from orange_crank.core.diagnosis import DiagnoseIn, DiagnoseOut, diagnose
from orange_crank.core.errors import FieldProblem, InputProblem, input_problem
from orange_crank.core.heat import HeatIn, HeatOut, HeatStrips, HeatStripsOut, judge_strips, size_heat
from orange_crank.core.measure.capacitor import (
    Capacitor,
    CapacitorResult,
    CapacitorTop,
    CapacitorTopResult,
    judge_capacitor,
    name_capacitor_top,
)
from orange_crank.core.measure.compare import Comparison, ComparisonResult, compare
from orange_crank.core.measure.contactor import Contactor, ContactorResult, judge_contactor
from orange_crank.core.measure.inrush import Inrush, InrushResult, judge_inrush
from orange_crank.core.measure.isolation import Isolation, IsolationResult, isolate
from orange_crank.core.measure.legs import (
    Imbalance,
    ImbalanceResult,
    LegsResult,
    LegsToNeutral,
    WindingAmps,
    WindingAmpsResult,
    judge_imbalance,
    judge_legs,
    winding_angle,
)
from orange_crank.core.measure.reading import QuestionIn, QuestionOut, question_value
from orange_crank.core.measure.refrigerant import Refrigerant, RefrigerantResult, judge_refrigerant
from orange_crank.core.measure.running import Running, RunningResult, judge_running
from orange_crank.core.measure.start_kit import StartKit, StartKitResult, judge_start_kit
from orange_crank.core.measure.start_time import StartTime, StartTimeResult, judge_start_time
from orange_crank.core.measure.supply_walk import SupplyWalk, SupplyWalkResult, walk_supply
from orange_crank.core.measure.windings import Windings, WindingsResult, judge_windings
from orange_crank.core.messages import msg
from orange_crank.core.motor.entry import StartIn
from orange_crank.core.motor.explain import ExplainOut, explain_starts
from orange_crank.core.motor.lab import LabIn, LabOut, TakeIn, TakeOut, compare_starts, what_it_takes
from orange_crank.core.motor.start import StartResult, compute_start
from orange_crank.core.motor.sweep import SweepIn, SweepOut, run_sweep
from orange_crank.core.motor.typical import TypicalIn, TypicalOut, typical_aids
from orange_crank.core.plain_entry import refuse_unusable
from orange_crank.core.plate import PlateRead, PlateResult, check_plate
from orange_crank.core.safety.bleed import Bleed, BleedResult, bleed_down
from orange_crank.core.safety.make_safe import MakeSafeOnPlate, MakeSafeResult, judge_on_plate
from orange_crank.core.tables.standards import Standards
from orange_crank.core.wiring import WiringIn, WiringOut, plan_wiring


@dataclass(frozen=True)
class Topic:
    """One computation and the models on either side of it."""

    name: str
    summary: str
    takes: type[BaseModel]
    gives: type[BaseModel]
    call: Callable[..., BaseModel]
    uses_standards: bool

    def run(self, entry: BaseModel, standards: Standards | None = None) -> BaseModel:
        """Compute, by a shop's own standards where the topic uses any (shipped ones when left out)."""
        try:
            return self.call(entry, standards) if self.uses_standards else self.call(entry)
        except ValidationError as error:
            # What only shows while it is computed, such as a range upside down on a part within.
            raise input_problem(error) from None

    def schema(self) -> dict[str, JsonValue]:
        """Return the JSON Schema of both sides."""
        return {
            "topic": self.name,
            "summary": self.summary,
            "input": self.takes.model_json_schema(mode="validation"),
            "output": self.gives.model_json_schema(mode="serialization"),
        }


def _topic(name: str, summary: str, takes: type[BaseModel], gives: type[BaseModel], call: Any) -> Topic:
    uses = "standards" in signature(call).parameters
    return Topic(name=name, summary=summary, takes=takes, gives=gives, call=call, uses_standards=uses)


TOPICS: dict[str, Topic] = {
    topic.name: topic
    for topic in (
        _topic("plate", msg("Check a nameplate against itself"), PlateRead, PlateResult, check_plate),
        _topic("inrush", msg("Judge an inrush reading"), Inrush, InrushResult, judge_inrush),
        _topic("compare", msg("Compare a start before and after"), Comparison, ComparisonResult, compare),
        _topic("windings", msg("Judge winding resistances"), Windings, WindingsResult, judge_windings),
        _topic("capacitor", msg("Judge a capacitor"), Capacitor, CapacitorResult, judge_capacitor),
        _topic(
            "capacitor-top",
            msg("Name the tabs of an unreadable capacitor"),
            CapacitorTop,
            CapacitorTopResult,
            name_capacitor_top,
        ),
        _topic("contactor", msg("Judge a contactor"), Contactor, ContactorResult, judge_contactor),
        _topic("start-kit", msg("Judge a fitted start kit"), StartKit, StartKitResult, judge_start_kit),
        _topic(
            "winding-amps",
            msg("Angle between winding currents"),
            WindingAmps,
            WindingAmpsResult,
            winding_angle,
        ),
        _topic("imbalance", msg("Judge three-phase imbalance"), Imbalance, ImbalanceResult, judge_imbalance),
        _topic("legs", msg("Tell an open neutral from a sag"), LegsToNeutral, LegsResult, judge_legs),
        _topic("supply-walk", msg("Find where volts are lost"), SupplyWalk, SupplyWalkResult, walk_supply),
        _topic("isolation", msg("Find what is shorted to metal"), Isolation, IsolationResult, isolate),
        _topic(
            "refrigerant",
            msg("Refrigerant side as evidence"),
            Refrigerant,
            RefrigerantResult,
            judge_refrigerant,
        ),
        _topic(
            "start-time", msg("Judge how long a start took"), StartTime, StartTimeResult, judge_start_time
        ),
        _topic("running", msg("Judge running amps"), Running, RunningResult, judge_running),
        _topic("start", msg("Compute a start from first principles"), StartIn, StartResult, compute_start),
        _topic(
            "start-lab",
            msg("Compute starts side by side and say why they differ"),
            LabIn,
            LabOut,
            compare_starts,
        ),
        _topic("explain", msg("Show starts in slow motion, with words"), LabIn, ExplainOut, explain_starts),
        _topic("start-takes", msg("Find what it would take to start"), TakeIn, TakeOut, what_it_takes),
        _topic("start-aids", msg("Lay out aids of ordinary size"), TypicalIn, TypicalOut, typical_aids),
        _topic("sweep", msg("Compute every combination of what is varied"), SweepIn, SweepOut, run_sweep),
        _topic(
            "diagnose",
            msg("Rank why it starts hard, and what to test next"),
            DiagnoseIn,
            DiagnoseOut,
            diagnose,
        ),
        _topic("aid", msg("Choose a start aid, or none"), AidIn, AidOut, choose_aid),
        _topic("contactor-choice", msg("Choose a contactor"), ContactorIn, ContactorOut, choose_contactor),
        _topic(
            "capacitor-choice",
            msg("Find the capacitors that make a value"),
            CapacitorIn,
            CapacitorOut,
            choose_capacitors,
        ),
        _topic("combine", msg("Capacitors in parallel or series"), CombineIn, CombineOut, combine),
        _topic("backup", msg("Check a start on backup power"), BackupIn, BackupOut, check_backup),
        _topic("wiring", msg("Lay out a wiring plan, and check the work"), WiringIn, WiringOut, plan_wiring),
        _topic("circuit", msg("Size a circuit, clause by clause"), CircuitIn, CircuitOut, size_circuit),
        _topic(
            "audit", msg("Hold an existing circuit against a nameplate"), AuditIn, AuditOut, audit_circuit
        ),
        _topic("drop", msg("Voltage drop of a run, with its neighbors"), DropIn, DropOut, voltage_drop),
        _topic("power", msg("Kilowatts and amps"), PowerIn, PowerOut, power_and_amps),
        _topic("service", msg("Service load of a dwelling"), ServiceIn, ServiceOut, service_load),
        _topic("fault", msg("Available fault current at the unit"), FaultIn, FaultOut, fault_current),
        _topic("cover", msg("Cover over buried wiring"), CoverIn, CoverOut, cover),
        _topic("torque", msg("Torque of a lug without a label"), TorqueIn, TorqueOut, torque),
        _topic("airflow", msg("Airflow from electric heat"), AirflowIn, AirflowOut, airflow),
        _topic("heat-strips", msg("Heat strips measured on a call"), HeatStrips, HeatStripsOut, judge_strips),
        _topic("heat", msg("Size and check electric heat"), HeatIn, HeatOut, size_heat),
        _topic("bleed", msg("Bleed a capacitor down"), Bleed, BleedResult, bleed_down),
        _topic("make-safe", msg("Judge a make-safe record"), MakeSafeOnPlate, MakeSafeResult, judge_on_plate),
        _topic("question", msg("Ask about a surprising value"), QuestionIn, QuestionOut, question_value),
    )
}


def find_topic(name: str) -> Topic:
    """Return a topic by name, or refuse naming those there are."""
    if name not in TOPICS:
        known = ", ".join(TOPICS)
        raise InputProblem([FieldProblem(field="topic", wanted=msg("one of {known}", known=known), got=name)])
    return TOPICS[name]


def calculate(name: str, entry: str | bytes, standards: Standards | None = None) -> BaseModel:
    """Run one topic on one JSON object, by a shop's standards where given.

    Raises
    ------
    InputProblem : the entry is not JSON, or a field cannot be used
    BeyondTable : a standard size above the largest was needed

    """
    return calculate_with(find_topic(name), entry, standards)


def calculate_with(topic: Topic, entry: str | bytes, standards: Standards | None = None) -> BaseModel:
    """Run a topic on one JSON object.

    Raises
    ------
    InputProblem : the entry is not JSON, or a field cannot be used

    """
    refuse_unusable(entry)
    try:
        given = topic.takes.model_validate_json(entry)
    except ValidationError as error:
        raise input_problem(error) from None
    return topic.run(given, standards)
