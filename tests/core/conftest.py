"""The core alone; under ``make mutants`` no test sees what another left in a cache."""

import functools
import gc
import os
from collections.abc import Callable

import pytest

MUTATING = bool(os.environ.get("MUTANT_UNDER_TEST"))
_caches: list[Callable[[], None]] = []


@pytest.fixture(autouse=True)
def _no_cached_results() -> None:
    """Clear every cache before a test, so that it is known by what it reaches and meets the mutant.

    A mutant runs in a copy of a process that has run the tests; and a test that gets a cached result is not
    counted among those that reach the function.
    """
    if MUTATING:
        if not _caches:
            found = (o for o in gc.get_objects() if isinstance(o, functools._lru_cache_wrapper))
            _caches.extend(o.cache_clear for o in found)
        for clear in _caches:
            clear()
