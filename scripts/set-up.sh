# SPDX-License-Identifier: GPL-3.0-or-later
# Installs what is missing of packages.txt. To be sourced from the root of the project.
missing=()
while read -r package; do
  [ -n "$package" ] || continue
  dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'install ok installed' || missing+=("$package")
done < packages.txt
if [ ${#missing[@]} -gt 0 ]; then
  echo "Installing: ${missing[*]}"
  as_root=; [ "$(id -u)" = 0 ] || as_root=sudo
  $as_root env DEBIAN_FRONTEND=noninteractive apt-get update -q
  $as_root env DEBIAN_FRONTEND=noninteractive apt-get install -q -y --no-install-recommends "${missing[@]}"
fi
# Compiled once for every copy of the project on this machine.
export CCACHE_SLOPPINESS=pch_defines,time_macros CCACHE_BASEDIR=$PWD CCACHE_NOHASHDIR=1
