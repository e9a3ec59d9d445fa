#!/usr/bin/env bash
# Takes the README's pictures anew, from the demo data. Installs what it needs.
set -euo pipefail
cd "$(dirname "$0")/.."
make build
for p in chromium xvfb xterm imagemagick fonts-dejavu-core; do
  dpkg -s "$p" >/dev/null 2>&1 || DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$p" >/dev/null
done
out=docs/screenshots
work=$(mktemp -d)
bin/paperkettle demo --data "$work/data" --listen 127.0.0.1:8499 2>"$work/log" &
service=$!
trap 'kill $service; rm -rf "$work"' EXIT
until grep -q "is ready" "$work/log"; do sleep 0.2; done
base=http://127.0.0.1:8499

go build -o "$work/shot" ./scripts/shot
page() { # NAME PATH HEIGHT [night]
  "$work/shot" "$out/$1.png" "$base$2" "$3" ${4:+"$4"}
}

terminal() { # NAME COLUMNS ROWS COMMAND
  xvfb-run -a -s "-screen 0 1600x900x24" bash -c "
    PAPERKETTLE_SERVER=$base xterm -fa 'DejaVu Sans Mono' -fs 9 -geometry $2x$3 -bg '#fbf8f1' -fg '#1d1b18' -e bash -c '$4; sleep 4' &
    sleep 2.5; import -window root -trim '$work/$1.png'"
  convert "$work/$1.png" -bordercolor '#fbf8f1' -border 10 "$out/$1.png"
}

series='series=Saltmarsh%20/%20hotel%20/%20black%20tea'
bin/paperkettle --server "$base" dataset check daily >/dev/null # what the lists show is known then
page home / 800
page dataset '/data/daily?where=town%3DSaltmarsh&series=Saltmarsh%20/%20shop%20/%20green%20tea' 1450
page together '/data/monthly?where=channel%3Dshop&series=Saltmarsh%20/%20shop%20/%20green%20tea&beside=Saltmarsh%20/%20shop%20/%20black%20tea&beside=Gullhaven%20/%20shop%20/%20herb%20tea&scaled=1&spread=1' 1150
page new-bakeoff '/bakeoffs/new?dataset=daily' 900
page bakeoff "/bakeoffs/bake-1?$series" 1100
page duel '/bakeoffs/bake-1?look=duel&a=smoothing&b=calendar-mean&per=line,volume' 1250
page bakeoff-night "/bakeoffs/bake-1?$series&show=smoothing" 1020 night
page fit "/bakeoffs/bake-1?look=fit&fit-of=additive&$series" 1750
bin/paperkettle --server "$base" bakeoff run --dataset monthly --horizon 3 --windows 2 --contender seasonal-naive --contender boosting --wait >/dev/null 2>&1
page learnt "/bakeoffs/bake-2?look=fit&fit-of=boosting" 1500
page release '/releases/rel-1?series=Saltmarsh%20/%20shop%20/%20black%20tea' 900
page scenario /scenarios/scen-1 1060
page scenario-new '/scenarios/new?from=scen-1' 1150
page flags /flags 800
terminal terminal-standings 136 40 'bin/paperkettle bakeoff standings bake-1'
terminal terminal-fit 132 36 'bin/paperkettle model show smoothing --in bake-1 --series "Saltmarsh / hotel / black tea"'
bin/paperkettle demo --write "$work/files" 2>/dev/null
{
  bin/paperkettle --server "$base" dataset load "$work/files/tins.csv" --name tins --time week --measure tins --by town,tea \
    --driver price,leaflet --known-ahead price,leaflet --floor 0
  bin/paperkettle --server "$base" bakeoff run --dataset tins --horizon 6 --windows 6 --contender naive --contender linear --wait
  bin/paperkettle --server "$base" scenario run bake-3 --name "Green tea at a fifth less" --case "Cheap: price -20 % where tea=green tea"
} >/dev/null 2>&1
terminal terminal-scenario 150 12 'bin/paperkettle scenario show scen-2'
terminal terminal-series 112 22 'bin/paperkettle series show daily "Saltmarsh / shop / green tea"'
bin/paperkettle --server "$base" dataset export monthly >"$work/monthly.csv"
terminal terminal-forecast 100 38 "bin/paperkettle forecast $work/monthly.csv --where town=Saltmarsh --where channel=shop --horizon 3 --flag"
terminal terminal-flags 150 18 'bin/paperkettle flag list | head -14'
