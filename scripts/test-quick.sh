#!/usr/bin/env bash
# Between commits, under two minutes: types, lint and import rules beside the pure unit tests of what is not committed yet.  test-quick.sh [commit to compare with]
set -euo pipefail
cd "$(dirname "$0")/.."
bash scripts/setup.sh
bash scripts/check.sh &
checked=$!
node_modules/.bin/vitest run --project pure --passWithNoTests --changed "${1:-HEAD}" || { wait "$checked"; exit 1; }
wait "$checked"
