"""The overcurrent device: how large it may and must be, of which kind, with how many poles."""

from orange_crank.core.circuit.conductor import usable_a
from orange_crank.core.circuit.entry import AuditIn, CircuitIn
from orange_crank.core.circuit.loads import Loads
from orange_crank.core.circuit.rules.job import Built, Device, Job, finding, poles_word
from orange_crank.core.messages import msg
from orange_crank.core.nomenclature import Finding, say
from orange_crank.core.plate.arithmetic import clause
from orange_crank.core.tables import (
    LEAST_COMPUTED_A,
    overcurrent_at_least,
    overcurrent_within,
    standard_breaker,
)
from orange_crank.core.tables.code import size_word, small_conductor_limit_a

SUBDIVISION_A, SUBDIVISION_DEVICE_A = 48.0, 60


def lawful(entry: CircuitIn, loads: Loads) -> Device:
    """Return the overcurrent device that is recommended.

    Notes
    -----
    The largest standard size at or under the plate's MOCP, never one above it; without a plate's the 175 %
    figure, with the 225 % figure beside it, and if that lands under MCA the next standard size at or above
    MCA. Electric heat takes the next standard size above 125 % of its load, no more than its plate allows.

    References
    ----------
    NEC 440.4(B), 440.22(A), 440.22(B)(1), 240.6(A), 424.4(B).

    """
    most = loads.plate_mocp_a
    if loads.heat_alone or (entry.feeding == "fan_coil" and most is None):
        size = overcurrent_at_least(max(loads.mca_a, LEAST_COMPUTED_A))
        return Device(size if most is None else min(size, overcurrent_within(most)), most)
    if most is not None:
        size = overcurrent_within(most)
        if entry.smallest_device:
            floor = max(loads.mca_a, loads.figures.mocp_start_limit_a if loads.figures else loads.mca_a)
            size = min(size, overcurrent_at_least(floor))
        return Device(size, most, largest_a=loads.largest_device_a)
    assert loads.figures is not None
    size, most = int(loads.figures.mocp_start_a), float(loads.figures.mocp_a)
    if size < loads.mca_a - 1e-9:
        return Device(overcurrent_at_least(loads.mca_a), most, True, loads.largest_device_a)
    return Device(size, most, False, loads.largest_device_a)


def device_word(amps: float, kind: str | None) -> str:
    """Return a device as it is spoken."""
    return f"{amps:g} A {'fuses' if kind == 'fuse' else kind or 'device'}"


def kind_of(job: Job) -> str:
    """Return whether the recommended device is a breaker or fuses."""
    fuses = job.entry.overcurrent_allowed == "fuse" or not standard_breaker(
        job.device.amps, job.entry.edition
    )
    return "fuse" if fuses else "breaker"


def judge(job: Job, built: Built) -> list[Finding]:
    """Judge size, kind and poles of the device."""
    return [
        *_feeds(job),
        *_above(job, built),
        *_below(job, built),
        *_kind(job, built),
        *_over_conductor(job, built),
        *_poles(job, built),
    ]


def _feeds(job: Job) -> list[Finding]:
    """Ask what the circuit feeds where neither the entry nor its loads show it."""
    if job.entry.feeding is not None:
        return []
    return [
        finding(
            "FEEDS",
            "unknown",
            msg("MCA and MOCP alone: not entered what it feeds. The wire is judged as for heat."),
            clause(job.entry.edition, "240.4(D), 240.4(G), 424.4(B), 440.3(B)"),
            step=msg("Enter what it feeds: compressor, heat strips, both, or an air handler."),
        )
    ]


def _not_read(code: str, rule: str, text: str) -> Finding:
    return finding(code, "unknown", text, rule, step=msg("Read the rating on its handle or its barrel."))


