"""What stands on every circuit, whatever is asked: said once, apart from the findings."""

from functools import lru_cache

from orange_crank.core.circuit.conductor import CABLES
from orange_crank.core.circuit.rules.job import Job, finding
from orange_crank.core.nomenclature import Finding, feet
from orange_crank.core.plate.arithmetic import clause
from orange_crank.core.plate.model import Edition

# NEC Table 110.26(A)(1): depth [in] by volts to ground and by what faces the equipment.
_DEPTHS_IN = ((150.0, (36, 36, 36)), (600.0, (36, 42, 48)))


def working_space(volts_to_ground: float, edition: str) -> Finding:
    """Return the working space in front of a disconnect, with its figures."""
    one, two, three = next(d for most, d in _DEPTHS_IN if volts_to_ground <= most)
    depth = f"{one} in deep"
    if three > one:
        depth = f"{one} in deep, {two} in facing grounded parts or masonry, {three} in facing live parts"
    return Finding(
        code="WORKING_SPACE",
        verdict="note",
        text=f"Working space in front of the disconnect: 30 in wide, 78 in high, {depth} "
        f"({volts_to_ground:.0f} V to ground).",
        rule=f"NEC {edition} 110.26(A), Table 110.26(A)(1)",
        inputs={"volts_to_ground_v": round(volts_to_ground, 1)},
    )


def always(job: Job) -> list[Finding]:
    """Return the notes that stand on every answer of this kind."""
    entry = job.entry
    return list(
        standing_notes(
            entry.edition,
            job.heat,
            entry.volts_to_ground,
            entry.poles == 2 and entry.insulation in CABLES,
            bool(entry.inverter),
            entry.available_fault_a is None and entry.short_circuit_rating_a is None,
        )
    )


@lru_cache(maxsize=256)
def standing_notes(
    e: Edition,
    heat: bool,
    to_ground_v: float,
    white_as_hot: bool = False,
    inverter: bool = False,
    fault_unsaid: bool = False,
) -> tuple[Finding, ...]:
    """Return the notes of a cooling or a heating circuit; volts to ground in V."""
    found = [
        finding(
            "WITHIN_SIGHT",
            "note",
            ("Disconnect within sight and readily accessible. Not on an access panel or over the nameplate.")
            if not heat
            else "A disconnect for each circuit, in sight or as the clause allows; all marked.",
            clause(e, "424.19" if heat else "440.14"),
        ),
        working_space(to_ground_v, e),
        finding(
            "TORQUE",
            "note",
            "Torque lugs to the label with a torque tool and record it. Reject a cracked lug.",
            clause(e, "110.14(D)"),
        ),
        finding(
            "RECEPTACLE",
            "note",
            f"A 125 V receptacle for service within {feet(25.0)}, on the same level.",
            clause(e, "210.63" if e == "2017" else "210.63(A)"),
        ),
        finding(
            "GROUND_NOT_ELECTRODE",
            "note",
            "The grounding conductor brings fault current back so that the device opens; a "
            "rod in the earth does "
            "not do that.",
            clause(e, "250.4(A)(5)"),
        ),
    ]
    if white_as_hot:
        found.append(
            finding(
                "WHITE_AS_HOT",
                "note",
                "White used as a hot is marked again at both ends.",
                clause(e, "200.7(C)"),
            )
        )
    if e == "2023" and not heat:
        found.append(
            finding(
                "LOCKABLE_COVER",
                "note",
                (
                    "Outdoor disconnect the public can reach: must lock or need a tool to open. Check "
                    "local code."
                ),
                clause(e, "440.11"),
            )
        )
    if inverter:
        found.append(
            finding(
                "INTERCONNECT",
                "note",
                "Indoor-outdoor cable: follow the manufacturer. Not sized here.",
                clause(e, "110.3(B)"),
            )
        )
    if fault_unsaid:
        found.append(
            finding(
                "SHORT_CIRCUIT_ASK",
                "note",
                "The unit's short-circuit rating is not compared with the fault current there.",
                clause(e, "440.10(A), 440.4(B)"),
                step="Ask the utility for the fault current where the unit's rating is low.",
            )
        )
    found.append(
        finding(
            "WHO_DECIDES",
            "note",
            "Local amendments, the authority having jurisdiction and a licensed person decide.",
            clause(e, "90.4"),
        )
    )
    return tuple(found)
