#!/usr/bin/env bash
# Installs the npm packages when the lock file is newer than the last installation.
set -euo pipefail
stamp=node_modules/.vintrel-stamp
if [ ! -f "$stamp" ] || ! cmp -s package-lock.json "$stamp"; then
  npm ci --silent --no-fund --no-audit
  cp package-lock.json "$stamp"
fi