def _above(job: Job, built: Built) -> list[Finding]:
    e, device = job.entry.edition, job.device
    if job.heat:
        return _above_heat(job, built)
    rule = clause(e, "440.22(A), 440.4(B), 110.3(B)")
    if built.protects_a is None:
        return [
            _not_read("OCPD_ABOVE_MOCP", rule, msg("Breaker or fuse not entered; {most}.", most=_most(job)))
        ]
    mocp_a = device.mocp_a if device.mocp_a is not None else float(device.amps)
    most = max(mocp_a, float(device.amps)) if device.raised else mocp_a
    over = built.protects_a > most + 1e-9
    found = [
        finding(
            "OCPD_ABOVE_MOCP",
            "fail" if over else "pass",
            msg(
                "{device_word}; {most}.",
                device_word=device_word(built.protects_a, built.device_kind),
                most=_most(job),
            ),
            rule,
            job.loads.figures.mocp_working if job.loads.plate_mocp_a is None and job.loads.figures else None,
            msg("{device_word}, listed for that panel.", device_word=device_word(device.amps, kind_of(job)))
            if over
            else None,
            mocp_a=mocp_a,
        )
    ]
    if mocp_a < LEAST_COMPUTED_A and job.loads.plate_mocp_a is not None:
        breaker = standard_breaker(device.amps, e)
        found.append(
            finding(
                "DEVICE_UNDER_15",
                "watch",
                msg(
                    "The nameplate's maximum is {mocp_a:g} A, under the usual 15 A: {amps} A is the largest ",
                    mocp_a=mocp_a,
                    amps=device.amps,
                )
                + (
                    msg("standard fuse or breaker within it.")
                    if breaker
                    else msg("standard fuse within it; no breaker is.")
                ),
                clause(e, "240.6(A), 110.3(B)"),
                step=msg("Read the nameplate once more; if it is right, fuse it at the unit."),
            )
        )
    return found


def _most(job: Job) -> str:
    if job.device.raised:
        return msg("{amps} A is the next standard size above MCA", amps=job.device.amps)
    if job.loads.plate_mocp_a is not None:
        return msg("the nameplate allows {plate_mocp_a:g} A", plate_mocp_a=job.loads.plate_mocp_a)
    figures = job.loads.figures
    if figures is None:
        return msg("{amps} A by the load", amps=job.device.amps)
    return msg(
        "at most {mocp_a:g} A by the {most_pct:g} % rule", mocp_a=job.device.mocp_a, most_pct=figures.most_pct
    )


def _above_heat(job: Job, built: Built) -> list[Finding]:
    e, loads = job.entry.edition, job.loads
    found: list[Finding] = []
    if loads.plate_mocp_a is not None and built.protects_a is not None:
        over = built.protects_a > loads.plate_mocp_a + 1e-9
        found.append(
            finding(
                "OCPD_ABOVE_MOCP",
                "fail" if over else "pass",
                msg(
                    "{protects_a:g} A; the heater is marked {plate_mocp_a:g} A at most.",
                    protects_a=built.protects_a,
                    plate_mocp_a=loads.plate_mocp_a,
                ),
                clause(e, "110.3(B), 424.22(B)"),
                step=f"{device_word(job.device.amps, built.device_kind)}." if over else None,
            )
        )
    single = isinstance(job.entry, AuditIn) and job.entry.single_point
    elements = loads.heat_a or loads.mca_a / 1.25 - sum(m.fla_a for m in loads.motors)
    if single or loads.plate_mocp_a is not None or built.protects_a is None:
        return found
    if elements > SUBDIVISION_A + 1e-9:
        over = built.protects_a > SUBDIVISION_DEVICE_A
        unsure = not over and job.audited and not isinstance(single, bool)
        found.append(
            finding(
                "SUBDIVISION",
                "fail" if over else "unknown" if unsure else "pass",
                msg(
                    "{elements:.3g} A of heat behind one {protects_a:g} A device: over 48 A the "
                    "elements are divided, each part on 60 A at most.",
                    elements=elements,
                    protects_a=built.protects_a,
                ),
                clause(e, "424.22(B)"),
                step=msg(
                    "Divide it over circuits of 48 A or less, or show its listing as a single-point kit."
                ),
                heater_a=round(elements, 3),
            )
        )
    return found


