#!/bin/sh
# All tests, in three parts beside each other: those in the browser and of the pages mostly wait.
# `sh tests/at_once.sh PYTEST`. Each part's report stands by itself; the outcome is bad when one is.
told=$(mktemp -d)
trap 'rm -rf "$told"' EXIT
"$1" -q tests/browser >"$told/browser" 2>&1 &
browser=$!
"$1" -q tests/web >"$told/web" 2>&1 &
web=$!
"$1" -q --ignore tests/browser --ignore tests/web
outcome=$?
wait "$web" || outcome=1
echo "Of the pages:"
cat "$told/web"
wait "$browser" || outcome=1
echo "In the browser:"
cat "$told/browser"
exit "$outcome"
