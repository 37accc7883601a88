# ./germinal doctor [--port N]: what is wrong with an installation, and what to do.
# ./germinal keeper [--port N]: the address at which its next keeper is made; it works once.
# Sourced by ./germinal. Where GERMINAL_DB is set (a unit, a container) the environment is taken as it is, else that of ./run.
port=5080
[ "${2:-}" = --port ] && port=${3:?"--port needs the number that ./run was given"}
if [ -z "${GERMINAL_DB:-}" ]; then
  data=${GERMINAL_HOME:-$ROOT/.data}
  [ -f "$data/pg-password" ] || fail "there is no installation under $data yet; ./run makes one. Of ./run --empty: GERMINAL_HOME=.data/own ./germinal $1"
  PG_PASSWORD=$(cat "$data/pg-password")
  application_environment "$data" "$port" "$([ "$(cat "$data/kind" 2>/dev/null)" = own ] && echo own)"
  export ASPNETCORE_URLS="http://127.0.0.1:$port"
fi
[ -f "$OWN_DLL" ] || { need_tools; build_back; }
exec dotnet "$OWN_DLL" "--$1"
