#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Installs what is missing, builds, and runs every test: the core under the sanitizers of addresses and of undefined
# behaviour, and its fuzz targets; what runs on several threads under the sanitizer of threads; then the product, but for
# those tests of the core whose words another compiler does not change.
set -eu
cd "$(dirname "$0")"
. scripts/set-up.sh
export QT_QPA_PLATFORM=${QT_QPA_PLATFORM:-offscreen}
at_once=$(nproc)
say() { printf '\n%s, after %d s\n' "$1" "$SECONDS"; }

say "Addresses and undefined behaviour"
cmake --preset asan -DWAVETROPE_LINES=OFF >/dev/null   # a run that found something is repeated with lines
cmake --build --preset asan
scripts/fuzz.sh build/asan 4
UBSAN_OPTIONS=print_stacktrace=1 ctest --test-dir build/asan --output-on-failure --parallel "$at_once"
say "Threads"
cmake --preset tsan -DWAVETROPE_LINES=OFF >/dev/null
cmake --build --preset tsan --target threaded_tests
ctest --test-dir build/tsan --tests-regex '^threads_of_' --output-on-failure --parallel "$at_once"
say "The product"
cmake --preset release -DWAVETROPE_BENCH=OFF -DWAVETROPE_EVERY_TEST=OFF >/dev/null   # bench/run.sh builds what it runs
cmake --build --preset release
ctest --test-dir build/release --output-on-failure --parallel "$at_once"
say "Done"
