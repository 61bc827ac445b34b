#!/usr/bin/env bash
# Makes docs/screenshots/ and docs/figures/ anew from the demo data: terminals in xterm under Xvfb, pages in Debian's Chromium.
set -euo pipefail
cd "$(dirname "$0")/.."
node scripts/ready.mjs
command -v chromium >/dev/null || { apt-get update -qq && apt-get install -y -qq --no-install-recommends chromium; } >/dev/null
out=$PWD/docs/screenshots
mkdir -p "$out"
export AWS_EC2_METADATA_DISABLED=true AWS_CONFIG_FILE=/dev/null AWS_SHARED_CREDENTIALS_FILE=/dev/null
work=$(mktemp -d)
trap 'kill $sandbox $bare 2>/dev/null || true; rm -rf "$work"' EXIT; sandbox= bare=
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
    edge: { kind: distribution, id: $(field distribution), endpoint: "$(field edgeApi)", query: ignored, worth: 4KB, settle: 0s, longestFetch: 0s }
    previews: { address: "${site/127.0.0.1/{name\}.preview.localhost}" }
Y
shot() { # shot NAME WORDS…: the picture of one call, shown as a user would type it
  local name=$1; shift
  (cd "$work" && SHOW="rcourier $*" "$OLDPWD/scripts/shot-terminal.sh" "$out/$name.png" "${rcourier[@]}" "$@" >/dev/null)
}
# A newcomer's first minutes, in a project of its own, on the ports that setup writes down.
mkdir "$work/new" && cp -r demo/builds/1 "$work/new/dist" && echo '{ "name": "pelican-sound-web" }' >"$work/new/package.json"
newcomer() { (cd "$work/new" && AWS_ACCESS_KEY_ID='' AWS_SECRET_ACCESS_KEY='' "$@"); }
newcomer env SHOW="rcourier setup --sandbox --yes; cat courier.yaml" "$PWD/scripts/shot-terminal.sh" "$out/setup.png" bash -c "${rcourier[*]} setup --sandbox --yes; echo; cat courier.yaml" >/dev/null
bare() { # a sandbox without a bucket and without a distribution, in the newcomer's project
  (cd "$work/new" && exec "${rcourier[@]}" sandbox --empty --data .courier-sandbox/data "$@") >"$work/bare" & bare=$!
  until [ -s "$work/bare" ]; do sleep 0.1; done
}
bare
newcomer env SHOW="rcourier provision --tag team=web --yes" "$PWD/scripts/shot-terminal.sh" "$out/provision.png" "${rcourier[@]}" provision --tag team=web --yes >/dev/null
newcomer "${rcourier[@]}" deliver --quiet >/dev/null
kill $bare; wait $bare || true; rm "$work/bare"
bare --trait origin-denied
newcomer env SHOW="rcourier checkup" "$PWD/scripts/shot-terminal.sh" "$out/checkup.png" "${rcourier[@]}" checkup >/dev/null
kill $bare
shot help --help
(cd "$work" && "${rcourier[@]}" deliver --quiet --note "spring timetable" >/dev/null)
rm -rf "$work/dist" && cp -r demo/builds/2 "$work/dist"
shot survey survey
TALL=880 ROWS=45 shot explain explain assets/departures-LN7MSNHF.js /timetables/
TALL=1000 ROWS=51 shot compare compare
(cd "$work" && "${rcourier[@]}" compare --quiet --report "$work/report.html" >/dev/null)
node scripts/shot-page.mjs "$out/report.png" "file://$work/report.html"
# The figure of docs/invalidation.md: what stood before, and what this delivery asks the edge to forget.
(cd "$work" && "${rcourier[@]}" verify --quiet --all --format json >verified.json && "${rcourier[@]}" compare --quiet --format json >planned.json)
node scripts/figure.mjs "$work/verified.json" "$work/planned.json" docs/figures/invalidation.svg
shot deliver deliver
sed "s#url: .*#url: https://www.pelicansound.example#; s#destinations:#redirects: [{ address: /latest, leadsTo: /news/, kind: permanent }]\ndestinations:#" "$work/courier.yaml" >"$work/served.yaml"
(cd "$work" && SHOW="rcourier serve --reload" "$OLDPWD/scripts/shot-terminal.sh" "$out/serve.png" bash -c "timeout 6 ${rcourier[*]} serve --reload --settings served.yaml & until curl -sf -o /dev/null http://127.0.0.1:8470/; do sleep 0.2; done; curl -s -o /dev/null -e http://127.0.0.1:8470/crossings/ http://127.0.0.1:8470/crossings/cape-wrn/; echo >>dist/news/index.html; sleep 0.6; curl -s -o /dev/null http://127.0.0.1:8470/; wait" >/dev/null)
(cd "$work" && SHOW="rcourier redeliver previous; rcourier releases" "$OLDPWD/scripts/shot-terminal.sh" "$out/releases.png" bash -c "${rcourier[*]} redeliver previous; echo; ${rcourier[*]} releases" >/dev/null)
(cd "$work" && "${rcourier[@]}" deliver --quiet --preview feature/spring-fares >/dev/null)
SHOW="rcourier deliver --preview winter-timetable --quiet; rcourier previews" previews="${rcourier[*]} deliver --preview winter-timetable --quiet --build $PWD/demo/builds/1; echo; ${rcourier[*]} previews"
(cd "$work" && SHOW="$SHOW" "$OLDPWD/scripts/shot-terminal.sh" "$out/previews.png" bash -c "$previews" >/dev/null)
shot invalidate invalidate "/news/*" "fleet/**/*.html"
shot prune prune --forget /downloads/fares.csv --dry-run
# A delivery in its middle: a store with a slow line.
kill $sandbox
echo 'rules: [{ fault: latency, at: store, ms: 700, keys: "assets/**" }]' >"$work/slow.yaml"
rm "$work/ready"
"${rcourier[@]}" sandbox --store-port 0 --edge-port 0 --origin website --faults "$work/slow.yaml" --format json >"$work/ready" & sandbox=$!
until [ -s "$work/ready" ]; do sleep 0.1; done
sed "s#url: .*#url: $(field edge)#; s#endpoint: \"[^\"]*\", serves: website#endpoint: \"$(field endpoint)\", serves: website#; s#endpoint: \"[^\"]*\", query#endpoint: \"$(field edgeApi)\", query#" "$work/courier.yaml" >"$work/slow-line.yaml"
(cd "$work" && AFTER=2.4 SHOW="rcourier deliver" "$OLDPWD/scripts/shot-terminal.sh" "$out/progress.png" "${rcourier[@]}" deliver --settings slow-line.yaml >/dev/null)
# An edge that loses invalidations, passes text on uncompressed and has no root document.
kill $sandbox
cat >"$work/faults.yaml" <<Y
rules: [{ fault: lost-invalidation, at: edge-api, after: 2 }]
Y
rm "$work/ready"
"${rcourier[@]}" sandbox --store-port 0 --edge-port 0 --trait no-compression --trait no-root-document --faults "$work/faults.yaml" --format json >"$work/ready" & sandbox=$!
until [ -s "$work/ready" ]; do sleep 0.1; done
sed -i "s#url: .*#url: $(field edge)#; s#endpoint: \"[^\"]*\", serves: website#endpoint: \"$(field endpoint)\"#; s#endpoint: \"[^\"]*\", query#endpoint: \"$(field edgeApi)\", query#" "$work/courier.yaml"
# 5: that edge still owes a confirmation.
owing() { "${rcourier[@]}" deliver --quiet "$@" >/dev/null || [ $? = 5 ]; }
(cd "$work" && owing --build "$OLDPWD/demo/builds/1" && curl -s "$(field edge)/news/" "$(field edge)/fleet/" >/dev/null && owing)
shot verify verify
# A while of a site that retains too little: a browser asks for a chunk of its first release, another site links to a page that is gone.
kill $sandbox; rm "$work/ready"
"${rcourier[@]}" sandbox --store-port 0 --edge-port 0 --origin website --data "$work/day-data" --format json >"$work/ready" & sandbox=$!
until [ -s "$work/ready" ]; do sleep 0.1; done
mkdir "$work/day" && cp -r demo/builds/1 "$work/day/dist"
cat >"$work/day/courier.yaml" <<Y
site: Pelican Sound Ferries
build: { folder: dist }
freshness: [{ files: "**/*.html", browser: 0s, edge: 1s }]
destinations:
  practice:
    url: $(field edge)
    store: { kind: s3, bucket: $(field bucket), region: $(field region), endpoint: "$(field endpoint)", serves: website }
    edge: { kind: distribution, id: $(field distribution), endpoint: "$(field edgeApi)", query: ignored, settle: 0s, longestFetch: 0s }
    retain: { releases: 2, for: 1s }
