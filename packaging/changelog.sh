#!/bin/sh
# SPDX-License-Identifier: GPL-3.0-or-later
# Writes a package's list of versions in Debian's form.   changelog.sh PACKAGE VERSION OUT.gz
set -eu
printf '%s (%s) unstable; urgency=medium\n\n  * See CHANGELOG.md of the project.\n\n -- The Wavetrope developers <developers@wavetrope.example>  Sat, 28 Nov 2026 12:00:00 +0000\n' "$1" "$2" | gzip -9n > "$3"
