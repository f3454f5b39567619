#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Makes docs/screenshots from the demo data.
set -eu
cd "$(dirname "$0")/.."
. scripts/set-up.sh
cmake --preset release >/dev/null
cmake --build --preset release --target wavetrope-pictures lap
xvfb-run -a -s '-screen 0 1920x1200x24' build/release/wavetrope-pictures --rig demo/rig.json --log demo/lap.pcapng --out docs/screenshots
xvfb-run -a -s '-screen 0 1920x1200x24' build/release/wavetrope-pictures --rig demo/rig.json --log demo/lap.pcapng --only-log --dialogs --out docs/screenshots
# Of these one theme is enough in the documents.
for name in who-ink define-paper script-paper script-ink changed-paper changed-ink dialogue-ink convert-ink board-water-paper board-water-ink board-edit-ink coverage-paper layout-fd-paper events-paper analyse-ink compare-paper load-ink measure-ink begin-ink buses-ink buses-paper record-ink rehearsal-ink rehearsal-paper arranged-ink drive-ink database-ink layout-fd-ink review-ink compare-ink coverage-ink define-ink events-ink convert-paper converted-paper converted-ink arranged-paper text-log-ink several-ink filter-ink outbox-ink recovery-paper recovery-ink keeping-paper keeping-ink closing-paper closing-ink rig-settings-paper rig-settings-ink settings-paper settings-ink help-paper help-ink network-paper network-ink; do rm -f "docs/screenshots/$name.png"; done
