#!/usr/bin/env bash
# Builds the studio when its sources have changed since the last build.
set -euo pipefail
cd "$(dirname "$0")/.."
print=$(cat package-lock.json $(find studio core/src store/src kernels/src \( -name node_modules -o -name .next -o -name e2e \) -prune -o \( -name '*.ts' -o -name '*.tsx' \) ! -name next-env.d.ts -print | sort) | sha256sum | cut -d' ' -f1)
if [ "$(cat studio/.next/lantern-print 2>/dev/null || true)" != "$print" ]; then
  echo "setup: building the studio"
  (cd studio && NEXT_TELEMETRY_DISABLED=1 node ../node_modules/next/dist/bin/next build > ../studio/.next-build.log 2>&1) || { cat studio/.next-build.log >&2; exit 1; }
  echo "$print" > studio/.next/lantern-print
fi
