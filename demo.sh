#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Installs what is missing, builds, and opens the application with the demo rig running. Without a display it does the
# whole example headless and says where the results are.
set -eu
cd "$(dirname "$0")"
. scripts/set-up.sh
cmake --preset release -DWAVETROPE_BENCH=OFF >/dev/null
bin=$PWD/build/release
if [ -n "${DISPLAY:-}${WAYLAND_DISPLAY:-}" ] && [ "${1:-}" != --headless ]; then
  cmake --build --preset release --target wavetrope
  # The command line, and the recorded lap that it makes, follow while the window is already there.
  (nice -n 19 cmake --build --preset release --target wavetrope-cli lap > build/demo-rest.log 2>&1 || echo "demo/lap.pcapng could not be made, see build/demo-rest.log" >&2) &
  exec "$bin/wavetrope" demo/rig.json
fi
cmake --build --preset release --target wavetrope wavetrope-cli wavetrope-pictures lap

out=$PWD/build/demo; rm -rf "$out"; mkdir -p "$out"
cli=$bin/wavetrope-cli
echo "No display: the example runs headless."
echo "1. Two minutes of the ice resurfacer, recorded:"
"$cli" run demo/rig.json --for 120s --virtual --record "$out/run.pcapng" --overwrite
"$cli" info "$out/run.pcapng" | head -8
echo "2. Filtered: what the water unit sends, and where the blade cuts deeper than 4 mm:"
"$cli" list "$out/run.pcapng" --database Implement=demo/implement.dbc --filter 'from WaterUnit and not id 0x702' --columns time,id,name,data > "$out/water.csv"
"$cli" list "$out/run.pcapng" --database Implement=demo/implement.dbc --filter 'BladeState.BladeDepth > 4 mm' --columns time,id,name,data > "$out/deep.csv"
echo "   $(($(wc -l < "$out/water.csv") - 1)) and $(($(wc -l < "$out/deep.csv") - 1)) frames"
echo "3. Highest bus load of Implement, averaged over 20 ms and over 1 s:"
for span in 20ms 1s; do
  "$cli" load "$out/run.pcapng" --span $span > "$out/load-$span.csv"
  awk -F, -v s=$span '$2 == "Implement" && $3 > most { most = $3; at = $1 } END { printf "   %s: %.1f %% at %s\n", s, most, at }' "$out/load-$span.csv"
done
echo "4. Decoded signals of the water unit:"
"$cli" decode "$out/run.pcapng" --database Implement=demo/implement.dbc --signals 'WaterState.*' > "$out/water-signals.csv"
echo "   $(($(wc -l < "$out/water-signals.csv") - 1)) values"
echo "5. The recorded lap is replayed in place of WaterUnit, at its pace and ten times faster; the simulated display reacts:"
for speed in 1 10; do
  "$cli" replay demo/lap.pcapng --rig demo/rig.json --only WaterUnit --map Implement=Implement --without WaterUnit --speed $speed --virtual --states --record "$out/replay-x$speed.pcapng" --overwrite > "$out/states-x$speed.csv"
  grep 'Display,warning lit' "$out/states-x$speed.csv" | head -1
done
echo "6. Pictures, on a virtual display:"
xvfb-run -a -s '-screen 0 1920x1200x24' "$bin/wavetrope-pictures" --rig demo/rig.json --log demo/lap.pcapng --out "$out/pictures"
echo "Everything is in $out"
