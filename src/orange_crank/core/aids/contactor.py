"""Which contactor: poles, full-load and locked-rotor amps at these volts, coil and the transformer's VA."""

from typing import Annotated, Literal

from pydantic import Field

from orange_crank.core.aids.parts import Counted, Part, column_words, missing_ratings, shipped_parts
from orange_crank.core.errors import FieldProblem, InputProblem
from orange_crank.core.messages import Prose, joined, msg
from orange_crank.core.nomenclature import Finding, Flag, Frozen, Volts, say
from orange_crank.core.plate.model import Plate
from orange_crank.core.tables import rows
from orange_crank.core.tables.refrigerants import find_refrigerant, why_not_beside
from orange_crank.core.tables.standards import Standards, shipped_standards

Va = Annotated[float, Field(strict=True, gt=0, le=2_000, allow_inf_nan=False)]
ZeroOrMoreVa = Annotated[float, Field(strict=True, ge=0, le=2_000, allow_inf_nan=False)]


class ContactorIn(Frozen):
    """What a contactor shall switch, and what hangs on its control side."""

    plate: Plate
    poles_now: Literal[1, 2, 3] | None = Field(default=None, description="Poles of the one that is there")
    coil_v: Volts = 24.0
    transformer_va: Va | None = Field(default=None, description="Control transformer [VA]")
    control_other_va: ZeroOrMoreVa | None = Field(
        default=None, description="What else it carries: valve, board, relays [VA]"
    )
    cycles_per_day: Annotated[float, Field(strict=True, gt=0, le=2_000, allow_inf_nan=False)] | None = None
    heater_on_open_pole: Flag | None = Field(
        default=None, description="A crankcase heater fed by the trickle over the open pole"
    )
    stock: list[Counted] | None = Field(default=None, max_length=500)


class ContactorNeeds(Frozen):
    """What any contactor for this plate must have."""

    poles: int
    full_load_a: float
    locked_rotor_a: float | None
    column: Literal["240", "480", "600"]
    coil_v: float


class ContactorRanked(Frozen):
    """One contactor that fits, simplest first."""

    part: str
    title: str
    poles: int
    fla_a: float
    lra_a: float
    electronic: bool
    why: list[Prose]
    against: list[Prose]
    life_years: float | None
    transformer_pct: float | None = Field(description="Share of the control transformer used [%]")
    wiring_plan: str
    count: int
    price: float | None


class PartRefused(Frozen):
    """One part that is not offered."""

    part: str
    title: str
    why: Prose


class ContactorOut(Frozen):
    """Contactors for a plate."""

    needs: ContactorNeeds
    ranked: list[ContactorRanked]
    refused: list[PartRefused]
    findings: list[Finding]


def contactor_needs(plate: Plate, poles_now: int | None, coil_v: float) -> ContactorNeeds:
    """Return what a contactor must have for a plate.

    Notes
    -----
    Full load: every compressor and motor it switches. Locked rotor: everything that starts together. The
    column is the next voltage at or above the plate's.

    """
    full = sum(c.sizing_a for c in plate.compressors) + sum(m.fla_a for m in plate.motors)
    locked: float | None = None
    if all(c.lra_a is not None for c in plate.compressors):
        locked = sum(float(c.lra_a or 0) for c in plate.compressors) + sum(
            m.lra_a if m.lra_a is not None else 6 * m.fla_a for m in plate.motors
        )
    column: Literal["240", "480", "600"] = (
        "240" if plate.volts <= 240 else "480" if plate.volts <= 480 else "600"
    )
    if plate.volts > 600:
        raise InputProblem([FieldProblem(field="plate.volts", wanted=msg("at most 600 V"), got=plate.volts)])
    poles = 3 if plate.phase == 3 else max(1, min(2, poles_now or 2))
    return ContactorNeeds(
        poles=poles,
        full_load_a=round(full, 3),
        locked_rotor_a=None if locked is None else round(locked, 3),
        column=column,
        coil_v=coil_v,
    )


