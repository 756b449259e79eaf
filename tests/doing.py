"""What several doors' tests do alike: making a unit safe, going live, as a technician's phone sends it."""

import asyncio
from collections.abc import Coroutine, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from typing import Any

from orange_crank.core.safety.make_safe import SupplyKind
from orange_crank.demo.player import make_safe_record

CAUTION = {"kind": "caution_read"}
GO_LIVE = {
    "kind": "went_live",
    "covers_on": True,
    "people_clear": True,
    "meter_set": True,
    "leads_back": True,
}


def make_safe_body(
    call: Mapping[str, Any],
    sections: Sequence[str] = ("c_herm", "c_fan"),
    supply: SupplyKind = "single_phase_two_leg",
    **more: Any,
) -> dict[str, Any]:
    """A complete make-safe record taken now, on the state the call is in."""
    return {
        "record": make_safe_record(supply, list(sections)).model_dump(mode="json") | more,
        "volts_taken_at": datetime.now(UTC).isoformat(),
        "state_version": call["state"]["version"],
    }


def run_apart(work: Coroutine[Any, Any, Any]) -> None:
    """Run a coroutine in a thread of its own: a browser of another test may hold this one's loop."""
    with ThreadPoolExecutor(1) as apart:
        apart.submit(asyncio.run, work).result()


def ok(answer: Any) -> Any:
    """Return what an answer says; fail with what it says where it is a refusal."""
    assert answer.status_code in (200, 201), answer.text
    return answer.json()
