#!/usr/bin/env bash
# Takes a picture of a command in a terminal window: shoot_terminal.sh PICTURE.png COMMAND...
# Needs xterm, xvfb and imagemagick. For the pictures in docs/screenshots.
set -euo pipefail
picture=$1
shift
display=:$((90 + RANDOM % 100))
Xvfb "$display" -screen 0 1280x800x24 >/dev/null 2>&1 &
server=$!
trap 'kill $server' EXIT
sleep 1
script=$(mktemp)
printf 'clear; printf "$ %%s\\n" %q; %s; sleep 600\n' "$*" "$*" >"$script"
DISPLAY=$display xterm -fa 'DejaVu Sans Mono' -fs "${FONT_SIZE:-11}" -geometry "${SIZE:-150x52}+0+0" -bg '#fbfaf7' -fg '#20262b' -b 12 -e bash "$script" &
terminal=$!
sleep "${WAIT:-4}"
DISPLAY=$display import -window root "$picture"
kill $terminal
rm -f "$script"
