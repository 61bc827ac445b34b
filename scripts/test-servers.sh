#!/usr/bin/env bash
# Starts a real object store on loopback, runs tests with it, with real caches and with a real browser (test/servers unless others are named), and
# stops it. Installs what is missing from Debian's packages, as root; without root the real servers are left out, which is said.
#   --install   only installs
set -euo pipefail
cd "$(dirname "$0")/.."
packages="ceph-mon ceph-osd ceph-common radosgw curl varnish varnish-modules nginx-light libnginx-mod-http-cache-purge squid trafficserver trafficserver-experimental-plugins chromium"
is_there() {
  for package in $packages; do dpkg -s "$package" >/dev/null 2>&1 || return 1; done
}
if ! is_there; then
  if [ "$(id -u)" != 0 ]; then
    echo "left out: the real servers are not installed, and only root can (packages $packages)" >&2
    [ "${1:-}" = --install ] && exit 0
    [ $# = 0 ] && exit 0
    exec node scripts/test.mjs "$@"
  fi
  log=$(mktemp)
  # Debian would start each of them as a service.
  policy=/usr/sbin/policy-rc.d
  [ -e "$policy" ] || { printf '#!/bin/sh\nexit 101\n' >"$policy" && chmod 755 "$policy" && trap 'rm -f "$policy"' EXIT; }
  # shellcheck disable=SC2086
  (apt-get update -qq && DEBIAN_FRONTEND=noninteractive RUNLEVEL=1 apt-get -o DPkg::Lock::Timeout=600 install -y -qq --no-install-recommends $packages) >"$log" 2>&1 || { tail -5 "$log" >&2; exit 1; }
fi
[ "${1:-}" = --install ] && exit 0
node scripts/ready.mjs
data=$(mktemp -d)
trap 'test/servers/scripts/stop-radosgw.sh "$data/store" >/dev/null 2>&1 || true; rm -rf "$data"' EXIT
facts=$(test/servers/scripts/start-radosgw.sh "${STORE_PORT:-18750}" "$data/store")
echo "real store: ${facts%% *}"
if [ $# = 0 ]; then set -- test/servers; fi
COURIER_REAL_STORE="$facts" node scripts/test.mjs "$@"
