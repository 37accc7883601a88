#!/usr/bin/env bash
# scripts/publish.sh FOLDER: the application as it is put on a server: FOLDER/app (with its runtime) and FOLDER/www (the pages), and deploy/ beside them.
set -eu
ROOT=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
. "$ROOT/scripts/setup.sh"
out=${1:?"say where to: scripts/publish.sh out"}
mkdir -p "$out" "$ROOT/.data"
out=$(cd "$out" && pwd)
need_tools
build_front
dotnet publish "$ROOT/src/Germinal.Web" -c Release -r "linux-$([ "$(uname -m)" = aarch64 ] && echo arm64 || echo x64)" --self-contained -o "$out/app" --nologo -v quiet >"$ROOT/.data/publish.log" 2>&1 ||
  { tail -20 "$ROOT/.data/publish.log" >&2; fail "it could not be published (see .data/publish.log)."; }
rm -rf "$out/www"
cp -r "$ROOT/src/web/dist" "$out/www"
cp -r "$ROOT/deploy" "$out/"
say "Published to $out: app, www and deploy. docs/operations.md says how it is put on the net."
