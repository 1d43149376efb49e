#!/usr/bin/env bash
# Takes a picture of a terminal, 124 by 40 characters, after running commands
# in it: terminal-picture.sh OUT.png 'command' 'command' …
# Needs Debian's packages xvfb xterm imagemagick xauth.
set -euo pipefail
out=$1
shift
dir=$(mktemp -d)
trap 'rm -rf "$dir"' EXIT
mkfifo "$dir/display"
Xvfb -displayfd 3 -screen 0 1280x800x24 -nolisten tcp 3>"$dir/display" >"$dir/log" 2>&1 &
screen=$!
read -r number <"$dir/display"
export DISPLAY=:$number
for command in "$@"; do
  printf 'printf "\\033[1m$ %%s\\033[0m\\n" %q; %s; echo\n' "$command" "$command" >>"$dir/script"
done
xterm -fa 'DejaVu Sans Mono' -fs 12 -geometry 124x40+0+0 -bw 0 +sb -bg '#10151c' -fg '#d8dee9' -tn xterm-256color \
  -xrm 'xterm*internalBorder: 12' -e bash -c "printf '\033[?25l'; . $dir/script; touch $dir/done; sleep 60" &
terminal=$!
for _ in $(seq 600); do [ -e "$dir/done" ] && break; sleep 0.05; done
sleep 0.5
import -window root "$out"
kill "$terminal" "$screen"
