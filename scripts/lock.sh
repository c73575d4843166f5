#!/usr/bin/env bash
# Resolves pyproject.toml into the two lock files (one set of versions for every Python from 3.11 on).
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
resolve() {  # resolve FILE [extra arguments]
  { echo '# Exact versions with hashes, resolved from pyproject.toml by `make lock`; do not edit.'
    uv pip compile --quiet --universal --python-version 3.11 --fork-strategy fewest --generate-hashes \
      --no-emit-index-url --no-header --no-annotate pyproject.toml "${@:2}"; } > "$1.new"
  mv "$1.new" "$1"
}
resolve requirements-dev.lock --extra dev
resolve requirements.lock --extra build
