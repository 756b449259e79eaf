"""What was changed on a unit, and which readings thereby speak of the old part only."""

from collections.abc import Mapping
from typing import Literal

from pydantic import AwareDatetime, Field

from orange_crank.core.diagnosis.model import Measured
from orange_crank.core.measure.reading import Quantity
from orange_crank.core.messages import msg, within
from orange_crank.core.nomenclature import Frozen, Word

# How a change begins that puts back what was fitted on the same call.
TAKEN_OFF = "Removed: "
# As records before 0.9 have it.
TAKEN_OFF_WORDS = (TAKEN_OFF, msg("Taken off again: "))
PartKind = Literal[
    "run_capacitor",
    "fan_capacitor",
    "dual_capacitor",
    "contactor",
    "start_kit",
    "soft_starter",
    "compressor",
    "fan_motor",
    "fuse",
    "breaker",
    "control",
    "wiring",
    "charge",
    "condenser",
    "supply",
    "other",
]
PART_WORDS: Mapping[PartKind, str] = {
    "run_capacitor": msg("Run capacitor"),
    "fan_capacitor": msg("Fan capacitor"),
    "dual_capacitor": msg("Dual run capacitor"),
    "contactor": "Contactor",
    "start_kit": msg("Start kit"),
    "soft_starter": msg("Soft starter"),
    "compressor": "Compressor",
    "fan_motor": msg("Fan motor"),
    "fuse": "Fuse",
    "breaker": "Breaker",
    "control": msg("Control fuse or transformer"),
    "wiring": msg("Wire, lug or connection"),
    "charge": msg("Refrigerant charge"),
    "condenser": msg("Condenser cleaned"),
    "supply": msg("Supply, by utility or electrician"),
    "other": msg("Something else"),
}

_RUN: frozenset[Quantity] = frozenset({"run_cap_uf", "can_look", "can_label_uf"})
_FAN: frozenset[Quantity] = frozenset({"fan_cap_uf"})
_COMPRESSOR: frozenset[Quantity] = frozenset(
    {"winding_cs_ohm", "winding_cr_ohm", "winding_sr_ohm", "shell_hot", "inrush_a", "running_a", "run_a",
     "start_a", "start_time_s", "pins_found"}
)  # fmt: skip
# Readings that speak of a part alone: once it is replaced they are the old part's.
OWN_READINGS: Mapping[PartKind, frozenset[Quantity]] = {
    "run_capacitor": _RUN,
    "fan_capacitor": _FAN,
    "dual_capacitor": _RUN | _FAN,
    "contactor": frozenset({"contactor_look", "coil_ohm", "coil_v", "contactor_drop_v", "cycles_count"}),
    "start_kit": frozenset({"start_cap_uf"}),
    "compressor": _COMPRESSOR,
    "fan_motor": frozenset({"fan_a"}),
    "fuse": frozenset({"fuse_open"}),
}
OWN_TESTS: Mapping[PartKind, frozenset[str]] = {
    "run_capacitor": frozenset({"capacitor", "capacitor-top"}),
    "fan_capacitor": frozenset({"capacitor-top"}),
    "dual_capacitor": frozenset({"capacitor", "capacitor-top"}),
    "start_kit": frozenset({"start-kit"}),
    "compressor": frozenset({"winding-amps", "isolation"}),
    "supply": frozenset({"legs", "supply-walk", "imbalance"}),
    "wiring": frozenset({"supply-walk"}),
    "charge": frozenset({"refrigerant"}),
}
OWN_SEEN: Mapping[PartKind, frozenset[Measured]] = {
    "start_kit": frozenset({"start_kit_present", "start_kit_bypassed_starts", "start_kit_wired_right"}),
    "run_capacitor": frozenset({"can_label_uf"}),
    "dual_capacitor": frozenset({"can_label_uf"}),
    "fan_motor": frozenset({"fan_rotation_ok"}),
    "contactor": frozenset({"contactor_pulled_in"}),
    "compressor": frozenset({"windings_at_pins"}),
    "wiring": frozenset({"legs_shorted", "line_at_unit_v", "windings_at_pins", "start_kit_wired_right"}),
    "fuse": frozenset({"line_at_unit_v"}),
    "supply": frozenset({"line_at_unit_v"}),
    "soft_starter": frozenset({"start_kit_present", "start_kit_bypassed_starts"}),
    "control": frozenset({"control_fuse_open", "control_switch_open"}),
    "condenser": frozenset({"condenser_dirty"}),
    "charge": frozenset({"charge"}),
    "breaker": frozenset({"breaker_a", "breaker_lug_tight", "line_at_unit_v"}),
}


class Change(Frozen):
    """Something changed on the unit during a call."""

    id: int
    what: Word
    part: PartKind | None = Field(default=None, description="Which part, where it was said")
    made_at: AwareDatetime
    person: Word
    place: float = Field(default=0.0, description="Its place in the order of recording of the call")


def part_word(part: PartKind | None) -> str:
    """Name a part within a sentence."""
    return within(PART_WORDS[part or "other"])
