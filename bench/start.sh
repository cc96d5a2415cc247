#!/usr/bin/env bash
# How long `bin/start` takes on a warm machine until the first page is served, and until the demo's first plate can be
# keyed. Needs no running house.
set -euo pipefail
here="$(cd "$(dirname "$0")/.." && pwd)"
data=$(mktemp -d) && chmod 755 "$data"
trap 'rm -rf "$data"' EXIT
since() { awk -v a="$1" -v b="$(date +%s.%N)" 'BEGIN {printf "%.1f", b - a}'; }
for run in "first start" "second start"; do
    from=$(date +%s.%N)
    UPHOLSTER_DATA=$data "$here/bin/start" --port 8990 >"$data/out" 2>&1 &
    house=$!
    until grep -q "ready at" "$data/out"; do sleep 0.05; done
    address=$(awk '/ready at/ {print $NF}' "$data/out")
    curl -sf "$address/footage" >/dev/null
    echo "$run: $(since "$from") s to the first page"
    until curl -sf "$address/footage" | grep -q "Open marionette on the Bench"; do sleep 0.1; done
    echo "$run: $(since "$from") s until the first plate can be keyed"
    kill -INT $house
    wait $house || true
done
