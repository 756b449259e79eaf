"""A circuit that is there against a plate: each clause pass, fail or cannot tell, cheapest fix first."""

from typing import Protocol

from orange_crank.core.circuit.conductor import DRY_ONLY, conditions, table_clause, usable_a
from orange_crank.core.circuit.entry import AuditIn, CircuitIn
from orange_crank.core.circuit.one_line import Station, StationOut, stations
from orange_crank.core.circuit.size import (
    CircuitOut,
    disconnect_hp,
    disconnect_need_a,
    loads_of,
    metal_of,
    overcurrent,
    size_circuit,
)
from orange_crank.core.errors import BeyondTable
from orange_crank.core.nomenclature import Finding, Frozen, Verdict, say
from orange_crank.core.plate.arithmetic import clause
from orange_crank.core.tables import overcurrent_at_least
from orange_crank.core.tables.code import (
    RANK,
    ampacity_a,
    area_kcmil,
    disconnect_frame_a,
    drop_v,
    grounding_size,
    size_of_area,
    small_conductor_limit_a,
)


class Put(Protocol):
    """Write one check down: what it costs to put right, code, verdict, clause, text, fix, sum."""

    def __call__(
        self,
        cost: int,
        code: str,
        verdict: Verdict,
        rule: str,
        text: str,
        fix: str | None = None,
        sum_: str | None = None,
    ) -> None:
        """Write it down."""


DROP_NOTE_PCT = 3.0


class AuditCheck(Frozen):
    """One clause held against what is there."""

    code: str
    verdict: Verdict
    clause: str
    text: str
    fix: str | None = None
    arithmetic: str | None = None


class AuditOut(Frozen):
    """What is there, clause by clause."""

    ok: bool
    checks: list[AuditCheck]
    wanted: CircuitOut | None
    stations: list[StationOut]
    findings: list[Finding]


def audit_circuit(entry: AuditIn) -> AuditOut:
    """Hold an existing circuit against a plate.

    Raises
    ------
    InputProblem : the place is too hot for the insulation, or a size the metal does not come in

    """
    heat = entry.load == "heat"
    there = entry.installed
    own = {
        "insulation": there.insulation or entry.insulation,
        "material": there.material or entry.material,
    }
    circuit = entry.model_copy(update=own)
    loads = loads_of(circuit)
    device = overcurrent(circuit, loads)
    c = conditions(circuit, there.overcurrent_a)
    size = there.conductor_awg
    usable = usable_a(size, circuit, c)
    found: list[tuple[int, AuditCheck]] = []

    def put(cost: int, code: str, verdict: Verdict, rule: str, text: str, fix: str | None = None,
            sum_: str | None = None) -> None:  # fmt: skip
        found.append(
            (cost, AuditCheck(code=code, verdict=verdict, clause=rule, text=text, fix=fix, arithmetic=sum_))
        )

    e = entry.edition
    mocp = loads.plate_mocp_a if loads.plate_mocp_a is not None else device.mocp_a
    lawful = max(mocp, float(device.amps))
    over = there.overcurrent_a > lawful + 1e-9
    if heat:
        limit = overcurrent_at_least(loads.mca_a)
        over = there.overcurrent_a > limit
        put(
            0,
            "OCPD_ABOVE_MOCP",
            "fail" if over else "pass",
            clause(e, "424.4(B), 240.4(B)" if e != "2017" else "424.3(B), 240.4(B)"),
            f"{there.overcurrent_a:g} A {there.overcurrent_kind}; at most {limit} A, the next size "
            f"above the load.",
            f"Put in a {limit} A {there.overcurrent_kind}." if over else None,
        )
    else:
        put(
            0,
            "OCPD_ABOVE_MOCP",
            "fail" if over else "pass",
            clause(e, "440.22(A), 440.4(B), 110.3(B)"),
            f"{there.overcurrent_a:g} A {there.overcurrent_kind}; the plate allows {mocp:g} A.",
            f"Put in a {device.amps} A {there.overcurrent_kind}, listed for that panel." if over else None,
        )
    low = there.overcurrent_a < loads.mca_a - 1e-9
    put(
        0,
        "OCPD_BELOW_MCA",
        "watch" if low else "pass",
        clause(e, "440.22, 240.6(A)"),
        f"{there.overcurrent_a:g} A against a minimum ampacity of {say(loads.mca_a, 'A', 5)}.",
        f"It may trip while running well: {device.amps} A is allowed." if low else None,
    )
    _fuse(entry, put)
    fits = usable >= loads.mca_a - 1e-9
    try:
        wanted = size_circuit(_plain(circuit))
    except BeyondTable:
        wanted = None
    bigger = (
        f"Pull {wanted.minimum_conductor_awg} {'copper' if circuit.material == 'copper' else 'aluminium'}."
        if wanted
        else "Larger than the tables: an engineer."
    )
    put(
        4,
        "AMPACITY",
        "pass" if fits else "fail",
        table_clause(e),
        f"{size}: {say(usable, 'A')} usable, {say(loads.mca_a, 'A', 3)} required.",
        None if fits else bigger,
        f"{ampacity_a(size, circuit.material, c.column_c):g} × {c.ambient:g} × {c.bundling:g}; "
        f"{ampacity_a(size, circuit.material, c.termination_c):g} A at {c.termination_c} °C terminals",
    )
    _protection(entry, circuit, usable, heat, put)
    _ground(entry, circuit, wanted, put)
    _disconnect(entry, circuit, put)
    wet_bad = entry.wet and circuit.insulation in DRY_ONLY
    put(
        4,
        "WET_LOCATION",
        "fail" if wet_bad else "pass",
        clause(e, "334.12(B)" if circuit.insulation == "NM-B" else "300.9, 310.10(C)"),
        f"{circuit.insulation} in a {'wet' if entry.wet else 'dry'} place.",
        "Pull a W-rated conductor: THWN-2 or XHHW-2." if wet_bad else None,
    )
    if there.poles is None:
        put(
            1,
            "POLES",
            "unknown",
            clause(e, "240.15(B)"),
            f"{entry.poles} poles required. Poles installed: not entered.",
            "Count its poles.",
        )
    else:
        right = there.poles == entry.poles
        put(
            1,
            "POLES",
            "pass" if right else "fail",
            clause(e, "240.15(B)"),
            f"{there.poles} there, {entry.poles} wanted.",
            None if right else f"A device of {entry.poles} poles.",
        )
    _drop(entry, circuit, size, put)
    rank: dict[Verdict, int] = {"fail": 0, "unknown": 1, "watch": 1, "pass": 2, "note": 2}
    checks = [check for _, check in sorted(found, key=lambda p: (rank[p[1].verdict], p[0]))]
    findings = [
        Finding(
            code=k.code,
            verdict=k.verdict,
            text=k.text,
            rule=k.clause,
            arithmetic=k.arithmetic,
            next_step=k.fix,
        )
        for k in checks
    ]
    sizes: dict[Station, str] = {
        "device": f"{there.overcurrent_a:g} A {there.overcurrent_kind}",
        "conductor": f"{size} {'Cu' if circuit.material == 'copper' else 'Al'} {circuit.insulation}",
        "ground": there.egc_awg or "not said",
        "disconnect": f"{there.disconnect_a:g} A" if there.disconnect_a is not None else "not said",
        "unit": f"MCA {loads.mca_a:g} A, MOCP {mocp:g} A",
    }
    return AuditOut(
        ok=not any(k.verdict == "fail" for k in checks),
        checks=checks,
        wanted=wanted,
        stations=stations(sizes, findings),
        findings=findings,
    )


