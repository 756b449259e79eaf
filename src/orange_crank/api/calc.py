"""``POST /api/calc/<topic>``: the same computations as the command line, one route a topic."""

from collections.abc import Callable
from typing import Any

from fastapi import APIRouter
from pydantic import BaseModel, JsonValue

from orange_crank.core.topics import TOPICS, Topic, find_topic

router = APIRouter(prefix="/api/calc", tags=["calc"])


def _route(topic: Topic) -> Callable[[Any], BaseModel]:
    def run(entry: BaseModel) -> BaseModel:
        return topic.call(entry)

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
