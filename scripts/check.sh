#!/usr/bin/env bash
# The fast lane, under two minutes: form, types, the core, the screens' own units. `make test` is the whole.
set -euo pipefail
cd "$(dirname "$0")/.."
export PATH="$PWD/.venv/bin:$PATH"
part() { printf '\n── %s\n' "$1"; }

part "Form and types"
ruff format --check -q .
ruff check -q .
mypy &
types=$!
npm --prefix frontend run --silent check
wait "$types"
part "The core alone"
pytest -q -n "$(nproc)" src/orange_crank/core tests/core "$@"
