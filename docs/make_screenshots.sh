#!/usr/bin/env bash
# Make docs/screenshots anew from the demo.  Needs xvfb, xterm and imagemagick for the terminal.
set -euo pipefail
cd "$(dirname "$0")/.."
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT

tinrocket demo --out "$work/out" > /dev/null
cp "$work"/out/{paths,series,drift}.png docs/screenshots/
tinrocket compare src/tinrocket/demos/rocket.toml --vary rocket.drag.half_life=0.6,1.2 \
  --out "$work/vary" > /dev/null
cp "$work/vary/variants.png" docs/screenshots/
tinrocket demo popgun --out "$work/popgun" > /dev/null
cp "$work/popgun/timeline.png" docs/screenshots/timeline.png
(cd "$work" && tinrocket new rocket --from rocket > /dev/null)
tinrocket run "$work/rocket.toml" --plot docs/screenshots/run.png > /dev/null

rocket=src/tinrocket/demos/rocket.toml
tinrocket feel "$rocket" --rates 30,60,75,144,240 --out "$work/feel" > /dev/null
cp "$work"/feel/{feel,manoeuvres}.png docs/screenshots/
tinrocket why "$rocket" --out "$work/why" > /dev/null
convert "$work/why/causes-of-drift.png" "$work/why/cures.png" -append docs/screenshots/why.png

# terminal OUTPUT COMMANDS: print commands and what they print in a terminal window.
terminal() {
  rm -f "$work/done"
  {
    printf 'cd "$1"\n'
    cat
    printf 'touch done\nsleep 30\n'
  } > "$work/show"
  xvfb-run -a -s "-screen 0 1280x800x24" bash -c '
    xterm -fa "DejaVu Sans Mono" -fs 10 -geometry 156x48+0+0 -bg "#fbfbf8" -fg "#2b2b33" \
      -e bash "$1/show" "$1" &
    until [ -e "$1/done" ]; do sleep 0.5; done
    sleep 1
    import -window root "$2"
    kill %1
  ' _ "$work" "$1"
}

terminal docs/screenshots/terminal.png <<'SHOW'
printf '$ tinrocket new rocket --from rocket && tinrocket run rocket.toml --rate 144\n'
rm -f rocket.toml
tinrocket new rocket --from rocket && tinrocket run rocket.toml --rate 144
printf '\n$ tinrocket compare rocket.toml --vary timing=frame,dt,exact\n'
tinrocket compare rocket.toml --vary timing=frame,dt,exact
SHOW
cp examples/glide.py "$work"
terminal docs/screenshots/own.png <<'SHOW'
printf '$ tinrocket why glide.py:update\n'
tinrocket why glide.py:update 2> /dev/null
SHOW
tinrocket solve "$rocket" --want "rocket top speed = 300 px/s" --want "rise time = 0.8 s" \
  --free rocket.thrust.accel=100:2000 --free rocket.drag.keep=0.9:0.999 \
  --plot docs/screenshots/solved.png > /dev/null
tinrocket explore "$rocket" --over rocket.thrust.accel=100:900 --over rocket.drag.keep=0.95:0.995 \
  --show "top speed" --show "rise time" --want "top speed between 200 and 300 px/s" \
  --want "rise time <= 1.2 s" --out "$work/explored" > /dev/null
cp "$work/explored/explored.png" docs/screenshots/
tinrocket choose "$rocket" --free rocket.thrust.accel=100:1500 --free rocket.drag.keep=0.95:0.999 \
  --answers examples/rocket.choices.csv --results --plot docs/screenshots/chosen.png > /dev/null
python docs/page_shots.py "$work"
