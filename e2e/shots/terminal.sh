#!/usr/bin/env bash
# Takes the pictures of the command line for the documents, in a real terminal
# window, from a demo that is being served.
#   e2e/shots/terminal.sh DIRECTORY
set -euo pipefail
cd "$(dirname "$0")/../.."
out=$(realpath "$1")
for tool in Xvfb xterm import; do
  command -v "$tool" >/dev/null || { echo "Missing: $tool; as root: apt-get install xvfb xterm imagemagick fonts-dejavu-core" >&2; exit 1; }
done
work=$(mktemp -d)
trap 'kill $(jobs -p) 2>/dev/null; rm -rf "$work"' EXIT
export PATH=$PWD/bin:$PATH XDG_CONFIG_HOME=$work/config
echo "quillhaven demo" | oskel sign-in ines 2>/dev/null
Xvfb -displayfd 3 -screen 0 1280x800x24 -nolisten tcp 3>"$work/display" 2>/dev/null &
until [ -s "$work/display" ]; do sleep 0.1; done
export DISPLAY=:$(cat "$work/display")

shot() { # NAME COMMAND
  rm -f "$work/done"
  cat >"$work/run" <<RUN
PS4=
printf '\e[1m\$ %s\e[0m\n' "$2"
$2
touch $work/done
printf '\e[?25l'
sleep 60
RUN
  xterm -geometry 140x44+0+0 -fa 'DejaVu Sans Mono' -fs 11 -bg '#12171a' -fg '#e7e9e6' \
    -xrm 'xterm*color3: #e9b44c' -xrm 'xterm*color1: #ff8a70' +sb -b 10 -en UTF-8 -e bash "$work/run" &
  local window=$!
  until [ -e "$work/done" ]; do sleep 0.1; done
  sleep 0.5
  import -window root "$out/$1.png"
  kill "$window"
  wait "$window" 2>/dev/null || true
}

shot cli-sweep "oskel sweep -period 2026-10; echo; oskel exceptions -period 2026-10 -top 9"
shot cli-show 'oskel show $(oskel exceptions -rule thin-margin -format json -period 2026-10 2>/dev/null | grep -m1 -o "\"id\": [0-9]*" | cut -d" " -f2)'
