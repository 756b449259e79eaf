"""Windings and paths to ground, as facts."""

from orange_crank.core.diagnosis.evidence.readings import Observed, Readings
from orange_crank.core.measure.windings import WindingReference, Windings, judge_windings
from orange_crank.core.messages import msg


def to_ground(r: Readings) -> Observed | None:
    """Return whether anything reads to metal; a short once found stands."""
    last = r.get("to_ground")
    if last is None:
        return None
    # A short once found stands: a clear reading beside it does not say what was put right.
    bad = any(e.quantity == "to_ground" and e.value is True for e in r.all)
    words = "clear" if not bad else "shorted" if last.value is True else msg("shorted, then clear")
    return r.observed("to_ground", "grounded" if bad else "clear", msg("To ground: {words}.", words=words))


def shorted_piece(r: Readings) -> Observed | None:
    """Return which piece is shorted to metal, found one by one."""
    found = r.get("shorted_piece")
    if found is None:
        return None
    piece = str(found.value)
    outcome = piece if piece in ("compressor", "fan", "not_compressor") else "elsewhere"
    words = {
        "compressor": msg("The compressor itself is shorted to metal."),
        "fan": msg("The fan motor is shorted to metal."),
        "not_compressor": msg("The compressor, tested alone, is clear."),
    }
    return r.observed(
        "shorted_piece",
        outcome,
        words.get(piece, msg("The {replace} is shorted to metal.", replace=piece.replace("_", " "))),
    )


def start_relay(r: Readings) -> Observed | None:
    """Return how a current relay and external overload tested."""
    found = r.get("start_relay_verdict")
    if found is None:
        return None
    return r.observed(
        "start_relay", str(found.value), msg("Start relay and overload test {value}.", value=found.value)
    )


def pins(r: Readings) -> Observed | None:
    """Return what an open pair reads at the compressor's own pins."""
    found = r.get("windings_at_pins")
    if found is None:
        return None
    sound = found.value == "sound"
    text = msg("Windings read good at the compressor terminals.") if sound else msg("Open at the pins too.")
    return r.observed("pins", "sound" if sound else "same", text)


def windings(r: Readings) -> Observed | None:
    """Return what three winding readings say together."""
    pairs = [r.get(q) for q in ("winding_cs_ohm", "winding_cr_ohm", "winding_sr_ohm")]
    if any(p is None for p in pairs):
        return None
    cs, cr, sr = ("open" if p.value == "open" else p.number for p in pairs if p is not None)
    shell = r.get("shell_hot")
    hot = shell.value is True if shell is not None else None
    past = {p.quantity: p.value for p in r.entry.history.readings} if r.entry.history else {}
    reference = (
        WindingReference(
            cs_ohm=past.get("winding_cs_ohm"),
            cr_ohm=past.get("winding_cr_ohm"),
            sr_ohm=past.get("winding_sr_ohm"),
        )
        if any(q.startswith("winding_") for q in past)
        else None
    )
    result = judge_windings(
        Windings.model_validate(
            {
                "cs_ohm": cs,
                "cr_ohm": cr,
                "sr_ohm": sr,
                "hot": hot,
                "phase": r.entry.plate.phase,
                "reference": reference.model_dump() if reference else None,
            }
        ),
        r.limits,
    )
    words: dict[str, tuple[str | tuple[str, ...], str]] = {
        "sound": ("sound", msg("Windings sound.")),
        "start_open": ("start_open", msg("Start winding open.")),
        "run_open": ("run_open", msg("Run winding open.")),
        "all_open": ("all_open", msg("All three pairs open.")),
        "turn_short": ("turn_short", msg("A winding lies below its earlier value.")),
        "not_additive": ("not_additive", msg("The three readings do not add up.")),
        "unequal": ("turn_short", msg("The three phases are not equal.")),
    }
    if result.verdict == "overload_open":
        both = ("common_open_hot", "common_open_cold")
        outcome = both if hot is None else both[0] if hot else both[1]
        text = msg("Common open to both others") + (
            "." if hot is None else msg(", shell hot.") if hot else msg(", shell cold.")
        )
        return r.observed("windings", outcome, text)
    if any(f.code == "ZERO_OHMS" for f in result.findings):
        return r.observed(
            "windings", "not_additive", msg("A pair reads zero ohms: check the meter and leads.")
        )
    if result.verdict not in words:
        return None
    return r.observed("windings", *words[result.verdict])
