#!/usr/bin/env bash
# Everything `make test` checks, in the order that fails soonest.
set -euo pipefail
cd "$(dirname "$0")/.."
export PATH="$PWD/.venv/bin:$PATH:/usr/sbin"
part() { printf '\n── %s\n' "$1"; }

part "Form and lint, Python"
ruff format --check -q .
ruff check -q .
part "Types, Python"
mypy
part "Form, lint and types, TypeScript"
npm --prefix frontend run --silent check
part "Screens alone"
npm --prefix frontend run --silent test
part "Core, formats, store, server, the real interface"
# A file stays on one worker: its flows share a running product. Each worker has a database of its own.
pytest -q -n "$(nproc)" --dist loadfile "$@"
