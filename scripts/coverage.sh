#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Runs the tests with counters and prints how many lines of each room they reach.   coverage.sh [more options of ctest]
set -eu
cd "$(dirname "$0")/.."
for tool in llvm-profdata-19 llvm-cov-19; do
  command -v "$tool" >/dev/null || { echo "$tool is missing: it comes with the package llvm-19" >&2; exit 1; }
done
build=$PWD/build/coverage
cmake --preset coverage >/dev/null
cmake --build --preset coverage
rm -rf "$build/profiles"; mkdir -p "$build/profiles"
export QT_QPA_PLATFORM=${QT_QPA_PLATFORM:-offscreen} LLVM_PROFILE_FILE=$build/profiles/%m.profraw   # one for each program
ctest --test-dir "$build" --exclude-regex 'packages_test|kernel_test' --parallel "$(nproc)" "$@" || echo "Some tests failed; what they reached counts."
llvm-profdata-19 merge -sparse -o "$build/all.profdata" "$build"/profiles/*.profraw
objects=()
for program in "$build/wavetrope-cli" "$build/wavetrope" "$build"/tests/*_test; do
  [ -x "$program" ] && objects+=(-object "$program")
done
llvm-cov-19 export "${objects[@]}" -instr-profile "$build/all.profdata" -summary-only -ignore-filename-regex '/(tests|build|usr)/' > "$build/coverage.json"
python3 - "$build/coverage.json" "$PWD/src/" <<'END'
import json, sys, collections
rooms = collections.Counter(), collections.Counter()
for file in json.load(open(sys.argv[1]))["data"][0]["files"]:
    if not file["filename"].startswith(sys.argv[2]):
        continue
    room = file["filename"][len(sys.argv[2]):].rsplit("/", 1)[0]
    rooms[0][room] += file["summary"]["lines"]["count"]
    rooms[1][room] += file["summary"]["lines"]["covered"]
for room in sorted(rooms[0]):
    print(f"{room:16} {rooms[0][room]:6} lines {100 * rooms[1][room] / rooms[0][room]:6.1f} %")
print(f"{'all':16} {sum(rooms[0].values()):6} lines {100 * sum(rooms[1].values()) / max(1, sum(rooms[0].values())):6.1f} %")
END
