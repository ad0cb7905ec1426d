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
beside() { ( step "$@"; exit "$failed" ) >"$work/${1// /-}.txt" 2>&1 & }
joined() {
  wait "$2" || failed=$((failed + 1))
  cat "$work/${1// /-}.txt"
}

beside 'types' npm run --silent typecheck
types=$!
step 'build' npm run --silent build
joined 'types' "$types"
bash scripts/pg.sh "$work/pg" start test || exit 1
DATABASE_URL=$(bash scripts/pg.sh "$work/pg" url)
export DATABASE_URL

# The browser waits half of its time and goes first when it does not; checks of the text take what is left over.
export E2E_RESULTS=$work/e2e.json
beside 'the application in a browser' npx playwright test
browser=$!
beside 'lint and format' nice -n 19 bash -c 'npm run --silent lint && npx prettier --check . --log-level warn'
lint=$!
step 'unit tests' nice -n 5 npx jest --selectProjects core contracts node delivery demo web \
  --json --outputFile="$work/units.json" --silent
joined 'the application in a browser' "$browser"
joined 'lint and format' "$lint"
# these wait for seconds to pass, so that nothing runs beside them
step 'server and command line' npx jest --selectProjects server cli --json --outputFile="$work/server.json" --silent
node scripts/sum-tests.mjs "$failed" "$work/units.json" "$work/server.json" "$work/e2e.json"
