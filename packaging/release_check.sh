#!/usr/bin/env bash
# SPDX-License-Identifier: Apache-2.0
# Tries this commit as a stranger would, in a Debian of the named release that holds nothing but Debian:
#   1. the README's two commands in a clean clone: ./dev demo, ./dev test
#   2. the packages, in a second root without compiler or source: installed, the demo run, purged without a trace
# Prints what passed; exit code 1 if anything did not. Needs root, debootstrap and Debian's archive. The first root is
# kept in KETTLE_ROOTS (default: /var/tmp/kettle-roots) and used again.
#   packaging/release_check.sh bookworm|trixie
set -euo pipefail
suite=${1:?say which release: bookworm or trixie}
source=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
roots=${KETTLE_ROOTS:-/var/tmp/kettle-roots}
archive=http://deb.debian.org/debian
passed=() failed=()
[ "$(id -u)" -eq 0 ] || { echo "release-check: needs root, for debootstrap and chroot" >&2; exit 2; }
command -v debootstrap >/dev/null || { apt-get update && apt-get install -y debootstrap; }

mounted=()
unmount_all() { for place in "${mounted[@]}"; do umount -l "$place" 2>/dev/null || true; done; mounted=(); }
trap unmount_all EXIT
open_root() { # FOLDER: made if it is not there, with the kernel's file systems
  if [ ! -e "$1/etc/debian_version" ]; then
    mkdir -p "$1"
    debootstrap --variant=minbase "$suite" "$1" "$archive" >"$1.log" 2>&1 || { tail -5 "$1.log" >&2; exit 3; }
  fi
  cp /etc/resolv.conf "$1/etc/" 2>/dev/null || true
  [ -e "$1/etc/hosts" ] || printf '127.0.0.1 localhost\n::1 localhost\n' >"$1/etc/hosts" # as Debian's installer leaves it
  for place in proc sys dev dev/pts; do mount --bind "/$place" "$1/$place" && mounted+=("$1/$place"); done
}
within() { # ROOT COMMAND: with a plain environment
  chroot "$1" /usr/bin/env -i PATH=/usr/sbin:/usr/bin:/sbin:/bin HOME=/root LANG=C.UTF-8 CCACHE_DIR=/root/.ccache \
    sh -c "$2"
}
step() { # NAME COMMAND...
  local name=$1 start=$SECONDS log
  shift
  log=$roots/$suite-${name// /-}.log
  if "$@" >"$log" 2>&1; then passed+=("$name ($((SECONDS - start)) s)"); else failed+=("$name: see $log"); fi
  echo "$suite: $name: $([ ${#failed[@]} -gt 0 ] && [[ ${failed[-1]} == "$name:"* ]] && echo FAILED || echo passed), $((SECONDS - start)) s"
}

build_root=$roots/$suite bare_root=$roots/$suite-bare
mkdir -p "$roots"
open_root "$build_root"
rm -rf "$build_root/src/fast-kettle"
mkdir -p "$build_root/src"
git clone -q "$source" "$build_root/src/fast-kettle"
commit=$(git -C "$build_root/src/fast-kettle" rev-parse --short HEAD)
# 0 and 1 are answers: whether this machine keeps pace is not the release's business.
demo() { within "$1" "rm -rf /root/results && $2 --out /root/results; code=\$?; [ \$code -le 1 ] && [ -s /root/results/card.txt ]"; }

step "dev demo" demo "$build_root" /src/fast-kettle/dev\ demo
step "dev test" within "$build_root" "cd /src/fast-kettle && ./dev test"
step "dev package" within "$build_root" "cd /src/fast-kettle && ./dev package"

rm -rf --one-file-system "$bare_root"
open_root "$bare_root"
mkdir -p "$bare_root/packages"
cp "$build_root"/src/fast-kettle/build/packages/*.deb "$bare_root/packages/"
files() { within "$bare_root" "find / -xdev \( -path /proc -o -path /sys -o -path /dev -o -path /packages \) -prune -o -print | sort"; }
within "$bare_root" "apt-get update && apt-get install -y ./packages/*.deb && apt-get purge -y fast-kettle fast-kettle-simulators" \
  >"$roots/$suite-libraries.log" 2>&1 || true # what it depends on is there from now on
files >"$roots/$suite-before.txt"
step "package install" within "$bare_root" "apt-get install -y ./packages/*.deb && ! command -v cc g++ cmake"
step "package demo" demo "$bare_root" "fast-kettle demo"
step "package man" within "$bare_root" "apt-get install -y --no-install-recommends man-db >/dev/null && for page in /usr/share/man/man1/fast-kettle*; do man --warnings -l \$page 2>&1 >/dev/null; done | grep . && exit 1 || exit 0"
step "package purge" within "$bare_root" "apt-get purge -y fast-kettle fast-kettle-simulators"
files >"$roots/$suite-after.txt"
# What the program wrote in somebody's home is theirs: no purge takes it.
trace() { comm -13 "$roots/$suite-before.txt" "$roots/$suite-after.txt" | grep -i kettle | grep -vE '^/root/(results|\.cache|\.local/share)' && return 1 || return 0; }
step "package leaves no trace" trace
rm -rf --one-file-system "$bare_root/root/results"

printf '%s, %s, %s:\n' "$suite" "$commit" "$(date -u +%F)"
printf '  passed  %s\n' "${passed[@]}"
[ ${#failed[@]} -eq 0 ] || { printf '  FAILED  %s\n' "${failed[@]}"; exit 1; }
