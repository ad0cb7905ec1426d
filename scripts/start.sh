#!/usr/bin/env bash
# Installs what is missing, builds what has changed, starts a private database and the server, prints the address.
# Ctrl-C stops both. Data lives in .estampe/ (or ESTAMPE_DATA). With ESTAMPE_DATABASE_URL the server uses that PostgreSQL instead of its own,
# so that workers on other machines can join (npm run worker).
set -euo pipefail
cd "$(dirname "$0")/.."
root=$PWD
bash scripts/ensure-system.sh run
bash scripts/ensure-packages.sh

fingerprint=$(bash scripts/fingerprint.sh)
if [[ $(cat apps/server/dist/.built 2>/dev/null) != "$fingerprint" || ! -e apps/web/dist/browser/index.html ]]; then
  echo 'Building the application (half a minute)…'
  npm run --silent build
  echo "$fingerprint" >apps/server/dist/.built
fi

if [[ -n ${ESTAMPE_DATABASE_URL:-} ]]; then
  database=$ESTAMPE_DATABASE_URL
else
  data=${ESTAMPE_DATA:-$root/.estampe}
  if [[ $(id -u) == 0 ]]; then
    mkdir -p "$data"
    # the database runs as the user postgres, who must be able to enter the folder
    if ! (cd / && runuser -u postgres -- test -x "$data"); then
      data=/var/lib/estampe-$(printf %s "$data" | sha256sum | cut -c1-12)
      mkdir -p "$data"
    fi
  fi
  echo 'Starting the database…'
  bash scripts/pg.sh "$data/pg" start durable
  trap 'bash scripts/pg.sh "$data/pg" stop' EXIT
  database=$(bash scripts/pg.sh "$data/pg" url)
fi
port=${PORT:-$(node -e 'const n=require("net");const s=n.createServer();s.once("error",()=>{console.log(0)});s.listen(4310,"127.0.0.1",()=>{console.log(4310);s.close()})')}
source scripts/large-arrays.sh
DATABASE_URL=$database PORT=$port WEB_DIR=$root/apps/web/dist/browser LOG_LEVEL=${LOG_LEVEL:-warn} \
  node --enable-source-maps apps/server/dist/main.js &
server=$!
trap 'kill -TERM $server 2>/dev/null' INT TERM
# `wait` returns early when a signal arrives; wait again for the server's own end
wait $server || true
wait $server 2>/dev/null || true
