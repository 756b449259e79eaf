"""Handing a call over through the server: cause, cost, yes, papers, tasks, visits, calendar."""

import csv
import io
import re
from datetime import UTC, datetime, timedelta
from typing import Any

import pypdfium2
import pytest
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, rule, run_state_machine_as_test
from icalendar import Calendar
from PIL import Image

from orange_crank.store import database, logbook
from orange_crank.store.photos import add_photo
from tests.conftest import as_loaded
from tests.doing import make_safe_body, ok, wire_first
from tests.sentences import code_names, read_by_people

LEAD, INES = {"As-Person": "3"}, {"As-Person": "2"}
CALL = "/api/calls/4"
WAVE = {"strokes": [[[0.1, 0.5], [0.4, 0.2], [0.9, 0.7]]]}
CUSTOMER_ONLY = ("customer", "technical", "estimate", "statement")


def text_of(pdf: bytes) -> str:
    made = pypdfium2.PdfDocument(pdf)
    found = "\n".join(made[i].get_textpage().get_text_range() for i in range(len(made)))
    made.close()
    return " ".join(found.split())


def options(client: TestClient) -> dict[str, Any]:
    return {o["key"]: o for o in ok(client.get(f"{CALL}/hand-over/options"))["options"]}


def take_cause(client: TestClient, cause: str = "run_capacitor_weak") -> None:
    body = {"kind": "cause", "decision": {"kind": "cause", "hypothesis": cause}}
    ok(client.post(f"{CALL}/decisions", json=body))


# The hand-over ------------------------------------------------------------------------------------


def test_a_call_is_handed_over_and_the_ladder_says_so(client: TestClient) -> None:
    take_cause(client)
    before = ok(client.get(f"{CALL}/hand-over"))
    assert before["choices"][0] == {
        "hypothesis": "run_capacitor_weak",
        "title": "Weak run capacitor",
        "taken": True,
    }
    assert before["statement"]["total"] is None
    after = ok(client.post(f"{CALL}/hand-over/confirm", json={"hypothesis": "run_capacitor_weak"}))
    assert after["hand_over"]["confirmed"]
    ok(client.post(f"{CALL}/hand-over/bill", json={"minutes": 60.0}))
    handed = ok(client.post(f"{CALL}/hand-over", json={"to": "Hattie Voss", "running": True}))
    assert "The unit is left running." == handed["hand_over"]["state"]["plain"]
    # One hour at $110 and the county's 6.5 %.
    assert 117.15 == handed["statement"]["total"]
    rung = next(r for r in ok(client.get(CALL))["ladder"]["rungs"] if r["key"] == "hand_over")
    assert ("energized", "To Hattie Voss · Weak run capacitor") == (rung["status"], rung["load"])
    assert all(c["closed"] for c in rung["contacts"])


def test_every_door_says_the_same_of_the_cause(client: TestClient) -> None:
    """Why, hand-over, ladder, paper and time line agree on what it was."""
    take_cause(client, "worn_bearings")
    ok(client.post(f"{CALL}/hand-over/confirm", json={"hypothesis": "run_capacitor_weak"}))
    assert "run_capacitor_weak" == ok(client.get(f"{CALL}/hand-over"))["hand_over"]["cause"]
    paper = client.get(f"{CALL}/papers/customer.html").text
    assert "had grown weak" in paper
    assert "worn and turns hard" not in paper
    assert "Weak run capacitor: confirmed by Marlo Quist." in client.get(f"{CALL}/papers/technical.html").text
    line = ok(client.get("/api/units/1/time-line"))["entries"]
    assert "Final cause: Weak run capacitor" in [e["text"] for e in line]


def test_a_closed_call_may_still_be_told_what_it_was_and_nothing_else(client: TestClient) -> None:
    closed = "/api/calls/5"
    listed = [c["call_id"] for c in ok(client.get("/api/calls-without-cause"))]
    assert 5 in listed
    assert 4 not in listed, "it is open"
    ok(
        client.post(
            f"{closed}/hand-over/confirm", json={"hypothesis": "healthy", "note": "seen"}, headers=LEAD
        )
    )
    assert 5 not in [c["call_id"] for c in ok(client.get("/api/calls-without-cause"))]
    for path, body in (("/bill", {"minutes": 5.0}), ("", {"to": "Hattie"})):
        refused = client.post(f"{closed}/hand-over{path}", json=body)
        assert 409 == refused.status_code
        assert refused.json()["next_step"]


def test_a_lost_answer_is_given_again_and_nothing_is_written_twice(client: TestClient) -> None:
    key = {"Idempotency-Key": "hand-over-once"}
    body = {"options": ["run_capacitor"], "name": "Hattie", "signature": WAVE}
    body["shown_total"] = options(client)["run_capacitor"]["cost"]["total"]
    first = ok(client.post(f"{CALL}/hand-over/agree", json=body, headers=key))
    again = ok(client.post(f"{CALL}/hand-over/agree", json=body, headers=key))
    assert 1 == len(first["agreed"]) == len(again["agreed"])
    other = client.post(f"{CALL}/hand-over/agree", json=body | {"name": "Somebody"}, headers=key)
    assert 422 == other.status_code
    assert 1 == len(ok(client.get(f"{CALL}/hand-over"))["agreed"])


@pytest.mark.parametrize(
    ("path", "body", "field"),
    [
        ("/confirm", {"hypothesis": "gremlins"}, "hypothesis"),
        ("/bill", {"minutes": -1.0}, "minutes"),
        ("/bill", {"minutes": "60"}, "minutes"),
        ("/bill", {"minutes": 5.0, "lines": [{"what": "x", "amount": 1e12}]}, "lines[0].amount"),
        ("", {"to": ""}, "to"),
        ("/agree", {"options": [], "name": "H", "heard_by": "me"}, "options"),
        ("/agree", {"options": ["run_capacitor"], "name": "H"}, "signature"),
        (
            "/agree",
            {"options": ["x"], "name": "H", "signature": {"strokes": [[[0.5, 0.5]]]}},
            "strokes",
        ),
    ],
)
def test_what_cannot_be_used_is_named(client: TestClient, path: str, body: Any, field: str) -> None:
    refused = client.post(f"{CALL}/hand-over{path}", json=body)
    assert 422 == refused.status_code
    assert field in [e["field"] for e in refused.json()["errors"]]


