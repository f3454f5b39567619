#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# The kernel's own stack for networks of vehicles as the other one: claims, announced and directed transports both ways, 1,785 bytes,
# and such that break off. Runs inside tests/in-kernel.   vehicle_test.sh CLI PEER
set -eu
cli=$1 peer=$2
. "$(dirname "$0")/kernel_words.sh"

bytes() { awk -v n="$1" 'BEGIN { for (i = 0; i < n; i++) printf "%02X", (i * 7 + 3) % 256 }'; }
listens() { until grep -q "$1" "$2"; do kill -0 "$3" || problem "nobody listens: $(cat "$2")"; sleep 0.05; done; }
stop_capture() { kill -INT $capture; wait $capture || problem "capture failed: $(cat "$work/capture.err")"; }
log() { "$cli" list "$work/$1.pcapng" --messages --protocol vcan0=vehicle; }
ways() { "$cli" transfers "$work/$1.pcapng" --protocol vcan0=vehicle | cut -d, -f5-; }

# What the kernel sends is put together as it was, and what the product sends the kernel's stack receives: announced and directed.
capture "$work/sent.pcapng" vcan0
"$peer" receive vcan0 0x40 6 >"$work/got.txt" & listener=$!
listens ready "$work/got.txt" $listener
"$peer" send vcan0 0x28 255 0xFEF0 1785 & announces=$!
"$cli" group send --interface vcan0 0xFEF1 "$(bytes 1785)" --from 0x30
wait $announces
"$peer" send vcan0 0x28 0x40 0xEF00 1785
"$peer" send vcan0 0x28 0x40 0xEF00 9
"$cli" group send --interface vcan0 0xEF00 "$(bytes 1785)" --from 0x30 --to 0x40
"$cli" group send --interface vcan0 0xEF00 "01 02 03" --from 0x30 --to 0x40
wait $listener
stop_capture
cat >"$work/wanted.txt" <<W
28 0EF00 1785 $(bytes 1785)
28 0EF00 9 $(bytes 9)
28 0FEF0 1785 $(bytes 1785)
30 0EF00 1785 $(bytes 1785)
30 0EF00 3 010203
30 0FEF1 1785 $(bytes 1785)
W
grep -v ready "$work/got.txt" | sort | cmp - "$work/wanted.txt" || problem "the kernel got something else: $(cut -c1-60 "$work/got.txt")"
ways sent >"$work/ways.csv"
for wanted in 'group,0x28,,0xFEF0,1785,256,whole' 'group,0x30,,0xFEF1,1785,256,whole' 'group,0x28,0x40,0xEF00,1785,[0-9]*,whole' \
  'group,0x28,0x40,0xEF00,9,[0-9]*,whole' 'group,0x30,0x40,0xEF00,1785,[0-9]*,whole'; do
  [ "$(grep -c "^$wanted\$" "$work/ways.csv")" = 1 ] || problem "not once $wanted: $(cat "$work/ways.csv")"
done
log sent >"$work/list.csv"
[ "$(grep -c ",1785,$(bytes 1785)\$" "$work/list.csv")" = 4 ] || problem "not all messages of 1,785 bytes came back"
[ "$(grep -c ",vehicle,transport," "$work/list.csv")" = 0 ] || problem "pieces are left over: $(grep ,transport, "$work/list.csv" | head -3)"

# Asked for, it answers with a directed transport, which the product receives.
"$peer" answer vcan0 0x41 0xFEDA 300 >"$work/answer.txt" & listener=$!
listens ready "$work/answer.txt" $listener
"$cli" group request --interface vcan0 0xFEDA --to 0x41 --from 0x30 >"$work/asked.csv" || problem "nobody answered"
wait $listener
[ "$(tail -1 "$work/asked.csv")" = "0x41,300,$(bytes 300)" ] || problem "the answer: $(cut -c1-80 "$work/asked.csv")"
code=0; "$cli" group request --interface vcan0 0xFEDA --to 0x42 --from 0x30 >"$work/none.csv" 2>"$work/err" || code=$?
[ "$code" = 1 ] && grep -q 'nobody answers' "$work/err" || problem "silence: $code $(cat "$work/err")"

# A contest about an address: the smaller name keeps it.
"$peer" claim vcan0 8000000000000010 0x50 >"$work/claim.txt" & listener=$!
listens claimed "$work/claim.txt" $listener
code=0; "$cli" group claim --interface vcan0 0000000000000020 --from 0x50 >"$work/got.txt" 2>"$work/err" || code=$?
[ "$code" = 0 ] && [ "$(cat "$work/got.txt")" = 0x50 ] || problem "the smaller name: $code $(cat "$work/err")"
code=0; "$cli" group claim --interface vcan0 8000000000000020 --from 0x50 >"$work/got.txt" 2>"$work/err" || code=$?
[ "$code" = 0 ] && [ "$(cat "$work/got.txt")" = 0x80 ] || problem "one that may choose: $code $(cat "$work/got.txt" "$work/err")"
kill $listener; wait $listener 2>/dev/null || true
"$peer" claim vcan0 0000000000000010 0x50 >"$work/claim.txt" & listener=$!
listens claimed "$work/claim.txt" $listener
capture "$work/contest.pcapng" vcan0
code=0; "$cli" group claim --interface vcan0 0000000000000020 --from 0x50 >"$work/got.txt" 2>"$work/err" || code=$?
[ "$code" = 1 ] && grep -q 'smaller name 0000000000000010' "$work/err" || problem "the larger name: $code $(cat "$work/err")"
kill $listener; wait $listener 2>/dev/null || true
stop_capture
"$cli" network "$work/contest.pcapng" --protocol vcan0=vehicle | cut -d, -f1-4 >"$work/network.csv"
grep -qx 'vcan0,0x50,0000000000000010,claimed' "$work/network.csv" && grep -qx 'vcan0,0xFE,0000000000000020,cannot claim' "$work/network.csv" \
  || problem "the network: $(cat "$work/network.csv")"

# Broken off: nobody at the other end, and a sender that leaves in the middle.
capture "$work/broken.pcapng" vcan0
"$peer" send vcan0 0x28 0x66 0xEF00 500 || true
"$peer" quit vcan0 0x29 255 0xFEF0 1785
stop_capture
ways broken >"$work/ways.csv"
grep -q '^group,0x28,0x66,0xEF00,0,.*,timeout$' "$work/ways.csv" || problem "nobody there: $(cat "$work/ways.csv")"
grep -Eq '^group,0x29,,0xFEF0,[0-9]+,[0-9]+,(timeout|aborted|unfinished)$' "$work/ways.csv" || problem "left in the middle: $(cat "$work/ways.csv")"
"$cli" events "$work/broken.pcapng" --protocol vcan0=vehicle --kind protocol | grep -q 'SAE J1939-21' || problem "no event says so"
echo "vehicle network: all went well"