def choose_contactor(entry: ContactorIn, standards: Standards | None = None) -> ContactorOut:
    """Choose contactors for a plate from stock, or from the list that ships.

    Raises
    ------
    InputProblem : an empty stock; volts beyond any contactor here

    """
    limits = standards or shipped_standards()
    if entry.stock is not None and not entry.stock:
        raise InputProblem(
            [FieldProblem(field="stock", wanted=msg("at least one part, or leave it out"), got=0)],
            next_step=msg("Leave stock out to see what would fit, or restock."),
        )
    needs = contactor_needs(entry.plate, entry.poles_now, entry.coil_v)
    stock = entry.stock if entry.stock is not None else [Counted(part=p) for p in shipped_parts()]
    ranked: list[ContactorRanked] = []
    refused: list[PartRefused] = []
    for held in stock:
        if held.part.kind not in ("contactor", "contactor_electronic"):
            continue
        why_not = _unfit(held.part, held.count, needs, entry)
        if why_not is not None:
            refused.append(PartRefused(part=held.part.part, title=held.part.title, why=why_not))
        else:
            ranked.append(_ranked(held, needs, entry, limits))
    ranked.sort(key=lambda r: (r.poles != needs.poles, r.electronic, r.fla_a, r.part))
    return ContactorOut(
        needs=needs, ranked=ranked, refused=refused, findings=_findings(entry, needs, ranked, limits)
    )


def _lra(part: Part, column: str) -> float | None:
    return {"240": part.lra_240_a, "480": part.lra_480_a, "600": part.lra_600_a}[column]


def _unfit(part: Part, count: int, needs: ContactorNeeds, entry: ContactorIn) -> str | None:
    missing = missing_ratings(part)
    if missing:
        return msg(
            "Missing from the parts list: {join}.", join=joined((column_words(m) for m in missing), ", ")
        )
    assert part.fla_a is not None
    assert part.poles is not None
    assert part.coil_v is not None
    lra = _lra(part, needs.column)
    if count < 1:
        return msg("None on the van.")
    burning = why_not_beside(entry.plate.refrigerant, part.listed_for)
    if burning is not None:
        return burning
    if part.poles < needs.poles:
        if needs.poles == 2:
            return msg("A single-pole contactor leaves one leg hot when open.")
        return msg("{poles} poles; needs {poles_2}.", poles=part.poles, poles_2=needs.poles)
    if abs(part.coil_v - needs.coil_v) > 0.02 * needs.coil_v:
        return msg(
            "Its coil is {coil_v:g} V; the control is {coil_v_2:g} V.",
            coil_v=part.coil_v,
            coil_v_2=needs.coil_v,
        )
    if part.fla_a < needs.full_load_a:
        return msg(
            "Rated {fla_a:g} A FLA; needs {full_load_a:g} A.", fla_a=part.fla_a, full_load_a=needs.full_load_a
        )
    if lra is None:
        return msg(
            "Its locked-rotor amps at {column} V are not in the parts list: no guess is made.",
            column=needs.column,
        )
    if needs.locked_rotor_a is not None and lra < needs.locked_rotor_a:
        return msg(
            "Rated {lra:g} A LRA at {column} V; needs {locked_rotor_a:g} A.",
            lra=lra,
            column=needs.column,
            locked_rotor_a=needs.locked_rotor_a,
        )
    share = _share(part, entry)
    if share is not None and share > 100:
        return msg("Its coil loads the transformer to {share:.0f} % of its VA.", share=share)
    return None


def _share(part: Part, entry: ContactorIn) -> float | None:
    if entry.transformer_va is None or entry.control_other_va is None or part.coil_va is None:
        return None
    return round(100 * (part.coil_va + entry.control_other_va) / entry.transformer_va, 1)


def _ranked(held: Counted, needs: ContactorNeeds, entry: ContactorIn, limits: Standards) -> ContactorRanked:
    part = held.part
    lra = _lra(part, needs.column)
    assert part.fla_a is not None
    assert part.poles is not None
    assert lra is not None
    electronic = part.kind == "contactor_electronic"
    why = [
        msg("{fla_a:g} A full load for {full_load_a:g} A.", fla_a=part.fla_a, full_load_a=needs.full_load_a)
    ]
    against: list[str] = []
    if needs.locked_rotor_a is not None:
        why.append(
            msg(
                "{lra:g} A locked rotor for {locked_rotor_a:g} A at {column} V.",
                lra=lra,
                locked_rotor_a=needs.locked_rotor_a,
                column=needs.column,
            )
        )
    else:
        against.append(msg("The nameplate shows no locked-rotor amps: only full load can be compared."))
    # Three poles in place of one open the leg that a trickle lived on, as two do.
    grows = entry.poles_now == 1 and part.poles >= 2
    if grows:
        why.append(msg("Both legs open: nothing stays live on its load side."))
        if entry.heater_on_open_pole:
            against.append(msg("The crankcase heater loses its feed. Move it to L1 and L2."))
        elif entry.heater_on_open_pole is None:
            against.append(
                msg("Check for a crankcase heater fed across the open pole. It would stop working.")
            )
    if part.poles > needs.poles and part.poles == 3:
        against.append(msg("The third pole is not used."))
    share = _share(part, entry)
    if share is not None and share > limits.transformer_share_pct:
        against.append(msg("The control transformer is at {share:.0f} % of its VA.", share=share))
    if electronic:
        why.append(msg("Sealed against insects, counts its cycles."))
        against.append(
            msg("Waits {min_off_s:g} s before it closes again. This is normal.", min_off_s=part.min_off_s)
        )
        against.append(
            msg(
                "Drops out below {brownout_v:g} V for {brownout_s:g} s. Compare with the voltage dip.",
                brownout_v=part.brownout_v,
                brownout_s=part.brownout_s,
            )
        )
        against.append(msg("Larger than what it replaces."))
    life = (
        None
        if part.cycles_life is None or entry.cycles_per_day is None
        else round(part.cycles_life / entry.cycles_per_day / 365, 1)
    )
    plan = "electronic_contactor" if electronic else _plan(entry, part)
    return ContactorRanked(
        part=part.part,
        title=part.title,
        poles=part.poles,
        fla_a=part.fla_a,
        lra_a=lra,
        electronic=electronic,
        why=why,
        against=against,
        life_years=life,
        transformer_pct=share,
        wiring_plan=plan,
        count=held.count,
        price=held.price,
    )