# Money and the yes --------------------------------------------------------------------------------


def test_the_cause_puts_its_own_option_first_and_its_price_adds_up(client: TestClient) -> None:
    take_cause(client)
    found = ok(client.get(f"{CALL}/hand-over/options"))
    first = found["options"][0]
    assert ("run_capacitor", True) == (first["key"], first["first"])
    assert first["does"].startswith("Computed: up to speed in")
    assert "instead of" in first["does"]
    assert first["will_not"]
    lines = sum(line["amount"] for line in first["cost"]["lines"])
    assert first["cost"]["subtotal"] == pytest.approx(lines)
    assert first["cost"]["total"] == pytest.approx(lines * 1.065, abs=0.006)
    assert "as_it_is" == found["options"][-1]["key"] or any(o["key"] == "as_it_is" for o in found["options"])
    for field, sentence in read_by_people(found):
        assert not code_names(sentence), (field, sentence)


def test_an_aid_costs_in_the_options_what_it_costs_on_the_aid_rung(client: TestClient) -> None:
    assert not [k for k in options(client) if k.startswith("aid-")], "the run capacitor is measured first"
    sound = {"quantity": "run_cap_uf", "value": 45.0, "without_make_safe": "bench"}
    ok(client.post(f"{CALL}/readings", json=sound))
    shown = {k: o for k, o in options(client).items() if k.startswith("aid-")}
    ranked = ok(client.post(f"{CALL}/aid", json={"from_van": 1}))["ranked"]
    assert shown
    for o in shown.values():
        rung = next(a for a in ranked if a["part"] == o["part"])
        assert rung["cost"] == pytest.approx(o["cost"]["subtotal"])


def test_a_yes_is_to_the_price_that_was_shown(client: TestClient) -> None:
    shown = options(client)["run_capacitor"]
    part = shown["part"]
    body = {
        "options": ["run_capacitor"],
        "name": "Hattie Voss",
        "trial": True,
        "shown_total": shown["cost"]["total"],
        "signature": WAVE,
    }
    ok(client.put(f"/api/parts/{part}/price", json={"price": 99.0}, headers=LEAD))
    stale = client.post(f"{CALL}/hand-over/agree", json=body)
    assert 409 == stale.status_code
    assert "Show the options again" in stale.json()["next_step"]
    body["shown_total"] = options(client)["run_capacitor"]["cost"]["total"]
    agreed = ok(client.post(f"{CALL}/hand-over/agree", json=body))["agreed"][-1]["agreement"]
    assert body["shown_total"] == agreed["total"]
    assert "New run capacitor" in agreed["what"][0]
    assert "it may not start" in agreed["what"][1]
    ok(client.put(f"/api/parts/{part}/price", json={"price": 10.0}, headers=LEAD))
    kept = ok(client.get(f"{CALL}/hand-over"))["agreed"][-1]["agreement"]
    assert body["shown_total"] == kept["total"], "what was agreed stays what was agreed"


def test_a_part_fitted_is_on_the_bill_and_one_back_on_the_van_is_not(client: TestClient) -> None:
    fitted = {"work": "aid", "what": "Kit fitted", "part": "KT-189", "holder_id": 1}
    wire_first(client, CALL, fitted)
    ok(client.post(f"{CALL}/work/fitted", json=fitted))
    ok(client.post(f"{CALL}/hand-over/bill", json={"minutes": 30.0}))
    with_kit = ok(client.get(f"{CALL}/hand-over"))["statement"]
    assert any("KT-189" in line["what"] for line in with_kit["lines"])
    off = {"work": "aid", "decision": "take_off", "reason": "No better", "back_to_van": True}
    ok(client.post(f"{CALL}/work/kept", json=off))
    without = ok(client.get(f"{CALL}/hand-over"))["statement"]
    assert not any("KT-189" in line["what"] for line in without["lines"])
    assert without["total"] < with_kit["total"]


def close_call(client: TestClient, reason: str = "as agreed", who: dict[str, str] | None = None) -> Any:
    version = ok(client.get(CALL))["version"]
    body = {"version": version, "status": "closed", "reason": reason}
    return client.patch(CALL, json=body, headers=who or {})


def test_a_closed_bill_keeps_its_prices_its_tax_and_the_shops_name(client: TestClient) -> None:
    change = {"what": "Run capacitor", "part": "run_capacitor"}
    ok(client.post(f"{CALL}/changes", json=change))
    ok(
        client.post(
            f"{CALL}/hand-over/bill", json={"minutes": 60.0, "lines": [{"what": "Fee", "amount": 89.0}]}
        )
    )
    ok(close_call(client, who=INES))
    before = ok(client.get(f"{CALL}/hand-over"))
    assert re.fullmatch(r"\d{4}-4", before["bill"]["number"])
    shop = ok(client.get("/api/shop"))
    changed = shop["details"] | {"name": "Another name", "tax_pct": 9.0, "parts_markup_pct": 100.0}
    ok(client.put("/api/shop", json={"details": changed, "version": shop["version"]}, headers=LEAD))
    after = ok(client.get(f"{CALL}/hand-over"))
    assert after["statement"] == before["statement"]
    assert after["bill"] == before["bill"]
    paper = text_of(client.get(f"{CALL}/papers/statement.pdf").content)
    assert before["bill"]["number"] in paper
    assert "Another name" not in paper
    # Who closed it is on the call, on its papers and on the unit's time line.
    call = ok(client.get(CALL))
    assert call["closed_by"] == "Ines Tarrow"
    entries = ok(client.get(f"/api/units/{call['unit_id']}/time-line"))["entries"]
    assert next(e for e in entries if e["kind"] == "closed")["person"] == "Ines Tarrow"
    # Corrected only by a new one, which says what it takes the place of.
    ok(client.patch(CALL, json={"version": call["version"], "status": "open"}))
    ok(client.post(f"{CALL}/hand-over/bill", json={"minutes": 30.0}))
    ok(close_call(client))
    again = ok(client.get(f"{CALL}/hand-over"))["bill"]
    assert again["corrects"] == before["bill"]["number"]
    assert again["number"] == f"{before['bill']['number']}-2"


