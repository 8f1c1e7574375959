#!/usr/bin/env bash
# usage: postgres.sh start|stop|status|url|kill [folder]
# A private PostgreSQL cluster on loopback, in a folder that git ignores. Touches no other cluster.
set -euo pipefail
here=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd -P)
loc="${2:-$here/.local/postgres}"; mkdir -p "$loc"; loc=$(cd "$loc" && pwd -P)
# Never from PATH: Debian keeps initdb and pg_ctl out of it.
bin=$(ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V | tail -1)
[ -x "$bin/initdb" ] || { echo "PostgreSQL is missing. Install Debian's package: apt-get install postgresql" >&2; exit 1; }
# PostgreSQL refuses to run as root: then Debian's own account runs it.
if [ "$(id -u)" = 0 ]; then
  own=postgres
  as() { (cd / && exec runuser -u "$own" -- env -u PGDATA -u PGPORT -u PGHOST HOME=/tmp "$@"); }
else
  own=$(id -un)
  as() { (cd / && exec env -u PGDATA -u PGPORT -u PGHOST "$@"); }
fi
if [ -f "$loc/dir" ]; then base=$(cat "$loc/dir")
else
  base="$loc/cluster"
  mkdir -p "$base"
  if [ "$(id -u)" = 0 ]; then
    chown "$own": "$base"; chmod 700 "$base"
    if ! as test -w "$base" 2>/dev/null; then        # a 0700 parent (a home folder) is in the way
      rmdir "$base"; base="/var/tmp/clabo-pg-$(printf %s "$loc" | sha256sum | cut -c1-12)"
      mkdir -p "$base"; chown "$own": "$base"; chmod 700 "$base"
    fi
  else chmod 700 "$base"; fi
  printf %s "$base" > "$loc/dir"
fi
data="$base/data"; log="$base/server.log"
running() {   # pg_ctl alone says "running" of a killed, unreaped server; pg_isready alone of a stranger on our port
  [ -f "$loc/port" ] && as "$bin/pg_ctl" -D "$data" status >/dev/null 2>&1 || return 1
  local rc n=0
  while rc=0; "$bin/pg_isready" -q -t 5 -h 127.0.0.1 -p "$(cat "$loc/port")" || rc=$?; [ $rc = 1 ] && [ $n -lt 120 ]; do
    n=$((n+1)); sleep 0.5                            # alive but still in crash recovery: wait
  done
  return $rc
}
start() {
  exec 9>"$loc/lock"; flock 9                        # two starters at once
  if [ ! -f "$loc/password" ]; then (umask 077; head -c 24 /dev/urandom | base64 | tr -d '/+=\n' > "$loc/password"); fi
  if ! as test -f "$data/PG_VERSION"; then
    as rm -rf "$data"                                # half-made by an interrupted initdb
    as sh -c 'umask 077; cat > "$1"' _ "$base/pw" < "$loc/password"
    as "$bin/initdb" -D "$data" -U clabo -E UTF8 --locale=C.UTF-8 --no-instructions \
       --auth-local=scram-sha-256 --auth-host=scram-sha-256 --pwfile="$base/pw" >/dev/null
    as rm -f "$base/pw"
    as tee -a "$data/postgresql.conf" >/dev/null <<C
listen_addresses = '127.0.0.1'
unix_socket_directories = ''        # no socket: a path over 107 bytes would stop the server
shared_buffers = 256MB
work_mem = 32MB
maintenance_work_mem = 256MB
max_wal_size = 4GB
wal_compression = on
jit = off
timezone = 'UTC'
log_timezone = 'UTC'
C
  fi
  if ! running; then
    # Below the range that systems give to outgoing connections, which would be in the way at times.
    port=$(cat "$loc/port" 2>/dev/null || echo "${CLABO_PG_PORT:-25430}")
    pid=$(as head -1 "$data/postmaster.pid" 2>/dev/null || true)   # killed, but not yet reaped by process 1
    for i in 1 2 3 4 5 6 7 8 9 10; do
      [ -n "$pid" ] && [ "$(sed 's/.*) //;s/ .*//' "/proc/$pid/stat" 2>/dev/null)" = Z ] || break
      [ "$i" = 10 ] && as rm -f "$data/postmaster.pid" || sleep 0.5
    done
    while (exec 3<>"/dev/tcp/127.0.0.1/$port") 2>/dev/null; do port=$((port+1)); done   # taken by somebody else
    printf %s "$port" > "$loc/port"
    # What a killed server leaves behind (its children, its shared memory) takes a moment to go.
    # 300 connections: threads of servers that tests have run keep theirs, a few for each of a hundred browser tests.
    for i in 1 2 3 4 5 6; do
      as "$bin/pg_ctl" -D "$data" -l "$log" -w -t 60 -o "-p $port -c max_connections=300 ${CLABO_PG_OPTIONS:-}" start >/dev/null 9>&- && break
      [ "$i" != 6 ] || { echo "PostgreSQL did not start. Its last words:" >&2; as tail -20 "$log" >&2; exit 1; }
      sleep 1
    done
  fi
  PGPASSWORD=$(cat "$loc/password"); export PGPASSWORD
  port=$(cat "$loc/port")
  "$bin/psql" -X -q -h 127.0.0.1 -p "$port" -U clabo -d postgres -tAc "select 1 from pg_database where datname='clabo'" | grep -q 1 \
    || "$bin/createdb" -h 127.0.0.1 -p "$port" -U clabo clabo
}
case "${1:-start}" in
  start)  start ;;
  stop)   if running; then as "$bin/pg_ctl" -D "$data" -m fast -w stop >/dev/null; fi ;;
  kill)   kill -9 "$(as head -1 "$data/postmaster.pid")" ;;
  remove) if running; then as "$bin/pg_ctl" -D "$data" -m immediate -w stop >/dev/null; fi; as rm -rf "$base"/*; rm -rf "$loc" "$base" ;;
  status) if running; then echo running; else echo stopped; exit 3; fi ;;
  url)    echo "postgres://clabo:$(cat "$loc/password")@127.0.0.1:$(cat "$loc/port")/clabo" ;;
  *) echo "usage: $0 start|stop|status|url|kill|remove [folder]" >&2; exit 2 ;;
esac
