#!/usr/bin/env bash
# Installs what is missing, builds, and runs every test: the product, the core under sanitizers, and the fuzz targets.
set -eu
cd "$(dirname "$0")"
. scripts/set-up.sh
export QT_QPA_PLATFORM=${QT_QPA_PLATFORM:-offscreen}
cmake --preset asan >/dev/null
cmake --build --preset asan
scripts/fuzz.sh build/asan 15
UBSAN_OPTIONS=print_stacktrace=1 ctest --test-dir build/asan --output-on-failure --timeout 600 --parallel "$(nproc)"
cmake --preset release >/dev/null
cmake --build --preset release
ctest --test-dir build/release --output-on-failure
