#!/bin/sh
# All tests in parts, the longest first, as many beside each other as there are processors: more at
# once only take each other's time. `sh tests/at_once.sh BIN`. Reports stand in the order in which
# the parts end, those of bad ones last; the outcome is bad when one is. What takes seconds to make is
# made once for all parts (`TESTS_SHARE`). `sh tests/at_once.sh BIN PART FOLDER` runs one of them, its
# report left in the folder when it is bad.
bin=$1
first="tests/core/test_[a-h]*.py tests/outside"
second="tests/core/test_[i-o]*.py"
third="tests/core/test_[p-z]*.py"
run() {
	case $1 in
	browser) "$bin/pytest" -q tests/browser ;;
	web) "$bin/pytest" -q tests/web ;;
	core_a_to_h) "$bin/pytest" -q $first ;;
	core_i_to_o) "$bin/pytest" -q $second ;;
	core_p_to_z) "$bin/pytest" -q $third ;;
	kills) "$bin/pytest" -q tests/test_kill.py ;;
	rest) "$bin/pytest" -q --ignore tests/browser --ignore tests/web --ignore tests/core --ignore tests/outside --ignore tests/test_kill.py ;;
	types) "$bin/mypy" && "$bin/lint-imports" ;;
	esac
}
if [ -n "${2:-}" ]; then
	report="$3/bad-$2"
	run "$2" >"$report" 2>&1 || exit 1
	printf 'Of %s:\n%s\n' "$2" "$(cat "$report")"
	rm "$report"
	exit 0
fi
# In memory where there is room: a store waits for the disk at each confirmed tap, for the sake of
# power cuts, which no test makes; a killed process loses nothing that the system has been given.
room=$(df -Pk /dev/shm 2>/dev/null | awk 'NR == 2 { print $4 }')
if [ "${room:-0}" -gt 6000000 ]; then made=$(mktemp -d -p /dev/shm); else made=$(mktemp -d); fi
trap 'rm -rf "$made"' EXIT
export TESTS_SHARE="$made/made" TMPDIR="$made"
printf '%s\n' browser web core_p_to_z rest kills types core_a_to_h core_i_to_o |
	xargs -P "$(nproc)" -I '{}' sh "$0" "$bin" '{}' "$made" && exit 0
for report in "$made"/bad-*; do
	printf '\nBad: %s\n' "${report##*/bad-}"
	cat "$report"
done
exit 1
