#!/bin/sh
# All tests, in four parts on three lanes beside each other: those in the browser mostly wait, then the
# rest follows them; those of the pages; the types, the imports, the core and the kills.
# `sh tests/at_once.sh BIN`. Each part's report stands by itself; the outcome is bad when one is. What takes seconds to make is
# made once for all parts (`TESTS_SHARE`).
bin=$1
told=$(mktemp -d)
trap 'rm -rf "$told"' EXIT
export TESTS_SHARE="$told/made"
part() {
	name=$1
	shift
	"$@" >"$told/$name" 2>&1 || touch "$told/bad"
}
typed() {
	"$bin/mypy" && "$bin/lint-imports"
}
core="tests/core tests/outside tests/test_kill.py"
ignored=$(printf ' --ignore %s' tests/browser tests/web $core)
{
	part browser "$bin/pytest" -q tests/browser
	part rest "$bin/pytest" -q $ignored
} &
part web "$bin/pytest" -q tests/web &
part types typed
"$bin/pytest" -q $core || touch "$told/bad"
wait
for name in types rest web browser; do
	echo "Of $name:"
	cat "$told/$name"
done
[ ! -e "$told/bad" ]
