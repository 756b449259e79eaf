"""Queries asked many times a second, put into words once.

Building a query's SQL takes longer than MariaDB's answer to it; the words are the same each time, only the
numbers in it differ.
"""

from collections.abc import Callable
from typing import Any

from orange_crank.store.database import proxy

# A placeholder for the first number asked for, the next for the second, and so on; no row has it.
_MARK = 9_007_199_254_740_001


class Prepared:
    """A query of whole numbers, built at its first use.

    Parameters
    ----------
    build : makes the query, given its numbers

    """

    def __init__(self, build: Callable[..., Any]) -> None:
        self._build = build
        self._made: tuple[Any, str, list[Any]] | None = None

    def _words(self, count: int) -> tuple[Any, str, list[Any]]:
        if self._made is None:
            query = self._build(*(_MARK + i for i in range(count)))
            sql, values = query.sql()
            self._made = (query, sql, values)
        return self._made

    def _carry_out(self, numbers: tuple[int | None, ...]) -> tuple[Any, Any]:
        query, sql, values = self._words(len(numbers))
        asked = [
            numbers[v - _MARK] if isinstance(v, int) and 0 <= v - _MARK < len(numbers) else v for v in values
        ]
        return query, proxy.obj.execute_sql(sql, asked)

    def rows(self, *numbers: int) -> list[Any]:
        """Return what is found, as the query's own kind of row."""
        query, cursor = self._carry_out(numbers)
        found = query._get_cursor_wrapper(cursor)
        found.fill_cache()
        rows: list[Any] = found.row_cache
        return rows

    def first(self, *numbers: int) -> Any:
        """Return the first row found; None where there is none."""
        return next(iter(self.rows(*numbers)), None)

    def execute(self, *numbers: int | None) -> int:
        """Carry a change out and return how many rows it changed."""
        _, cursor = self._carry_out(numbers)
        count: int = cursor.rowcount
        return count