Y
visit() { # visit COUNT REFERRER AGENT PATH…: each of the addresses so many times
  local count=$1 from=$2 agent=$3; shift 3
  for _ in $(seq "$count"); do for path in "$@"; do curl -s -o /dev/null -A "$agent" -e "$from" "$(field edge)$path"; done; done
}
browser="Mozilla/5.0 (X11; Linux x86_64)"
for turn in 1 2 3 4; do
  [ "$turn" = 2 ] && rm -r "$work/day/dist" && cp -r demo/builds/2 "$work/day/dist"
  echo "<!-- $turn -->" >>"$work/day/dist/about.html"
  (cd "$work/day" && "${rcourier[@]}" deliver --quiet >/dev/null)
  visit 12 "$(field edge)/" "$browser" / /fares/ /fleet/ /news/ /timetables/ /assets/site-3OWTC7UY.css
  visit 4 "" "Mozilla/5.0 (compatible; reefbot/2.0; +https://reefbot.example/)" / /crossings/ /sw.js
done
visit 9 "$(field edge)/timetables/" "$browser" "/$(cd demo/builds/1 && ls assets/departures-*.js)"
visit 7 "https://harbour-guide.example/trips" "$browser" /crossings/gull-point/
visit 5 "" curl/8 /admin.cgi
(cd "$work/day" && TALL=1060 ROWS=55 SHOW="rcourier traffic edge-access.log" "$OLDPWD/scripts/shot-terminal.sh" "$out/traffic.png" "${rcourier[@]}" traffic "$work/day-data/edge-access.log" --report "$work/traffic.html" >/dev/null)
node scripts/shot-page.mjs "$out/traffic-page.png" "file://$work/traffic.html"
TALL=2130 ROWS=111 shot demo demo
