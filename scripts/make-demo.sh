#!/usr/bin/env bash
# Lives through the demo practice's two years and writes them down as demo/history.dump.00 and on, with the counts beside it.
#   scripts/make-demo.sh [--check] [--until YYYY-MM-DD]
# With --check nothing is written: the counts of a history lived anew are compared with those that ship.
set -u
ROOT=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
. "$ROOT/scripts/setup.sh"
check= until=yes
while [ $# -gt 0 ]; do
  case $1 in
    --check) check=1 ;;
    --until) until=${2:?"--until needs a date"}; shift ;;
    *) fail "“$1” is not an option; --check and --until YYYY-MM-DD are." ;;
  esac
  shift
done
need_tools
[ -n "${NOBUILD:-}" ] || build_back
work=$(mktemp -d "$ROOT/.data/demo.XXXXXX")
chmod 755 "$work"
port=
for p in $(shuf -i 20000-29000 -n 50); do port_taken "$p" || port_taken $((p + 4)) || { port=$p; break; }; done
pids=()
finish() { [ ${#pids[@]} -gt 0 ] && kill "${pids[@]}" 2>/dev/null; wait "${pids[@]}" 2>/dev/null; pg_stop; rm -rf "$work"; [ -n "${PG_DATA:-}" ] && rm -rf "$PG_DATA"; }
trap finish EXIT
trap 'exit 130' INT TERM

pg_start "$work" $((port + 1))
pg_sql $((port + 1)) postgres "CREATE DATABASE germinal" || fail "the database does not answer."
pg_sql $((port + 1)) germinal "ALTER DATABASE germinal SET synchronous_commit = off" >/dev/null
application_environment "$work" "$port"
export GERMINAL_DEMO=1 GERMINAL_LIVE_DEMO=$until
dotnet "$STANDINS_DLL" >"$work/stand-ins.log" 2>&1 &
pids+=($!)
wait_for "$GERMINAL_STANDINS/health" 60 "${pids[-1]}" || fail "the stand-ins did not start."
dotnet "$WEB_DLL" --urls "$GERMINAL_URL" >"$work/web.log" 2>&1 &
pids+=($!)
shown=0
until grep -qE '^demo: (lived|failed)' "$work/web.log" 2>/dev/null; do
  kill -0 "${pids[-1]}" 2>/dev/null || { tail -5 "$work/web.log" >&2; fail "the application ended by itself."; }
  sleep 2
  lines=$(grep -c '^demo: ' "$work/web.log")
  [ "$lines" -gt "$shown" ] && grep '^demo: ' "$work/web.log" | tail -n +$((shown + 1)) | sed 's/^demo: //'
  shown=$lines
done
grep -q '^demo: failed' "$work/web.log" && { grep -A12 '^demo: failed' "$work/web.log" >&2; fail "the history could not be lived through."; }

# counts DATABASE BEFORE: what makes a history, how many of everything by kind and outcome, up to a moment.
counts() {
  pg_sql $((port + 1)) "$1" "SELECT what || ' ' || kind || ' ' || n FROM (
    SELECT 'people' AS what, 'all' AS kind, count(*) AS n FROM people WHERE added_at < '$2'
    UNION ALL SELECT 'messages', channel, count(*) FROM messages WHERE sent_at < '$2' GROUP BY channel
    UNION ALL SELECT 'touches', kind || '/' || status, count(*) FROM touches WHERE settled_at < '$2' AND status IN ('sent', 'skipped', 'changed', 'forked', 'handed-over') GROUP BY kind, status
    UNION ALL SELECT 'events', kind, count(*) FROM events WHERE at < '$2' GROUP BY kind
    UNION ALL SELECT 'starts', 'all', count(*) FROM runs WHERE started_at < '$2'
    UNION ALL SELECT 'received', kind, count(*) FROM received WHERE at < '$2' GROUP BY kind) c ORDER BY what, kind"
}
if [ -n "$check" ]; then
  # The same moment in the history that ships, restored beside the one lived anew.
  before="$until 04:00+00"
  [ "$until" = yes ] && before=2100-01-01
  pg_sql $((port + 1)) postgres "CREATE DATABASE shipped" || fail "the database does not answer."
  restore_history $((port + 1)) shipped 1 || fail "demo/history.dump.?? cannot be restored."
  counts shipped "$before" >"$work/shipped"
  counts germinal "$before" >"$work/lived"
  [ -s "$work/lived" ] && diff "$work/shipped" "$work/lived" && say "The history lived anew is the one that ships: $(wc -l <"$work/lived") counts agree."
  exit $?
fi
counts germinal 2100-01-01 >"$work/counts"
# A history that ships carries nobody's password.
pg_sql $((port + 1)) germinal "UPDATE \"AspNetUsers\" SET password_hash = NULL, security_stamp = gen_random_uuid()::text" || fail "the passwords could not be taken out."
cp "$work/counts" "$ROOT/demo/history.counts"
PGPASSWORD=$PG_PASSWORD "$PG_BIN/pg_dump" -h 127.0.0.1 -p $((port + 1)) -U germinal --format=custom --compress=9 --no-owner --no-privileges --file="$work/history.dump" germinal || fail "the history could not be dumped."
rm -f "$ROOT"/demo/history.dump*
split --bytes=2MB --numeric-suffixes "$work/history.dump" "$ROOT/demo/history.dump."
say "demo/history.dump.??: $(du -h "$work/history.dump" | cut -f1)"
