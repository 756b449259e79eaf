"""Every operation the server describes, with what a stranger may send: no fault, no undescribed answer.

The description is the only source: cases are drawn from it, one operation at a time and in chains where an
answer of one is put into the next.
"""

import json
import os
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
import schemathesis
from hypothesis import HealthCheck, given, settings
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)

from orange_crank.store.server import MariaDbServer
from tests.conftest import as_loaded
from tests.doing import SignedIn, shop_app

# More of each for a night: ORANGE_CRANK_EXAMPLES=200.
EXAMPLES = int(os.environ.get("ORANGE_CRANK_EXAMPLES", "4"))
CHAINS = int(os.environ.get("ORANGE_CRANK_CHAINS", "12"))
CHECKS = [
    not_a_server_error,
    status_code_conformance,
    content_type_conformance,
    response_schema_conformance,
]
# Streams do not end; they are driven in test_meters and tests/running.
STREAM = "/stream$|^/api/moves$"
DESCRIPTION = json.loads((Path(__file__).parents[2] / "docs/openapi.json").read_text("utf-8"))
OPERATIONS = [
    (path, method)
    for path, operations in DESCRIPTION["paths"].items()
    if not re.search(STREAM, path)
    for method in operations
]
SETTINGS = settings(
    max_examples=EXAMPLES,
    deadline=None,
    suppress_health_check=list(HealthCheck),
    database=None,
)


def headers() -> dict[str, str]:
    """Signed in again each time: what is tried may well have signed the lead out."""
    return {"Host": "127.0.0.1", "Cookie": SignedIn().cookie("3")}


@pytest.fixture(scope="module", autouse=True)
def shop(demo_copy: MariaDbServer) -> Iterator[None]:
    del demo_copy
    as_loaded()
    yield
    as_loaded()


@pytest.fixture(scope="module")
def schema() -> Any:
    """The server's description with strategies; built where it is used, not in every worker."""
    app = shop_app()
    made = schemathesis.openapi.from_dict(app.openapi())
    made.app = app
    return made


@pytest.mark.parametrize(("path", "method"), OPERATIONS)
def test_no_operation_faults_or_answers_what_it_does_not_describe(
    schema: Any, path: str, method: str
) -> None:
    @SETTINGS
    @given(case=schema[path][method].as_strategy())
    def tried(case: Any) -> None:
        case.call_and_validate(headers=headers(), checks=CHECKS)

    tried()


def test_no_chain_of_operations_faults(schema: Any) -> None:
    """Put what one answer returns into the next request, in any order."""
    chain = schema.exclude(path_regex=STREAM).as_state_machine()
    chain.setup = lambda self: as_loaded()
    chain.get_call_kwargs = lambda self, case: {"headers": headers()}
    chain.validate_response = lambda self, response, case, **more: case.validate_response(
        response, checks=CHECKS
    )
    chain.run(
        settings=settings(
            SETTINGS,
            max_examples=CHAINS,
            stateful_step_count=12,
            suppress_health_check=list(HealthCheck),
        )
    )
    """Puts what one answer says into the next question, in any order."""