def test_the_reading_that_decided_stays_on_both_papers_with_its_verdict_of_then(client: TestClient) -> None:
    ok(client.post(f"{CALL}/make-safe", json=make_safe_body(ok(client.get(CALL)))))
    ok(client.post(f"{CALL}/readings", json={"quantity": "run_cap_uf", "value": 31.2}))
    ok(client.post(f"{CALL}/changes", json={"what": "Dual run capacitor", "part": "dual_capacitor"}))
    ok(client.post(f"{CALL}/readings", json={"quantity": "run_cap_uf", "value": 45.2}))
    customer = text_of(client.get(f"{CALL}/papers/customer.pdf").content)
    assert "31.2 of 45 microfarads, which is not as it should be, on the part that was replaced" in customer
    assert "45.2" not in customer
    record = text_of(client.get(f"{CALL}/papers/technical.pdf").content)
    assert re.search(r"31\.2 µF fail 45 µF → 31\.2, out\. Old dual run capacitor", record)
    assert re.search(r"45\.2 µF pass", record)


def test_the_bills_of_a_month_go_to_bookkeeping_as_csv(client: TestClient) -> None:
    lines = [{"what": "Fee", "amount": 89.0}]
    ok(client.post(f"{CALL}/hand-over/bill", json={"minutes": 60.0, "lines": lines}))
    ok(close_call(client))
    bill = ok(client.get(f"{CALL}/hand-over"))["bill"]
    month = str(database.local_day(database.now()))[:7]
    sent = client.get(f"/api/bills.csv?month={month}", headers=LEAD)
    rows = list(csv.DictReader(io.StringIO(sent.text.lstrip("\ufeff"))))
    mine = next(r for r in rows if r["number"] == bill["number"])
    assert float(mine["total"]) == bill["statement"]["total"]
    assert (mine["parts"], mine["customer"]) == ("89.00", "Ferry landing")
    assert "," not in client.get("/api/bills.csv?month=2001-01", headers=LEAD).text.split("\n", 1)[1]
    assert client.get("/api/bills.csv?month=2026-13", headers=LEAD).status_code == 422
    assert client.get(f"/api/bills.csv?month={month}").status_code == 403


def test_a_deposit_and_the_rest_are_paid_on_an_open_and_on_a_closed_call(client: TestClient) -> None:
    take_cause(client)
    ok(client.post(f"{CALL}/hand-over/bill", json={"minutes": 60.0}))
    once = {"Idempotency-Key": "deposit-once"}
    deposit = {"amount": 50.0, "how": "Cash"}
    first = ok(client.post(f"{CALL}/hand-over/payments", json=deposit, headers=once))
    again = ok(client.post(f"{CALL}/hand-over/payments", json=deposit, headers=once))
    assert len(first["payments"]) == len(again["payments"]) == 1
    assert ("deposit", 67.15) == (again["paid"]["state"], again["paid"]["due"])
    ok(close_call(client, reason="Rest by check"))
    paid = ok(client.post(f"{CALL}/hand-over/payments", json={"amount": 67.15, "how": "Check"}))
    assert ("paid", 0.0) == (paid["paid"]["state"], paid["paid"]["due"])
    paper = client.get(f"{CALL}/papers/statement.html").text
    assert "Check" in paper
    assert "Warranty of labor: 90 days" in paper
    month = datetime.now(UTC).strftime("%Y-%m")
    rows = list(
        csv.DictReader(
            io.StringIO(client.get(f"/api/bills.csv?month={month}", headers=LEAD).text.lstrip("\ufeff"))
        )
    )
    assert ("117.15", "117.15") == (rows[0]["total"], rows[0]["paid"])
    refused = client.post(f"{CALL}/hand-over/payments", json={"amount": -5.0, "how": "Cash"})
    assert (422, "note") == (refused.status_code, refused.json()["errors"][0]["field"])


def test_a_customer_who_pays_no_tax_is_named_on_the_bill(client: TestClient) -> None:
    take_cause(client)
    billed = ok(
        client.post(f"{CALL}/hand-over/bill", json={"minutes": 60.0, "tax_exempt": "School, certificate 7"})
    )
    assert (110.0, 0.0) == (billed["statement"]["total"], billed["statement"]["tax"])
    assert "exempt: <bdi>School, certificate 7</bdi>" in client.get(f"{CALL}/papers/statement.html").text
    # The next call of the customer starts from it; cleared there, it pays tax again.
    site = ok(client.get(CALL))["site"]["id"]
    unit = ok(client.post("/api/units", json={"site_id": site, "name": "Shed"}))["id"]
    again = ok(client.post("/api/calls", json={"unit_id": unit, "complaint": "Hums"}))["id"]
    after = f"/api/calls/{again}/hand-over"
    assert ok(client.get(after))["tax_exempt"] == "School, certificate 7"
    assert ok(client.get(after))["statement"]["tax_exempt"] == "School, certificate 7"
    taxed = ok(client.post(f"{after}/bill", json={"minutes": 60.0, "tax_exempt": ""}))
    assert (taxed["tax_exempt"], taxed["statement"]["tax_exempt"]) == ("", "")
    calls = [ok(client.get(f"/api/calls/{c['id']}")) for c in ok(client.get("/api/calls"))]
    other = next(c["id"] for c in calls if c["site"]["id"] != site and c["status"] == "open")
    assert ok(client.get(f"/api/calls/{other}/hand-over"))["tax_exempt"] == ""


def test_a_shop_without_a_labor_rate_bills_no_made_up_one(client: TestClient) -> None:
    shop = ok(client.get("/api/shop"))
    details = shop["details"] | {"labor_per_hour": None}
    ok(client.put("/api/shop", json={"details": details, "version": shop["version"]}, headers=LEAD))
    out = ok(client.post(f"{CALL}/hand-over/bill", json={"minutes": 60.0}))
    assert out["statement"]["total"] is None
    assert "No labor rate is set" in out["statement"]["missing"][0]


