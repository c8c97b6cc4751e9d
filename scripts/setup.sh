# Sourced by the other scripts: a virtual environment with the locked packages, made once.
# $1 is the lock file. The stamp holds the lock's checksum, so a new lock installs again.
set -euo pipefail
root="$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)"
cd "$root"

say() { printf '%s\n' "$*" >&2; }

as_root() {
  if [ "$(id -u)" = 0 ]; then "$@"; else sudo "$@"; fi
}

debian_packages() {
  as_root apt-get update -qq
  DEBIAN_FRONTEND=noninteractive as_root apt-get install -y -qq --no-install-recommends "$@" >/dev/null
}

find_python() {
  for name in python3.11 python3.12 python3.13 python3; do
    if command -v "$name" >/dev/null && "$name" -c 'import sys; sys.exit(sys.version_info < (3, 11))'; then
      echo "$name"
      return
    fi
  done
  say "Python 3.11 or newer is needed."
  exit 1
}

set_up() {
  local lock="$1" venv="${LUMBREL_VENV:-$root/.venv}" stamp sum python
  stamp="$venv/installed-$lock"
  sum="$(cat "$lock" pyproject.toml | sha256sum | cut -d' ' -f1)"
  export PATH="$venv/bin:$PATH"
  if [ -f "$stamp" ] && [ "$(cat "$stamp")" = "$sum $root" ]; then return; fi
  python="$(find_python)"
  say "Setting up $venv ..."
  if ! "$python" -m venv "$venv" 2>/dev/null; then
    debian_packages python3-venv
    "$python" -m venv "$venv"
  fi
  "$venv/bin/pip" install --quiet --disable-pip-version-check --require-hashes -r "$lock"
  "$venv/bin/pip" install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
  echo "$sum $root" >"$stamp"
}

# Chromium, and the one library that Playwright's driver needs and a small Debian lacks.
need_browser() {
  local missing=()
  command -v chromium >/dev/null || missing+=(chromium)
  PATH="$PATH:/usr/sbin:/sbin" ldconfig -p | grep -q 'libatomic\.so\.1' || missing+=(libatomic1)
  [ "${#missing[@]}" = 0 ] && return
  say "Installing ${missing[*]} from Debian's packages ..."
  debian_packages "${missing[@]}"
}

# What makes a second host on this machine, for the tests of the network.
need_a_wire() {
  local missing=()
  PATH="$PATH:/usr/sbin:/sbin" command -v ip >/dev/null || missing+=(iproute2)
  for name in curl openssl; do
    command -v "$name" >/dev/null || missing+=("$name")
  done
  [ "${#missing[@]}" = 0 ] && return
  say "Installing ${missing[*]} from Debian's packages ..."
  debian_packages "${missing[@]}"
}

# Node from Debian, only where it is missing, and the locked package that checks scripts and styles.
need_front_end_checks() {
  local sum missing=()
  sum="$(sha256sum <package-lock.json)"
  if [ -f node_modules/installed ] && [ "$(cat node_modules/installed)" = "$sum" ]; then return; fi
  command -v node >/dev/null || missing+=(nodejs)
  command -v npm >/dev/null || missing+=(npm)
  if [ "${#missing[@]}" != 0 ]; then
    say "Installing ${missing[*]} from Debian's packages ..."
    debian_packages "${missing[@]}"
  fi
  npm ci --silent --no-fund --no-audit
  echo "$sum" >node_modules/installed
}
