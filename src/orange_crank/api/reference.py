"""What the front end needs to know to ask the right questions: words and lists from the core."""

from fastapi import APIRouter
from pydantic import Field

from orange_crank.core.call.call_tests import CALL_TESTS, CallTest
from orange_crank.core.call.changes import PART_WORDS
from orange_crank.core.call.why_record import SEEN_HERE, SeenNote
from orange_crank.core.diagnosis.model import SYMPTOM_WORDS
from orange_crank.core.measure.meter import CONDUCTORS, METER_MODES, MeterModeNote
from orange_crank.core.measure.reading import QUANTITIES, QuantityNote
from orange_crank.core.measure.supply_walk import POINT_WORDS
from orange_crank.core.messages import Prose
from orange_crank.core.nomenclature import Frozen
from orange_crank.core.safety.make_safe import OTHER_SOURCES, PAIRS
from orange_crank.core.safety.state import DEAD_CAUTIONS, LAPSE_REASONS, LIVE_CAUTIONS
from orange_crank.core.tables import conductor_sizes
from orange_crank.core.tables.practice import Practice, practices
from orange_crank.core.tables.refrigerants import Refrigerant, refrigerants
from orange_crank.store.database import local_day, now

router = APIRouter(prefix="/api", tags=["reference"])


class Choice(Frozen):
    """One choice of a list, with its words."""

    value: str
    label: Prose


class Reference(Frozen):
    """Lists and cautions that do not change while the server runs."""

    quantities: list[QuantityNote]
    meter_modes: list[MeterModeNote]
    conductors: list[Choice]
    call_tests: list[CallTest]
    supply_points: list[Choice]
    conductor_sizes: list[str]
    outcomes: list[Choice]
    aids: list[Choice]
    pairs: dict[str, list[str]]
    sections: list[Choice]
    other_sources: list[str]
    lapse_reasons: list[str]
    live_cautions: list[str]
    dead_cautions: list[str]
    symptoms: list[Choice]
    seen_here: list[SeenNote]
    hazards: list[Choice]
    change_parts: list[Choice]
    refrigerants: list[Refrigerant]
    practices: list[Practice] = Field(description="What a rule named as field practice stands on")
    today: str = Field(description="The day here, in the shop's own time")


def _choices(**words: str) -> list[Choice]:
    return [Choice(value=value, label=label) for value, label in words.items()]


@router.get("/reference")
def get_reference() -> Reference:
    """Return the lists and cautions."""
    return Reference(
        quantities=list(QUANTITIES.values()),
        meter_modes=list(METER_MODES),
        conductors=_choices(**CONDUCTORS),
        call_tests=list(CALL_TESTS),
        supply_points=_choices(**POINT_WORDS),
        conductor_sizes=list(conductor_sizes()),
        outcomes=_choices(started="Started", stalled="Stalled", tripped="Tripped"),
        aids=_choices(
            none="None",
            potential_relay="Three-wire kit",
            hard_start="Two-wire kit",
            ptc="PTC",
            soft_starter="Soft starter",
            three_in_one="Three-in-one",
            time_delay="Time delay",
        ),
        pairs={kind: list(pairs) for kind, pairs in PAIRS.items()},
        sections=_choices(c_herm="C–HERM", c_fan="C–FAN", start="Start capacitor", dc_bus="DC bus"),
        other_sources=list(OTHER_SOURCES),
        lapse_reasons=list(LAPSE_REASONS),
        live_cautions=list(LIVE_CAUTIONS),
        dead_cautions=list(DEAD_CAUTIONS),
        symptoms=_choices(**SYMPTOM_WORDS),
        seen_here=list(SEEN_HERE),
        refrigerants=list(refrigerants()),
        practices=list(practices()),
        today=local_day(now()).isoformat(),
        change_parts=[Choice(value=part, label=words) for part, words in PART_WORDS.items()],
        hazards=_choices(
            terminal_damage="A compressor terminal is damaged",
            unknown_feed="A conductor nobody can account for",
            water="Rain or standing water at the panel",
            repeated_trips="It has tripped again and again",
        ),
    )
