# What ./run and ./test share: installing what is missing, building what changed, PostgreSQL.
# Sourced, never run. ROOT is the project's folder.

export LC_ALL=C.UTF-8 DOTNET_NOLOGO=1 DOTNET_CLI_TELEMETRY_OPTOUT=1

say() { printf '%s\n' "$*"; }
fail() { printf 'Germinal: %s\n' "$*" >&2; exit 1; }

# as_root COMMAND…: with sudo where one is not root.
as_root() { if [ "$(id -u)" = 0 ]; then "$@"; else sudo -n "$@"; fi; }

apt_updated=
install_package() {
  command -v apt-get >/dev/null || fail "$1 is missing and there is no apt-get to install it with; install it and start again."
  say "installing $1"
  [ -n "$apt_updated" ] || as_root apt-get update -qq >/dev/null 2>&1 || true
  apt_updated=1
  as_root env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq "$1" >/dev/null 2>&1 || fail "$1 could not be installed; try: apt-get install $1"
}

need_tools() {
  command -v dotnet >/dev/null || fail ".NET 10 is missing; install the SDK (dotnet --version must say 10.0)."
  command -v npm >/dev/null || install_package npm
  PG_BIN=$(pg_bin)
  [ -n "$PG_BIN" ] || { install_package postgresql; PG_BIN=$(pg_bin); }
  [ -n "$PG_BIN" ] || fail "PostgreSQL is installed but its programs are not under /usr/lib/postgresql."
  local free
  free=$(df -Pk "$ROOT" | awk 'NR==2 {print $4}')
  [ "$free" -gt 400000 ] || fail "the disk is nearly full: $((free / 1024)) MB are left and 400 MB are needed. Make room and start again."
}

pg_bin() { ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V | tail -1; }

# hash_of PATH…: one word for the content of files under the paths, build output left out.
hash_of() {
  (cd "$ROOT" && find "$@" -type f -not -path '*/node_modules/*' -not -path '*/bin/*' -not -path '*/obj/*' -not -path '*/dist/*' -not -name schema.d.ts -not -path '*/api/program.ts' -print0 | sort -z | xargs -0 sha256sum | sha256sum | cut -c1-24)
}

# once STAMP HASH COMMAND…: runs the command unless it went through with the same hash before.
once() {
  local stamp="$ROOT/.data/stamps/$1" hash=$2
  shift 2
  mkdir -p "$(dirname "$stamp")"
  [ "$(cat "$stamp" 2>/dev/null)" = "$hash" ] && return 0
  "$@" || return 1
  printf '%s' "$hash" >"$stamp"
}

npm_install() { (cd "$ROOT/$1" && npm ci --no-audit --no-fund --loglevel=error >/dev/null) || fail "npm could not install the packages of $1."; }

build_front() {
  once npm-web "$(hash_of src/web/package-lock.json)" npm_install src/web
  [ -d "$ROOT/src/web/node_modules" ] || npm_install src/web
  once front "$(hash_of src/web)" build_front_now
  [ -f "$ROOT/src/web/dist/index.html" ] || build_front_now
}
build_front_now() { say "building the front end"; (cd "$ROOT/src/web" && npm run --silent build >"$ROOT/.data/front.log" 2>&1) || { tail -30 "$ROOT/.data/front.log" >&2; fail "the front end did not build."; }; }

build_back() {
  once back "$(hash_of src/Germinal.Core src/Germinal.Store src/Germinal.Channels src/Germinal.Service src/Germinal.Web src/Germinal.Demo src/Germinal.StandIns demo Directory.Build.props Directory.Packages.props)" build_back_now
  [ -f "$WEB_DLL" ] && [ -f "$STANDINS_DLL" ] || build_back_now
}
build_back_now() {
  say "building the application"
  for project in Germinal.Demo Germinal.StandIns; do
    dotnet build "$ROOT/src/$project" -c Release -v quiet --nologo >"$ROOT/.data/build.log" 2>&1 || { grep -E 'error' "$ROOT/.data/build.log" | sort -u | head -20 >&2; fail "the application did not build."; }
  done
}
# The demo is the application with the demo practice for a new database; in real use Germinal.Web stands alone.
WEB_DLL="$ROOT/src/Germinal.Demo/bin/Release/net10.0/Germinal.Demo.dll"
OWN_DLL="$ROOT/src/Germinal.Web/bin/Release/net10.0/Germinal.Web.dll"
STANDINS_DLL="$ROOT/src/Germinal.StandIns/bin/Release/net10.0/Germinal.StandIns.dll"