def _below(job: Job, built: Built) -> list[Finding]:
    e, mca = job.entry.edition, job.loads.mca_a
    rule = clause(e, "424.3(B)" if e == "2017" else "424.4(B)") if job.heat else clause(e, "440.22, 240.6(A)")
    if built.protects_a is None:
        return [
            _not_read(
                "OCPD_BELOW_MCA",
                rule,
                msg("Breaker or fuse not entered; {mca} required.", mca=say(mca, "A", 5)),
            )
        ]
    low = built.protects_a < mca - 1e-9
    share = f"1.25 × {mca / 1.25:.4g} A = {mca:.4g} A" if job.heat and job.loads.plate_mca_a is None else None
    if job.heat:
        text = msg(
            "{protects_a:g} A for a continuous load of {mca} (125 % counted).",
            protects_a=built.protects_a,
            mca=say(mca, "A", 5),
        )
        step = msg("Use a {amps} A breaker or fuse and matching wire.", amps=job.device.amps)
    else:
        text = msg("{protects_a:g} A against MCA {mca}.", protects_a=built.protects_a, mca=say(mca, "A", 5))
        step = (
            msg("The nameplate allows {amps} A; ground and disconnect must match it.", amps=job.device.amps)
            if job.device.amps >= mca - 1e-9
            else msg(
                "No standard size lies between MCA and the nameplate's maximum: read both on "
                "the nameplate again."
            )
        )
        if low:
            text += msg(" It may nuisance trip.")
    return [
        finding(
            "OCPD_BELOW_MCA",
            ("fail" if job.heat else "watch") if low else "pass",
            text,
            rule,
            share,
            step if low else None,
            mca_a=round(mca, 4),
        ),
        *(
            [
                finding(
                    "ROUNDED_UNDER_MCA",
                    "watch",
                    msg(
                        "Rounded down, the device would be under MCA: {amps} A, the next standard "
                        "size, is taken.",
                        amps=job.device.amps,
                    ),
                    clause(e, "440.22(A), 240.6(A)"),
                    step=msg("Ask the AHJ if the nameplate, once it is there, shows less."),
                    mca_a=round(mca, 4),
                )
            ]
            if job.device.raised and not job.heat
            else []
        ),
    ]


def _kind(job: Job, built: Built) -> list[Finding]:
    if job.heat:
        return []
    rule = clause(job.entry.edition, "440.4(B), 110.3(B)")
    allowed = job.entry.overcurrent_allowed
    if allowed is None:
        return [
            finding(
                "FUSE_REQUIRED",
                "unknown",
                msg("Nameplate: fuse only, or fuse or breaker? Not entered."),
                rule,
                step=msg("Read the wording next to MOCP on the nameplate."),
            )
        ]
    if allowed != "fuse":
        return [finding("FUSE_REQUIRED", "pass", msg("The nameplate allows fuse or breaker."), rule)]
    if built.device_kind == "fuse" or built.disconnect_fused:
        found = [
            finding("FUSE_REQUIRED", "pass", msg("The nameplate allows fuses only; fuses protect it."), rule)
        ]
        if built.disconnect_fused and built.fuse_in_switch_a is None:
            found.append(
                finding(
                    "FUSE_SIZE",
                    "unknown",
                    msg("Fuses in the disconnect not entered; {most}.", most=_most(job)),
                    rule,
                    step=msg("Read the fuses, dead and locked out."),
                )
            )
        return found
    unknown = built.device_kind is None or (job.audited and built.disconnect_fused is None)
    return [
        finding(
            "FUSE_REQUIRED",
            "unknown" if unknown else "fail",
            msg("The nameplate allows fuses only")
            + (msg(": fused anywhere? Not entered.") if unknown else msg("; a breaker alone.")),
            rule,
            step=msg("Look for fuses in the disconnect.")
            if unknown
            else msg("A fused disconnect at the unit, fuses of {amps} A at most.", amps=job.device.amps),
        )
    ]


