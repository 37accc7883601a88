# ./germinal backup FILE | restore FILE [--port N]: the whole database to a file by pg_dump, and back.
# Sourced by ./germinal. The database of ./run is used where it runs, else started for the while.
what=$1 file=${2:-} port=5080
[ -n "$file" ] || fail "./germinal $what needs a file: ./germinal $what my.dump"
[ "${3:-}" = --port ] && port=${4:?"--port needs the number that ./run was given"}
data=${GERMINAL_HOME:-$ROOT/.data}
need_tools
[ -f "$data/pg-password" ] || fail "there is no database under $data yet; ./run makes one."
PG_PASSWORD=$(cat "$data/pg-password")
export PGPASSWORD=$PG_PASSWORD
db=$((port + 1))
started=
if ! pg_sql "$db" postgres "SELECT 1" >/dev/null 2>&1; then
  pg_start "$data" "$db"
  started=1
fi
end() { [ -n "$started" ] && pg_stop; }
trap end EXIT
umask 077
at=(-h 127.0.0.1 -p "$db" -U germinal)
if [ "$what" = backup ]; then
  "$PG_BIN/pg_dump" "${at[@]}" --format=custom --no-owner --no-privileges --file="$file.part" germinal && mv "$file.part" "$file" || { rm -f "$file.part"; fail "the backup could not be written to $file."; }
  say "Backed up to $file ($(du -h "$file" | cut -f1)). Keep $data/keys, link-key and hook-key beside it: they sign links and seal passwords."
else
  [ -r "$file" ] || fail "there is no file $file to restore from."
  "$PG_BIN/pg_restore" --list "$file" >/dev/null 2>&1 || fail "$file is not a backup that ./germinal backup made."
  [ "$(pg_sql "$db" postgres "SELECT count(*) FROM pg_stat_activity WHERE datname = 'germinal'")" = 0 ] || fail "Germinal is running; stop it first (Ctrl-C in ./run), then restore."
  # Beside the old one first: it is only given up once the new one is whole.
  pg_sql "$db" postgres "DROP DATABASE IF EXISTS germinal_restored" && pg_sql "$db" postgres "CREATE DATABASE germinal_restored" || fail "the database does not answer."
  "$PG_BIN/pg_restore" "${at[@]}" -d germinal_restored --no-owner --no-privileges --exit-on-error "$file" || { pg_sql "$db" postgres "DROP DATABASE germinal_restored"; fail "$file could not be restored; nothing was changed."; }
  pg_sql "$db" postgres "DROP DATABASE IF EXISTS germinal_before" && pg_sql "$db" postgres "ALTER DATABASE germinal RENAME TO germinal_before" && pg_sql "$db" postgres "ALTER DATABASE germinal_restored RENAME TO germinal" ||
    fail "the restored database could not be put in place; it is there as germinal_restored."
  say "Restored from $file. What was there before is kept as germinal_before until the next restore."
fi
