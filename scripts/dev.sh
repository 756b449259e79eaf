#!/usr/bin/env bash
# Both sides with hot reload: the server starts again when Python changes, the screens are swapped in place.
set -euo pipefail
cd "$(dirname "$0")/.."
export PATH="$PWD/.venv/bin:$PATH:/usr/sbin"
export ORANGE_CRANK_PORT=8420 ORANGE_CRANK_DATA_DIR=${ORANGE_CRANK_DATA_DIR:-$PWD/.cache/dev}
pids=()
end() {
  for pid in "${pids[@]}"; do kill "$pid" 2>/dev/null || true; done
  wait
}
trap end EXIT
trap 'exit 0' INT TERM
watchfiles --filter python --sigint-timeout 40 "orange-crank start --demo" src &
pids+=($!)
npx --prefix frontend vite frontend --port "${VITE_PORT:-5173}" &
pids+=($!)
echo "Screens on http://127.0.0.1:${VITE_PORT:-5173}, the server behind them on port 8420. Ctrl-C ends both."
wait -n
