#!/usr/bin/env bash
# Starts everything with the demo: database, studio, one farm machine. Ctrl-C stops all of it.
set -euo pipefail
cd "$(dirname "$0")/.."
bash scripts/setup.sh
bash scripts/build-studio.sh
# npm does not always hand a signal on; the supervisor ends when npm does.
LANTERN_WATCH_PARENT=yes exec node scripts/start.mjs