def _over_conductor(job: Job, built: Built) -> list[Finding]:
    e, size, device = job.entry.edition, built.conductor_awg, built.device_a
    if size is None or device is None:
        what = "Conductors" if size is None else "Device"
        return [
            finding(
                code,
                "unknown",
                msg("{what} not entered.", what=what),
                clause(e, number),
                step=msg("Enter the device and the conductors."),
            )
            for code, number in (("OCPD_ABOVE_CONDUCTOR", "240.4"), ("SMALL_CONDUCTOR", "240.4(D)"))
        ]
    usable = usable_a(size, job.entry, job.conditions)
    upstream = built.fuse_in_switch_a is not None and built.fuse_in_switch_a < device
    if job.guarded and not upstream:
        return [
            finding(
                "OCPD_ABOVE_CONDUCTOR",
                "pass",
                (
                    msg(
                        "{device:g} A on wire good for {usable}: OK here. The compressor overload "
                        "protects the wire; the breaker covers shorts only.",
                        device=device,
                        usable=say(usable, "A"),
                    )
                ),
                clause(e, "240.4(G), 440.22"),
            ),
            finding(
                "SMALL_CONDUCTOR",
                "pass",
                msg("The 15/20/30 A small-wire limits don't apply to a compressor circuit."),
                clause(e, "240.4(D), 240.4(G)"),
            ),
        ]
    allowed, small = overcurrent_at_least(usable), small_conductor_limit_a(size, job.entry.material)
    bad = device > allowed
    too_small = small is not None and device > small
    return [
        finding(
            "OCPD_ABOVE_CONDUCTOR",
            "fail" if bad else "pass",
            msg(
                "{device:g} A on wire good for {usable}: max {allowed} A.",
                device=device,
                usable=say(usable, "A"),
                allowed=allowed,
            ),
            clause(e, "240.4(B)"),
            step=msg("Larger wire, or a smaller breaker that still carries the load.") if bad else None,
        ),
        finding(
            "SMALL_CONDUCTOR",
            "fail" if too_small else "pass",
            msg("{size_word}: at most {small:g} A here.", size_word=size_word(size), small=small)
            if small is not None
            else msg("{size_word}: small-wire limits don't apply.", size_word=size_word(size)),
            clause(e, "240.4(D)"),
            step=msg("Larger wire, or a smaller breaker that still carries the load.") if too_small else None,
        ),
    ]


def _poles(job: Job, built: Built) -> list[Finding]:
    rule = clause(job.entry.edition, "240.15(B)")
    wanted = job.entry.poles
    why = {
        1: msg("one hot and a neutral"),
        2: msg("two hots, no neutral: the load sits between two legs of opposite polarity"),
        3: msg("three hots"),
    }[wanted]
    if built.poles is None:
        return [
            finding(
                "POLES",
                "unknown",
                msg(
                    "{poles_word} required ({why}). Poles installed: not entered.",
                    poles_word=poles_word(wanted),
                    why=why,
                ),
                rule,
                step=msg("Count its poles."),
            )
        ]
    right = built.poles == wanted
    return [
        finding(
            "POLES",
            "pass" if right else "fail",
            msg("{poles_word}: {why}.", poles_word=poles_word(built.poles), why=why)
            if right
            else msg(
                "{poles_word}; {wanted} required: {why}.",
                poles_word=poles_word(built.poles),
                wanted=wanted,
                why=why,
            ),
            rule,
            step=None if right else msg("A device of {poles_word}.", poles_word=poles_word(wanted)),
        )
    ]
