"""Run every benchmark, or those named: ``python -m benchmarks [name …]``."""

import importlib
import sys

NAMES = (
    "opening_a_call",
    "reading_files",
    "starting",
    "panning",
    "diagnosis",
    "choosing",
    "aids",
    "circuits",
    "forecasts",
    "searching",
    "handing_over",
    "taps",
    "live_meter",
    "practice",
    "fuzzing",
    "many_clients",
    "killing",
)


def main(wanted: list[str]) -> None:
    """Run the benchmarks in order."""
    for name in wanted or NAMES:
        importlib.import_module(f"benchmarks.{name}").main()


if __name__ == "__main__":
    main(sys.argv[1:])
