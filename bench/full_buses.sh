#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Eight simulated buses at 1 Mbit/s, full, captured on the wall clock with ten recordings and fifty conditions: what is lost, and
# how much of a core it takes.   full_buses.sh [SECONDS] [--virtual]
# The first recording keeps everything; its files are bounded, so that the disk is not filled: 4 GB at the most.
set -eu
cd "$(dirname "$0")/.."
seconds=${1:-600} virtual=${2:-}
work=$(mktemp -d /tmp/wavetrope-full.XXXXXX); trap 'rm -rf "$work"' EXIT
awk 'BEGIN {
  printf "{\"wavetrope\": 1, \"name\": \"full\", \"buses\": ["
  for (b = 0; b < 8; b++) printf "%s{\"name\": \"B%d\", \"rate\": \"1M\"}", b ? ", " : "", b
  printf "], \"nodes\": ["
  for (b = 0; b < 8; b++) {
    printf "%s{\"name\": \"N%d\", \"buses\": [\"B%d\"], \"sends\": [", b ? ", " : "", b, b
    for (i = 0; i < 78; i++) printf "%s{\"id\": \"0x%X\", \"length\": 8, \"bytes\": {\"0\": 17, \"1\": 34}, \"every\": \"10 ms\", \"phase\": \"%d us\"}", i ? ", " : "", 256 + i, i * 128
    printf "]}, {\"name\": \"E%d\", \"buses\": [\"B%d\"]}", b, b
  }
  printf "], \"events\": ["
  for (c = 0; c < 50; c++) {
    printf "%s{\"name\": \"c%d\", ", c ? ", " : "", c
    if (c % 5 == 0) printf "\"when\": \"bus B%d and id 0x%X and byte 0 > %d\"}", c % 8, 256 + c, c * 5
    if (c % 5 == 1) printf "\"silent\": \"bus B%d and id 0x%X\", \"for\": \"%d ms\"}", c % 8, 256 + c, 15 + c
    if (c % 5 == 2) printf "\"load\": {\"bus\": \"B%d\", \"above\": %d, \"over\": \"%d ms\"}}", c % 8, 50 + c, 20 * (c + 1)
    if (c % 5 == 3) printf "\"every\": \"%d s\"}", 1 + c
    if (c % 5 == 4) printf "\"when\": \"id 0x%X and byte 1 = 34\", \"for\": \"50 ms\"}", 256 + c
  }
  printf "], \"recordings\": [{\"name\": \"all\", \"files\": {\"pattern\": \"all-{number}.pcapng\", \"size\": \"500 MB\", \"keep\": 6}}"
  for (r = 1; r < 10; r++)
    printf ", {\"name\": \"r%d\", \"keep\": \"bus B%d\", \"start\": \"c%d and not c%d\", \"before\": \"1 s\", \"after\": \"500 ms\", \"files\": {\"pattern\": \"r%d-{number}.pcapng\", \"size\": \"20 MB\", \"keep\": 4}}", r, r % 8, 5 * r - 2, 5 * r - 4, r
  print "]}"
}' >"$work/full.json"
cd "$work"
program=$OLDPWD/build/release/wavetrope-cli
TIMEFORMAT='%R s on the wall clock, %U s of processor in the program, %S s in the kernel'
time "$program" capture full.json --for "${seconds}s" --out takes --socket words $virtual 2>said || { cat said; exit 1; }
tail -1 said
grep -i 'warning\|lost' said | sort | uniq -c | head -5
