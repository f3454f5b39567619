# SPDX-License-Identifier: GPL-3.0-or-later
# What the tests inside another kernel have in common; they set `cli` and source it.
work=$(mktemp -d); trap 'rm -rf "$work"' EXIT
problem() { echo "${0##*/}: $*" >&2; ip -s link >&2; exit 1; }

# Waits for a condition, not for ever.   await WORDS COMMAND...
await() {
  local words=$1 tries=0; shift
  until "$@"; do
    tries=$((tries + 1)); [ $tries -lt 400 ] || problem "waited for nothing: $words"
    sleep 0.05
  done
}
# Starts a capture of the interfaces into a file, and waits until it captures.   capture FILE INTERFACE...
capture() {
  local file=$1; shift
  : >"$work/capture.err"    # what the one before said is not taken for this one's word
  "$cli" capture "${@/#/--interface=}" --record "$file" 2>"$work/capture.err" &
  capture=$!
  await "a capture of $*" grep -q capturing "$work/capture.err"
}
# Ends it as Ctrl+C does: what was sent by now is in it.   captured FRAMES [LOST]
captured() {
  kill -INT $capture
  wait $capture || problem "capture failed: $(cat "$work/capture.err")"
  grep -q "^$1 frames, ${2:-0} lost" "$work/capture.err" || problem "not all of $1 arrived: $(cat "$work/capture.err")"
}
