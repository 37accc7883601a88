#!/usr/bin/env bash
# Writes THIRD-PARTY-NOTICES.md anew, or with --check says whether it is what ships.
set -eu
exec node "$(dirname "${BASH_SOURCE[0]}")/notices.mjs" "$@"
