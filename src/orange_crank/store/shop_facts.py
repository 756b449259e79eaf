"""Notes on the records themselves: whether they are the demo's."""

from orange_crank.store.models import ShopFact

DEMO = "demo"


def mark(name: str, value: str = "yes") -> None:
    """Write a note on the records."""
    ShopFact.insert(name=name, value=value).on_conflict_replace().execute()


def is_demo() -> bool:
    """Return whether these records are the demo's, and may be thrown away."""
    return ShopFact.get_or_none(ShopFact.name == DEMO) is not None
