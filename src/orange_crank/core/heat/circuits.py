"""The circuits of electric heat: elements divided, each circuit sized and judged."""

from dataclasses import dataclass

from pydantic import Field

from orange_crank.core.circuit.conductor import conditions, protected, table_clause, usable_a
from orange_crank.core.circuit.entry import CircuitIn
from orange_crank.core.circuit.rules.disconnect import frame_a
from orange_crank.core.circuit.rules.drop import metal_of
from orange_crank.core.circuit.rules.grounding import by_table
from orange_crank.core.circuit.rules.job import poles_word
from orange_crank.core.circuit.rules.overcurrent import SUBDIVISION_A, SUBDIVISION_DEVICE_A
from orange_crank.core.errors import BeyondTable
from orange_crank.core.heat.elements import line_amps
from orange_crank.core.heat.entry import HeatIn
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Finding, Frozen
from orange_crank.core.plate.arithmetic import HEAT, clause
from orange_crank.core.tables import overcurrent_at_least, overcurrent_within
from orange_crank.core.tables.code import (
    NEEDS_ENGINEER,
    drop_v,
    metal_word,
    size_word,
    sizes_of,
)
from orange_crank.core.tables.standards import Standards


class ElementsOn(Frozen):
    """How many elements of a kit hang on a circuit."""

    kit: int
    count: int


class HeatCircuit(Frozen):
    """One circuit of the heat."""

    kits: list[int] = Field(description="Which kits, by place")
    elements: list[ElementsOn]
    heater_a: float
    blower_a: float
    load_a: float
    mca_a: float
    overcurrent_a: int
    poles: int
    conductor_awg: str
    ampacity_a: float
    egc_awg: str
    disconnect_min_a: float
    disconnect_a: int
    voltage_drop_v: float | None
    voltage_drop_pct: float | None


@dataclass(frozen=True)
class Made:
    """A circuit, and whether its subdivision is too large."""

    circuit: HeatCircuit
    over: bool


def circuits_of(entry: HeatIn) -> list[Made]:
    """Return the circuits of the heat, the blower on the first.

    Raises
    ------
    InputProblem : too hot for the insulation
    BeyondTable : more than the largest conductor carries

    Notes
    -----
    Each element is indivisible; the elements of a kit are kept together where they can be; circuits are
    filled in order up to 48 A of heater. Small-conductor limits bind here. A listed single-point kit is one
    circuit, by its own MCA and MOCP.

    References
    ----------
    NEC 424.3(B) (2017), 424.4(B) (2020 on), 424.22(B), 240.4(B), 240.4(D), 250.122.

    """
    return [_circuit(entry, group, i == 0) for i, group in enumerate(divided(entry))]


def divided(entry: HeatIn) -> list[dict[int, int]]:
    """Return how many elements of which kit hang on each circuit."""
    counts = [k.count for k in entry.kits]
    if entry.single_point or amps_of(entry, dict(enumerate(counts))) <= SUBDIVISION_A + 1e-9:
        return [dict(enumerate(counts))]
    groups: list[dict[int, int]] = [{}]

    def put(kit: int, count: int) -> None:
        more = {**groups[-1], kit: groups[-1].get(kit, 0) + count}
        if groups[-1] and amps_of(entry, more) > SUBDIVISION_A + 1e-9:
            groups.append({kit: count})
        else:
            groups[-1] = more

    for kit, count in enumerate(counts):
        if amps_of(entry, {kit: count}) <= SUBDIVISION_A + 1e-9:
            put(kit, count)
        else:
            for _ in range(count):
                put(kit, 1)
    return groups


def amps_of(entry: HeatIn, group: dict[int, int]) -> float:
    """Return the amps in the fullest line of so many elements of each kit [A]."""
    return line_amps([(entry.kits[i], n) for i, n in group.items()], entry.supply_v, entry.phase)


def as_circuit(entry: HeatIn) -> CircuitIn:
    """Return the wiring of the heat in the words of a circuit, for the same ampacity rules."""
    return CircuitIn.model_construct(
        volts=entry.supply_v,
        phase=entry.phase,
        edition=entry.edition,
        material=entry.material,
        insulation=entry.insulation,
        termination_c=entry.termination_c,
        ambient_f=entry.ambient_f,
        current_carrying_conductors=entry.current_carrying_conductors,
        length_ft=entry.length_ft,
        raceway=entry.raceway,
        drop_limit_pct=entry.drop_limit_pct,
        wet=entry.wet,
        power_factor=1.0,
    )


