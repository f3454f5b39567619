#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Makes the packages, puts them into an empty tree, starts what they bring, and takes them off without a trace.
#   packages_test.sh BUILD
set -eu
build=$1
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
fail() { echo "$*" >&2; exit 1; }

(cd "$build" && cpack -G DEB -B "$work/made" > "$work/log" 2>&1) || { tail -30 "$work/log"; fail "the packages cannot be made"; }
packages=("$work"/made/*.deb)
[ ${#packages[@]} = 2 ] || fail "expected two packages: ${packages[*]}"

# Who complains about packages by profession finds no error.
for package in "${packages[@]}"; do
  lintian --fail-on error "$package" > "$work/complaints" 2>&1 || { cat "$work/complaints"; fail "$package is not as a package has to be"; }
done

# Qt stays away from servers.
cli=$(ls "$work"/made/wavetrope-cli_*.deb)
window=$(ls "$work"/made/wavetrope_*.deb)
dpkg-deb -f "$cli" Depends | grep -qi qt && fail "the command line's package asks for Qt"
dpkg-deb -f "$window" Depends | grep -q libqt6widgets6 || fail "the window's package does not ask for what it needs"

tree=$work/tree
mkdir -p "$tree/var/lib/dpkg/info" "$tree/var/lib/dpkg/updates"
: > "$tree/var/lib/dpkg/status"
: > "$tree/var/lib/dpkg/available"
in_tree() { dpkg --root="$tree" --log=/dev/null --force-not-root,depends,bad-path --force-script-chrootless "$@" > "$work/dpkg" 2>&1 || { cat "$work/dpkg"; fail "dpkg $*"; }; }
in_tree --install "$cli" "$window"

"$tree/usr/bin/wavetrope-cli" --version | grep -q '^wavetrope-cli [0-9]' || fail "the command line does not start"
"$tree/usr/bin/wavetrope-cli" run "$tree/usr/share/wavetrope/demo/rig.json" --for 2s --virtual --record "$work/run.pcapng" 2>/dev/null || fail "the demo rig of the package does not run"
"$tree/usr/bin/wavetrope-cli" info "$work/run.pcapng" | grep -q Implement || fail "what it recorded cannot be read"
QT_QPA_PLATFORM=offscreen XDG_STATE_HOME="$work/state" XDG_CONFIG_HOME="$work/config" "$tree/usr/bin/wavetrope" --measure-start "$tree/usr/share/wavetrope/demo/rig.json" | grep -q 'first painted frame' || fail "the window does not start"

# The manual knows each command and each option of it; a shell completes them.
manual=$(zcat "$tree/usr/share/man/man1/wavetrope-cli.1.gz")
for command in list decode load convert run replay capture "database check"; do
  grep -qF "SS \"$command\"" <<< "$manual" || fail "the manual does not know $command"
  for option in $("$tree/usr/bin/wavetrope-cli" $command --help | grep -oE '^ +(-[a-z],)?--[a-z-]+' | grep -oE -- '--[a-z-]+'); do
    grep -qF -- "${option//-/\\-}" <<< "$manual" || fail "the manual does not know $option of $command"
  done
done
zcat "$tree/usr/share/man/man1/wavetrope.1.gz" | grep -q 'theme' || fail "the window's manual does not know its options"
complete_line() {
  bash -c '. "$1"; shift; COMP_WORDS=("$@"); COMP_CWORD=$(($# - 1)); _wavetrope_cli; printf "%s\n" "${COMPREPLY[@]}"' - "$tree/usr/share/bash-completion/completions/wavetrope-cli" "$@"
}
complete_line wavetrope-cli de | grep -qx decode || fail "no command is completed"
complete_line wavetrope-cli database c | grep -qx check || fail "no command of a command is completed"
complete_line wavetrope-cli list --fil | grep -qx -- --filter || fail "no option is completed"
complete_line wavetrope-cli convert a.pcapng b.csv --match g | grep -qx group || fail "no choice is completed"

# The menu, the names of files, the icon: as those who read them want them.
desktop=$tree/usr/share/applications/org.wavetrope.Wavetrope.desktop
desktop-file-validate "$desktop" || fail "the menu entry is not as it has to be"
grep -q '^Exec=wavetrope' "$desktop" && grep -q "^Icon=wavetrope$" "$desktop" || fail "the menu entry does not start the window"
for page in "$tree"/usr/share/mime/packages/wavetrope.xml "$tree"/usr/share/metainfo/*.xml "$tree"/usr/share/icons/hicolor/scalable/apps/wavetrope.svg; do
  xmllint --noout "$page" || fail "$page is no XML"
done

in_tree --purge wavetrope wavetrope-cli
left=$(cd "$tree" && find . -path ./var/lib/dpkg -prune -o -type f -print -o -type l -print)
[ -z "$left" ] || fail "left behind: $left"
echo "packages: made, installed, started, removed"
