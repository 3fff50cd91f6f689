#!/usr/bin/env bash
# Debian's Chromium for the browser tests: as root through apt, else unpacked below .cache without touching the system.
set -euo pipefail
cd "$(dirname "$0")/.."
if command -v chromium >/dev/null || [ -x .cache/chromium/run ]; then exit 0; fi
echo "Getting Chromium…"
SUDO=""
if [ "$(id -u)" != 0 ] && sudo -n true 2>/dev/null; then SUDO="sudo -n"; fi
if [ "$(id -u)" = 0 ] || [ -n "$SUDO" ]; then
  $SUDO apt-get update -qq >/dev/null
  DEBIAN_FRONTEND=noninteractive $SUDO apt-get install -y -qq --no-install-recommends chromium fonts-dejavu-core >/dev/null
  exit 0
fi
root="$PWD/.cache/chromium"
mkdir -p "$root/lists/partial" "$root/archives/partial" "$root/fs"
apt_here=(-o Dir::State::lists="$root/lists" -o Dir::Cache::archives="$root/archives" -o Dir::Cache::pkgcache="" -o Dir::Cache::srcpkgcache="" -o Debug::NoLocking=1)
apt-get "${apt_here[@]}" update -qq >/dev/null
apt-get "${apt_here[@]}" install -y -qq --no-install-recommends --print-uris chromium fonts-dejavu-core | cut -d"'" -f2 > "$root/uris"
(cd "$root/archives" && while read -r uri; do
  package=$(basename "$uri" | cut -d_ -f1)
  apt-get "${apt_here[@]}" download -qq "$package" 2>/dev/null || apt-get "${apt_here[@]}" download -qq "$package"
done < "$root/uris")
for deb in "$root"/archives/*.deb; do dpkg-deb -x "$deb" "$root/fs"; done
libs=$(find "$root/fs" -name '*.so*' -printf '%h\n' | sort -u | paste -sd:)
cat > "$root/run" <<RUN
#!/bin/sh
LD_LIBRARY_PATH="$libs" FONTCONFIG_PATH=/etc/fonts exec "$root/fs/usr/lib/chromium/chromium" "\$@"
RUN
chmod +x "$root/run"
