#!/usr/bin/env bash
# A sweep spread over processes comes to the same table as one that is not, as docs/tuning.md says
# how to; also when a process is ended in the middle and its command is given again.
#
# usage: parallel.sh ROOT COMMAND
set -euo pipefail
scene=$1/scenes/quay/vane.toml
command=$2
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
cd "$scratch"

swept=("$command" sweep "$scene" --vary brass.frequency_hz=0.5:4:6:log --vary brass.damping_ratio=0.2:1.2:3)
"${swept[@]}" --out whole.csv >whole.log

parallel --will-cite --jobs 2 "${swept[@]}" --shard "{}/4" --out "part{}.csv" ::: 1 2 3 4 >parts.log
"$command" sweep --merge part3.csv --merge part1.csv --merge part4.csv --merge part2.csv --out all.csv >merged.log
cmp whole.csv all.csv

long=("$command" sweep "$scene" --vary brass.frequency_hz=0.5:4:40:log --vary brass.damping_ratio=0.3:0.6:2)
"${long[@]}" --out long.csv >long.log
ended=0
for after_s in 0.2 0.5 0.3 0.7 0.4 0.6; do
    timeout --signal INT "$after_s" "${long[@]}" --out again.csv >again.log 2>&1 || ended=$((ended + 1))
done
((ended > 0)) || echo "it was quicker than every interrupt"
"${long[@]}" --out again.csv >again.log
cmp long.csv again.csv
