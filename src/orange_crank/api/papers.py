"""The contents of a call's papers: its record in words, times in the shop's own zone."""

import base64
import io
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime
from typing import Any

from PIL import Image

from orange_crank.core.call.call_tests import find_call_test
from orange_crank.core.diagnosis.table import priors
from orange_crank.core.handover.agreement import signature_path
from orange_crank.core.handover.money import ClosedBill, PaidAt
from orange_crank.core.handover.record import AgreedOut
from orange_crank.core.measure.reading import QUANTITIES
from orange_crank.core.measure.waveform import thinned
from orange_crank.core.messages import joined, msg
from orange_crank.core.nomenclature import say
from orange_crank.core.reads import Reads, day_words, hour_words
from orange_crank.core.safety.make_safe import SECTION_WORDS
from orange_crank.formats.charts import TrendPoint, pair_svg, starts_svg, trend_svg
from orange_crank.formats.documents.paper import Head, Paper
from orange_crank.formats.wiring_paper import move_words
from orange_crank.formats.wiring_svg import plan_with_pictures, with_own_colors
from orange_crank.store import captures, photos
from orange_crank.store.calls.hand_over import HandOverOut
from orange_crank.store.calls.listing import StartPoint
from orange_crank.store.calls.view import CallOut, ReadingOut
from orange_crank.store.calls.work import WorkOut
from orange_crank.store.database import local_time, now
from orange_crank.store.shop_details import ShopDetails

MOST_PHOTOS, PHOTO_PX = 24, 640  # a third of a page wide at 300 dots an inch
WAVE_POINTS = 900


def head_of(
    call: CallOut,
    shop: ShopDetails,
    title: str,
    address: str,
    paper: Paper | None = None,
    bill: ClosedBill | None = None,
) -> Head:
    """Return the contents every paper of a call shares; of a bill the shop as it was then."""
    lines = [*shop.address, *([shop.phone] if shop.phone else [])]
    if shop.license:
        lines.append(msg("License {license}", license=shop.license))
    return Head(
        shop=bill.shop if bill is not None else shop.name,
        shop_lines=bill.shop_lines if bill is not None else lines,
        title=f"{title} {bill.number}" if bill is not None else title,
        site=call.site.name,
        place=call.site.place,
        unit=call.unit,
        unit_words=" · ".join(w for w in (call.kind, call.unit_label) if w),
        person=_people_of(call),
        at=when(call.opened_at, shop.reads),
        conditions=conditions_of(call),
        number=msg("Call {id}", id=call.id),
        unit_address=f"{address}/units/{call.unit_id}",
        paper=paper or shop.paper,
        reads=shop.reads,
        made_at=when(now(), shop.reads),
    )


def _people_of(call: CallOut) -> str:
    """Name who did the work, and who closed the call where that was another."""
    done = ", ".join(call.done_by) or call.opened_by
    return (
        msg("{done}; closed by {closed_by}", done=done, closed_by=call.closed_by)
        if call.closed_by and call.closed_by not in call.done_by
        else done
    )


def bare_head(shop: ShopDetails, title: str, person: str, address: str) -> Head:
    """Return the head of a paper that belongs to no call."""
    return Head(
        shop=shop.name,
        shop_lines=[*shop.address, *([shop.phone] if shop.phone else [])],
        title=title,
        site=msg("no site"),
        place="",
        unit="any unit",
        unit_words="",
        person=person,
        at=when(now(), shop.reads),
        conditions="",
        number="",
        unit_address=address,
        paper=shop.paper,
        reads=shop.reads,
    )


def when(moment: datetime, reads: Reads) -> str:
    """Write a moment in the shop's own time, with its zone."""
    at = local_time(moment)
    return f"{day_words(at, reads)}, {hour_words(at, reads)} {at:%Z}"


def clock(moment: datetime, reads: Reads) -> str:
    """Write a time of day in the shop's own time."""
    return hour_words(local_time(moment), reads)


