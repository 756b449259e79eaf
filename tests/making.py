"""Entries made from a schema: whatever a door says it takes, at its ends and in between."""

from collections.abc import Mapping
from typing import Any

from hypothesis import strategies as st

# Figures that are met at a unit; ends of ranges come from the schema itself.
USUAL = (0, 0.4, 1, 2.3, 5, 24, 45, 77, 120, 208, 230, 240)


def from_schema(schema: Mapping[str, Any], defs: Mapping[str, Any] | None = None) -> st.SearchStrategy[Any]:
    """Return a strategy for what a JSON schema (as pydantic writes it) accepts."""
    known = defs if defs is not None else schema.get("$defs", {})
    if "$ref" in schema:
        return st.deferred(lambda: from_schema(known[schema["$ref"].rsplit("/", 1)[1]], known))
    if "const" in schema:
        return st.just(schema["const"])
    if "enum" in schema:
        return st.sampled_from(schema["enum"])
    for many in ("anyOf", "oneOf"):
        if many in schema:
            return st.one_of([from_schema(one, known) for one in schema[many]])
    if "allOf" in schema:
        return from_schema(schema["allOf"][0], known)
    makers = {"number": _figure, "integer": _count, "string": _words, "array": _list, "object": _object}
    kind = schema.get("type")
    if kind in makers:
        return makers[kind](schema, known)
    return st.booleans() if kind == "boolean" else st.none()


def _ends(schema: Mapping[str, Any]) -> tuple[float, float]:
    low = schema.get("minimum", schema.get("exclusiveMinimum", 0))
    high = schema.get("maximum", schema.get("exclusiveMaximum", 1_000))
    return float(low), float(high)


def _figure(schema: Mapping[str, Any], _: Mapping[str, Any]) -> st.SearchStrategy[Any]:
    low, high = _ends(schema)
    bare = low + min(0.01, (high - low) / 10) if "exclusiveMinimum" in schema else low
    usual = [n for n in USUAL if bare <= n <= high] or [bare]
    return st.one_of(
        st.sampled_from(usual), st.sampled_from([bare, high]), st.floats(bare, min(high, 500.0 + bare))
    )


def _count(schema: Mapping[str, Any], _: Mapping[str, Any]) -> st.SearchStrategy[Any]:
    low, high = _ends(schema)
    return st.integers(int(low) + ("exclusiveMinimum" in schema), int(min(high, low + 12)))


def _words(schema: Mapping[str, Any], _: Mapping[str, Any]) -> st.SearchStrategy[Any]:
    if schema.get("format") == "date-time":
        return st.just("2026-01-05T08:00:00Z")
    return st.sampled_from(["brown", "Kit is in my hand", "by the hut \U0001f9ca", "-" * 3])


def _list(schema: Mapping[str, Any], known: Mapping[str, Any]) -> st.SearchStrategy[Any]:
    least = schema.get("minItems", 0)
    each = from_schema(schema.get("items", {"type": "null"}), known)
    return st.lists(each, min_size=least, max_size=min(schema.get("maxItems", 3), least + 2))


def _object(schema: Mapping[str, Any], known: Mapping[str, Any]) -> st.SearchStrategy[Any]:
    wanted = set(schema.get("required", ()))
    fields = {n: from_schema(f, known) for n, f in schema.get("properties", {}).items()}
    return st.fixed_dictionaries(
        {n: f for n, f in fields.items() if n in wanted},
        optional={n: f for n, f in fields.items() if n not in wanted},
    )
