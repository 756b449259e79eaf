"""Fifty power cuts under load: how much of what was acknowledged is there afterwards, and once.

Baseline: none lost, none twice. Rounds may be given: ``python -m benchmarks.killing 200``.
"""

import sys
import tempfile
import time
from pathlib import Path

from tests.product import running
from tests.running.killing import rounds

ROUNDS = 50


def main(count: int = ROUNDS) -> None:
    """Print what became of what was acknowledged, with one process and with two."""
    for workers in (1, 2):
        with (
            tempfile.TemporaryDirectory(prefix="oc-kill-") as folder,
            running(Path(folder) / "data", workers=str(workers)) as product,
        ):
            begun = time.monotonic()
            tally = rounds(product, count // 2)
            print(
                f"{tally.rounds} power cuts, {workers} process(es), {time.monotonic() - begun:.0f} s: "
                f"{len(tally.lost)} of {tally.acknowledged} acknowledged lost, {len(tally.twice)} twice; "
                f"of {tally.unknown} without an answer {tally.found_by_key} were saved"
            )


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else ROUNDS)
