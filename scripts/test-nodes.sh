#!/usr/bin/env bash
# Runs the demo and the quick suites on the least Node that package.json allows and on the current ones. Each binary comes
# inside a package of the registry. With --demo the demo only, with --install nothing but fetching them.
set -euo pipefail
cd "$(dirname "$0")/.."
least=$(node -p 'require("./package.json").engines.node.replace(/[^0-9.]/g, "") + ".0"')
versions=${COURIER_NODES:-"$least 22 24 26"}
system=$(node -p '`${process.platform}-${process.arch}`')
export AWS_EC2_METADATA_DISABLED=true AWS_CONFIG_FILE=/dev/null AWS_SHARED_CREDENTIALS_FILE=/dev/null
for version in $versions; do
  folder=node_modules/.cache/courier/nodes/$version
  binary=$folder/node_modules/node-$system/bin/node
  [ -x "$binary" ] || npm install --prefix "$folder" --ignore-scripts --no-audit --no-fund --loglevel=error "node-$system@$version" >/dev/null
  [ "${1:-}" = --install ] && continue
  node scripts/ready.mjs
  echo "Node $("$binary" --version)"
  said=$("$binary" dist/main.js demo 2>&1) || { echo "$said" >&2; exit 1; }
  echo "${said##*$'\n'}"
  if [ "${1:-}" != --demo ]; then
    # The program that tests start must be of this Node, too.
    PATH=$(cd "$(dirname "$binary")" && pwd):$PATH "$binary" scripts/test.mjs --quick
  fi
done
[ "${1:-}" = --install ] && exit
# What one Node keeps compiled must not reach another: all of these, and the one of this machine, share a cache folder.
node dist/main.js demo >/dev/null
