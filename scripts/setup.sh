#!/usr/bin/env bash
# Installs what building and testing need and the machine lacks. With "test", the
# browser and PostgreSQL too; with "race", a C compiler besides. Go and Node must be there already.
set -euo pipefail
cd "$(dirname "$0")/.."
want=${1:-build}

command -v go >/dev/null || { echo "Go is needed: install Go 1.26 or newer." >&2; exit 1; }
command -v npm >/dev/null || { echo "Node is needed: install Node 20 or newer with npm." >&2; exit 1; }

packages=()
if [ "$want" = race ]; then
  command -v gcc >/dev/null || packages+=(gcc libc6-dev)
fi
if [ "$want" = test ] || [ "$want" = race ]; then
  command -v chromium >/dev/null || command -v chromium-browser >/dev/null || packages+=(chromium fonts-liberation)
  compgen -G '/usr/lib/postgresql/*/bin/initdb' >/dev/null || packages+=(postgresql)
  command -v nginx >/dev/null || packages+=(nginx-light)
fi
if [ ${#packages[@]} -gt 0 ]; then
  echo "Installing ${packages[*]} for the tests" >&2
  apt-get update -qq
  DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${packages[@]}" >/dev/null
fi

# npm leaves a copy of the lock it installed; an older one means that it must run again.
if [ ! -f console/node_modules/.package-lock.json ] || [ console/package-lock.json -nt console/node_modules/.package-lock.json ]; then
  echo "Installing the console's packages" >&2
  (cd console && npm install --no-audit --no-fund --loglevel=error && touch node_modules/.package-lock.json)
fi
go mod download
