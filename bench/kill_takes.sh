#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Kills a capture in the middle of its takes, so many times (100), and looks at what the next start finds: every file has to be
# readable, and the newest frame no older than a second.   kill_takes.sh [TIMES]
set -eu
cd "$(dirname "$0")/.."
cli=$PWD/build/release/wavetrope-cli
work=$(mktemp -d); trap 'rm -rf "$work"' EXIT
cat > "$work/rig.json" <<'R'
{"wavetrope": 1, "name": "bench", "buses": [{"name": "Main", "rate": "500k"}],
 "nodes": [{"name": "Unit", "buses": ["Main"], "sends": [{"id": "0x100", "length": 8, "every": "1 ms"}]}, {"name": "Ear", "buses": ["Main"]}],
 "events": [{"name": "often", "every": "200 ms"}],
 "recordings": [{"name": "whole", "files": {"pattern": "{recording}-{number}.pcapng"}}, {"name": "packed", "files": {"pattern": "{recording}-{number}.pcapng.zst"}},
                {"name": "takes", "start": "often", "before": "50 ms", "after": "100 ms", "files": {"pattern": "{recording}-{number}.pcapng"}}]}
R
capture() { "$cli" capture "$work/rig.json" --out "$work/takes" --socket "$work/words.sock" "$@" 2>/dev/null; }
bad=0 worst=0
for ((i = 0; i < ${1:-100}; i++)); do
  rm -rf "$work/takes"
  capture & victim=$!
  sleep "0.$((RANDOM % 6 + 4))"
  pkill -9 -P $victim 2>/dev/null || kill -9 $victim
  killed=$(date +%s.%N)
  wait $victim 2>/dev/null || true
  capture --for 50ms      # what was left is given its name
  shopt -s nullglob
  for file in "$work"/takes/*.part; do echo "left behind: $file"; bad=$((bad + 1)); done
  for file in "$work"/takes/*.pcapng "$work"/takes/*.zst; do
    "$cli" list "$file" --columns time > "$work/rows" 2> "$work/err" || { cat "$work/err"; bad=$((bad + 1)); }
  done
  newest=$("$cli" list "$work/takes/whole-001.pcapng" --columns time 2>/dev/null | tail -1)
  worst=$(awk -v k="$killed" -v n="$newest" -v w="$worst" 'BEGIN { a = k - n; print (a > w + 0 ? a : w + 0) }')
done
echo "killed ${1:-100} times: $bad files that are not as they should be; the newest frame was at most $worst s old"
[ "$bad" = 0 ]
