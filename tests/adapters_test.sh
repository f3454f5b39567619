#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Adapters of other kinds, and a reader that was held up, on a real kernel's CAN sockets. Runs inside tests/in-kernel with the
# modules vxcan and slcan.   adapters_test.sh CLI PEER
set -eu
cli=$1 peer=$2
. "$(dirname "$0")/kernel_words.sh"

# A pair of interfaces with a wire between them: what is sent at one end is received at the other.
ip link add dev vxcan0 type vxcan peer name vxcan1
ip link set vxcan0 mtu 72 up
ip link set vxcan1 mtu 72 up
"$cli" interfaces >"$work/interfaces"
grep -q '^vxcan1,up,vxcan,' "$work/interfaces" || problem "the pair is not listed: $(cat "$work/interfaces")"
capture "$work/pair.pcapng" vxcan0 vxcan1
"$peer" send vxcan0
captured 400
"$cli" list "$work/pair.pcapng" --filter 'bus vxcan0' --columns dir,kind,id,length,data >"$work/near"
"$cli" list "$work/pair.pcapng" --filter 'bus vxcan1' --columns dir,kind,id,length,data >"$work/far"
cmp "$work/near" "$work/far" || problem "the two ends of the pair differ"
[ "$(wc -l <"$work/far")" = 201 ] || problem "frames of the pair are missing"

# A program that is held up while more comes than the kernel keeps for it: what is missing is counted, to the frame.
capture "$work/held.pcapng" vcan0
kill -STOP $capture
sent=$("$peer" count:60000 vcan0)
kill -CONT $capture
"$peer" send vcan0      # the kernel tells of what it dropped with what comes next
kill -INT $capture
wait $capture || problem "the capture that was held up failed: $(cat "$work/capture.err")"
kept=$(sed -n 's/^\([0-9]*\) frames, .* lost.*/\1/p' "$work/capture.err")
lost=$(sed -n 's/^[0-9]* frames, \([0-9]*\) lost.*/\1/p' "$work/capture.err")
[ "$lost" -gt 0 ] || problem "nothing was lost, so nothing was tried: $(cat "$work/capture.err")"
[ $((kept + lost)) = $((sent + 200)) ] || problem "$kept kept and $lost lost are not $sent and 200"
[ "$("$cli" list "$work/held.pcapng" --columns id | tail -n +2 | wc -l)" = "$kept" ] || problem "the file has not what was kept"

# An adapter at a serial line: it has a bit rate and a state, and its frames come as all others do.
mkdir -p /dev/pts; mount -t devpts -o ptmxmode=666 devpts /dev/pts     # within that kernel
"$peer" serial "$work/go" >"$work/serial.txt" & adapter=$!
await "the serial adapter" grep -q '^ready' "$work/serial.txt"
line=$(sed -n 's/^ready //p' "$work/serial.txt")
"$cli" interfaces >"$work/interfaces"
grep -q "^$line,down," "$work/interfaces" || problem "the adapter that is down is not listed: $(cat "$work/interfaces")"
ip link set "$line" up type can bitrate 500000 || problem "$line cannot be brought up"
await "the line to be opened" grep -qx 'O' "$work/serial.txt"
grep -qx 'S6' "$work/serial.txt" || problem "the adapter was not told its rate: $(cat "$work/serial.txt")"
"$cli" interfaces >"$work/interfaces"
grep -q "^$line,[a-z ]*,can,500000," "$work/interfaces" || problem "the serial adapter is not listed: $(cat "$work/interfaces")"
capture "$work/serial.pcapng" "$line"
touch "$work/go"
all() { [ "$("$cli" list "$work/serial.pcapng.part" --columns id 2>/dev/null | tail -n +2 | wc -l)" = 200 ]; }
await "200 frames of the serial adapter" all
captured 200
[ "$("$cli" list "$work/serial.pcapng" --columns id,data | sed -n 4p)" = '0x102,02FD' ] || problem "frames of the serial adapter differ"
ip link set "$line" down      # while its other end still listens
kill $adapter; wait $adapter || true
gone() { ! ip link show "$line" >/dev/null 2>&1; }
await "the adapter to go with its line" gone
echo "adapters_test: a pair, 400 frames; $kept kept and $lost lost of $((sent + 200)); a serial adapter, 200 frames, exact"
