#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# A virtual interface of a user-mode kernel, flooded: whether every frame that the kernel took is there, and whether what is
# missing is what the drop counter says.   kernel_flood.sh [SECONDS]
set -eu
here=$(cd "$(dirname "$0")/.." && pwd)
if [ "${1:-}" = --inside ]; then
  seconds=$2 work=$(mktemp -d)
  trap 'rm -rf "$work"' EXIT
  "$here/build/release/wavetrope-cli" capture --interface vcan0 --record "$work/flood.pcapng" 2>"$work/said" & capture=$!
  until grep -q capturing "$work/said"; do kill -0 $capture; sleep 0.05; done
  "$here/build/release/tests/kernel_peer" "flood:$seconds" vcan0 >"$work/sent"
  kill -INT $capture; wait $capture
  echo "sent $(cat "$work/sent") frames in $seconds s; captured: $(tail -1 "$work/said")"
  echo "in the file: $("$here/build/release/wavetrope-cli" info "$work/flood.pcapng" | grep -i -m1 frames)"
  exit
fi
registers=$(find "$here/build/release/tests" -name 'libuml_registers*' | head -1)
UML_REGISTERS=$registers "$here/tests/in-kernel" --seconds $((${1:-60} + 120)) "$here/bench/kernel_flood.sh" --inside "${1:-60}"
