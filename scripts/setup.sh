#!/usr/bin/env bash
# Bring this machine to where `make demo` (run) or `make test` (test) can start. Safe to repeat: what is
# there already is left alone, and a second run takes well under a second.
set -euo pipefail
what=${1:?run or test}
cd "$(dirname "$0")/.."
log=.cache/setup.log
mkdir -p .cache 2>/dev/null && : 2>/dev/null >"$log" || log=/dev/null
export PATH="$PATH:/usr/sbin:/sbin"
# What this system trusts is trusted here too: a shop behind a gateway of its own has its certificate there.
bundle=/etc/ssl/certs/ca-certificates.crt
if [ -r "$bundle" ] && [ -z "${SSL_CERT_FILE:-}${PIP_CERT:-}${REQUESTS_CA_BUNDLE:-}" ]; then
  export PIP_CERT="$bundle"
fi
[ ! -r "$bundle" ] || export NODE_EXTRA_CA_CERTS="${NODE_EXTRA_CA_CERTS:-$bundle}"
export UV_NATIVE_TLS=true UV_SYSTEM_CERTS=true
no_network='could not resolve|name resolution|network is unreachable|no route to host|dns error|EAI_AGAIN|ENOTFOUND|ENETUNREACH|ECONNREFUSED|connection (refused|timed out)|failed to fetch|could not fetch|max retries'

say() { printf '%s\n' "$*"; }
die() {
  printf '\n%s\n' "$1" >&2
  [ -n "${2:-}" ] && printf '  %s\n' "$2" >&2
  exit 1
}
# Run a long step quietly with a dot every two seconds; on failure show the end of its log.
step() {
  local words=$1
  shift
  [ -w . ] || die "This folder ($PWD) cannot be written to, and something is still to be put into it." "Copy it to a place of your own and run it there, or run it once as its owner."
  printf '%s ' "$words"
  "$@" >>"$log" 2>&1 &
  local pid=$! ticks=0
  while kill -0 "$pid" 2>/dev/null; do
    sleep 0.2
    ticks=$((ticks + 1))
    [ $((ticks % 10)) -eq 0 ] && printf '.'
  done
  if ! wait "$pid"; then
    printf ' failed\n'
    if tail -n 60 "$log" | grep -qiE "$no_network"; then
      die "The places packages come from cannot be reached. The first set-up needs a network, once." "Connect this machine, then run it again: what is done stays done."
    fi
    tail -n 15 "$log" >&2
    die "That did not work. The whole log is in $log."
  fi
  printf ' done\n'
}

room=$(df -Pm . | awk 'NR == 2 {print $4}')
[ "$room" -ge 1500 ] || [ -d .venv ] || die "Only $room MB of disk are free here; a first set-up wants about 1,500 MB." "Make room, then run it again."

# Debian packages ------------------------------------------------------------------------------
packages=()
command -v mariadbd >/dev/null && command -v mariadb-install-db >/dev/null || packages+=(mariadb-server-core)
command -v tesseract >/dev/null || packages+=(tesseract-ocr)
has_library() { ldconfig -p | grep -q "$1"; }
has_library libpangoft2-1.0.so.0 || packages+=(libpango-1.0-0 libpangoft2-1.0-0)
has_library libharfbuzz-subset.so.0 || packages+=(libharfbuzz-subset0)
command -v mariadb-admin >/dev/null || packages+=(mariadb-client)
if [ "$what" != run ]; then
  command -v chromium-headless-shell >/dev/null || packages+=(chromium-headless-shell)
  # Only the whole browser keeps pages in its back/forward cache and plays a microphone.
  command -v chromium >/dev/null || packages+=(chromium)
