#!/bin/sh
# Static checks and quick tests in two parts beside each other: `sh tests/quick.sh BIN TESTS...`.
# What touches files goes with the static checks; the outcome is bad when one of them is.
bin=$1
shift
told=$(mktemp)
trap 'rm -f "$told"' EXIT
{ "$bin/mypy" && "$bin/lint-imports" && "$bin/pytest" -q tests/store; } >"$told" 2>&1 &
beside=$!
"$bin/pytest" -q "$@"
outcome=$?
wait "$beside" || outcome=1
cat "$told"
exit "$outcome"
