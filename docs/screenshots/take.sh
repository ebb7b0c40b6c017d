#!/usr/bin/env bash
# Takes the pictures in this folder anew, from the demo data. Needs Xvfb,
# xterm, ImageMagick and the DejaVu fonts (Debian: xvfb xterm imagemagick
# fonts-dejavu-core).
set -euo pipefail
cd "$(dirname "$0")/../.."
work=$(mktemp -d)
trap 'kill "${server:-}" 2>/dev/null || true; rm -rf "$work"' EXIT
CGO_ENABLED=0 go build -o "$work/yewcone" ./cmd/yewcone
"$work/yewcone" demo "$work/marrowby" >/dev/null
export PATH="$work:$PATH" DISPLAY=:97
Xvfb :97 -screen 0 1280x800x24 >/dev/null 2>&1 &
server=$!
sleep 1

# shot NAME LINES COMMAND: the last LINES lines that the screen holds.
shot() {
	local name=$1 show=$2 command=$3
	cat >"$work/show.sh" <<SHOW
cd "$work/marrowby"
printf '\033[?25l\033[1;32m\$\033[0m %s\n' '$command'
$command --color always 2>&1 | $show
touch "$work/ready"
sleep 20
SHOW
	rm -f "$work/ready"
	xterm -geometry "${size:-126x38}+0+0" -fa 'DejaVu Sans Mono' -fs "${points:-12}" -bg '#14181d' -fg '#d8dee6' \
		-xrm 'xterm*color8: #8b949e' -xrm 'xterm*color9: #ff7b72' -xrm 'xterm*color11: #e3b341' -xrm 'xterm*color14: #76d9e6' \
		-xrm 'xterm*boldColors: false' -b 12 -e bash "$work/show.sh" &
	local terminal=$!
	while [ ! -e "$work/ready" ]; do sleep 0.2; done
	sleep 0.7
	import -window root +dither -depth 8 -colors 128 "docs/screenshots/$name.png"
	kill "$terminal" 2>/dev/null || true
	wait "$terminal" 2>/dev/null || true
}

size=140x44 points=10.5 shot check 'head -42' 'yewcone check'
shot changes 'head -35' 'yewcone changes rota partners yard'
shot remedy 'head -35' 'yewcone remedy quay1'
shot impact 'head -35' "yewcone impact partners yard"
shot due 'head -35' 'yewcone due'
shot intake 'head -35' 'yewcone intake rota'
shot draft 'head -35' 'yewcone intake --draft exports/rota/settings.csv exports/rota/roles.csv exports/rota/users.csv'
shot why 'head -35' 'yewcone why rota siobhan.keane'
shot rules 'head -35' 'yewcone rules compare nist-800-63b-4 pci-dss-4.0.1 stig-unix'
shot replay 'head -35' 'yewcone replay quay1 --set lockout_attempts=3,5'
printf 'summer2026\nKelp over granite 47\nMarrowby-2026!\n7294\n' >"$work/marrowby/candidates.txt"
shot try 'head -35' 'yewcone try rota quay1 mailboxes --file candidates.txt'
shot derive 'head -35' 'yewcone derive rota'
shot asked 'head -38' 'yewcone rules asked'
shot gaps 'head -35' 'yewcone gaps'

# Six months of two systems, and their picture.
"$work/yewcone" demo --months "$work/months" >/dev/null
mv "$work/marrowby" "$work/estate" && mv "$work/months/2026-06" "$work/marrowby" && mv "$work/months/history.db" "$work/history.db"
shot drift 'head -35' 'yewcone drift 2 3'
"$work/yewcone" trend --estate "$work/marrowby" --format png --out "$work/trend.png"
convert "$work/trend.png" +dither -colors 128 docs/screenshots/trend.png
mv "$work/estate" "$work/marrowby.demo"

"$work/yewcone" replay --estate "$work/marrowby.demo" rota --propose --format png --out "$work/border.png"
convert "$work/border.png" +dither -colors 128 docs/screenshots/border.png

# The pages, in headless Chromium (Debian: chromium).
"$work/yewcone" report --estate "$work/marrowby.demo" --out "$work/report.html"
cp -r "$work/marrowby.demo" "$work/spring"
sed -i 's/lockout_attempts: at most 10/lockout_attempts: at most 20/; s/{max_age: at most 365 days}/{max_age: at most 180 days}/' "$work/spring/rules/house.yaml"
"$work/yewcone" rules page --since "$work/spring" --estate "$work/marrowby.demo" --format html --out "$work/rules-page.html"
page() {
	local name=$1
	shift
	chromium --headless --no-sandbox --disable-gpu --no-first-run --disable-background-networking --disable-component-update --disable-sync \
		--hide-scrollbars --user-data-dir="$work/chromium" --window-size=1280,800 --screenshot="docs/screenshots/$name.png" "$@" "file://$work/$name.html" >/dev/null 2>&1
}
page report
page rules-page
