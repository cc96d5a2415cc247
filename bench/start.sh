#!/usr/bin/env bash
# How long `bin/start` takes on a warm machine until the first page is served. Needs no running house.
set -euo pipefail
here="$(cd "$(dirname "$0")/.." && pwd)"
data=$(mktemp -d) && chmod 755 "$data"
trap 'rm -rf "$data"' EXIT
for run in "first start, empty" "second start"; do
    from=$(date +%s.%N)
    UPHOLSTER_DATA=$data "$here/bin/start" --empty --port 8990 >"$data/out" 2>&1 &
    house=$!
    until grep -q "ready at" "$data/out"; do sleep 0.05; done
    curl -sf "$(awk '/ready at/ {print $NF}' "$data/out")/footage" >/dev/null
    echo "$run: $(awk -v a="$from" -v b="$(date +%s.%N)" 'BEGIN {printf "%.1f", b - a}') s to the first page"
    kill -INT $house
    wait $house || true
done
