#!/usr/bin/env bash
# Types, lint, format, caps, import rules, side by side. Each must have seen the project's files.
set -euo pipefail
cd "$(dirname "$0")/.."
[ -d node_modules ] || bash scripts/setup.sh
node kernels/build.mjs
mkdir -p studio/.next/types node_modules/.cache/lantern
tsc=node_modules/typescript/bin/tsc
promises() { node_modules/.bin/eslint --max-warnings 0 .; }
rest() {
  # Core has no engine's typings; all the rest is one programme.
  node "$tsc" -p core/tsconfig.json
  node "$tsc" -p tsconfig.check.json
  echo 'types: core, and all parts'
  node_modules/.bin/biome ci --error-on-warnings --colors=off .
  node scripts/check-imports.mjs
  node scripts/check-caps.mjs
}
promises & linted=$!
rest && wait "$linted"