def _plain(circuit: CircuitIn) -> CircuitIn:
    fields = {k: getattr(circuit, k) for k in CircuitIn.model_fields}
    return CircuitIn.model_construct(_fields_set=circuit.model_fields_set & set(fields), **fields)


def _fuse(entry: AuditIn, put: Put) -> None:
    e, there = entry.edition, entry.installed
    rule = clause(e, "440.4(B), 110.3(B)")
    if entry.load == "heat":
        return
    if entry.overcurrent_allowed is None:
        put(
            1,
            "FUSE_REQUIRED",
            "unknown",
            rule,
            "Whether the plate allows a breaker was not said.",
            "Read it on the plate.",
        )
        return
    bad = (
        entry.overcurrent_allowed == "fuse"
        and there.overcurrent_kind == "breaker"
        and not there.disconnect_fused
    )
    put(
        1,
        "FUSE_REQUIRED",
        "fail" if bad else "pass",
        rule,
        "The plate allows fuses only."
        if entry.overcurrent_allowed == "fuse"
        else "Fuse or breaker is allowed.",
        "A fused disconnect at the unit, fuses no larger than the plate allows." if bad else None,
    )


def _protection(entry: AuditIn, circuit: CircuitIn, usable: float, heat: bool, put: Put) -> None:
    e, there = entry.edition, entry.installed
    small = small_conductor_limit_a(there.conductor_awg, circuit.material)
    if not heat:
        put(
            4,
            "OCPD_ABOVE_CONDUCTOR",
            "pass",
            clause(e, "240.4(G), 440.22"),
            f"{there.overcurrent_a:g} A on {say(usable, 'A')}: for a motor-compressor the plate's MOCP "
            f"governs.",
        )
        put(
            4,
            "SMALL_CONDUCTOR",
            "pass",
            clause(e, "240.4(D), 240.4(G)"),
            "The limits of small conductors do not bind a motor-compressor circuit.",
        )
        return
    allowed = overcurrent_at_least(usable)
    bad = there.overcurrent_a > allowed
    put(
        0,
        "OCPD_ABOVE_CONDUCTOR",
        "fail" if bad else "pass",
        clause(e, "240.4(B)"),
        f"{there.overcurrent_a:g} A on {say(usable, 'A')}: at most {allowed} A.",
        f"A {allowed} A device, if it still carries the load." if bad else None,
    )
    if small is None:
        put(
            0,
            "SMALL_CONDUCTOR",
            "pass",
            clause(e, "240.4(D)"),
            f"{there.conductor_awg} is not among the small conductors.",
        )
    else:
        bad = there.overcurrent_a > small
        put(
            0,
            "SMALL_CONDUCTOR",
            "fail" if bad else "pass",
            clause(e, "240.4(D)"),
            f"{there.conductor_awg}: at most {small:g} A on a heat circuit.",
            f"A {small:g} A device, or a heavier conductor." if bad else None,
        )