def conditions_of(call: CallOut) -> str:
    """Return under what conditions the call's readings were taken, as far as they were noted."""
    standing = [r for r in call.readings if r.superseded_by_id is None]
    outdoor = [r.entry.outdoor_f for r in standing if r.entry.outdoor_f is not None]
    outdoor += [float(r.entry.value) for r in standing if r.entry.quantity == "outdoor_f" and _number(r)]
    idle = [float(r.entry.value) for r in standing if r.entry.quantity == "line_v_idle" and _number(r)]
    told = []
    if outdoor:
        told.append(_span(msg("outdoors"), outdoor, "°F"))
    if idle:
        told.append(_span(msg("line at rest"), idle, "V"))
    return joined(told, "; ")


def _number(r: ReadingOut) -> bool:
    return isinstance(r.entry.value, float | int) and not isinstance(r.entry.value, bool)


def _span(what: str, values: list[float], unit: str) -> str:
    low, high = min(values), max(values)
    return (
        msg("{what} {figure}", what=what, figure=say(low, unit))
        if low == high
        else msg("{what} {low} to {high}", what=what, low=say(low), high=say(high, unit))
    )


def agreed_words(agreed: list[AgreedOut], reads: Reads) -> list[dict[str, Any]]:
    """Return agreements with their moment in words and their signature as a path."""
    return [
        {
            "agreement": a.agreement,
            "at_words": when(a.at, reads),
            "after_work": a.after_work,
            "path": signature_path(a.agreement.signature) if a.agreement.signature is not None else "",
        }
        for a in agreed
    ]


def paid_words(payments: list[PaidAt], reads: Reads) -> list[dict[str, Any]]:
    """Return payments with their moment in words."""
    return [{"payment": p.payment, "at_words": when(p.at, reads)} for p in payments]


def charts_of(call: CallOut, out: HandOverOut, history: list[StartPoint]) -> dict[str, str]:
    """Return the pictures of a hand-over: the start before over after, the trend of the worrying figure."""
    charts: dict[str, str] = {}
    pair = call.ladder.before_after
    if pair is not None and pair.result.comparable != "no":
        recorded = captures.list_captures(call.id)
        if len(recorded) >= 2:
            charts["start"] = starts_svg(_wave(recorded[0].id), _wave(recorded[-1].id))
        else:
            rows = _pair_rows(call, pair.before_id, pair.after_id)
            if rows:
                charts["start"] = pair_svg(rows)
    worry = next((f for f in out.logbook.forecasts if f.state in ("passed", "due")), None)
    if worry is not None:
        points = [TrendPoint(p.taken_at, p.value) for p in history if p.quantity == worry.quantity]
        band = next((b for b in out.logbook.bands if b.quantity == worry.quantity), None)
        if points:
            charts["trend"] = trend_svg(
                worry.title,
                worry.unit,
                points,
                band.low if band else None,
                band.high if band else None,
                worry,
            )
    return charts


def _wave(capture_id: int) -> tuple[list[float], list[float]]:
    _, wave = captures.load_waveform(capture_id)
    at, line = thinned(wave.line_a, WAVE_POINTS)
    return [float(i) / wave.sample_hz for i in at], [float(a) for a in line]


def _pair_rows(call: CallOut, before_id: int, after_id: int) -> list[tuple[str, float, float, str]]:
    by_id = {r.id: r for r in call.readings}
    before, after = by_id.get(before_id), by_id.get(after_id)
    if before is None or after is None or not _number(before) or not _number(after):
        return []
    rows = [(msg("Current of a start"), float(before.entry.value), float(after.entry.value), "A")]
    if before.entry.seconds and after.entry.seconds:
        rows.append((msg("A start took"), before.entry.seconds, after.entry.seconds, "s"))
    return rows


