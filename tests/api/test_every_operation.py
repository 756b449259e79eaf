"""Every operation the server describes, with what a stranger may send: no fault, no undescribed answer.

The description is the only source: cases are drawn from it, one operation at a time and in chains where an
answer of one is put into the next.
"""

import os
from collections.abc import Iterator
from typing import Any

import pytest
import schemathesis
from hypothesis import HealthCheck, settings
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)

from orange_crank.api.app import create_app
from orange_crank.store.server import MariaDbServer
from tests.conftest import as_loaded
from tests.doing import SignedIn

# More of each for a night: ORANGE_CRANK_EXAMPLES=200.
EXAMPLES = int(os.environ.get("ORANGE_CRANK_EXAMPLES", "4"))
CHAINS = int(os.environ.get("ORANGE_CRANK_CHAINS", "12"))
CHECKS = [
    not_a_server_error,
    status_code_conformance,
    content_type_conformance,
    response_schema_conformance,
]
APP = create_app()
schema = schemathesis.openapi.from_dict(APP.openapi())
schema.app = APP
SETTINGS = settings(
    max_examples=EXAMPLES,
    deadline=None,
    suppress_health_check=list(HealthCheck),
    database=None,
)


def headers() -> dict[str, str]:
    """Signed in anew each time: what is tried may well have signed the lead out."""
    return {"Host": "127.0.0.1", "Cookie": SignedIn().cookie("3")}


@pytest.fixture(scope="module", autouse=True)
def shop(demo_copy: MariaDbServer) -> Iterator[None]:
    del demo_copy
    as_loaded()
    yield
    as_loaded()


# Streams do not end by themselves; they are driven in test_meters and tests/running.
@schema.exclude(path_regex="/stream$|^/api/moves$").parametrize()
@SETTINGS
def test_no_operation_faults_or_answers_what_it_does_not_describe(case: Any) -> None:
    case.call_and_validate(headers=headers(), checks=CHECKS)


Chain = schema.exclude(path_regex="/stream$|^/api/moves$").as_state_machine()


class Stranger(Chain):  # type: ignore[misc, valid-type]
    """Puts what one answer says into the next question, in any order."""

    def setup(self) -> None:
        as_loaded()

    def get_call_kwargs(self, case: Any) -> dict[str, Any]:
        del case
        return {"headers": headers()}

    def validate_response(self, response: Any, case: Any, **more: Any) -> None:
        del more
        case.validate_response(response, checks=CHECKS)


Stranger.TestCase.settings = settings(
    SETTINGS, max_examples=CHAINS, stateful_step_count=12, suppress_health_check=list(HealthCheck)
)
TestChains = Stranger.TestCase
