#!/usr/bin/env bash
# Make docs/openapi.json and the front end's types anew from the server's own description.
set -euo pipefail
cd "$(dirname "$0")/.."
.venv/bin/orange-crank openapi >docs/openapi.json
.venv/bin/orange-crank archive-schema >docs/archive.schema.json
npm --prefix frontend run --silent types
