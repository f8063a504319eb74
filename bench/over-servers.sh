#!/usr/bin/env bash
# A table whose records are spread by a hash of their key over two PostgreSQL servers, asked through
# a third one: the same answers as in memory, and which part of each statement runs where.
#   bash bench/over-servers.sh [RECORDS]
set -euo pipefail
cd "$(dirname "$0")/.."
started=${RIDGE_STARTED:-0}
if [ "$started" -gt 0 ]; then export "RIDGE_SERVER_$started=$RIDGE_POSTGRES"; fi
if [ "$started" -lt 3 ]; then
  RIDGE_STARTED=$((started + 1)) exec bash tools/with-postgres.sh bash "bench/over-servers.sh" "$@"
fi
if [ -z "$RIDGE_POSTGRES" ]; then exit 0; fi
exec Rscript bench/over-servers.R "$@"