def test_closing_asks_once_by_name_for_what_is_not_billed_handed_over_or_above_the_yes(
    client: TestClient,
) -> None:
    take_cause(client)
    yes = {"options": ["as_it_is"], "name": "Hattie Voss", "shown_total": 0.0, "heard_by": "Marlo"}
    ok(client.post(f"{CALL}/hand-over/agree", json=yes))
    ok(client.post(f"{CALL}/changes", json={"what": "Run capacitor", "part": "run_capacitor"}))
    left = {p["code"] for p in ok(client.get(CALL))["left_open"]}
    assert {"NOT_BILLED", "NOT_HANDED_OVER"} <= left
    ok(
        client.post(
            f"{CALL}/hand-over/bill",
            json={"minutes": 60.0, "lines": [{"what": "Run capacitor", "amount": 25.6}]},
        )
    )
    assert ok(client.get(f"{CALL}/hand-over"))["over_agreed"] > 0
    refused = close_call(client, reason="")
    assert refused.status_code == 409
    assert "Billed" in refused.json()["detail"]
    assert "more." in refused.json()["detail"]
    ok(close_call(client, reason="Owner said yes on the phone"))
    assert ok(client.get(CALL))["closed_reason"] == "Owner said yes on the phone"


def test_a_typed_price_is_agreed_where_none_is_shown_and_nowhere_else(client: TestClient) -> None:
    take_cause(client, "winding_grounded")
    shown = options(client)
    assert set(shown) == {"replace_compressor", "replace_unit", "as_it_is"}
    yes = {
        "options": ["replace_unit"],
        "name": "Hattie Voss",
        "shown_total": 4_800.0,
        "prices": {"replace_unit": 4_800.0},
        "heard_by": "Marlo",
    }
    agreed = ok(client.post(f"{CALL}/hand-over/agree", json=yes))["agreed"][0]
    assert (agreed["agreement"]["total"], agreed["agreement"]["keys"]) == (4_800.0, ["replace_unit"])
    assert not agreed["after_work"]
    wrong = yes | {"options": ["as_it_is"], "prices": {"as_it_is": 5.0}, "shown_total": 5.0}
    assert client.post(f"{CALL}/hand-over/agree", json=wrong).status_code == 422
    # The call goes on to its end: nothing of a replacement is done on this visit.
    ok(client.post(f"{CALL}/changes", json={"what": "Leads taped", "part": "other"}))
    late = ok(client.post(f"{CALL}/hand-over/agree", json=yes))["agreed"][-1]
    assert late["after_work"]


def test_a_part_from_elsewhere_wants_a_price_by_hand(client: TestClient) -> None:
    ok(client.post(f"{CALL}/work/fitted", json={"work": "other", "what": "Pull-out replaced"}))
    ok(client.post(f"{CALL}/hand-over/bill", json={"minutes": 30.0}))
    open_bill = ok(client.get(f"{CALL}/hand-over"))
    assert ["Pull-out replaced"] == open_bill["unpriced"]
    assert open_bill["statement"]["total"] is None
    priced = {"minutes": 30.0, "lines": [{"what": "Pull-out replaced", "amount": 41.0}]}
    assert 102.24 == ok(client.post(f"{CALL}/hand-over/bill", json=priced))["statement"]["total"]


def test_the_shops_details_are_the_leads_and_the_offices_to_set(client: TestClient) -> None:
    shop = ok(client.get("/api/shop"))
    details = shop["details"] | {"tax_pct": 0.0, "paper": "a4"}
    edit = {"details": details, "version": shop["version"]}
    assert 403 == client.put("/api/shop", json=edit).status_code
    done = ok(client.put("/api/shop", json=edit, headers=LEAD))
    assert 0.0 == done["details"]["tax_pct"]
    assert 409 == client.put("/api/shop", json=edit, headers=LEAD).status_code, "set since"
    made = pypdfium2.PdfDocument(client.get(f"{CALL}/papers/statement.pdf").content)
    assert (595, 842) == tuple(round(x) for x in made[0].get_size())
    made.close()


# Papers -------------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", CUSTOMER_ONLY)
def test_a_paper_reads_the_same_on_screen_and_in_print(client: TestClient, name: str) -> None:
    take_cause(client)
    ok(client.post(f"{CALL}/hand-over/bill", json={"minutes": 60.0}))
    page = client.get(f"{CALL}/papers/{name}.html")
    assert 200 == page.status_code
    pdf = client.get(f"{CALL}/papers/{name}.pdf")
    assert pdf.content.startswith(b"%PDF")
    text = text_of(pdf.content)
    for words in ("Quillback Cooling", "Ticket office split", "Marlo Quist", "Call 4", "outdoors 97\u00a0°F"):
        assert words in page.text, words
        # A printed page has one kind of blank.
        assert words.replace("\u00a0", " ") in text.replace("\u00a0", " "), words


def test_the_customers_paper_has_no_abbreviation_and_the_record_has_everything(client: TestClient) -> None:
    take_cause(client)
    customer = text_of(client.get(f"{CALL}/papers/customer.pdf").content)
    for short in ("RLA", "LRA", "MCA", "µF between", "run_capacitor"):
        assert short not in customer
    record = text_of(client.get(f"{CALL}/papers/technical.pdf").content)
    for words in ("Inrush", "101 A", "on common", "12 min rest", "Marlo Quist", "Shop rule", "LRA 112 A"):
        assert words in record, words


def test_a_paper_nobody_knows_is_refused(client: TestClient) -> None:
    assert 422 == client.get(f"{CALL}/papers/letter.pdf").status_code
    assert 404 == client.get("/api/calls/999/papers/customer.html").status_code
    assert 404 == client.get("/api/documents/fonts/..%2Fpaper.py").status_code
    assert 404 == client.get("/api/documents/fonts/nothing.woff2").status_code


# Tasks and visits ---------------------------------------------------------------------------------


def test_a_routine_service_with_nothing_wrong_reads_like_one(client: TestClient) -> None:
    yearly = [c["id"] for c in ok(client.get("/api/calls")) if c["complaint"] == "Yearly service"]
    assert yearly
    for call in yearly:
        text = client.get(f"/api/calls/{call}/papers/customer.html").text
        assert "Routine service. Nothing we measured is outside its limits." in text
        assert "not settled" not in text
    text = client.get(f"{CALL}/papers/customer.html").text
    assert "We have not confirmed the cause yet." in text
    assert "Routine service" not in text


