#!/usr/bin/env bash
# Starts real open-source servers from Debian's packages on loopback, runs the tests of test/servers against them, and
# stops them. Installs what is missing, as root; without root it says what is needed and skips by name.
set -euo pipefail
cd "$(dirname "$0")/.."
if [ "$(id -u)" != 0 ] && ! { command -v radosgw && command -v varnishd && command -v nginx && command -v squid && command -v traffic_server; } >/dev/null; then
  echo "skipped: the real servers are not installed, and only root can (packages ceph-mon ceph-osd ceph-common radosgw varnish varnish-modules nginx-light libnginx-mod-http-cache-purge squid trafficserver trafficserver-experimental-plugins)" >&2
  exit 0
fi
data=$(mktemp -d)
trap 'test/servers/scripts/stop-radosgw.sh "$data/store" >/dev/null 2>&1 || true; rm -rf "$data"' EXIT
facts=$(test/servers/scripts/start-radosgw.sh "${STORE_PORT:-18750}" "$data/store")
echo "real store: ${facts%% *}"
COURIER_REAL_STORE="$facts" node scripts/test.mjs test/servers
