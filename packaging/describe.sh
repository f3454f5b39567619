#!/bin/sh
# SPDX-License-Identifier: GPL-3.0-or-later
# Writes manual page and completion of a program.   describe.sh PROGRAM PAGE.gz COMPLETION
set -eu
export QT_QPA_PLATFORM=offscreen
"$1" --manual > "$2.part"
gzip -9n < "$2.part" > "$2"
rm "$2.part"
"$1" --completion > "$3"
