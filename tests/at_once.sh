#!/bin/sh
# All tests in parts, the longest first, as many beside each other as there are processors: more at
# once only take each other's time. `sh tests/at_once.sh BIN`. Each part's report stands by itself, in
# the order in which they end; the outcome is bad when one is. What takes seconds to make is made once
# for all parts (`TESTS_SHARE`). `sh tests/at_once.sh BIN PART` runs one of them.
bin=$1
first="tests/core/test_[a-o]*.py tests/outside"
second="tests/core/test_[p-z]*.py"
run() {
	case $1 in
	browser) "$bin/pytest" -q tests/browser ;;
	web) "$bin/pytest" -q tests/web ;;
	core_a_to_o) "$bin/pytest" -q $first ;;
	core_p_to_z) "$bin/pytest" -q $second ;;
	kills) "$bin/pytest" -q tests/test_kill.py ;;
	rest) "$bin/pytest" -q --ignore tests/browser --ignore tests/web --ignore tests/core --ignore tests/outside --ignore tests/test_kill.py ;;
	types) "$bin/mypy" && "$bin/lint-imports" ;;
	esac
}
if [ -n "${2:-}" ]; then
	told=$(mktemp)
	run "$2" >"$told" 2>&1
	outcome=$?
	printf 'Of %s:\n%s\n' "$2" "$(cat "$told")"
	rm "$told"
	exit $outcome
fi
made=$(mktemp -d)
trap 'rm -rf "$made"' EXIT
export TESTS_SHARE="$made/made"
printf '%s\n' browser web core_p_to_z rest core_a_to_o kills types | xargs -P "$(nproc)" -n 1 sh "$0" "$bin"