def test_a_part_replaced_on_a_routine_service_is_not_called_within_its_limits(client: TestClient) -> None:
    ok(client.patch(CALL, json={"version": ok(client.get(CALL))["version"], "complaint": "Yearly service"}))
    record = ok(client.get(f"{CALL}/why"))["record"]
    ok(client.post(f"{CALL}/why", json=record | {"symptoms": []}))
    ok(client.post(f"{CALL}/make-safe", json=make_safe_body(ok(client.get(CALL)))))
    ok(client.post(f"{CALL}/readings", json={"quantity": "run_cap_uf", "value": 31.2}))
    ok(client.post(f"{CALL}/changes", json={"what": "Dual run capacitor", "part": "dual_capacitor"}))
    ok(client.post(f"{CALL}/readings", json={"quantity": "run_cap_uf", "value": 45.2}))
    text = client.get(f"{CALL}/papers/customer.html").text
    assert "31.2 of 45 microfarads, which is not as it should be, on the part that was replaced" in text
    assert "outside its limits" not in text


def test_what_the_customer_is_promised_is_one_date_and_a_task_by_itself(client: TestClient) -> None:
    take_cause(client)
    came = ok(client.post(f"{CALL}/hand-over", json={"to": "Hattie Voss"}))["hand_over"]["come_back"]
    promised = [f for f in came if f["kind"] == "visit"]
    assert promised
    assert 1 == len({f["due_on"] for f in promised})
    tasks = ok(client.get(f"{CALL}/tasks"))
    assert {f["code"] for f in came if f["kind"] != "suggestion"} == {t["code"] for t in tasks}
    assert {f["due_on"] for f in promised} <= {t["due_on"] for t in tasks}
    ok(client.post(f"{CALL}/hand-over", json={"to": "Her brother"}))
    assert len(tasks) == len(ok(client.get(f"{CALL}/tasks")))


def test_work_past_the_gate_is_on_the_time_line_in_the_csv_and_on_the_leads_list(client: TestClient) -> None:
    reason = "Disconnect pulled, in my pocket"
    dead = {"quantity": "winding_cs_ohm", "value": 2.3, "without_make_safe": reason}
    ok(client.post(f"{CALL}/readings", json=dead))
    line = ok(client.get("/api/units/1/time-line"))["entries"]
    assert any(reason in e["text"] for e in line)
    for path in (f"{CALL}/readings.csv", "/api/units/1/record.csv"):
        rows = list(csv.DictReader(io.StringIO(client.get(path).text.lstrip("\ufeff"))))
        assert reason in [r["past_gate"] for r in rows], path
    version = ok(client.get(CALL))["version"]
    ok(client.patch(CALL, json={"version": version, "status": "closed", "reason": "Customer left"}))
    listed = ok(client.get("/api/closed-open", headers=LEAD))[0]
    assert (4, "Customer left") == (listed["call_id"], listed["reason"])
    assert "PAST_GATE" == listed["left"][0]["code"]
    assert reason in listed["left"][0]["text"]
    assert 403 == client.get("/api/closed-open", headers=INES).status_code


def test_follow_ups_become_tasks_once(client: TestClient) -> None:
    take_cause(client)
    codes = [f["code"] for f in ok(client.get(f"{CALL}/hand-over"))["hand_over"]["come_back"]]
    assert "PUT_RIGHT" in codes
    kept = ok(client.post(f"{CALL}/hand-over/tasks", json={"codes": codes}))
    again = ok(client.post(f"{CALL}/hand-over/tasks", json={"codes": codes}))
    assert sorted(codes) == sorted(t["code"] for t in kept) == sorted(t["code"] for t in again)
    assert {"Marlo Quist"} == {t["assigned"] for t in kept}
    refused = client.post(f"{CALL}/hand-over/tasks", json={"codes": ["NONE"]})
    assert (422, "codes") == (refused.status_code, refused.json()["errors"][0]["field"])


class Tasks(RuleBasedStateMachine):
    """Tasks under several hands: what is open, who has it and when it is due follow the order of moves."""

    def __init__(self, client: TestClient) -> None:
        super().__init__()
        as_loaded()
        self.client = client
        self.known: dict[int, dict[str, Any]] = {t["id"]: t for t in ok(client.get("/api/tasks"))}

    @rule(unit=st.integers(1, 4), days=st.integers(-3, 30), who=st.sampled_from([1, 2, None]))
    def add(self, unit: int, days: int, who: int | None) -> None:
        due = (datetime.now(UTC) + timedelta(days=days)).date().isoformat()
        body = {"unit_id": unit, "title": "Look again", "due_on": due, "assigned_id": who}
        made = ok(self.client.post("/api/tasks", json=body))
        self.known[made["id"]] = made

    @rule(
        data=st.data(),
        what=st.sampled_from(["done", "postponed", "dropped", "given"]),
        reason=st.sampled_from(["", "No answer at the door"]),
        stale=st.booleans(),
    )
    def move(self, data: st.DataObject, what: str, reason: str, stale: bool) -> None:
        number = data.draw(st.sampled_from(sorted(self.known)))
        task = self.known[number]
        body = {
            "version": task["version"] - (1 if stale else 0),
            "what": what,
            "reason": reason,
            "due_on": "2027-05-01" if what == "postponed" else None,
            "assigned_id": 2 if what == "given" else None,
        }
        answer = self.client.post(f"/api/tasks/{number}/moves", json=body)
        if what in ("postponed", "dropped") and not reason:
            assert (422, "reason") == (answer.status_code, answer.json()["errors"][0]["field"])
        elif stale or task["status"] != "open":
            assert 409 == answer.status_code
        else:
            now = self.known[number] = ok(answer)
            assert now["status"] == (what if what in ("done", "dropped") else "open")
            assert now["due_on"] == ("2027-05-01" if what == "postponed" else task["due_on"])
            assert now["assigned_id"] == (2 if what == "given" else task["assigned_id"])
            assert what == now["steps"][-1]["what"]

    @invariant()
    def the_due_list_is_what_is_open_soonest_first(self) -> None:
        listed = ok(self.client.get("/api/tasks"))
        assert {t["id"] for t in listed} == {i for i, t in self.known.items() if t["status"] == "open"}
        dates = [t["due_on"] for t in listed]
        assert dates == sorted(dates)
        mine = ok(self.client.get("/api/tasks", params={"person_id": 2}))
        assert [t["id"] for t in listed if t["assigned_id"] == 2] == [t["id"] for t in mine]


