#!/usr/bin/env bash
# Change the rules of safety, stops, gates, guard, isolation and plate checks one by one; list what no test noticed.
# A glob of names narrows it: make mutants ONLY='orange_crank.core.safety.*'
set -euo pipefail
cd "$(dirname "$0")/.."
export PATH="$PWD/.venv/bin:$PATH"
status=0
[ -n "${ONLY:-}" ] || python -m scripts.phone_mutants || status=1
mutmut run --max-children "$(nproc)" ${ONLY:+"$ONLY"} | tail -n 3
python -m scripts.mutants || status=1
exit "$status"
