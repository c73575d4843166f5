#!/usr/bin/env bash
# Runs the whole suite as two processes at the same time, the window's tests and all others; fails if one of them does.
#   scripts/tests.sh PYTHON
set -uo pipefail
# Two processes on two cores: threads of linear algebra would wait for one another, six times as long in some tests.
export OPENBLAS_NUM_THREADS=1 OMP_NUM_THREADS=1
words=$(mktemp)
trap 'rm -f "$words"' EXIT
QT_QPA_PLATFORM=offscreen "$1" -m pytest tests --ignore=tests/app -p no:cacheprovider >"$words" 2>&1 &
others=$!
"$(dirname "${BASH_SOURCE[0]}")/with-display.sh" --virtual "$1" -m pytest tests/app
window=$?
wait "$others"
rest=$?
cat "$words"
exit $((window || rest))
