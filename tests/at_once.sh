#!/bin/sh
# All tests, in four parts beside each other, after the types and imports: those in the browser and of
# the pages mostly wait. `sh tests/at_once.sh BIN`. Each part's report stands by itself; the outcome is
# bad when one is. What takes seconds to make is made once for all parts (`TESTS_SHARE`).
bin=$1
told=$(mktemp -d)
trap 'rm -rf "$told"' EXIT
export TESTS_SHARE="$told/made"
outcome=0
beside() {
	name=$1
	shift
	{ "$@" >"$told/$name" 2>&1 || touch "$told/$name.bad"; } &
}
beside browser "$bin/pytest" -q tests/browser
beside web "$bin/pytest" -q tests/web
beside core "$bin/pytest" -q tests/core tests/outside
{ "$bin/mypy" && "$bin/lint-imports"; } || outcome=1
"$bin/pytest" -q --ignore tests/browser --ignore tests/web --ignore tests/core --ignore tests/outside || outcome=1
wait
for part in core web browser; do
	echo "Of $part:"
	cat "$told/$part"
	[ -e "$told/$part.bad" ] && outcome=1
done
exit "$outcome"
