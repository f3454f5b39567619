#!/usr/bin/env bash
# Builds and runs every benchmark; prints one table. Pass the time of the application's first painted frame with it.
set -eu
cd "$(dirname "$0")/.."
cmake --preset release >/dev/null
cmake --build --preset release --target wavetrope-bench wavetrope-interface-bench wavetrope >/dev/null
grep -m1 'model name' /proc/cpuinfo || true
build/release/wavetrope-bench
for i in 1 2 3; do QT_QPA_PLATFORM=${QT_QPA_PLATFORM:-offscreen} build/release/wavetrope --measure-start demo/rig.json 2>/dev/null; done
QT_QPA_PLATFORM=${QT_QPA_PLATFORM:-offscreen} build/release/wavetrope-interface-bench 2>/dev/null
