#!/usr/bin/env bash
# with-postgres.sh COMMAND...: runs a command beside a PostgreSQL server of its
# own, whose address is in RIDGE_POSTGRES; without one where none can be had.
set -euo pipefail

programs() { ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V | tail -n 1; }

if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null && [ -z "$(programs)" ]; then
  apt-get update -qq || true
  DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends postgresql >/dev/null || true
fi
if [ -z "$(programs)" ] || [ "$(id -u)" != 0 ]; then
  echo "No PostgreSQL server here: its tests are skipped."
  exec "$@"
fi

data=$(mktemp -d)
chown postgres "$data"
as_postgres() { su postgres -s /bin/bash -c "$1"; }
stop() { as_postgres "$(programs)/pg_ctl -D $data/db -m immediate stop" >/dev/null 2>&1 || true; rm -rf "$data"; }
trap stop EXIT
as_postgres "$(programs)/initdb -D $data/db -A trust -U ridge" >/dev/null
as_postgres "$(programs)/pg_ctl -D $data/db -w -o '-k $data -h \"\"' -l $data/log start" >/dev/null
RIDGE_POSTGRES="host=$data user=ridge dbname=postgres" "$@"
