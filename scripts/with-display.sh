#!/usr/bin/env bash
# Runs a command on the display there is, or on a virtual one, and says so.
#   scripts/with-display.sh [--virtual] COMMAND …
set -euo pipefail
if [ "${1:-}" = --virtual ]; then
  shift
elif [ -n "${DISPLAY:-}${WAYLAND_DISPLAY:-}" ]; then
  exec "$@"
else
  echo "No display here: running on a virtual one (1280×800). Stop with Ctrl+C."
fi
unset WAYLAND_DISPLAY
QT_QPA_PLATFORM=xcb exec xvfb-run --auto-servernum --server-args='-screen 0 1280x800x24' "$@"
