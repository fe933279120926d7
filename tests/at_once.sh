#!/bin/sh
# All tests: those in the browser beside the others, since they mostly wait. `sh tests/at_once.sh PYTEST`.
# Each part's report stands by itself; the outcome is bad when either is.
told=$(mktemp)
trap 'rm -f "$told"' EXIT
"$1" -q tests/browser >"$told" 2>&1 &
browser=$!
"$1" -q --ignore tests/browser
others=$?
wait "$browser"
seen=$?
echo "In the browser:"
cat "$told"
[ "$others" -eq 0 ] && [ "$seen" -eq 0 ]