def technical_context(call: CallOut, work: WorkOut, out: HandOverOut, reads: Reads) -> dict[str, Any]:
    """Return everything of a call's record for the technical paper."""
    judged = {j.reading_id: j for j in call.ladder.readings}
    readings = []
    for r in call.readings:
        note, j = QUANTITIES[r.entry.quantity], judged.get(r.id)
        e = r.entry
        how = [
            w
            for w in (e.mode, msg("on {conductor}", conductor=e.conductor) if e.conductor else None, e.spot)
            if w
        ]
        more = [
            (e.volts, "V"),
            (e.outdoor_f, "°F"),
            (e.rest_min, msg("min rest")),
            (e.seconds, msg("s to speed")),
        ]
        readings.append(
            {
                "time": clock(r.taken_at, reads),
                "label": note.label,
                "value": say(float(e.value), r.unit) if _number(r) else _yes_no(e.value),
                "how": ", ".join(str(w).replace("_", " ") for w in how),
                "conditions": ", ".join(
                    say(v, u) + (" outdoors" if u == "°F" else "") for v, u in more if v is not None
                ),
                "verdict": (j.was or j.verdict) if j and r.superseded_by_id is None else "",
                # Of an old part what it read then, and that it is the old one's.
                "summary": (f"{j.was_summary}. {j.summary}" if j.was_summary else j.summary) if j else "",
                "rule": j.findings[-1 if j.was else 0].rule if j and j.findings else "",
                "person": r.person,
                "superseded": r.superseded_by_id is not None,
            }
        )
    tests = [
        {
            "time": clock(t.taken_at, reads),
            "label": t.label,
            "entry": _entry_words(t.entry),
            "verdict": t.judged.verdict,
            "summary": t.judged.findings[0].text if t.judged.findings else "",
            "person": t.person,
        }
        for t in call.tests
        if find_call_test(t.topic)
    ]
    events = [
        {
            "time": clock(e.happened_at, reads),
            "what": e.kind.replace("_", " "),
            "detail": e.detail or "",
            "person": e.person,
        }
        for e in call.events
    ]
    return {
        "complaint": call.complaint,
        "note": call.note,
        "spoken_to": call.spoken_to,
        "plate": _plate_words(call),
        "readings": readings,
        "tests": tests,
        "events": events,
        "make_safe": _make_safe_words(call),
        "decisions": _decisions(call, work, out, reads),
        "plans": _plans(work),
        **_pictures(call.id, reads),
    }


def _yes_no(value: object) -> str:
    return ("yes" if value else "no") if isinstance(value, bool) else str(value).replace("_", " ")


def _entry_words(entry: dict[str, Any]) -> str:
    return ", ".join(
        f"{k.replace('_', ' ')} {v}"
        for k, v in entry.items()
        if v is not None and not isinstance(v, dict | list)
    )[:240]


def _plate_words(call: CallOut) -> str:
    plate = call.plate.plate if call.plate is not None else None
    if plate is None:
        return ""
    told = [f"{say(plate.volts, 'V')} {'three' if plate.phase == 3 else 'single'}-phase"]
    told += [
        msg("RLA {rla_a}", rla_a=say(c.rla_a, "A"))
        + (msg(", LRA {lra_a}", lra_a=say(c.lra_a, "A")) if c.lra_a else "")
        for c in plate.compressors
    ]
    for words, value, unit in (
        (msg("run capacitor"), plate.run_cap_uf, "µF"),
        ("MCA", plate.mca_a, "A"),
        ("MOCP", plate.mocp_a, "A"),
    ):
        if value is not None:
            told.append(f"{words} {say(value, unit)}")
    if plate.refrigerant:
        told.append(plate.refrigerant)
    return "; ".join(told)


