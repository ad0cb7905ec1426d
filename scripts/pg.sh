#!/usr/bin/env bash
# A private PostgreSQL cluster: pg.sh DIR start|stop|url [durable|test]
# Listens on loopback on a free port, with a generated password. As root it runs as the user postgres, else as the caller.
# durable (default): fsync on, for people's data. test: fsync off, thrown away afterwards.
set -euo pipefail
base=$1
action=$2
kind=${3:-durable}
data=$base/data
log=$base/server.log
bin=$(ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V | tail -1 || true)
[[ -x ${bin:-}/initdb ]] || { echo "pg.sh: no PostgreSQL server found; install Debian's postgresql package" >&2; exit 1; }

# env -i: a stray PGHOST or PGDATA of the caller must not reach the server. cd /: postgres may not read $PWD.
as_owner() {
  local run=(env -i PATH="$bin:/usr/bin:/bin" LC_ALL=C.UTF-8 PGPASSWORD="$(cat "$base/password" 2>/dev/null || true)" "$@")
  if [[ $(id -u) == 0 ]]; then (cd / && runuser -u postgres -- "${run[@]}"); else (cd / && "${run[@]}"); fi
}
port() { cat "$base/port"; }
sql() { as_owner psql -h 127.0.0.1 -p "$(port)" -U estampe -d "$1" -v ON_ERROR_STOP=1 -qAtX -c "$2"; }
# Ours, alive and answering: an open port may be another server's, a pid file may be stale.
running() { [[ -e $data/postmaster.pid && -s $base/port ]] && [[ $(sql postgres 'show data_directory' 2>/dev/null) == "$data" ]]; }
drop_stale_pid() {
  local pid
  pid=$(head -1 "$data/postmaster.pid" 2>/dev/null) || return 0
  [[ $(ps -o stat=,comm= -p "$pid" 2>/dev/null) =~ ^[^Z].*postgres ]] || rm -f -- "$data/postmaster.pid"
}
free_port() { node -e 'const s=require("net").createServer();s.listen(0,"127.0.0.1",()=>{console.log(s.address().port);s.close()})'; }

init() {
  [[ -e $base/.ready ]] && return 0
  rm -rf -- "$data"
  mkdir -p -- "$base"
  (umask 077 && node -e 'console.log(require("crypto").randomBytes(24).toString("hex"))' >"$base/password")
  if [[ $(id -u) == 0 ]]; then chown -R postgres: "$base"; fi
  as_owner initdb -D "$data" -U estampe --pwfile="$base/password" --auth=scram-sha-256 --encoding=UTF8 --locale=C.UTF-8 >/dev/null
  {
    echo "listen_addresses = '127.0.0.1'"
    echo "unix_socket_directories = ''"
    echo "max_connections = 60"
    echo "shared_buffers = 256MB"
    echo "max_wal_size = 4GB"
    echo "timezone = 'UTC'"
    if [[ $kind == test ]]; then printf 'fsync = off\nsynchronous_commit = off\nfull_page_writes = off\n'; fi
  } | as_owner tee -a "$data/postgresql.conf" >/dev/null
  as_owner touch "$base/.ready"
}

start() {
  init
  if ! running; then
    drop_stale_pid
    local try
    for try in 1 2 3; do
      # the port it had before, so that a server that lost its database finds it again; another one if somebody took it
      if [[ $try != 1 || ! -s $base/port ]]; then free_port | as_owner tee "$base/port" >/dev/null; fi
      # -l and the redirections: otherwise the server keeps the caller's pipe open and the caller hangs
      if as_owner pg_ctl -D "$data" -l "$log" -o "-p $(port)" -w -t 60 start >/dev/null 2>&1 </dev/null && running; then break; fi
      [[ $try == 3 ]] && { echo "pg.sh: the database did not start:" >&2; tail -5 "$log" >&2; exit 1; }
    done
  fi
  [[ $(sql postgres "select 1 from pg_database where datname = 'estampe'") == 1 ]] || sql postgres 'create database estampe'
}

case $action in
  start) start ;;
  stop) if running; then as_owner pg_ctl -D "$data" -m fast -w stop >/dev/null; fi ;;
  url) echo "postgres://estampe:$(as_owner cat "$base/password")@127.0.0.1:$(port)/estampe" ;;
  *) echo "usage: pg.sh DIR start|stop|url [durable|test]" >&2; exit 2 ;;
esac