def test_tasks_under_several_hands(client: TestClient) -> None:
    run_state_machine_as_test(
        lambda: Tasks(client),  # type: ignore[arg-type]
        settings=settings(
            max_examples=12,
            stateful_step_count=12,
            deadline=None,
            database=None,
            phases=(Phase.generate,),
            suppress_health_check=list(HealthCheck),
        ),
    )


def test_a_visit_is_planned_moved_begun_and_shown_on_its_day(client: TestClient) -> None:
    at = datetime(2027, 5, 3, 15, 0, tzinfo=UTC)
    entry = {
        "unit_id": 2,
        "visitor_id": 1,
        "starts_at": at.isoformat(),
        "minutes": 60,
        "purpose": "Door mended",
    }
    visit = ok(client.post("/api/visits", json=entry))
    day = {"day": "2027-05-03"}
    assert [visit["id"]] == [
        x["visit"]["id"] for x in ok(client.get("/api/people/1/day", params=day))["lines"]
    ]
    refused = client.put(f"/api/visits/{visit['id']}", json={"version": 1, "visitor_id": 2})
    assert 409 == refused.status_code
    assert "lead" in refused.json()["next_step"]
    moved = ok(client.put(f"/api/visits/{visit['id']}", json={"version": 1, "visitor_id": 2}, headers=LEAD))
    assert 409 == client.put(f"/api/visits/{visit['id']}", json={"version": 1}, headers=LEAD).status_code
    assert [] == ok(client.get("/api/people/1/day", params=day))["lines"]
    opened = ok(
        client.post(
            "/api/calls",
            json={"unit_id": 2, "complaint": "Door mended", "visit_id": visit["id"]},
            headers=INES,
        )
    )
    begun = ok(client.get("/api/people/2/day", params=day))["lines"][0]["visit"]
    assert ("begun", opened["id"]) == (begun["status"], begun["call_id"])
    assert begun["version"] > moved["version"]
    back = {"version": begun["version"], "status": "cancelled"}
    refused = client.put(f"/api/visits/{visit['id']}", json=back, headers=LEAD)
    assert (409, "Go on with its call, or plan another visit.") == (
        refused.status_code,
        refused.json()["next_step"],
    )


def test_a_visit_of_another_unit_is_not_begun_by_this_call(client: TestClient) -> None:
    planned = next(v for v in ok(client.get("/api/visits")) if v["unit_id"] == 8)
    ok(client.post("/api/calls", json={"unit_id": 2, "complaint": "x", "visit_id": planned["id"]}))
    assert "planned" == next(v for v in ok(client.get("/api/visits")) if v["id"] == planned["id"])["status"]


def test_the_day_says_what_to_bring_and_what_the_van_lacks(client: TestClient) -> None:
    lines = ok(client.get("/api/people/1/day"))["lines"]
    assert sorted(x["visit"]["starts_at"] for x in lines) == [x["visit"]["starts_at"] for x in lines]
    hall = next(x for x in lines if x["visit"]["unit_id"] == 8)
    can = next(b for b in hall["bring"] if "capacitor" in b["what"])
    assert can["part"]
    assert not can["lacks"]
    ines = {"unit_id": 8, "visitor_id": 2, "starts_at": hall["visit"]["starts_at"], "purpose": "Yearly"}
    ok(client.post("/api/visits", json=ines, headers=LEAD))
    van = ok(client.get("/api/vans/2"))
    held = next((x["count"] for x in van["lines"] if x["part"]["part"] == can["part"]), 0)
    hers = next(x for x in ok(client.get("/api/people/2/day"))["lines"] if x["visit"]["unit_id"] == 8)
    hers_can = next(b for b in hers["bring"] if "capacitor" in b["what"])
    assert hers_can["lacks"] == (hers_can["on_van"] < 1)
    assert held >= 0


def test_the_feed_holds_visits_and_due_tasks_of_a_person_and_of_a_site(client: TestClient) -> None:
    feed = client.get("/api/people/1/calendar.ics")
    assert feed.headers["content-type"].startswith("text/calendar")
    titles = [str(e["summary"]) for e in Calendar.from_ical(feed.content).walk("VEVENT")]
    assert "Grange hall: Meeting hall split" in titles
    assert any(t.startswith("Due: ") for t in titles)
    site = ok(client.get("/api/visits"))[0]["site_id"]
    assert b"BEGIN:VEVENT" in client.get(f"/api/sites/{site}/calendar.ics").content
    assert 404 == client.get("/api/sites/999/calendar.ics").status_code


# Logbook ------------------------------------------------------------------------------------------


def test_a_unit_page_tells_its_baseline_its_forecasts_and_its_bands(client: TestClient) -> None:
    book = ok(client.get("/api/units/8"))["logbook"]
    assert 7 == book["baseline"]["visits"]
    assert "above what this unit draws at 98\u00a0°F" in book["latest_amps"]["text"]
    can = next(f for f in book["forecasts"] if f["quantity"] == "run_cap_uf")
    assert can["earliest"] < can["likely"] < can["latest"]
    band = next(b for b in book["bands"] if b["quantity"] == "run_cap_uf")
    assert (32.9, 37.1) == (band["low"], band["high"])


def test_the_time_line_is_whole_and_in_order_however_it_is_asked_for(client: TestClient) -> None:
    seen: list[tuple[str, int]] = []
    before = None
    moments = []
    for _ in range(40):
        page = ok(client.get("/api/units/8/time-line", params={"before": before} if before else {}))
        seen += [(e["kind"], e["ref"]) for e in page["entries"]]
        moments += [e["at"] for e in page["entries"]]
        before = page["older"]
        if before is None:
            break
    assert len(seen) == len(set(seen)), "nothing twice"
    assert moments == sorted(moments, reverse=True)
    calls = ok(client.get("/api/units/8"))["calls"]
    assert len(calls) == sum(kind == "visit" for kind, _ in seen)
    assert sum(c["readings"] for c in calls) == sum(kind == "reading" for kind, _ in seen)


