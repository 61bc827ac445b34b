#!/usr/bin/env bash
# Makes docs/screenshots/ anew from the demo data: terminals in xterm under Xvfb, pages in Debian's Chromium.
set -euo pipefail
cd "$(dirname "$0")/.."
node scripts/ready.mjs
command -v chromium >/dev/null || { apt-get update -qq && apt-get install -y -qq --no-install-recommends chromium; } >/dev/null
out=$PWD/docs/screenshots
mkdir -p "$out"
export AWS_EC2_METADATA_DISABLED=true AWS_CONFIG_FILE=/dev/null AWS_SHARED_CREDENTIALS_FILE=/dev/null
work=$(mktemp -d)
trap 'kill $sandbox 2>/dev/null || true; rm -rf "$work"' EXIT
rcourier=("$(command -v node)" "$PWD/dist/main.js")
"${rcourier[@]}" sandbox --store-port 0 --edge-port 0 --origin website --format json >"$work/ready" & sandbox=$!
until [ -s "$work/ready" ]; do sleep 0.1; done
field() { node -pe "JSON.parse(require('fs').readFileSync('$work/ready','utf8')).$1"; }
AWS_ACCESS_KEY_ID=$(field accessKeyId) AWS_SECRET_ACCESS_KEY=$(field secretAccessKey)
export AWS_ACCESS_KEY_ID AWS_SECRET_ACCESS_KEY
site=$(field edge)
cp -r demo/builds/1 "$work/dist"
cat >"$work/courier.yaml" <<Y
site: Pelican Sound Ferries
build: { folder: dist }
destinations:
  practice:
    url: $site
    store: { kind: s3, bucket: $(field bucket), region: $(field region), endpoint: "$(field endpoint)", serves: website }
    edge: { kind: distribution, id: $(field distribution), endpoint: "$(field edgeApi)" }
Y
shot() { # shot NAME WORDS…: the picture of one call, shown as a user would type it
  local name=$1; shift
  (cd "$work" && SHOW="rcourier $*" "$OLDPWD/scripts/shot-terminal.sh" "$out/$name.png" "${rcourier[@]}" "$@" >/dev/null)
}
shot help --help
(cd "$work" && "${rcourier[@]}" deliver --quiet >/dev/null)
rm -rf "$work/dist" && cp -r demo/builds/2 "$work/dist"
shot survey survey
shot explain explain /timetables/ assets/departures-LN7MSNHF.js
TALL=1000 ROWS=51 shot compare compare
shot deliver deliver
shot deliver-again deliver
sed -i 's/region:/regoin:/' "$work/courier.yaml" && shot settings-mistake deliver
TALL=1120 ROWS=57 shot demo demo
node scripts/shot-page.mjs "$out/site.png" "$site/"
