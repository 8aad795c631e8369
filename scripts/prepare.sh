#!/usr/bin/env bash
# Installs what is missing, and says clearly what is missing where it may not.
# Arguments name Debian packages that are wanted beside PostgreSQL.
set -euo pipefail
cd "$(dirname "$0")/.."

missing=()
compgen -G '/usr/lib/postgresql/*/bin/initdb' >/dev/null || missing+=(postgresql)
for package in "$@"; do
  [ "$package" = chromium-headless-shell ] && command -v "$package" chromium >/dev/null && continue
  dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q 'install ok installed' || missing+=("$package")
done
if [ "${#missing[@]}" -gt 0 ]; then
  if [ "$(id -u)" -ne 0 ]; then
    echo "Missing: ${missing[*]}. Installing them takes root; as root: apt-get install ${missing[*]}" >&2
    exit 1
  fi
  echo "Installing ${missing[*]} from Debian's packages" >&2
  apt-get update -qq
  # The service starts its own server; the packages need not start one.
  DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
fi
for tool in go node npm; do
  command -v "$tool" >/dev/null || { echo "Missing: $tool. Install Go 1.26 and Node 20 or newer first." >&2; exit 1; }
done
stamp=console/node_modules/.oskel-installed
if [ ! -e "$stamp" ] || [ console/package-lock.json -nt "$stamp" ]; then
  echo "Installing the console's packages" >&2
  (cd console && npm ci --silent --no-audit --no-fund)
  touch "$stamp"
fi
go mod download
(cd tools && go mod download)
