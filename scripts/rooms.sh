#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Draws the rooms into docs/architecture.md, from the graph that the build itself goes by.
set -eu
cd "$(dirname "$0")/.."
. scripts/set-up.sh
cmake --preset release >/dev/null
cmake --build --preset release --target rooms app_rooms >/dev/null 2>&1 || true   # they write the pictures before they compare
for picture in rooms app_rooms; do
  awk -v name="$picture" -v file="build/release/$picture.md" '
    $0 == "<!-- " name " -->" { print; while ((getline line < file) > 0) print line; skip = 1; next }
    $0 == "<!-- end of " name " -->" { skip = 0 }
    !skip' docs/architecture.md > docs/architecture.md.part
  mv docs/architecture.md.part docs/architecture.md
done