def _circuit(entry: HeatIn, group: dict[int, int], first: bool) -> Made:
    heater = amps_of(entry, group)
    blower = entry.blower_fla_a if first else 0.0
    mca = HEAT * (heater + blower)
    if entry.single_point and entry.mca_a is not None:
        mca = entry.mca_a
    device = overcurrent_at_least(max(mca, 15.0))
    if entry.single_point and entry.mocp_a is not None:
        device = overcurrent_within(entry.mocp_a)
    wiring = as_circuit(entry)
    c = conditions(wiring, device)
    for size in sizes_of(entry.material):
        usable = usable_a(size, wiring, c)
        carries = usable >= mca - 1e-9 and protected(size, device, wiring, c)
        if carries and _drop_fits(entry, wiring, size, heater + blower):
            break
    else:
        raise BeyondTable(
            msg("{mca:.4g} A is above what the largest conductor carries here, or keeps its drop.", mca=mca),
            next_step=NEEDS_ENGINEER,
        )
    drop = _drop(entry, wiring, size, heater + blower)
    return Made(
        HeatCircuit(
            kits=list(group),
            elements=[ElementsOn(kit=i, count=n) for i, n in group.items()],
            heater_a=round(heater, 4),
            blower_a=blower,
            load_a=round(heater + blower, 4),
            mca_a=round(mca, 4),
            overcurrent_a=device,
            poles=wiring.poles,
            conductor_awg=size,
            ampacity_a=round(usable, 4),
            egc_awg=by_table(device, size, entry.material),
            disconnect_min_a=round(mca, 4),
            disconnect_a=frame_a(mca, None),
            voltage_drop_v=None if drop is None else round(drop, 4),
            voltage_drop_pct=None if drop is None else round(100 * drop / entry.supply_v, 4),
        ),
        not entry.single_point and device > SUBDIVISION_DEVICE_A,
    )


def _drop(entry: HeatIn, wiring: CircuitIn, size: str, amps: float) -> float | None:
    if entry.length_ft is None:
        return None
    return drop_v(size, entry.material, metal_of(wiring), entry.length_ft, amps, 1.0, entry.phase)


def _drop_fits(entry: HeatIn, wiring: CircuitIn, size: str, amps: float) -> bool:
    drop = _drop(entry, wiring, size, amps)
    if drop is None or entry.drop_limit_pct is None:
        return True
    return 100 * drop / entry.supply_v <= entry.drop_limit_pct + 1e-9


def words(entry: HeatIn, number: int, k: HeatCircuit) -> str:
    """Return a circuit in one line."""
    metal = metal_word(entry.material)
    return msg(
        "Circuit {number}: {overcurrent_a} A, {poles_word}; {size_word} {metal} "
        "{insulation}; {size_word_2} ground; {disconnect_a} A disconnect",
        number=number,
        overcurrent_a=k.overcurrent_a,
        poles_word=poles_word(k.poles),
        size_word=size_word(k.conductor_awg),
        metal=metal,
        insulation=entry.insulation,
        size_word_2=size_word(k.egc_awg),
        disconnect_a=k.disconnect_a,
    ) + (msg("; blower with it.") if k.blower_a else ".")


def judge(entry: HeatIn, number: int, m: Made, limits: Standards) -> list[Finding]:
    """Judge one circuit: subdivision, and drop where the length is known."""
    e, k = entry.edition, m.circuit
    marked = entry.single_point and entry.mca_a is not None
    found = [
        Finding(
            code="CIRCUIT",
            verdict="fail" if m.over else "pass",
            text=words(entry, number, k),
            rule=f"{table_clause(e)}; {clause(e, '240.4(B), 240.4(D), 250.122')}",
            inputs={"heater_a": k.heater_a, "mca_a": k.mca_a},
            arithmetic=(
                msg("the kit's own MCA {mca_a:g} A", mca_a=k.mca_a)
                if marked
                else f"{HEAT:g} × ({k.heater_a:.2f} + {k.blower_a:g}) A = {k.mca_a:.2f} A"
            )
            + msg(
                " → {overcurrent_a} A; {ampacity_a:g} A usable",
                overcurrent_a=k.overcurrent_a,
                ampacity_a=k.ampacity_a,
            ),
            next_step=msg("A kit of smaller elements, or a listed single-point kit.") if m.over else None,
        )
    ]
    if m.over:
        found.append(
            Finding(
                code="SUBDIVISION_OVER_60",
                verdict="fail",
                text=msg(
                    "Circuit {number} would need {overcurrent_a} A: a subdivision ends at 60 A.",
                    number=number,
                    overcurrent_a=k.overcurrent_a,
                ),
                rule=clause(e, "424.22(B)"),
                inputs={"heater_a": k.heater_a},
                next_step=msg(
                    "Enter the elements inside the kit: over 48 A they are divided, 60 A each at most."
                ),
            )
        )
    if k.voltage_drop_pct is not None:
        most = entry.drop_limit_pct if entry.drop_limit_pct is not None else limits.voltage_drop_pct
        fits = k.voltage_drop_pct <= most + 1e-9
        found.append(
            Finding(
                code="VOLTAGE_DROP",
                verdict="pass" if fits else "watch",
                text=msg(
                    "Circuit {number}: {voltage_drop_v:.2f} V, {voltage_drop_pct:.2f} %; {most:g} % ",
                    number=number,
                    voltage_drop_v=k.voltage_drop_v,
                    voltage_drop_pct=k.voltage_drop_pct,
                    most=most,
                )
                + (msg("asked for.") if entry.drop_limit_pct is not None else msg("recommended limit.")),
                rule=f"NEC {e} 210.19(A) note; Chapter 9 Table 9; {limits.rule('voltage_drop_pct')}",
                inputs={"length_ft": entry.length_ft},
                next_step=None
                if fits
                else msg("Heavier conductors: heat falls with the square of the volts."),
            )
        )
    return found