def _make_safe_words(call: CallOut) -> list[str]:
    record = call.make_safe
    if record is None:
        return []
    lines = []
    opened = [f"{o.device}{', locked' if o.locked else ''}" for o in record.opened]
    if opened:
        lines.append(msg("Opened: {join}.", join="; ".join(opened)))
    points = [f"{p.place.replace('_', ' ')} {p.pair} {say(p.reading_v, 'V')}" for p in record.dead_points]
    if points:
        lines.append(msg("Dead points: {join}.", join="; ".join(points)))
    cans = [f"{SECTION_WORDS[c.section]} {say(c.after_v, 'V')}" for c in record.capacitors]
    if cans:
        lines.append(msg("Capacitors after bleeding: {join}.", join="; ".join(cans)))
    return lines


def _decisions(call: CallOut, work: WorkOut, out: HandOverOut, reads: Reads) -> list[dict[str, str]]:
    rows: list[tuple[datetime, str, str, str]] = [
        (c.made_at, "Changed", c.what, c.person) for c in call.changes
    ]
    for k in work.kept:
        word = "Kept" if k.kept.decision == "keep" else msg("Taken off")
        rows.append((k.decided_at, word, f"{k.kept.work}: {k.kept.reason}", k.person))
    if out.confirmed is not None:
        title = priors()[out.confirmed.confirmed.hypothesis].title
        rows.append((out.confirmed.at, msg("Final cause"), title, out.confirmed.person))
    rows += [
        (a.at, "Agreed", f"{a.agreement.name}: {' '.join(a.agreement.what)}", a.person) for a in out.agreed
    ]
    if out.handed is not None:
        rows.append(
            (out.handed.at, msg("Handed over"), msg("to {to}", to=out.handed.handed.to), out.handed.person)
        )
    rows += [(call.opened_at, msg("Stop settled"), s.how, "") for s in call.settled_stops]
    return [
        {"time": clock(at, reads), "what": what, "detail": detail, "person": person}
        for at, what, detail, person in sorted(rows, key=lambda r: r[0])
    ]


def _plans(work: WorkOut) -> list[dict[str, Any]]:
    plans = []
    for p in work.plans:
        if p.plan.wiring is None:
            continue
        drawn = plan_with_pictures(p.plan.wiring)
        checks = [c for c in work.as_wired if c.checked.work == p.plan.work]
        said = ""
        if checks:
            last = checks[-1]
            said = (
                msg("Checked as wired by {person}: as planned.", person=last.person)
                if last.checked.ok
                else msg(
                    "Checked as wired by {person}: {join}",
                    person=last.person,
                    join=" ".join(last.checked.faults),
                )
            )
        plans.append(
            {
                "title": p.plan.title,
                "svg": with_own_colors(drawn.svg or ""),
                "moves": move_words(p.plan.wiring),
                "checked": said,
            }
        )
    return plans


def _small(jpeg: bytes) -> bytes:
    """Return a photograph in the size a paper uses."""
    picture = Image.open(io.BytesIO(jpeg))
    picture.draft("RGB", (PHOTO_PX, PHOTO_PX))
    picture.thumbnail((PHOTO_PX, PHOTO_PX))
    out = io.BytesIO()
    picture.convert("RGB").save(out, "JPEG", quality=82)
    return out.getvalue()


def _pictures(call_id: int, reads: Reads) -> dict[str, Any]:
    listed = photos.photos_of_call(call_id)
    chosen = listed[:MOST_PHOTOS]
    # Pictures are unpacked outside the interpreter's lock: side by side on the cores there are.
    with ThreadPoolExecutor(max_workers=4) as hands:
        small = list(hands.map(_small, [photos.photo_bytes(p.id) for p in chosen]))
    shown = [
        {
            "src": f"data:image/jpeg;base64,{base64.b64encode(data).decode()}",
            "caption": f"{clock(p.recorded_at, reads)} {p.subject}: {p.caption}".rstrip(": "),
        }
        for p, data in zip(chosen, small, strict=True)
    ]
    return {"photos": shown, "photos_left": max(0, len(listed) - MOST_PHOTOS)}
