#!/usr/bin/env bash
# Installs from Debian's packages what is missing of: the database server, and
# for tests (install.sh test) Chromium and what reads a PDF. Does nothing when all is there.
set -euo pipefail

missing=()
have() { command -v "$1" >/dev/null || [ -x "/usr/sbin/$1" ]; }
have mariadbd && have mariadb-install-db || missing+=(mariadb-server-core mariadb-client-core)
if [ "${1:-}" = test ]; then
  have chromium || missing+=(chromium)
  have pdftotext || missing+=(poppler-utils)
fi
for tool in go node npm; do
  have "$tool" || { echo "Veneer needs $tool, which is not installed; install it first." >&2; exit 1; }
done
[ ${#missing[@]} -eq 0 ] && exit 0

if [ "$(id -u)" -ne 0 ]; then
  echo "These Debian packages are missing: ${missing[*]}" >&2
  echo "Installing them needs root. Run once as root:" >&2
  echo "  apt-get update && apt-get install -y --no-install-recommends ${missing[*]}" >&2
  exit 1
fi
echo "installing ${missing[*]} from Debian's packages"
export DEBIAN_FRONTEND=noninteractive
apt-get update -qq
apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
