"""What stands on every circuit, whatever is asked: said once, apart from the findings."""

from functools import lru_cache

from orange_crank.core.circuit.conductor import CABLES
from orange_crank.core.circuit.rules.job import Job, finding
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Finding, feet
from orange_crank.core.plate.arithmetic import clause
from orange_crank.core.plate.model import Edition

# NEC Table 110.26(A)(1): depth [in] by volts to ground and by what faces the equipment.
_DEPTHS_IN = ((150.0, (36, 36, 36)), (600.0, (36, 42, 48)))


def working_space(volts_to_ground: float, edition: str) -> Finding:
    """Return the working space in front of a disconnect, with its figures."""
    one, two, three = next(d for most, d in _DEPTHS_IN if volts_to_ground <= most)
    depth = msg("{one} in deep", one=one)
    if three > one:
        depth = msg(
            "{one} in deep, {two} in facing grounded parts or masonry, {three} in facing live parts",
            one=one,
            two=two,
            three=three,
        )
    return Finding(
        code="WORKING_SPACE",
        verdict="note",
        text=msg(
            "Working space in front of the disconnect: 30 in wide, 78 in high, {depth} "
            "({volts_to_ground:.0f} V to ground).",
            depth=depth,
            volts_to_ground=volts_to_ground,
        ),
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
            (
                msg(
                    "Disconnect within sight and readily accessible. Not on an access panel or "
                    "over the nameplate."
                )
            )
            if not heat
            else msg("A disconnect for each circuit, in sight or as the clause allows; all marked."),
            clause(e, "424.19" if heat else "440.14"),
        ),
        working_space(to_ground_v, e),
        finding(
            "TORQUE",
            "note",
            msg("Torque lugs to the label with a torque tool and record it. Reject a cracked lug."),
            clause(e, "110.14(D)"),
        ),
        finding(
            "RECEPTACLE",
            "note",
            msg("A 125 V receptacle for service within {value}, on the same level.", value=feet(25.0)),
            clause(e, "210.63" if e == "2017" else "210.63(A)"),
        ),
        finding(
            "GROUND_NOT_ELECTRODE",
            "note",
            msg(
                "The grounding conductor brings fault current back so the breaker opens. A rod "
                "in the earth does not."
            ),
            clause(e, "250.4(A)(5)"),
        ),
    ]
    if white_as_hot:
        found.append(
            finding(
                "WHITE_AS_HOT",
                "note",
                msg("White used as a hot is marked again at both ends."),
                clause(e, "200.7(C)"),
            )
        )
    if e == "2023" and not heat:
        found.append(
            finding(
                "LOCKABLE_COVER",
                "note",
                (
                    msg(
                        "Outdoor disconnect the public can reach: must lock or need a tool to open. "
                        "Check local code."
                    )
                ),
                clause(e, "440.11"),
            )
        )
    if inverter:
        found.append(
            finding(
                "INTERCONNECT",
                "note",
                msg("Indoor-outdoor cable: follow the manufacturer. Not sized here."),
                clause(e, "110.3(B)"),
            )
        )
    if fault_unsaid:
        found.append(
            finding(
                "SHORT_CIRCUIT_ASK",
                "note",
                msg("The unit's short-circuit rating is not compared with the fault current there."),
                clause(e, "440.10(A), 440.4(B)"),
                step=msg("Ask the utility for the fault current where the unit's rating is low."),
            )
        )
    found.append(
        finding(
            "WHO_DECIDES",
            "note",
            msg("Local amendments, the authority having jurisdiction and a licensed person decide."),
            clause(e, "90.4"),
        )
    )
    return tuple(found)
