#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Frames of a plain program arrive in `wavetrope-cli capture` exactly, and the other way round, on a real kernel's CAN
# sockets. Runs inside tests/in-kernel.   kernel_test.sh CLI PEER DEMO [WINDOW-TEST]
set -eu
cli=$1 peer=$2 demo=$3 window=${4:-}
. "$(dirname "$0")/kernel_words.sh"

# What is there, and what is said of what is not.
"$cli" interfaces >"$work/interfaces"
grep -qx 'vcan0,up,vcan,,' "$work/interfaces" || problem "interfaces does not list vcan0: $(cat "$work/interfaces")"
code=0; "$cli" capture --interface can7 --for 1s --record "$work/no.pcapng" 2>"$work/err" || code=$?
[ "$code" = 2 ] && grep -q 'no such interface' "$work/err" || problem "a missing interface is not named: $(cat "$work/err")"
ip link set vcan1 down
code=0; "$cli" capture --interface vcan1 --for 1s --record "$work/no.pcapng" 2>"$work/err" || code=$?
[ "$code" = 2 ] && grep -q 'interface is down' "$work/err" || problem "an interface that is down is not named: $(cat "$work/err")"
ip link set vcan1 up

# In: 200 frames of the plain program.
capture "$work/in.pcapng" vcan0
"$peer" send vcan0
captured 200
"$cli" list "$work/in.pcapng" --columns bus,dir,kind,id,brs,esi,length,data >"$work/in.csv"
awk 'BEGIN {
  print "bus,dir,kind,id,brs,esi,length,data"
  for (i = 0; i < 200; i++) {
    m = i % 5; len = i * 7 % 9; brs = 0; esi = 0
    if (m == 0) { kind = "data"; id = sprintf("0x%03X", 256 + i) }
    if (m == 1) { kind = "data"; id = sprintf("0x%08X", 419364864 + i) }
    if (m == 2) { kind = "remote"; id = sprintf("0x%03X", 512 + i) }
    if (m == 3) { kind = "fd"; id = sprintf("0x%03X", 768 + i); len = (i % 2) ? 64 : 12; brs = i % 2; esi = 1 - i % 2 }
    if (m == 4) { kind = "error"; id = "0x008"; len = 8 }
    d = ""
    if (m != 2) for (k = 0; k < len; k++) d = d sprintf("%02X", (i + k * 3) % 256)
    print "vcan0,received," kind "," id "," brs "," esi "," len "," d
  }
}' >"$work/wanted.csv"
cmp "$work/in.csv" "$work/wanted.csv" || { diff "$work/in.csv" "$work/wanted.csv" | head; problem "captured frames differ"; }
# The kernel's stamps: seconds since 1970, ascending.
"$cli" list "$work/in.pcapng" --columns time | tail -n +2 | sort -c || problem "stamps do not ascend"

# Two interfaces at once: what each thread reads is brought together in the order of the stamps.
capture "$work/both.pcapng" vcan0 vcan1
"$peer" send vcan0 & first=$!
"$peer" send vcan1
wait $first
captured 400
"$cli" list "$work/both.pcapng" --columns time | tail -n +2 | sort -c || problem "stamps of two interfaces do not ascend"
[ "$("$cli" list "$work/both.pcapng" --columns bus | sort -u | tr '\n' ' ')" = 'bus vcan0 vcan1 ' ] || problem "not both interfaces were captured"

# Out: the capture is replayed onto vcan1, where the plain program listens.
cat >"$work/rig.json" <<'R'
{"wavetrope": 1, "name": "bench", "buses": [{"name": "vcan0", "rate": "500k/2M", "interface": "vcan1"}]}
R
"$peer" receive vcan1 >"$work/out.txt" &
listener=$!
until grep -q ready "$work/out.txt"; do kill -0 $listener || problem "nobody listens"; sleep 0.05; done
"$cli" replay "$work/in.pcapng" --rig "$work/rig.json" --record "$work/echo.pcapng" 2>"$work/replay.err" || problem "replay failed: $(cat "$work/replay.err")"
wait $listener
awk 'BEGIN {
  for (i = 0; i < 200; i++) {
    m = i % 5; len = i * 7 % 9; size = 16; flags = 0; d = ""
    if (m == 4) continue     # error frames are not replayed
    if (m == 0) id = sprintf("%08X", 256 + i)
    if (m == 1) id = sprintf("%08X", 2566848512 + i)
    if (m == 2) id = sprintf("%08X", 1073742336 + i)
    if (m == 3) { id = sprintf("%08X", 768 + i); len = (i % 2) ? 64 : 12; size = 72; flags = (i % 2) ? 1 : 2 }
    if (m != 2) for (k = 0; k < len; k++) d = d sprintf("%02X", (i + k * 3) % 256)
    print id " " size " " len " " flags " " d
  }
}' >"$work/wanted.txt"
tail -n +2 "$work/out.txt" >"$work/out.rows"
cmp "$work/out.rows" "$work/wanted.txt" || { diff "$work/out.rows" "$work/wanted.txt" | head; problem "sent frames differ"; }
# Own frames come back marked as sent.
[ "$("$cli" list "$work/echo.pcapng" --filter sent --columns id | tail -n +2 | wc -l)" = 160 ] || problem "own frames are not marked as sent"
# Rows of an outbox: the plain program gets each frame, and its own are answered.
"$peer" receive vcan1 >"$work/got.txt" &
listener=$!
until grep -q ready "$work/got.txt"; do kill -0 $listener || problem "nobody listens"; sleep 0.05; done
"$cli" send --interface vcan1 "0x123 11 22" "0x18FEF121 fdbrs 01 02 03" --every 4ms --count 80 --record "$work/rows.pcapng" 2>"$work/send.err" \
  || problem "sending failed: $(cat "$work/send.err")"
