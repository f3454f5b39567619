#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Looks through files of code with clang-tidy, by .clang-tidy: those named, or all of src.   tidy.sh [FILE...]
set -eu
cd "$(dirname "$0")/.."
command -v clang-tidy-19 >/dev/null || { echo "clang-tidy-19 is missing: it comes with the package clang-tidy-19" >&2; exit 1; }
cmake --preset debug -DCMAKE_CXX_COMPILER=clang++-19 -DCMAKE_DISABLE_PRECOMPILE_HEADERS=ON -B build/tidy >/dev/null
files=("$@")
[ ${#files[@]} -gt 0 ] || mapfile -t files < <(git ls-files 'src/*.cpp')
printf '%s\n' "${files[@]}" | xargs -P "$(nproc)" -n 4 clang-tidy-19 -p build/tidy --quiet