# publish_cli FOLDER: compiled ahead where the packages for it are to be had, so that it starts sooner.
publish_cli() {
  local arch
  case $(uname -m) in aarch64 | arm64) arch=linux-arm64 ;; *) arch=linux-x64 ;; esac
  dotnet publish "$ROOT/src/Germinal.Cli" -c Release -r "$arch" --self-contained false -p:PublishReadyToRun=true -p:RunAnalyzers=false -o "$1" -v quiet --nologo >"$ROOT/.data/cli-build.log" 2>&1 ||
    dotnet publish "$ROOT/src/Germinal.Cli" -c Release -p:RunAnalyzers=false -o "$1" -v quiet --nologo >"$ROOT/.data/cli-build.log" 2>&1 || return 1
  touch "$1/germinal.dll"
}

port_taken() { (exec 3<>"/dev/tcp/127.0.0.1/$1") 2>/dev/null; }

# port_owner PORT: who listens there, as far as it can be seen.
port_owner() {
  local inode pid
  inode=$(awk -v port=":$(printf '%04X' "$1")$" '$2 ~ port && $4 == "0A" { print $10; exit }' /proc/net/tcp /proc/net/tcp6 2>/dev/null)
  [ -n "$inode" ] && for pid in /proc/[0-9]*; do
    if ls -l "$pid/fd" 2>/dev/null | grep -q "socket:\[$inode\]"; then
      printf '“%s” (process %s)' "$(tr '\0' ' ' <"$pid/cmdline" | cut -c1-80 | sed 's/ *$//')" "${pid#/proc/}"
      return
    fi
  done
  printf 'another program'
}

# A process is known by its number and the moment it began, so that a number given out anew is nobody's mistake.
began_at() { awk '{ print $22 }' "/proc/$1/stat" 2>/dev/null; }
note_process() { printf '%s %s\n' "$2" "$(began_at "$2")" >>"$1/processes"; }

