"""The core alone; under ``make mutants`` every test starts without cached results."""

import functools
import gc
import os


def pytest_sessionstart() -> None:
    """Clear every cache while a mutant is tested: it runs in a copy of a process that has run the tests."""
    if not os.environ.get("MUTANT_UNDER_TEST"):
        return
    for found in gc.get_objects():
        if isinstance(found, functools._lru_cache_wrapper):
            found.cache_clear()
