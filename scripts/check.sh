#!/usr/bin/env bash
# The fast lane, at most two minutes: form, types, the core without its slowest files.
# Left out: formats, store, server, the real interface, and the files named below. `make test` runs everything.
set -euo pipefail
cd "$(dirname "$0")/.."
export PATH="$PWD/.venv/bin:$PATH"
part() { printf '\n── %s\n' "$1"; }
slow=(
  test_standards.py test_topics.py diagnosis/test_engine.py diagnosis/test_causes.py motor/test_sources.py
  circuit/test_circuit.py call/test_any_entry.py call/test_open_points.py call/test_ahead.py
  aids/test_aids.py wiring/test_wiring.py backup/test_backup.py
)

part "Form and types"
ruff format --check -q .
ruff check -q .
mypy &
types=$!
npm --prefix frontend run --silent check
wait "$types"
part "The core without its slowest files"
pytest -q -n "$(nproc)" src/orange_crank/core tests/core "${slow[@]/#/--ignore=tests/core/}" "$@"
part "Left out"
printf '%s\n' "tests/core/{$(IFS=,; echo "${slow[*]}")}" "tests/{api,bench,formats,house,running,store,ui}, the screens' units"