grep -q '^160 frames sent, 0 refused' "$work/send.err" || problem "not all were sent: $(cat "$work/send.err")"
wait $listener
[ "$(tail -n +2 "$work/got.txt" | sort | uniq -c | tr -s ' ' | tr '\n' ';')" = ' 80 00000123 16 2 0 1122; 80 98FEF121 72 3 1 010203;' ] \
  || problem "other frames came: $(sort "$work/got.txt" | uniq -c | head)"
[ "$("$cli" count "$work/rows.pcapng" --filter sent)" = 160 ] || problem "what was sent is not marked as sent"
"$cli" send --interface vcan1 "0x7F1 AA" --answer 'id 0x105' --after 2ms --count 1 --record "$work/answer.pcapng" 2>"$work/send.err" &
answerer=$!
while kill -0 $answerer 2>/dev/null; do "$peer" send vcan1; done
wait $answerer || problem "nothing was answered: $(cat "$work/send.err")"
"$cli" list "$work/answer.pcapng" --filter 'id 0x105 or id 0x7F1' --columns dir,id,data | tail -n 1 | grep -qx 'sent,0x7F1,AA' || problem "the answer is not the last frame"

# An interface that comes, changes and goes: a row for each.
"$cli" interfaces --watch >"$work/watch" & watch=$!
until grep -q ',present,vcan0,up,vcan,' "$work/watch"; do kill -0 $watch || problem "no watch"; sleep 0.05; done
ip link add dev vcan7 type vcan
until grep -q ',appeared,vcan7,down,vcan,' "$work/watch"; do kill -0 $watch || problem "no watch"; sleep 0.05; done
ip link set vcan7 up
until grep -q ',changed,vcan7,up,vcan,' "$work/watch"; do kill -0 $watch || problem "no watch"; sleep 0.05; done
ip link del vcan7
until grep -q ',gone,vcan7,gone,vcan,' "$work/watch"; do kill -0 $watch || problem "no watch"; sleep 0.05; done
kill -INT $watch
wait $watch || problem "the watch ended badly"
[ "$(grep -c ',vcan7,' "$work/watch")" = 3 ] || problem "not a row for each change: $(cat "$work/watch")"

# A rig that captures two buses, one of which is not there yet, is pulled out, and is put back: the other goes on.
cat >"$work/two.json" <<'R'
{"wavetrope": 1, "name": "two", "buses": [{"name": "Here", "rate": "500k", "interface": "vcan0"}, {"name": "There", "rate": "500k", "interface": "vcan7"}],
 "events": [{"name": "away", "bus": "There", "state": "gone"}],
 "recordings": [{"name": "all", "files": {"pattern": "{recording}-{number}.pcapng"}}, {"name": "away", "start": "away", "files": {"pattern": "{recording}-{number}.pcapng"}}]}
R
"$cli" capture "$work/two.json" --out "$work/takes" --socket "$work/words.sock" 2>"$work/rig.err" & rig=$!
until grep -q capturing "$work/rig.err"; do kill -0 $rig || problem "no capture of the rig: $(cat "$work/rig.err")"; sleep 0.05; done
grep -q 'bus There.*no such interface.*waited for' "$work/rig.err" || problem "what is missing is not named: $(cat "$work/rig.err")"
frames() { "$cli" list "$work/takes/all-001.pcapng.part" --filter "bus $1" --columns time 2>/dev/null | tail -n +2 | wc -l; }
arrives() {
  local tries=0
  until [ "$(frames "$1")" = "$2" ]; do
    kill -0 $rig || problem "the capture of the rig has ended: $(cat "$work/rig.err")"
    tries=$((tries + 1)); [ $tries -lt 200 ] || problem "bus $1 has $(frames "$1") frames, not $2: $(cat "$work/rig.err")"
    sleep 0.1
  done
}
# What it says of the bus, so often.   says WORDS TIMES
says() {
  local tries=0
  until [ "$(grep -c "bus There: $1" "$work/rig.err")" = "$2" ]; do
    kill -0 $rig || problem "the capture of the rig has ended: $(cat "$work/rig.err")"
    tries=$((tries + 1)); [ $tries -lt 200 ] || problem "not said $2 times that bus There is $1: $(cat "$work/rig.err")"
    sleep 0.1
  done
}
"$peer" send vcan0; arrives Here 200
ip link add dev vcan7 type vcan; ip link set vcan7 mtu 72 up
says alive 1
"$peer" send vcan7; arrives There 200
ip link del vcan7
says 'vcan7 is gone' 1
"$peer" send vcan0; arrives Here 400
ip link add dev vcan7 type vcan; ip link set vcan7 mtu 72 up
says alive 2
"$peer" send vcan7; arrives There 400
kill -TERM $rig
wait $rig || problem "the capture of the rig failed: $(cat "$work/rig.err")"
[ "$("$cli" list "$work/takes/all-001.pcapng" --columns time | tail -n +2 | wc -l)" = 800 ] || problem "frames of the rig are missing"
# The window, from an empty desk to two interfaces of this kernel.
if [ -n "$window" ]; then
  HOME=$work WAVETROPE_IN_KERNEL=1 QT_QPA_PLATFORM=offscreen "$window" onAKernelsInterfaces >"$work/window" 2>&1 || problem "the window: $(cat "$work/window")"
  grep -q '^PASS.*onAKernelsInterfaces' "$work/window" || problem "the window was not tried: $(cat "$work/window")"
fi
echo "kernel_test: 200 frames in, 160 out, exact; an interface pulled out and put back"