# end_leftovers FOLDER: ends the processes a ./run with this folder has left behind; fails where that ./run itself, which is noted
# first, is still there.
end_leftovers() {
  local pid began left=()
  [ -f "$1/processes" ] || return 0
  read -r pid began <"$1/processes"
  [ -n "${began:-}" ] && [ "$(began_at "$pid")" = "$began" ] && return 1
  while read -r pid began; do
    [ "$pid" != $$ ] && [ -n "$began" ] && [ "$(began_at "$pid")" = "$began" ] && left+=("$pid")
  done <"$1/processes"
  if [ ${#left[@]} -gt 0 ]; then
    say "ending what an earlier ./run has left behind"
    kill "${left[@]}" 2>/dev/null
    for _ in $(seq 50); do kill -0 "${left[@]}" 2>/dev/null || break; sleep 0.1; done
    kill -9 "${left[@]}" 2>/dev/null
  fi
  rm -f "$1/processes"
  return 0
}

# is_our_database FOLDER PORT: whether it is the database of this very folder that listens there; it is started anew.
is_our_database() {
  local data
  data=$(readlink -f "$1/pg" 2>/dev/null) || return 1
  as_pg test -s "$data/postmaster.pid" && [ "$(as_pg sed -n 4p "$data/postmaster.pid")" = "$2" ] && as_pg "$PG_BIN/pg_ctl" -D "$data" status >/dev/null 2>&1
}

pg_alive() { as_pg "$PG_BIN/pg_ctl" -D "$PG_DATA" status >/dev/null 2>&1; }

# turn_over LOG: what was written before is kept once.
turn_over() { if [ -s "$1" ]; then mv -f "$1" "$1.1"; fi; }

# as_pg COMMAND…: PostgreSQL never runs as root.
as_pg() {
  if [ "$(id -u)" = 0 ]; then setpriv --reuid=postgres --regid=postgres --clear-groups env HOME=/tmp "$@"; else "$@"; fi
}

# pg_start FOLDER PORT [OPTIONS]: starts PostgreSQL on loopback with its data under FOLDER/pg, and what is said of it besides; sets PG_PASSWORD.
pg_start() {
  local data="$1/pg" port=$2
  mkdir -p "$1"
  if [ ! -s "$1/pg-password" ]; then
    (umask 077; head -c 24 /dev/urandom | base64 | tr -d '/+=\n' >"$1/pg-password")
  fi
  PG_PASSWORD=$(cat "$1/pg-password")
  if [ "$(id -u)" = 0 ]; then
    mkdir -p "$data"
    chown postgres "$data"
    # A project folder that only root may enter: the data goes where postgres can reach it.
    if ! as_pg test -x "$data"; then
      local elsewhere="/var/tmp/germinal-$(printf '%s' "$1" | sha256sum | cut -c1-12)"
      install -d -o postgres -m 700 "$elsewhere"
      rm -rf "$data"
      ln -sfn "$elsewhere" "$data"
      data=$elsewhere
    fi
  fi
  PG_DATA=$data
  if as_pg test -s "$data/PG_VERSION"; then
    as_pg "$PG_BIN/pg_ctl" -D "$data" status >/dev/null 2>&1 && as_pg "$PG_BIN/pg_ctl" -D "$data" -m fast -w stop >/dev/null 2>&1
  else
    local pw=/tmp/germinal-pw-$$
    (umask 077; printf '%s' "$PG_PASSWORD" >"$pw")
    [ "$(id -u)" = 0 ] && chown postgres "$pw"
    as_pg "$PG_BIN/initdb" -D "$data" -U germinal -E UTF8 --locale=C.UTF-8 -A scram-sha-256 --pwfile="$pw" >"$1/initdb.log" 2>&1 || { rm -f "$pw"; tail -3 "$1/initdb.log" >&2; fail "the database could not be set up (see .data/initdb.log)."; }
    rm -f "$pw"
  fi
  port_taken "$port" && fail "port $port, which the database needs, is taken. Start with another one: ./run --port N uses N to N+3."
  as_pg "$PG_BIN/pg_ctl" -D "$data" -w -t 30 -l "$data/server.log" \
    -o "-c listen_addresses=127.0.0.1 -p $port -c unix_socket_directories='' -c max_connections=200 -c shared_buffers=256MB -c synchronous_commit=on -c random_page_cost=1.1 -c jit=off ${3:-}" start >/dev/null 2>&1 || {
    as_pg tail -3 "$data/server.log" >&2
    fail "the database does not answer; its last words are above."
  }
}

# restore_history PORT DATABASE JOBS: the demo's two years; kept in pieces, since some hosts of code take no large files.
restore_history() {
  local whole code
  whole=$(mktemp) || return 1
  cat "$ROOT"/demo/history.dump.?? >"$whole"
  PGPASSWORD=$PG_PASSWORD "$PG_BIN/pg_restore" -h 127.0.0.1 -p "$1" -U germinal -d "$2" --no-owner --no-privileges --exit-on-error --jobs="$3" "$whole"
  code=$?
  rm -f "$whole"
  return $code
}

pg_stop() { [ -n "${PG_DATA:-}" ] && as_pg "$PG_BIN/pg_ctl" -D "$PG_DATA" -m fast -w stop >/dev/null 2>&1; }
pg_sql() { PGPASSWORD=$PG_PASSWORD PGOPTIONS="-c client_min_messages=warning" "$PG_BIN/psql" -h 127.0.0.1 -p "$1" -U germinal -d "$2" -qAtc "$3"; }

# wait_for URL SECONDS PID: until the address answers well, or the process is gone.
wait_for() {
  local end=$((SECONDS + $2))
  until curl -fsS -o /dev/null "$1" 2>/dev/null; do
    kill -0 "$3" 2>/dev/null || return 1
    [ $SECONDS -lt $end ] || return 1
    sleep 0.2
  done
}

# application_environment DATA PORT [OWN]: what the application and its stand-ins are told; PORT to PORT+4 are theirs. With OWN there are no
# stand-ins, and what the environment says of mail and addresses stays as it is.
application_environment() {
  export GERMINAL_DATA=$1 GERMINAL_DB="Host=127.0.0.1;Port=$(($2 + 1));Database=germinal;Username=germinal;Password=$PG_PASSWORD;Maximum Pool Size=40;No Reset On Close=true;Max Auto Prepare=100"
  export GERMINAL_URL=${GERMINAL_URL:-http://127.0.0.1:$2} GERMINAL_WWW="$ROOT/src/web/dist"
  export DOTNET_NOLOGO=1 DOTNET_TieredPGO=0 DOTNET_gcServer=0 DOTNET_ThreadPool_UnfairSemaphoreSpinLimit=0 ASPNETCORE_ENVIRONMENT=Production DOTNET_ENVIRONMENT=Production
  if [ -n "${3:-}" ]; then
    export GERMINAL_BACKUPS=${GERMINAL_BACKUPS-$1/backups} GERMINAL_PG_PROGRAMS=${PG_BIN:-}
    return 0
  fi
  export GERMINAL_URL="http://127.0.0.1:$2"
  export GERMINAL_SMTP_PORT=$(($2 + 2)) GERMINAL_STANDINS_PORT=$(($2 + 3)) GERMINAL_STANDINS="http://127.0.0.1:$(($2 + 3))"
  export GERMINAL_MAIL_DOMAIN=answers.example.com GERMINAL_INBOUND_PORT=$(($2 + 4))
  # No domain of the demo stands anywhere on the net; where GERMINAL_RESOLVER is empty, the machine's own resolver is asked.
  export GERMINAL_RESOLVER=${GERMINAL_RESOLVER-none}
}
