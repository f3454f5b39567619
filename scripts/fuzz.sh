#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Runs each fuzz target over its corpus and so many seconds more, as many at once as there are cores.   fuzz.sh BUILD SECONDS
set -eu
export build=$1 seconds=$2
here=$(cd "$(dirname "$0")/.." && pwd)
export here
one() {
  set -eu
  target=${1##*/fuzz_}
  found=$(mktemp -d)
  corpus=("$here/fuzz/corpus/$target")
  case $target in
    pcapng) mkdir "$found/seeds"; cp "$here"/tests/data/*.pcap* "$found/seeds"; corpus+=("$found/seeds");;
    dbc) mkdir "$found/seeds"; cp "$here"/tests/data/*.dbc "$here"/demo/*.dbc "$found/seeds"; corpus+=("$found/seeds");;
    rig) mkdir "$found/seeds"; cp "$here"/demo/*.json "$found/seeds"; corpus+=("$found/seeds");;
  esac
  mkdir "$found/new"
  "$1" -runs=0 -rss_limit_mb=2048 -timeout=10 "${corpus[@]}" 2>"$found/log" || { tail -40 "$found/log"; exit 1; }
  "$1" -max_total_time="$seconds" -rss_limit_mb=2048 -timeout=10 -max_len=65536 -artifact_prefix="$found/" "$found/new" "${corpus[@]}" 2>"$found/log" || { tail -60 "$found/log"; echo "fuzz_$target failed; the input is in $found" >&2; exit 1; }
  echo "fuzz_$target: $(grep -oE 'Done [0-9]+ runs' "$found/log" | tail -1), nothing found"
  rm -rf "$found"
}
export -f one
printf '%s\0' "$build"/fuzz/fuzz_* | xargs -0 -P "$(nproc)" -I{} bash -c 'one {}'