def _ground(entry: AuditIn, circuit: CircuitIn, wanted: CircuitOut | None, put: Put) -> None:
    e, there = entry.edition, entry.installed
    rule = clause(e, "250.122, 250.122(B)")
    if there.egc_awg is None:
        put(
            3,
            "EGC_SMALL",
            "unknown",
            rule,
            "The grounding conductor was not said.",
            "Look for it, and its size.",
        )
        return
    size = there.conductor_awg
    table = grounding_size(there.overcurrent_a, circuit.material)
    least = size if RANK[table] > RANK[size] else table
    if RANK[there.egc_awg] < RANK[least]:
        put(
            3,
            "EGC_SMALL",
            "fail",
            rule,
            f"{there.egc_awg}; {least} asked for behind {there.overcurrent_a:g} A.",
            f"Pull a {least} grounding conductor.",
        )
        return
    if wanted is not None and RANK[size] > RANK[wanted.minimum_conductor_awg]:
        share = area_kcmil(size) / area_kcmil(wanted.minimum_conductor_awg)
        area = area_kcmil(table) * share
        full = size if area > area_kcmil(size) else size_of_area(area, circuit.material)
        if RANK[there.egc_awg] < RANK[full]:
            put(
                3,
                "EGC_SMALL",
                "watch",
                rule,
                f"{there.egc_awg} meets the table; in proportion to the heavier hots it would be {full}.",
                f"A {full} grounding conductor when it is next pulled; ask the authority.",
            )
            return
    put(3, "EGC_SMALL", "pass", rule, f"{there.egc_awg} behind {there.overcurrent_a:g} A.")


def _disconnect(entry: AuditIn, circuit: CircuitIn, put: Put) -> None:
    e, there, loads = entry.edition, entry.installed, loads_of(circuit)
    heat = entry.load == "heat"
    need = loads.mca_a if heat else disconnect_need_a(loads)
    rule = clause(e, "424.19") if heat else clause(e, "440.12(A)")
    if there.disconnect_a is None:
        put(
            2,
            "DISCONNECT_SMALL",
            "unknown",
            rule,
            f"At least {say(need, 'A')}; what is there was not said.",
            "Read its label.",
        )
    else:
        bad = there.disconnect_a < need - 1e-9
        watch = not bad and not heat and loads.disconnect_a is None
        put(
            2,
            "DISCONNECT_SMALL",
            "fail" if bad else "watch" if watch else "pass",
            rule,
            f"{there.disconnect_a:g} A for at least {say(need, 'A')}."
            + (" RLA not said: MCA is taken." if watch else ""),
            f"A {disconnect_frame_a(need)} A disconnect." if bad else None,
        )
    if heat:
        return
    hp = disconnect_hp(circuit, loads)
    rule = clause(e, "440.12(A)(2), Tables 430.248 to 430.251")
    if hp is None or there.disconnect_hp is None:
        put(
            2,
            "DISCONNECT_HP",
            "unknown",
            rule,
            "Horsepower cannot be told from the tables."
            if hp is None
            else f"At least {hp:g} hp; what is there was not said.",
            "Read its horsepower at this voltage.",
        )
    else:
        bad = there.disconnect_hp < hp - 1e-9
        put(
            2,
            "DISCONNECT_HP",
            "fail" if bad else "pass",
            rule,
            f"{there.disconnect_hp:g} hp for at least {hp:g} hp.",
            f"A disconnect of {hp:g} hp or more." if bad else None,
        )


def _drop(entry: AuditIn, circuit: CircuitIn, size: str, put: Put) -> None:
    rule = f"NEC {entry.edition} 210.19(A) note"
    if entry.length_ft is None:
        put(4, "VOLTAGE_DROP", "unknown", rule, "Length not said.", "Pace it out, one way.")
        return
    loads = loads_of(circuit)
    amps = loads.running_a if loads.running_a is not None else loads.mca_a
    drop = drop_v(
        size, circuit.material, metal_of(circuit), entry.length_ft, amps, entry.power_factor, entry.phase
    )
    pct, limit = 100 * drop / entry.volts, entry.drop_limit_pct or DROP_NOTE_PCT
    fits = pct <= limit + 1e-9
    put(
        4,
        "VOLTAGE_DROP",
        "pass" if fits else "watch",
        rule,
        f"{pct:.2f} % over {entry.length_ft:g} ft; {limit:g} % recommended limit.",
        None if fits else "A heavier conductor, when one is pulled.",
    )
