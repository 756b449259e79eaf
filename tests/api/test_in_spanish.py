"""The same call in Spanish: papers, refusals, stops and next steps; the records stay English."""

import csv
import io
import re

import pytest
from fastapi.testclient import TestClient

from tests.api.test_hand_over import CALL, LEAD, close_call, take_cause
from tests.doing import ok

SPANISH = {"Accept-Language": "es"}
NOT_SPANISH = re.compile(
    r"\b(the|was|were|measured|reads|replace|power|with|power|without|unit|started|what|which|left|cannot)\b",
    re.IGNORECASE,
)


# Of the demo shop: names and notes a person typed.
TYPED = ("one year, by the part&#39;s own label", "due on receipt", "90 days")


def speak(client: TestClient, call: int, language: str) -> None:
    site = ok(client.get(f"/api/calls/{call}"))["site"]
    body = {k: v for k, v in site.items() if k != "id"} | {"language": language}
    ok(client.put(f"/api/sites/{site['id']}", json=body))


def words(html: str) -> str:
    """Return what a reader sees of a paper: no styles, no head of names, nothing a person typed."""
    for typed in TYPED:
        html = html.replace(typed, "")
    body = re.sub(r"<style.*?</style>|<title>.*?</title>|<svg.*?</svg>", " ", html, flags=re.DOTALL)
    body = re.sub(r"<header.*?</header>|<dl.*?</dl>", " ", body, flags=re.DOTALL)
    return " ".join(re.sub(r"<[^>]+>", " ", body).split())


@pytest.mark.parametrize("call", [1, 3, 4, 5, 6, 7, 8])
@pytest.mark.parametrize("name", ["customer", "estimate", "statement"])
def test_a_customers_paper_is_in_their_language(client: TestClient, call: int, name: str) -> None:
    speak(client, call, "es")
    told = words(client.get(f"/api/calls/{call}/papers/{name}.html").text)
    assert "Qué" in told or "Trabajo" in told
    assert [m.group(0) for m in NOT_SPANISH.finditer(told)] == [], told
    speak(client, call, "en")
    assert "Qué" not in words(client.get(f"/api/calls/{call}/papers/{name}.html").text)


def test_what_is_read_in_spanish_is_kept_in_english(client: TestClient) -> None:
    client.headers.update(SPANISH)
    take_cause(client)
    call = ok(client.get(CALL))
    assert call["next"]["text"] != ""
    assert not NOT_SPANISH.search(call["next"]["text"])
    client.headers.update({"Accept-Language": "en"})
    assert "Poner en seguro" not in client.get(CALL).text


def test_a_refusal_says_the_next_step_in_spanish(client: TestClient) -> None:
    refused = client.get("/api/calls/999999", headers=SPANISH)
    assert refused.status_code == 404
    taken = client.post(f"{CALL}/hand-over", json={"to": ""}, headers=SPANISH)
    assert taken.status_code == 422
    assert taken.json()["title"] == "Revise lo anotado"
    assert client.post(f"{CALL}/hand-over", json={"to": ""}).json()["title"] == "Check the entry"


def test_a_closed_bill_keeps_the_language_it_was_closed_in(client: TestClient) -> None:
    speak(client, 4, "es")
    take_cause(client)
    ok(client.post(f"{CALL}/hand-over/bill", json={"minutes": 60.0}))
    ok(close_call(client))
    speak(client, 4, "en")
    bill = ok(client.get(f"{CALL}/hand-over"))["bill"]
    assert next(line["what"] for line in bill["statement"]["lines"]) == "Mano de obra"
    month = bill["number"][:4] + "-" + ok(client.get(CALL))["closed_at"][5:7]
    sheet = client.get(f"/api/bills.csv?month={month}", headers=LEAD).text
    row = next(
        r for r in csv.DictReader(io.StringIO(sheet.lstrip("\ufeff"))) if r["number"] == bill["number"]
    )
    assert float(row["labor"]) == bill["statement"]["lines"][0]["amount"] > 0
    assert float(row["parts"]) == 0


@pytest.mark.parametrize("say", ["es-MX,es;q=0.9,en;q=0.8", "ES", "es"])
def test_a_browsers_own_header_is_understood(client: TestClient, say: str) -> None:
    assert (
        ok(client.get(CALL, headers={"Accept-Language": say}))["next"]["text"]
        != ok(client.get(CALL))["next"]["text"]
    )


@pytest.mark.parametrize("say", ["", "xx", "e", "*", "en;q=0, es", "\t", "de-DE,es"])
def test_any_other_header_is_answered_in_english(client: TestClient, say: str) -> None:
    assert ok(client.get(CALL, headers={"Accept-Language": say}))["next"] == ok(client.get(CALL))["next"]


def test_a_page_from_before_the_languages_does_not_reset_them(client: TestClient) -> None:
    speak(client, 4, "es")
    site = ok(client.get(CALL))["site"]
    high = {k: v for k, v in site.items() if k != "id"} | {"elevation_ft": 4300.0, "design_f": 104.0}
    site = ok(client.put(f"/api/sites/{site['id']}", json=high))
    old_page = {k: site[k] for k in ("name", "place", "access_note", "version")} | {"contact": "Hattie"}
    now = ok(client.put(f"/api/sites/{site['id']}", json=old_page))
    assert (now["contact"], now["language"]) == ("Hattie", "es")
    assert (now["elevation_ft"], now["design_f"]) == (4300.0, 104.0)
    emptied = old_page | {"version": now["version"], "elevation_ft": None}
    assert ok(client.put(f"/api/sites/{site['id']}", json=emptied))["elevation_ft"] is None


@pytest.mark.parametrize("said", [{"language": "fr"}, {"elevation_ft": 90_000.0}, {"design_f": "hot"}])
def test_what_a_site_cannot_be_is_refused_by_field(client: TestClient, said: dict[str, object]) -> None:
    site = ok(client.get(CALL))["site"]
    refused = client.put(f"/api/sites/{site['id']}", json={k: v for k, v in site.items() if k != "id"} | said)
    assert (refused.status_code, refused.json()["errors"][0]["field"]) == (422, next(iter(said)))