def test_what_was_written_at_one_moment_is_not_torn_by_a_page(client: TestClient) -> None:
    """A whole test of several readings carries one time: none of it may fall between two pages."""
    with database.session():
        whole = logbook.time_line(8, most=10_000).entries
        for most in (1, 2, 5, 7):
            seen, before = [], None
            while True:
                page = logbook.time_line(8, before, most)
                seen += page.entries
                before = page.older
                if before is None:
                    break
            assert [(e.kind, e.ref) for e in whole] == [(e.kind, e.ref) for e in seen], most
    assert client.get("/api/units/8/time-line").status_code == 200


def test_the_fleet_is_worked_out_anew_only_where_something_new_was_read(client: TestClient) -> None:
    fleet = ok(client.get("/api/fleet"))
    assert {1, 8} == {line["unit_id"] for line in fleet["lines"]}
    assert 0 == fleet["to_work_out"]
    risks = [line["at_risk"] for line in fleet["lines"]]
    assert risks == sorted(risks, reverse=True)
    old = next(line for line in fleet["lines"] if line["unit_id"] == 1)
    ok(client.post(f"{CALL}/changes", json={"what": "Run capacitor replaced", "part": "dual_capacitor"}))
    now = ok(client.get("/api/fleet"))["lines"]
    assert old["words"] not in [line["words"] for line in now], "another part, another forecast"


def test_a_lot_is_found_wherever_it_went(client: TestClient) -> None:
    fitted = {"work": "capacitor", "what": "Run capacitor replaced", "part": "RM-60", "lot": "24-B7"}
    wire_first(client, CALL, fitted)
    ok(client.post(f"{CALL}/work/fitted", json=fitted))
    found = ok(client.get("/api/lots/24-b7"))
    assert [(4, True, "RM-60")] == [(x["call_id"], x["still_there"], x["part"]) for x in found]
    assert [] == ok(client.get("/api/lots/24-b7", params={"part": "RM-1"}))
    assert [] == ok(client.get("/api/lots/none"))
    ok(client.post(f"{CALL}/work/fitted", json=fitted | {"lot": "25-A1"}))
    assert 1 == len(ok(client.get("/api/lots/25-A1")))
    assert ["Run capacitor"] == [f["title"] for f in ok(client.get("/api/units/1"))["fitted"]]


# Search and people --------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("asked", "wanted"),
    [
        ("ferry", "Ferry landing"),
        ("meeting ha", "Grange hall · Meeting hall split"),
        ("coil rins", "Grange hall · Meeting hall split"),
        ("kit fitt", "Transmitter room split"),
        ("Inès", ""),
        ("Ines", "Ines Tarrow"),
        ("quillback narr", "Ferry landing"),
    ],
)
def test_what_is_typed_is_found_half_a_word_included(client: TestClient, asked: str, wanted: str) -> None:
    found = ok(client.get("/api/search", params={"asked": asked}))
    assert any(wanted in h["title"] for h in found["hits"]) or not wanted
    for hit in found["hits"]:
        assert hit["to"].startswith("/")


def test_a_serial_is_found_by_its_beginning(client: TestClient) -> None:
    unit = ok(client.get("/api/units/2"))["unit"]
    edit = {k: unit[k] for k in ("name", "kind", "note", "model", "version")} | {"serial": "Q7-00412-B"}
    ok(client.put("/api/units/2", json=edit))
    for asked in ("Q7", "q7-004", "00412"):
        hits = ok(client.get("/api/search", params={"asked": asked}))["hits"]
        assert "/units/2" in [h["to"] for h in hits], asked


@given(st.text(max_size=80))
@settings(max_examples=60, deadline=None, suppress_health_check=list(HealthCheck))
def test_nothing_typed_breaks_the_search(client: TestClient, asked: str) -> None:
    answer = client.get("/api/search", params={"asked": asked})
    assert 200 == answer.status_code, asked
    assert len(answer.json()["hits"]) < 200


@pytest.mark.parametrize("asked", ["%", "_", "+*", '"', "(ferry", "-ferry", "ferry*~<>", "@5", "\\"])
def test_signs_of_the_database_are_only_signs(client: TestClient, asked: str) -> None:
    hits = ok(client.get("/api/search", params={"asked": asked}))["hits"]
    assert not hits or "erry" in asked


def test_people_are_added_changed_and_retired_and_the_last_lead_stays(client: TestClient) -> None:
    new = {"name": "Tam O'Dell", "role": "helper", "initials": "to"}
    assert 403 == client.post("/api/people", json=new).status_code
    made = ok(client.post("/api/people", json=new, headers=LEAD))
    assert "TO" == made["initials"]
    assert 422 == client.post("/api/people", json=new, headers=LEAD).status_code, "one name, one person"
    edit = {"name": made["name"], "role": "technician", "initials": "TO", "version": made["version"]}
    changed = ok(client.put(f"/api/people/{made['id']}", json=edit, headers=LEAD))
    assert "technician" == next(p["role"] for p in changed if p["id"] == made["id"])
    assert 409 == client.put(f"/api/people/{made['id']}", json=edit, headers=LEAD).status_code
    lead = next(p for p in changed if p["role"] == "lead")
    gone = {"name": lead["name"], "role": "lead", "initials": "BR", "version": 1, "active": False}
    refused = client.put(f"/api/people/{lead['id']}", json=gone, headers=LEAD)
    assert 409 == refused.status_code
    assert "Make another person lead first." == refused.json()["next_step"]
    retired = edit | {"version": 2, "active": False}
    left = ok(client.put(f"/api/people/{made['id']}", json=retired, headers=LEAD))
    assert made["id"] not in [p["id"] for p in left]
    told = [a["detail"] for a in ok(client.get("/api/audit", headers=LEAD))]
    assert {"retired", "added as helper"} <= set(told)
    assert 403 == client.get("/api/audit").status_code


def test_a_shop_that_has_people_does_not_begin_again(client: TestClient) -> None:
    body = {
        "details": {"name": "Another"},
        "people": [{"name": "A", "role": "lead", "initials": "A"}],
        "passphrase": "quite a long one",
    }
    assert 409 == client.post("/api/shop/begin", json=body).status_code
    nobody = body | {"people": [{"name": "A", "role": "helper", "initials": "A"}]}
    assert 422 == client.post("/api/shop/begin", json=nobody).status_code


