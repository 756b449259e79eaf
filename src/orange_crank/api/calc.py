"""``POST /api/calc/<topic>``: the command line's computations, one route each, by this shop's rules."""

from collections.abc import Callable
from typing import Any

from fastapi import APIRouter
from pydantic import BaseModel, JsonValue

from orange_crank.core.tables.standards import Standards
from orange_crank.core.topics import Topic
from orange_crank.store.database import session
from orange_crank.store.standards import shop_standards
from orange_crank.topics import TOPICS, find_topic

router = APIRouter(prefix="/api/calc", tags=["calc"])


def held_standards() -> Standards:
    """Return the standards as this shop holds them."""
    with session():
        return shop_standards()


def _route(topic: Topic) -> Callable[[Any], BaseModel]:
    def run(entry: BaseModel) -> BaseModel:
        return topic.run(entry, held_standards() if topic.uses_standards else None)

    run.__doc__ = topic.summary + "."
    run.__annotations__ = {"entry": topic.takes, "return": topic.gives}
    return run


for _topic in TOPICS.values():
    router.add_api_route(
        f"/{_topic.name}",
        _route(_topic),
        methods=["POST"],
        name=f"calc_{_topic.name.replace('-', '_')}",
        summary=_topic.summary,
        response_model=_topic.gives,
    )


@router.get("/{topic}/schema")
def topic_schema(topic: str) -> dict[str, JsonValue]:
    """Return the JSON Schema of a topic's entry and result."""
    return find_topic(topic).schema()
