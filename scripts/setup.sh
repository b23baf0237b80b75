#!/usr/bin/env bash
# What every entry point needs: Debian's programs, npm's packages, kernels and farm built. Quick when all is there.
set -euo pipefail
cd "$(dirname "$0")/.."
need=()
ls /usr/lib/postgresql/*/bin/postgres >/dev/null 2>&1 || need+=(postgresql)
command -v ffmpeg >/dev/null || need+=(ffmpeg)
for extra in "$@"; do
  case "$extra" in
    chromium) command -v chromium >/dev/null || need+=(chromium) ;;
    openvdb) command -v vdb_print >/dev/null || need+=(libopenvdb-tools) ;;
    openexr) command -v exrheader >/dev/null || need+=(openexr) ;;
  esac
done
if [ ${#need[@]} -gt 0 ]; then
  if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
    echo "setup: installing ${need[*]}"
    apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${need[@]}" >/dev/null
  else
    echo "setup: please install ${need[*]} (Debian packages), then start again" >&2
    exit 1
  fi
fi
stamp=node_modules/.lantern-lock
if [ ! -d node_modules ] || ! cmp -s package-lock.json "$stamp"; then
  echo "setup: installing packages"
  npm ci --no-audit --no-fund --loglevel=error
  cp package-lock.json "$stamp"
fi
node kernels/build.mjs
node farm/build.mjs
