"""A hundred thousand spoilt files: how many were neither read nor refused, and what the worst one took."""

import os
import sys
import time
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context

from tests.formats.fuzzing import READERS, Crash, Found, fuzz

FILES, PIECE = 100_000, 500


def _piece(task: tuple[str, int]) -> tuple[str, Found | str]:
    kind, seed = task
    try:
        return kind, fuzz(kind, PIECE, seed)
    except Crash as crash:
        return kind, str(crash)


def main(files: int = FILES) -> None:
    """Print files, crashes, and the slowest and largest of each kind."""
    pieces = -(-files // PIECE // len(READERS))
    tasks = [(kind, 1_000 + n) for kind in READERS for n in range(pieces)]
    begun = time.perf_counter()
    by_kind: dict[str, list[Found]] = {kind: [] for kind in READERS}
    crashes = []
    with ProcessPoolExecutor(os.cpu_count(), mp_context=get_context("spawn")) as pool:
        for kind, found in pool.map(_piece, tasks):
            if isinstance(found, Found):
                by_kind[kind].append(found)
            else:
                crashes.append(found)
                print(found[:300], file=sys.stderr)
    total = sum(f.files for many in by_kind.values() for f in many)
    spent = time.perf_counter() - begun
    print(f"{total:,} spoilt files in {spent:.0f} s; {len(crashes)} pieces with a crash (aim 0)")
    for kind, many in by_kind.items():
        if many:
            read, refused = sum(f.read for f in many), sum(f.refused for f in many)
            print(
                f"  {kind:10} {read:6,} read, {refused:6,} refused; slowest "
                f"{1000 * max(f.slowest_s for f in many):6.0f} ms (aim 2,000), "
                f"grown by {max(f.grown_mb for f in many):4.0f} MB (aim 200)"
            )


if __name__ == "__main__":
    main()
