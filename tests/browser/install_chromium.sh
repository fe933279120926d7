#!/bin/sh
# Debian's Chromium, when it is missing.
set -eu
[ -x /usr/bin/chromium ] && exit 0
echo "installing chromium from Debian's packages"
if [ "$(id -u)" = 0 ]; then run=""; else run="sudo"; fi
$run apt-get update -q
$run apt-get install -y -q --no-install-recommends chromium