def _plan(entry: ContactorIn, part: Part) -> str:
    if entry.plate.phase == 3:
        return "none"
    if entry.poles_now == 1:
        return "contactor_one_pole" if part.poles == 1 else "contactor_one_to_two_pole"
    return "contactor_two_pole"


def _findings(
    entry: ContactorIn, needs: ContactorNeeds, ranked: list[ContactorRanked], limits: Standards
) -> list[Finding]:
    loads = [f"{c.sizing_a:g}" for c in entry.plate.compressors] + [
        f"{m.fla_a:g}" for m in entry.plate.motors
    ]
    found = [
        Finding(
            code="FULL_LOAD",
            verdict="note",
            text=msg("It must switch {full_load_a} full load.", full_load_a=say(needs.full_load_a, "A")),
            rule="field practice: contactor",
            inputs={"full_load_a": needs.full_load_a},
            arithmetic=f"{' + '.join(loads)} = {needs.full_load_a:g} A",
        ),
        Finding(
            code="LOCKED_ROTOR",
            verdict="unknown" if needs.locked_rotor_a is None else "note",
            text=msg("No locked-rotor amps on the nameplate.")
            if needs.locked_rotor_a is None
            else msg(
                "{locked_rotor_a} start together, at the {column} V column.",
                locked_rotor_a=say(needs.locked_rotor_a, "A"),
                column=needs.column,
            ),
            rule="field practice: contactor",
            inputs={"locked_rotor_a": needs.locked_rotor_a},
            arithmetic=None
            if needs.locked_rotor_a is None
            else msg("LRA of compressors, plus fans at 6 × full load where the nameplate shows none"),
        ),
    ]
    if entry.transformer_va is None or entry.control_other_va is None:
        found.append(
            Finding(
                code="TRANSFORMER",
                verdict="unknown",
                text=msg("Transformer VA not entered, so the coil load is not checked."),
                rule=limits.rule("transformer_share_pct"),
                next_step=msg("Read its VA and add up the other 24 V loads."),
            )
        )
    if entry.poles_now is None and entry.plate.phase == 1:
        found.append(
            Finding(
                code="POLES",
                verdict="note",
                text=msg("Poles not entered: two assumed."),
                rule="field practice: contactor",
                next_step=msg("Enter how many poles the old one has."),
            )
        )
    if find_refrigerant(entry.plate.refrigerant) is None:
        found.append(
            Finding(
                code="REFRIGERANT",
                verdict="unknown",
                text=(
                    msg(
                        "Refrigerant not entered or not listed. If it is A2L or A3, don't use "
                        "open-contact parts."
                    )
                ),
                rule="ASHRAE 34 safety class; the part's own listing",
                next_step=msg("Read it on the nameplate."),
            )
        )
    if not ranked:
        found.append(
            Finding(
                code="NONE_FITS",
                verdict="fail",
                text=msg("No contactor here fits."),
                rule="field practice: contactor",
                next_step=msg("Order one with these ratings. No smaller, no fewer poles."),
            )
        )
    return found


def class_rows() -> list[dict[str, float]]:
    """Return the definite-purpose classes: full load to locked rotor at 240, 480 and 600 V [A]."""
    return [{k: float(v) for k, v in r.items()} for r in rows("contactor_classes")]