def test_two_records_of_one_place_become_one(client: TestClient) -> None:
    sites = ok(client.get("/api/sites"))
    hall = next(s for s in sites if s["name"] == "Grange hall")
    double = ok(client.post("/api/sites", json={"name": "Grange Hall annex", "contact": "ask Hattie"}))
    ok(client.post("/api/units", json={"site_id": double["id"], "name": "Meeting hall split"}))
    merge = {"into": hall["id"], "version": double["version"]}
    assert 403 == client.post(f"/api/sites/{double['id']}/merge", json=merge).status_code, "the lead's"
    ok(client.post(f"/api/sites/{double['id']}/merge", json=merge, headers=LEAD))
    names = [u["name"] for u in ok(client.get("/api/units")) if u["site"]["id"] == hall["id"]]
    assert ["Meeting hall split", "Meeting hall split (2)"] == sorted(names)
    assert double["id"] not in [s["id"] for s in ok(client.get("/api/sites"))]
    assert 404 == client.post(f"/api/sites/{double['id']}/merge", json=merge, headers=LEAD).status_code


def test_an_archive_is_sent_looked_at_and_brought_in_by_the_lead(client: TestClient) -> None:
    data = client.get("/api/units/8/archive.zip").content
    assert data.startswith(b"PK")
    assert 403 == client.post("/api/archives", content=data).status_code
    assert 403 == client.get("/api/archive.zip").status_code
    sent = ok(client.post("/api/archives", content=data, headers=LEAD))
    assert {} == sent["report"]["new"], "it is this shop's own"
    kept = ok(client.post(f"/api/archives/{sent['upload_id']}/keep", headers=LEAD))
    assert kept["done"]
    again = client.post(f"/api/archives/{sent['upload_id']}/keep", headers=LEAD)
    assert (422, "upload_id") == (again.status_code, again.json()["errors"][0]["field"])
    bad = client.post("/api/archives", content=data[:2000], headers=LEAD)
    assert (422, "archive") == (bad.status_code, bad.json()["errors"][0]["field"])
    whole = client.get("/api/archive.zip", headers=LEAD).content
    assert {} == ok(client.post("/api/archives", content=whole, headers=LEAD))["report"]["new"]


def test_a_burnt_contactor_and_a_circuit_that_fails_are_options_too(client: TestClient) -> None:
    before = options(client)
    assert "contactor" not in before
    call = ok(client.get(CALL))
    ok(client.post(f"{CALL}/make-safe", json=make_safe_body(call)))
    ok(client.post(f"{CALL}/readings", json={"quantity": "contactor_look", "value": "burnt"}))
    take_cause(client, "contactor_worn")
    shown = options(client)
    assert shown["contactor"]["first"]
    assert shown["contactor"]["part"]
    assert shown["contactor"]["cost"]["total"] > 0
    plain_of_it = f"{shown['contactor']['does']} {shown['contactor']['will_not']}"
    assert not code_names(plain_of_it)


def test_no_price_is_guessed_for_a_circuit(client: TestClient) -> None:
    assert "circuit" not in options(client)
    there = {"overcurrent_a": 100.0, "conductor_awg": "10"}
    told = ok(client.post(f"{CALL}/circuit", json={"installed": there, "wiring": {"length_ft": 310.0}}))
    assert not told["audit"]["ok"]
    shown = options(client)
    assert shown["circuit"]["cost"]["total"] is None
    assert shown["circuit"]["notes"][0]


def test_three_hundred_photographs_are_counted_and_do_not_drown_the_paper(client: TestClient) -> None:
    small = io.BytesIO()
    Image.new("RGB", (80, 60), "grey").save(small, "JPEG")
    with database.session():
        for i in range(300):
            add_photo(4, "other", f"picture {i}", small.getvalue(), (80, 60), 1)
    text = text_of(client.get(f"{CALL}/papers/technical.pdf").content)
    assert "picture 23" in text
    assert "picture 24" not in text
    assert "276" in text
    ok(client.get(f"{CALL}/hand-over"))
    line = ok(client.get("/api/units/2/time-line"))
    assert len(line["entries"]) < 200
    assert ok(client.get(f"{CALL}/photos"))[299]["caption"] == "picture 299"


def test_a_paper_is_told_as_the_shop_reads(client: TestClient) -> None:
    client.headers["As-Person"] = "3"
    page = "/api/calls/1/papers/technical.html"
    before = client.get(page).text
    assert "\u202f" not in before
    shop = client.get("/api/shop").json()
    reads = {"temperature": "C", "distance": "m", "region": "en-GB", "hours": 12}
    body = {"details": shop["details"] | {"reads": reads}, "version": shop["version"]}
    assert client.put("/api/shop", json=body).status_code == 200
    after = client.get(page).text
    words = re.sub(r"<[^>]*>", " ", after)
    assert "°C" in words
    assert re.search(r"\d\u00a0°F", words) is None
    day = re.search(r"(\w+) (\d+), (20\d\d), \d+:\d\d", before)
    assert day is not None
    assert re.search(rf"{day[2]} {day[1]} {day[3]}, \d+:\d\d (am|pm)", after)


@pytest.mark.parametrize("active", [True, False])
@pytest.mark.parametrize(
    ("first", "second"), [("Wren Holloway", "Wren Holloway"), ("😀", "😁"), ("Wren", "WREN")]
)
def test_a_name_is_held_once_retired_people_included(
    client: TestClient, first: str, second: str, active: bool
) -> None:
    made = ok(
        client.post("/api/people", json={"name": first, "role": "technician", "initials": "W"}, headers=LEAD)
    )
    left = {k: made[k] for k in ("name", "role", "initials", "version")} | {"active": False}
    ok(client.put(f"/api/people/{made['id']}", json=left, headers=LEAD))
    ines = next(p for p in ok(client.get("/api/people")) if p["id"] == 2)
    edit = {k: ines[k] for k in ("role", "initials", "version")} | {"name": second, "active": active}
    refused = client.put("/api/people/2", json=edit, headers=LEAD)
    assert (422, "name") == (refused.status_code, refused.json()["errors"][0]["field"])
    added = {"name": second, "role": "technician", "initials": "W"}
    assert 422 == client.post("/api/people", json=added, headers=LEAD).status_code