fi
# Names in Chinese, Japanese or Korean want a font on paper; nobody is kept from starting for it.
[ "$(id -u)" -ne 0 ] || [ -e /usr/share/fonts/truetype/droid/DroidSansFallbackFull.ttf ] || packages+=(fonts-droid-fallback)
# A version manager may leave a name on the path that does not run: each is tried, not only found.
find_python() {
  python=
  for name in python3 python3.13 python3.12 python3.11; do
    if "$name" -c 'import sys, venv, ensurepip; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
      python=$(command -v "$name")
      return
    fi
  done
}
find_python
[ -n "$python" ] || packages+=(python3 python3-venv)
if [ ${#packages[@]} -gt 0 ]; then
  command -v apt-get >/dev/null || die "These Debian packages are missing: ${packages[*]}." "Install them with this system's own tool, then run it again."
  if [ "$(id -u)" -eq 0 ]; then root=(); elif sudo -n true 2>/dev/null; then root=(sudo); else
    die "These Debian packages are missing, and installing them needs root: ${packages[*]}" "Ask for: sudo apt-get install ${packages[*]}   then run it again."
  fi
  apt() { "${root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get -y -q --no-install-recommends "$@"; }
  step "Reading Debian's package lists" apt update
  step "Installing ${packages[*]}" apt install "${packages[@]}"
  find_python
fi
[ -n "$python" ] || die "Python 3.11 or newer is wanted; here is $(python3 --version 2>&1)." "Install a newer Python, then run it again."

# Python environment, from hash-locked files -----------------------------------------------------
list=run
[ "$what" = test ] && list=dev
want=$(cat requirements/uv.txt "requirements/$list.txt" pyproject.toml | sha256sum | cut -c1-16)
if ! .venv/bin/python -c 1 2>/dev/null || [ "$(cat ".venv/.stamp-$list" 2>/dev/null)" != "$want" ]; then
  .venv/bin/python -c 1 2>/dev/null || step "Making a Python environment" "$python" -m venv --clear .venv
  [ -x .venv/bin/uv ] || step "Fetching the installer" .venv/bin/python -m pip install -q --require-hashes -r requirements/uv.txt
  export VIRTUAL_ENV="$PWD/.venv"
  # Compiled ahead, so that starting takes a second and not four.
  step "Installing Python packages" .venv/bin/uv pip install --compile-bytecode --require-hashes -r "requirements/$list.txt"
  step "Installing Orange Crank" .venv/bin/uv pip install --no-deps --no-build-isolation -e .
  echo "$want" >".venv/.stamp-$list"
  [ "$list" = run ] || cat requirements/uv.txt requirements/run.txt pyproject.toml | sha256sum | cut -c1-16 >.venv/.stamp-run
fi

# The start model is compiled once, not while somebody waits for it.
kernel=$(cat src/orange_crank/core/motor/kernel.py src/orange_crank/core/motor/layout.py .venv/.stamp-run 2>/dev/null | sha256sum | cut -c1-16)
if [ "$(cat .cache/.stamp-kernel 2>/dev/null)" != "$kernel" ]; then
  step "Compiling the start model" .venv/bin/orange-crank warm
  echo "$kernel" >.cache/.stamp-kernel
fi

# Node and the web build -------------------------------------------------------------------------
export PATH="$PWD/.venv/bin:$PATH"
node_fits() { command -v node >/dev/null && command -v npm >/dev/null && node -e 'const [a,b]=process.versions.node.split(".").map(Number); process.exit((a===20&&b>=19)||(a===22&&b>=12)||a>22?0:1)'; }
need_build() { [ "$(cat frontend/dist/.stamp 2>/dev/null)" != "$1" ]; }
sources=$(cd frontend && find src public index.html package.json package-lock.json vite.config.ts lingui.config.ts tsconfig.json -type f ! -name '*.test.ts*' ! -name schema.d.ts 2>/dev/null | LC_ALL=C sort | xargs sha256sum | sha256sum | cut -c1-16)
modules=$(sha256sum frontend/package-lock.json | cut -c1-16)
if need_build "$sources" || { [ "$what" = test ] && [ "$(cat frontend/node_modules/.stamp 2>/dev/null)" != "$modules" ]; }; then
  node_fits || step "Fetching a current Node" .venv/bin/uv pip install --python .venv/bin/python --require-hashes -r requirements/node.txt
  hash -r # bash remembers where it last found node
  node_fits || die "Node 20.19 or newer is wanted and could not be fetched." "Install Node, then run it again."
  if [ "$(cat frontend/node_modules/.stamp 2>/dev/null)" != "$modules" ]; then
    step "Installing web packages" npm --prefix frontend install --no-save --no-audit --no-fund
    echo "$modules" >frontend/node_modules/.stamp
  fi
  if need_build "$sources"; then
    step "Building the screens" npm --prefix frontend run build
    echo "$sources" >frontend/dist/.stamp
  fi
fi
