"""What several driven flows ask of the server straight, as a second technician's phone would."""

import json
import urllib.request
from collections.abc import Sequence
from typing import Any

from tests.doing import CAUTION, GO_LIVE, make_safe_body
from tests.product import Product


def get(product: Product, path: str) -> Any:
    with urllib.request.urlopen(product.address + path) as answer:
        return json.load(answer)


def send(product: Product, method: str, path: str, body: Any) -> Any:
    request = urllib.request.Request(
        product.address + path,
        json.dumps(body).encode(),
        {"content-type": "application/json", "orange-crank-person": "1"},
        method=method,
    )
    with urllib.request.urlopen(request) as answer:
        return json.load(answer)


def post(product: Product, path: str, body: Any) -> Any:
    return send(product, "POST", path, body)


def reload_demo(product: Product) -> None:
    post(product, "/api/demo/reload", {"confirm": "reload the demo"})


def make_safe(
    product: Product, call: int, sections: Sequence[str] = ("c_herm", "c_fan"), **more: Any
) -> None:
    body = make_safe_body(get(product, f"/api/calls/{call}"), sections, **more)
    post(product, f"/api/calls/{call}/make-safe", body)


def go_live(product: Product, call: int) -> None:
    post(product, f"/api/calls/{call}/safety-events", CAUTION)
    post(product, f"/api/calls/{call}/safety-events", GO_LIVE)
