#!/usr/bin/env bash
# Proves that the README's commands work where nothing was installed by hand: in a Debian root made for the purpose,
# with make, git, python3 and python3-venv, and neither PostgreSQL nor Chromium nor Node.
#
#   scripts/check-bare.sh [FOLDER] [STEP...]      steps: demo test; both unless told otherwise
#
# Wants root and debootstrap. Packages come from where this machine has them: its apt, pip and npm settings are copied,
# and the folders in BARE_BIND (separated by spaces) are mounted into the root.
set -euo pipefail

HERE=$(cd "$(dirname "$0")/.." && pwd)
ROOT=${1:-/var/tmp/bouquet-bare}
shift || true
STEPS=("$@")
[ ${#STEPS[@]} -gt 0 ] || STEPS=(demo test)
SUITE=$(. /etc/os-release && printf '%s' "${VERSION_CODENAME:-stable}")

say() { printf '%s\n' "$*" >&2; }
[ "$(id -u)" = 0 ] || { say "This needs root."; exit 1; }
command -v debootstrap >/dev/null || { say "This needs debootstrap: apt-get install debootstrap"; exit 1; }

inside() {
  chroot "$ROOT" /usr/bin/env -i HOME=/root PATH=/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin LANG=C.UTF-8 \
    $(env | grep -E '^(PIP_|NODE_|NPM_|npm_config_|SSL_CERT|REQUESTS_|https?_proxy|HTTPS?_PROXY)' || true) bash -c "$1"
}

unmount() {
  for path in ${BARE_BIND:-} /dev/shm /dev/pts /dev /sys /proc; do
    while mountpoint -q "$ROOT$path" && umount "$ROOT$path" 2>/dev/null; do :; done
  done
}
trap unmount EXIT

if [ ! -x "$ROOT/usr/bin/make" ]; then
  say "Making a bare Debian in $ROOT…"
  debootstrap --variant=minbase --include=make,git,python3,python3-venv,ca-certificates "$SUITE" "$ROOT" >&2
fi
cp -a /etc/apt/. "$ROOT/etc/apt/"
cp -a /etc/ssl/certs/. "$ROOT/etc/ssl/certs/"
for file in /etc/pip.conf /etc/resolv.conf /etc/hosts; do
  [ ! -f "$file" ] || cp "$file" "$ROOT$file"
done
# What belongs to who calls this goes to the root's own person.
[ ! -f ~/.npmrc ] || cp ~/.npmrc "$ROOT/root/"
[ ! -d ~/.config/pip ] || { mkdir -p "$ROOT/root/.config" && cp -a ~/.config/pip "$ROOT/root/.config/"; }
for path in /proc /sys /dev /dev/pts /dev/shm ${BARE_BIND:-}; do
  mkdir -p "$ROOT$path"
  mountpoint -q "$ROOT$path" || mount --bind "$path" "$ROOT$path"
done

rm -rf "$ROOT/srv/bouquet"
git clone -q "$HERE" "$ROOT/srv/bouquet"

for step in "${STEPS[@]}"; do
  case $step in
    demo)
      say "make demo…"
      inside "cd /srv/bouquet && exec setsid make demo" >"$ROOT/demo.log" 2>&1 &
      demo=$!
      for _ in $(seq 900); do
        sleep 1
        kill -0 "$demo" 2>/dev/null || { tail -n 30 "$ROOT/demo.log" >&2; say "make demo ended by itself"; exit 1; }
        address=$(grep -oE 'http://127\.0\.0\.1:[0-9]+' "$ROOT/demo.log" | tail -n 1 || true)
        [ -n "$address" ] && inside "python3 -c 'import urllib.request; urllib.request.urlopen(\"$address/api/v1/health\", timeout=2)'" 2>/dev/null && break
        address=
      done
      [ -n "$address" ] || { tail -n 30 "$ROOT/demo.log" >&2; say "make demo did not serve in a quarter of an hour"; exit 1; }
      say "make demo serves at $address"
      pkill -INT -s "$(ps -o sid= -p "$(pgrep -P "$demo" | head -n 1 || echo "$demo")" | tr -d ' ')" 2>/dev/null || kill "$demo"
      wait "$demo" 2>/dev/null || true
      ;;
    test)
      say "make test…"
      inside "cd /srv/bouquet && make test" >"$ROOT/test.log" 2>&1 || { tail -n 60 "$ROOT/test.log" >&2; exit 1; }
      tail -n 3 "$ROOT/test.log" >&2
      ;;
    *) say "There is no step $step."; exit 2 ;;
  esac
done
