#!/usr/bin/env bash
# Installs what the project needs from Debian when it is missing: ensure-system.sh run|test
# `run` needs a PostgreSQL server; `test` also Chromium and the tools that check our files.
set -euo pipefail
what=${1:-run}
missing=()
ls -d /usr/lib/postgresql/*/bin >/dev/null 2>&1 || missing+=(postgresql)
command -v runuser >/dev/null || missing+=(util-linux)
command -v ps >/dev/null || missing+=(procps)
if [[ $what == test ]]; then
  command -v chromium >/dev/null || missing+=(chromium fonts-liberation)
  command -v exrheader >/dev/null || missing+=(openexr)
  command -v oiiotool >/dev/null || missing+=(openimageio-tools)
  command -v tiffinfo >/dev/null || missing+=(libtiff-tools)
  command -v pngcheck >/dev/null || missing+=(pngcheck)
fi
[[ ${#missing[@]} == 0 ]] && exit 0
if [[ $(id -u) != 0 ]]; then
  echo "Missing: ${missing[*]}. Install them as root: apt-get install ${missing[*]}" >&2
  exit 1
fi
echo "Installing ${missing[*]} (Debian packages)…"
export DEBIAN_FRONTEND=noninteractive
apt-get update -q >/dev/null
# the package would otherwise start a cluster of its own, which nobody here uses
if [[ " ${missing[*]} " == *' postgresql '* ]]; then
  mkdir -p /etc/postgresql-common
  [[ -e /etc/postgresql-common/createcluster.conf ]] || echo 'create_main_cluster = false' >/etc/postgresql-common/createcluster.conf
fi
apt-get install -y -q --no-install-recommends "${missing[@]}" >/dev/null
