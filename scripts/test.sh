#!/usr/bin/env bash
# All checks and tests, from a fresh clone on: sets up what is missing, uses a database and ports of its own, ends with a line "N passed, N failed".
set -euo pipefail
cd "$(dirname "$0")/.."
bash scripts/setup.sh chromium openexr openvdb
exec node scripts/test.mjs "$@"
