#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# The unit of the unattended capture is one that the service manager takes, and finds nothing odd in.   unit_test.sh PACKAGING
set -eu
work=$(mktemp -d); trap 'rm -rf "$work"' EXIT
# The program that it starts need not be installed here.
sed "s|/usr/bin/wavetrope-cli|/bin/true|" "$1/wavetrope-capture@.service" >"$work/wavetrope-capture@bench.service"
grep -q '/bin/true' "$work/wavetrope-capture@bench.service"
said=$(systemd-analyze verify --man=no --recursive-errors=no "$work/wavetrope-capture@bench.service" 2>&1) || { echo "$said"; exit 1; }
[ -z "$said" ] || { echo "$said"; exit 1; }
# It would be found out where something were wrong.
sed 's/^Type=notify/Type=sometimes/' "$work/wavetrope-capture@bench.service" >"$work/odd@bench.service"
odd=$(systemd-analyze verify --man=no --recursive-errors=no "$work/odd@bench.service" 2>&1) || true
[ -n "$odd" ] || { echo "a mistake is not found out"; exit 1; }
grep -qx 'Type=notify' "$1/wavetrope-capture@.service"
grep -q '^WatchdogSec=' "$1/wavetrope-capture@.service"
