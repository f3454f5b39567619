#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# The rule that the build holds the rooms by: it lets the rooms as they are pass, and finds what breaks it.
#   rooms_test.sh CMAKE SRC CASE
set -eu -o pipefail
cmake=$1 src=$2 case=$3
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
mkdir "$work/low" "$work/middle" "$work/high"
printf '#include "low/low.h"\n#include <vector>\n' > "$work/middle/middle.h"
printf '#include "middle/middle.h"\n' > "$work/high/high.cpp"
: > "$work/low/low.h"
holds() { "$cmake" "-DROOMS=$1" -DROOT="$work" -DPREFIX= -P "$src/rooms.cmake" 2>&1 | tr -s ' \n' ' ' > "$work/said"; }
holds 'low:;middle:low;high:middle' || { cat "$work/said"; echo "rooms as they shall be are refused" >&2; exit 1; }
case $case in
  undeclared)
    # Reached through another room, and named by none of its own.
    printf '#include "low/low.h"\n' >> "$work/high/high.cpp"
    ! holds 'low:;middle:low;high:middle' || { echo "a header that the room does not name is let pass" >&2; exit 1; }
    grep -q 'the room high does not name low' "$work/said"
    holds 'low:;middle:low;high:middle,low';;
  circle)
    ! holds 'low:high;middle:low;high:middle' || { echo "a circle is let pass" >&2; exit 1; }
    grep -q 'low uses high, which does not stand before it' "$work/said";;
esac
