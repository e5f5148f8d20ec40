#!/usr/bin/env bash
# Make docs/screenshots anew from the demo data, and what the notebook is shipped with. Needs ramulus (extra test) on the
# PATH, Xvfb, xterm, ImageMagick and Chromium.
set -euo pipefail
out=$(cd "$(dirname "$0")" && pwd)/screenshots
work=$(mktemp -d)
trap 'rm -rf "$work"; kill $(jobs -p) 2>/dev/null || true' EXIT
cd "$work"
ramulus demo . --quiet

ramulus plot canopy.toml pace --seed 7 --output "$out/pace.png" --quiet
ramulus plot canopy.toml costs --also canopy_eased.toml --output "$out/costs.png" --quiet
ramulus plot canopy.toml stats --output "$out/stats.png" --quiet
ramulus plot canopy.toml income --player steady --output "$out/income.png" --quiet
ramulus plot canopy.toml party --output "$out/party.png" --quiet
ramulus plot canopy.toml retention --seed 7 --output "$out/retention.png" --quiet
ramulus plot canopy.toml time-in-level --seed 7 --output "$out/time_in_level.png" --quiet

ramulus sample canopy.toml -o log.parquet --players 600 --days 40 --faults 0.001 --quiet \
    --set players.steady.seconds_between=30
ramulus plot canopy.toml observed --recorded log.parquet --output "$out/observed.png" --quiet

ramulus plot canopy.toml compare --also canopy_eased.toml --seed 7 --output "$out/compare.png" --quiet


# page NAME ADDRESS: a page in a window of 1280 × 800, once it is drawn
page() {
    chromium --headless --no-sandbox --disable-gpu --hide-scrollbars --window-size=1280,800 --timeout=6000 \
        --user-data-dir="$work/chromium" --screenshot="$out/$1.png" "$2" 2>/dev/null
}

page report "file://$work/canopy.html"
ramulus bench canopy.toml --seed 7 --set steepness=1.45 --quiet >address &
until [[ -s address ]]; do sleep 0.2; done
address=$(cat address)
# Drawn by its script once it has asked for the numbers, which a picture on loading would come before.
python - "$address" "$out/bench.png" <<'PYTHON'
import shutil
import sys

from playwright.sync_api import sync_playwright

with sync_playwright() as playwright:
    browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=["--no-sandbox"])
    page = browser.new_page(viewport={"width": 1280, "height": 800})
    page.goto(sys.argv[1])
    page.wait_for_selector("#figure path.line.pale")
    page.locator("#figure").hover(position={"x": 420, "y": 180})
    page.screenshot(path=sys.argv[2])
    browser.close()
PYTHON
kill -INT $!

Xvfb :93 -screen 0 1280x800x24 >/dev/null 2>&1 &
export DISPLAY=:93
sleep 1

# shot NAME COMMAND…: a terminal window of 104 × 40 that shows the command and its output
shot() {
    local name=$1
    shift
    printf '$ %s\n' "$*" >"$work/text"
    FORCE_COLOR=1 TERM=xterm-256color "$@" >>"$work/text" 2>&1 || true
    # Lines that are too long break between words; colours take no room.
    python -c 'import sys; from rich.console import Console; from rich.text import Text
Console(width=104, force_terminal=True, color_system="256").print(Text.from_ansi(sys.stdin.read()))' \
        <"$work/text" >"$work/shown"
    local lines
    lines=$(wc -l <"$work/shown")
    xterm -geometry "104x$((lines < 39 ? lines + 1 : 40))+0+0" -fa 'DejaVu Sans Mono' -fs 13 -bg '#FBFAF7' -fg '#23211D' -b 12 +sb \
        -e sh -c "head -39 '$work/shown'; sleep 30" &
    local window=$!
    sleep 2
    import -window root -trim +repage "$out/$name.png"
    kill "$window"
    wait "$window" 2>/dev/null || true
}

shot levels ramulus levels canopy.toml --to 30
shot explain ramulus explain canopy.toml tracks.warden.cost --level 7
shot check ramulus check canopy.toml
shot award ramulus award canopy.toml 40 400 90 --also carry=0 --also carry=0.5,level_ups_per_award=one
shot compare_table ramulus compare canopy.toml canopy_eased.toml --seed 7
shot tune ramulus tune canopy.toml --vary steepness --vary crown_gate
shot simulate ramulus simulate canopy.toml --seed 7

# A game that asks for more than the cost where the cost is enough.
ramulus export canopy.toml game --for javascript --quiet
sed -i 's/this\.xp >= threshold/this.xp > threshold/' game/leveling.mjs
shot conform ramulus conform canopy.toml -- node game/harness.mjs

# The notebook with its outputs, without the times of its cells.
notebook="$out/../../examples/from_costs_to_goals.ipynb"
cp "$notebook" "$work"  # What it writes stays there.
jupyter execute --inplace "$work/from_costs_to_goals.ipynb" 2>/dev/null
python - "$work/from_costs_to_goals.ipynb" "$notebook" <<'PYTHON'
import sys

import nbformat

notebook = nbformat.read(sys.argv[1], 4)
for cell in notebook.cells:
    cell.metadata.pop("execution", None)
nbformat.write(notebook, sys.argv[2])
PYTHON
