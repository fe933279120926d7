#!/bin/sh
# Debian's Chromium without its windows, when it is missing; the whole of it will do, more slowly.
set -eu
[ -x /usr/bin/chromium-headless-shell ] && exit 0
echo "installing chromium from Debian's packages"
if [ "$(id -u)" = 0 ]; then run=""; else run="sudo"; fi
$run apt-get update -q || true
$run apt-get install -y -q --no-install-recommends chromium-headless-shell && exit 0
[ -x /usr/bin/chromium ] || $run apt-get install -y -q --no-install-recommends chromium
