#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Every file of the project is laid out as .clang-format says, and names its licence.   style_test.sh ROOT
set -eu
cd "$1"
failed=0
mapfile -t code < <(find src tests bench fuzz demo -name '*.cpp' -o -name '*.h' | sort)
[ "${#code[@]}" -gt 400 ] || { echo "only ${#code[@]} files of code were found"; failed=1; }
clang-format-19 --dry-run -Werror "${code[@]}" || { echo "Laid out by: clang-format-19 -i FILE"; failed=1; }
mapfile -t scripts < <(find src tests bench fuzz demo scripts packaging .ci -name '*.sh' -o -name '*.cmake' -o -name CMakeLists.txt | sort)
for file in "${code[@]}" "${scripts[@]}" CMakeLists.txt demo.sh test.sh; do
  head -n 2 "$file" | grep -q 'SPDX-License-Identifier: GPL-3.0-or-later' || { echo "$file: no line with SPDX-License-Identifier"; failed=1; }
done
exit "$failed"
