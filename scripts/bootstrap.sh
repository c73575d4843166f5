#!/usr/bin/env bash
# Makes .venv with the locked packages, and the Debian packages that a window needs.
#   scripts/bootstrap.sh run    what the application needs
#   scripts/bootstrap.sh dev    that, and what the checks need
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
kind=${1:-run}
case "$kind" in
  run) lock=requirements.lock ;;
  dev) lock=requirements-dev.lock ;;
  *) echo "bootstrap: say 'run' or 'dev', not '$kind'" >&2; exit 2 ;;
esac

# What Qt's xcb platform loads at run time, a virtual display, and a Python that can make a .venv.
debian_packages=(
  python3 python3-venv xvfb xauth
  libegl1 libgl1 libdbus-1-3 libfontconfig1 libglib2.0-0 libxkbcommon-x11-0 libxcb-cursor0 libxcb-icccm4
  libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0 libxcb-shape0 libxcb-xinerama0 libxcb-xkb1
)

# True when the package is there, or when a renamed successor (Ubuntu's t64 packages) is.
installed() {
  { dpkg-query -W -f='${Status}\n' "$1" "${1}t64" 2>/dev/null || true; } | grep -q 'ok installed'
}

install_debian_packages() {
  command -v dpkg-query >/dev/null || {
    echo "bootstrap: not a Debian or Ubuntu machine; install by hand what matches: ${debian_packages[*]}" >&2
    return
  }
  local missing=()
  for package in "${debian_packages[@]}"; do installed "$package" || missing+=("$package"); done
  [ ${#missing[@]} -eq 0 ] && return
  local as_root=()
  if [ "$(id -u)" -ne 0 ]; then
    if command -v sudo >/dev/null && { sudo -n true 2>/dev/null || [ -t 0 ]; }; then
      as_root=(sudo)
    else
      echo "bootstrap: these Debian packages are missing; ask your administrator to run:" >&2
      echo "  apt-get update && apt-get install -y --no-install-recommends ${missing[*]}" >&2
      exit 1
    fi
  fi
  echo "bootstrap: installing ${missing[*]}"
  "${as_root[@]}" apt-get update -qq
  "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive \
    apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
}

find_python() {
  for candidate in python3 python3.14 python3.13 python3.12 python3.11; do
    if command -v "$candidate" >/dev/null \
      && "$candidate" -c 'import sys, venv, ensurepip; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
      command -v "$candidate"
      return
    fi
  done
  echo "bootstrap: no Python of 3.11 or newer with the venv module was found; install one (Debian 12," >&2
  echo "bootstrap: Ubuntu 24.04 and later have it as python3 with python3-venv) and run this again" >&2
  exit 1
}

stamp=.venv/locked-$kind
if [ -e .venv/locked-dev ] && [ "$kind" = run ]; then stamp=.venv/locked-dev; lock=requirements-dev.lock; fi
if [ -e "$stamp" ] && cmp -s "$stamp" "$lock"; then exit 0; fi

install_debian_packages
python=$(find_python)
[ -x .venv/bin/python ] || "$python" -m venv .venv
echo "bootstrap: installing the locked Python packages into .venv"
.venv/bin/python -m pip install -q --disable-pip-version-check --require-hashes -r "$lock"
.venv/bin/python -m pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e .
cp "$lock" "$stamp"
