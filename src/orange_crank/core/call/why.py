"""The Why rung of a call: its diagnosis, and which decisions its record allows."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Literal, get_args

from orange_crank.core.call.evidence import entry_of_call
from orange_crank.core.call.gates import CLOSED_CALL, OPEN, Gate, require, shut
from orange_crank.core.call.judge import JudgedCall
from orange_crank.core.call.why_record import Decision, DecisionKind
from orange_crank.core.diagnosis import DiagnoseIn, DiagnoseOut, diagnose
from orange_crank.core.diagnosis.model import Hazard
from orange_crank.core.errors import FieldProblem, GateClosed, InputProblem
from orange_crank.core.messages import joined, msg, within

WhyGate = Literal[
    "decide_cause",
    "agree_trial",
    "end_trial",
    "condemn",
    "say_why_it_died",
    "answer_overload",
    "answer_price",
]
WHY_GATES: tuple[WhyGate, ...] = get_args(WhyGate)


@dataclass(frozen=True)
class WhyOfCall:
    """What a call's record says of its cause, and what may be decided on it."""

    call: JudgedCall

    @cached_property
    def entry(self) -> DiagnoseIn:
        """The call as the diagnosis takes it.

        Raises
        ------
        GateClosed : its unit has no plate yet, or one that cannot be read

        """
        if self.call.facts.plate is None:
            raise GateClosed(
                msg("No nameplate saved for this unit."), next_step=msg("Enter the nameplate first (step 2).")
            )
        return entry_of_call(
            self.call.facts, self.call.limits, self.call.found_stops, standing_hazards(self.call)
        )

    @cached_property
    def result(self) -> DiagnoseOut:
        """The diagnosis; under a stop nothing live is asked for."""
        result = diagnose(self.entry, self.call.limits)
        if result.stop is None:
            return result
        missing = [
            m.model_copy(update={"text": msg("After the stop clears: {proof}", proof=within(m.text))})
            if m.live
            else m
            for m in result.condemn.missing
        ]
        condemn = result.condemn.model_copy(update={"missing": missing, "trial": None})
        return result.model_copy(update={"condemn": condemn})

    @cached_property
    def gates(self) -> Mapping[WhyGate, Gate]:
        """What may be decided now."""
        facts, condemn = self.call.facts, self.result.condemn
        if facts.status == "closed":
            return dict.fromkeys(WHY_GATES, CLOSED_CALL)
        first = condemn.missing[0].text if condemn.missing else msg("Do the next test in Diagnosis.")
        trials = facts.trials
        agreed = bool(trials)
        stopped = (
            shut(msg("STOP. {text}", text=self.result.stop.text), self.result.stop.next_step)
            if self.result.stop
            else None
        )
        overload = self.call.overload
        return {
            "decide_cause": OPEN,
            "answer_price": OPEN
            if facts.settled_cause is not None or facts.condemned
            else shut(
                msg("No cause selected on this call."),
                msg("Select the cause first; the price follows from it."),
            ),
            "agree_trial": stopped
            or (
                shut(msg("Prove everything else first. The trial comes last."), first)
                if condemn.missing
                else shut(msg("A trial is agreed already."), msg("Make it, then write down what came of it."))
                if agreed
                else OPEN
            ),
            "end_trial": stopped
            or (
                shut(
                    msg("A trial is agreed in writing before it is made."),
                    msg("Write down who agreed first."),
                )
                if not agreed
                else shut(msg("Prove everything else first. The trial comes last."), first)
                if condemn.missing and trials[-1].result is None
                else shut(
                    msg("The trial's result is written down already."), msg("Go on by what came of it.")
                )
                if trials[-1].result is not None
                else OPEN
            ),
            "condemn": OPEN
            if condemn.allowed and not facts.condemned
            else shut(msg("The compressor is condemned already."), msg("Say what killed it."))
            if facts.condemned
            else shut(
                msg(
                    "These readings do not prove the compressor has failed. {missing}",
                    missing=self._missing(),
                ),
                first,
            ),
            "say_why_it_died": OPEN
            if facts.condemned
            else shut(msg("No compressor is condemned on this call."), msg("Prove it dead first.")),
            "answer_overload": OPEN
            if overload is not None and overload.answered_by is None
            else shut(msg("No open overload waits for an answer on this call."), msg("Go on with the call.")),
        }

    def _missing(self) -> str:
        return joined(
            (msg("{i}. {text}", i=i, text=m.text) for i, m in enumerate(self.result.condemn.missing, 1)), " "
        )


def why_of_call(call: JudgedCall) -> WhyOfCall:
    """Return the Why rung of a judged call; nothing is computed until it is asked for."""
    return WhyOfCall(call)


def standing_hazards(call: JudgedCall) -> list[Hazard]:
    """Return the hazards told of that nobody has settled."""
    settled = call.found_stops.settled
    told: dict[Hazard, bool] = {}
    for one in call.facts.hazards:
        hazard: Hazard = one.what  # type: ignore[assignment]
        told[hazard] = f"hazard-{hazard}-{one.place:g}" not in settled
    return [h for h, stands in told.items() if stands]


def refuse_decision(why: WhyOfCall, kind: DecisionKind, decision: Decision) -> None:
    """Raise unless the record allows a decision.

    Raises
    ------
    GateClosed : the record does not allow it; says what is missing
    InputProblem : the decision lacks what its kind needs

    """
    wants: dict[DecisionKind, tuple[bool, str, str]] = {
        "cause": (decision.hypothesis is not None, "decision.hypothesis", msg("the cause taken")),
        "kit_trial": (
            decision.trial is not None,
            "decision.trial",
            msg("who agreed to the trial, in writing"),
        ),
        "why_it_died": (
            bool(decision.put_right),
            "decision.put_right",
            msg("at least one thing that killed it or was put right"),
        ),
        "go_ahead": (decision.go is not None, "decision.go", msg("covered, or not_today")),
        "overload_cause": (
            len(decision.note.strip()) >= 3,
            "decision.note",
            msg("what heated the overload, in a few words"),
        ),
    }
    if kind in wants:
        given, field, wanted = wants[kind]
        if not given:
            raise InputProblem([FieldProblem(field=field, wanted=wanted, got=None)])
    gate: dict[DecisionKind, WhyGate] = {
        "cause": "decide_cause",
        "kit_trial": "agree_trial" if decision.trial and decision.trial.result is None else "end_trial",
        "condemned": "condemn",
        "why_it_died": "say_why_it_died",
        "overload_cause": "answer_overload",
        "go_ahead": "answer_price",
    }
    require(why.gates[gate[kind]])
