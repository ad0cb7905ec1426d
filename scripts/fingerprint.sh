#!/usr/bin/env bash
# One line that changes with any source of the application.
set -euo pipefail
cd "$(dirname "$0")/.."
git ls-files -co --exclude-standard -- apps packages angular.json package-lock.json tsconfig.base.json | LC_ALL=C sort |
  tr '\n' '\0' | xargs -0 cat 2>/dev/null | sha256sum | cut -c1-32
