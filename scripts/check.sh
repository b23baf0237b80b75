#!/usr/bin/env bash
# Types, lint, format, caps, import rules, side by side. Each must have seen the project's files.
set -euo pipefail
cd "$(dirname "$0")/.."
[ -d node_modules ] || bash scripts/setup.sh
node kernels/build.mjs
mkdir -p studio/.next/types node_modules/.cache/lantern
typed() { node scripts/check-types.mjs; }
# Each by &&: a function that is asked for its outcome goes on after errors.
rest() {
  # Core has no engine's typings.
  node node_modules/typescript/bin/tsc -p core/tsconfig.json &&
    echo 'types: core by itself' &&
    node_modules/.bin/biome ci --error-on-warnings --colors=off . &&
    node scripts/check-imports.mjs &&
    node scripts/check-caps.mjs
}
typed & checked=$!
rest && wait "$checked"
