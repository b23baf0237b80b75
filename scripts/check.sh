#!/usr/bin/env bash
# Types, lint, import rules, formatting rules. Each must have seen the project's files.
set -euo pipefail
cd "$(dirname "$0")/.."
[ -d node_modules ] || bash scripts/setup.sh
node kernels/build.mjs
mkdir -p studio/.next/types
tsc=node_modules/typescript/bin/tsc
printf '%s\n' core store farm studio demo scripts | xargs -P 2 -I {} node "$tsc" -p {}/tsconfig.json
echo 'types: six parts'
node_modules/.bin/biome ci --error-on-warnings --colors=off .
node_modules/.bin/eslint --max-warnings 0 .
node scripts/check-imports.mjs
