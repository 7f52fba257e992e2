#!/usr/bin/env bash
# The table of docs/scale.md: simulated players against a server on SQLite, and on a PostgreSQL that this starts in a temporary folder.
# Usage: bench/load.sh [stored players...]
set -euo pipefail
cd "$(dirname "$0")/.."
dotnet build -c Release -v q bench/Lodrik.Load
program=bench/Lodrik.Load/bin/Release/net10.0/Lodrik.Load
work=$(mktemp -d)
bin=$(ls -d /usr/lib/postgresql/*/bin | tail -1)
port=$((20000 + RANDOM % 20000))
as() { if [ "$(id -u)" = 0 ]; then (cd / && runuser -u postgres -- "$@"); else "$@"; fi; }
stop() { as "$bin/pg_ctl" -D "$work/data" -m fast stop >/dev/null 2>&1 || true; rm -rf "$work"; }
trap stop EXIT
chmod 755 "$work"
mkdir "$work/data"
[ "$(id -u)" = 0 ] && chown postgres "$work/data"
as "$bin/initdb" -D "$work/data" -A trust -U keeper -E UTF8 >/dev/null
as "$bin/pg_ctl" -D "$work/data" -w -l "$work/data/log" -o "-c listen_addresses=127.0.0.1 -c port=$port -c unix_socket_directories='' -c shared_buffers=512MB -c max_wal_size=4GB" start >/dev/null
echo "| storage | stored players | requests/s | saves/s | list p50 / p99 ms | load | save | server, CPU ms a save | database, CPU ms a save | server, MB | failed |"
echo "|---|---|---|---|---|---|---|---|---|---|---|"
for stored in "${@:-1000}"; do
    "$program" --folder "$work/sqlite" --stored "$stored"
    "$program" --postgres "Host=127.0.0.1;Port=$port;Username=keeper;Database=postgres;Maximum Pool Size=32" --stored "$stored"
done
