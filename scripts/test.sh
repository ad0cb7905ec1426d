#!/usr/bin/env bash
# Everything: lint and types, Jest (with a PostgreSQL of its own), the application in Chromium. Ends with the plain line
# `N passed, N failed` summed over all runners.
set -uo pipefail
cd "$(dirname "$0")/.."
bash scripts/ensure-system.sh test || exit 1
bash scripts/ensure-packages.sh || exit 1
work=$(mktemp -d "${TMPDIR:-/tmp}/estampe-test.XXXXXX")
chmod 755 "$work"
trap 'bash scripts/pg.sh "$work/pg" stop >/dev/null 2>&1; rm -rf -- "$work"' EXIT
failed=0
step() {
  echo "== $1"
  shift
  local from=$SECONDS
  if "$@"; then echo "   ($((SECONDS - from)) s)"; else
    failed=$((failed + 1))
    echo "   FAILED ($((SECONDS - from)) s)"
  fi
}
# A step that runs beside others: what it said is shown when it is waited for.
beside() { ( failed=0; step "$@"; exit "$failed" ) >"$work/${1// /-}.txt" 2>&1 & }
joined() {
  wait "$2" || failed=$((failed + 1))
  cat "$work/${1// /-}.txt"
}

# two cores are there: what needs nothing of the others runs where one idles, the tests of the browser beside the last of it
step 'build of server and command line' eval 'npm run --silent build:server && npm run --silent build:cli'
beside 'build of the page' npm run --silent build:web
page=$!
step 'types' npm run --silent typecheck
bash scripts/pg.sh "$work/pg" start test || exit 1
DATABASE_URL=$(bash scripts/pg.sh "$work/pg" url)
export DATABASE_URL
beside 'lint and format' nice -n 10 npm run --silent lint:all
lint=$!
step 'unit and server tests' env SPECS_TOGETHER=1 npx jest --json --outputFile="$work/jest.json" --silent
joined 'build of the page' "$page"
export E2E_RESULTS=$work/e2e.json
step 'the application in a browser' npx playwright test
joined 'lint and format' "$lint"
node scripts/sum-tests.mjs "$failed" "$work/jest.json" "$work/e2e.json"
