#!/usr/bin/env bash
# Layers, types and tests. Those that measure time (marked "alone") have the processors first: all else runs beside them at the lowest
# priority, on what they leave. What each of them says is shown when it is done; the first that fails fails all.
set -u
bin=$1
logs=$(mktemp -d)
trap 'rm -rf "$logs"' EXIT

(nice -n 19 "$bin/lint-imports" && nice -n 19 "$bin/mypy") >"$logs/types" 2>&1 &
types=$!
nice -n 19 "$bin/python" -m pytest -n 2 --dist worksteal -m "not alone" >"$logs/beside" 2>&1 &
beside=$!

failed=0
"$bin/python" -m pytest -m alone || failed=1
wait $types || failed=1
cat "$logs/types"
wait $beside || failed=1
cat "$logs/beside"
exit $failed
