#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# A serial adapter of the kernel's (slcan): its rate and state are told, its frames arrive. By hand:
#   tests/in-kernel --modules slcan tests/serial_adapter.sh build/release/wavetrope-cli build/release/tests/kernel_peer -
set -eu
cli=$1 peer=$2 demo=$3 window=${4:-}
work=$(mktemp -d); trap 'rm -rf "$work"' EXIT
problem() { echo "serial_adapter: $*" >&2; ip -s link >&2; exit 1; }

# Starts a capture of the interfaces into a file, and waits until it captures.   capture FILE INTERFACE...
capture() {
  local file=$1; shift
  : >"$work/capture.err"    # what the one before said is not taken for this one's word
  "$cli" capture "${@/#/--interface=}" --record "$file" 2>"$work/capture.err" &
  capture=$!
  until grep -q capturing "$work/capture.err"; do kill -0 $capture || problem "no capture: $(cat "$work/capture.err")"; sleep 0.05; done
}
# Ends it as Ctrl+C does: what was sent by now is in it.   captured FRAMES
captured() {
  kill -INT $capture
  wait $capture || problem "capture failed: $(cat "$work/capture.err")"
  grep -q "^$1 frames, 0 lost" "$work/capture.err" || problem "not all of $1 arrived: $(cat "$work/capture.err")"
}

# An adapter at a serial line: it has a bit rate and a state, and its frames come as all others do.
mkdir -p /dev/pts; mount -t devpts -o ptmxmode=666 devpts /dev/pts     # within that kernel
"$peer" serial "$work/go" >"$work/serial.txt" & adapter=$!
until grep -q '^ready' "$work/serial.txt"; do kill -0 $adapter || problem "no serial adapter"; sleep 0.05; done
line=$(sed -n 's/^ready //p' "$work/serial.txt")
ip link set "$line" up type can bitrate 500000 || problem "$line cannot be brought up"
until grep -qx 'O' "$work/serial.txt"; do kill -0 $adapter || problem "the line was not opened"; sleep 0.05; done
grep -qx 'S6' "$work/serial.txt" || problem "the adapter was not told its rate: $(cat "$work/serial.txt")"
"$cli" interfaces >"$work/interfaces"
grep -q "^$line,[a-z ]*,can,500000," "$work/interfaces" || problem "the serial adapter is not listed: $(cat "$work/interfaces")"
capture "$work/serial.pcapng" "$line"
touch "$work/go"
tries=0
until [ "$("$cli" list "$work/serial.pcapng.part" --columns id 2>/dev/null | tail -n +2 | wc -l)" = 200 ]; do
  tries=$((tries + 1)); [ $tries -lt 200 ] || problem "frames of the serial adapter are missing"; sleep 0.1
done
captured 200
[ "$("$cli" list "$work/serial.pcapng" --columns id,data | sed -n 4p)" = '0x102,02FD' ] || problem "frames of the serial adapter differ"
ip link set "$line" down      # while its other end still listens
kill $adapter; wait $adapter || true
until ! ip link show "$line" >/dev/null 2>&1; do sleep 0.05; done     # it goes with its line
echo "serial_adapter: 200 frames, exact"
