#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Builds and runs every benchmark; prints one table. The first argument is the size of the
# long logs in millions of frames, 10 where it is not given; 100 needs 10 GB of disk and 12 GB of memory.
set -eu
cd "$(dirname "$0")/.."
cmake --preset release -DWAVETROPE_BENCH=ON >/dev/null
cmake --build --preset release --target wavetrope-bench wavetrope-interface-bench wavetrope-convert-bench wavetrope-large-bench wavetrope-scroll-bench wavetrope-lanes-bench wavetrope-spool-bench wavetrope-rules-bench wavetrope-remote-bench wavetrope-seeing-bench wavetrope-sending-bench wavetrope-driving-bench wavetrope-pacing-bench wavetrope-protocol-bench wavetrope-block-bench wavetrope >/dev/null
grep -m1 'model name' /proc/cpuinfo || true
build/release/wavetrope-bench
for i in 1 2 3; do QT_QPA_PLATFORM=${QT_QPA_PLATFORM:-offscreen} build/release/wavetrope --measure-start demo/rig.json 2>/dev/null; done
QT_QPA_PLATFORM=${QT_QPA_PLATFORM:-offscreen} build/release/wavetrope-interface-bench 2>/dev/null
build/release/wavetrope-convert-bench 5
QT_QPA_PLATFORM=${QT_QPA_PLATFORM:-offscreen} build/release/wavetrope-scroll-bench "${1:-10}" 2>/dev/null
QT_QPA_PLATFORM=${QT_QPA_PLATFORM:-offscreen} build/release/wavetrope-lanes-bench 2>/dev/null
build/release/wavetrope-spool-bench "${1:-10}"
build/release/wavetrope-large-bench "${1:-10}"
build/release/wavetrope-rules-bench "${1:-10}"
build/release/wavetrope-remote-bench
build/release/wavetrope-seeing-bench
build/release/wavetrope-sending-bench
build/release/wavetrope-driving-bench demo/rig.json
build/release/wavetrope-pacing-bench
build/release/wavetrope-protocol-bench
build/release/wavetrope-block-bench "$PWD/demo/blade.eds"
