#!/usr/bin/env bash
# Runs `npm ci` when the lockfile has changed since the last time.
set -euo pipefail
cd "$(dirname "$0")/.."
stamp=node_modules/.estampe-lock
if ! cmp -s package-lock.json "$stamp" 2>/dev/null; then
  echo 'Installing packages (a minute or two)…'
  npm ci --no-audit --no-fund --loglevel=error
  cp package-lock.json "$stamp"
fi
