#!/usr/bin/env bash
# Everything `make test` checks, in the order that fails soonest.
set -euo pipefail
cd "$(dirname "$0")/.."
# Cached bytecode saves every process of the run a second of compiling.
unset PYTHONDONTWRITEBYTECODE
export PATH="$PWD/.venv/bin:$PATH:/usr/sbin"
part() { printf '\n── %s\n' "$1"; }
# Test databases wait for fsync on a disk: they go into memory where it has room.
room() { df -Pm /dev/shm 2>/dev/null | awk 'NR == 2 {print $4}'; }
spare() { awk '/MemAvailable/ {print int($2 / 1024)}' /proc/meminfo; }
scratch=$(mktemp -d "${TMPDIR:-/tmp}/crank-test-XXXXXX")
if [ "$(room)" -ge 6000 ] 2>/dev/null && [ "$(spare)" -ge 8000 ] && rmdir "$scratch"; then
  scratch=$(mktemp -d /dev/shm/crank-test-XXXXXX)
fi
trap 'rm -rf "$scratch"' EXIT

part "Form and lint, Python"
ruff format --check -q .
ruff check -q .
part "Types, Python, beside form, lint, types and units of the screens"
mypy &
types=$!
npm --prefix frontend run --silent check
npm --prefix frontend run --silent test
wait "$types"
part "Core, formats, store, server, the real interface"
# tests/conftest.py says what stays together on one worker. Each worker has a database of its own.
pytest -q -n "$(nproc)" --dist loadscope --no-loadscope-reorder --basetemp="$scratch/run" "$@"
