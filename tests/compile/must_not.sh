#!/usr/bin/env bash
# Programs that must not compile, each built twice: as it is, which works, and with BROKEN defined,
# which must fail with the text behind its line "// expect:", in a message short enough to read.
#
# usage: must_not.sh ROOT
set -euo pipefail
cd "$1"
problems=0
most_lines=24

build() {
    c++ -std=c++20 -Iinclude -isystem /usr/include/eigen3 -fsyntax-only "$@"
}

for program in tests/compile/*.cpp; do
    expected=$(sed -n 's!^// expect: !!p' "$program")
    read -ra flags < <(sed -n 's!^// flags: !!p' "$program"; echo)
    if ! build "$program"; then
        echo "$program: the mended program does not compile"
        problems=$((problems + 1))
    fi
    if message=$(build -DBROKEN "${flags[@]}" "$program" 2>&1); then
        echo "$program: the broken program compiles"
        problems=$((problems + 1))
    elif [[ $message != *"$expected"* ]]; then
        echo "$program: expected '$expected' in: $message"
        problems=$((problems + 1))
    elif (($(wc -l <<<"$message") > most_lines)); then
        echo "$program: the message has more than $most_lines lines: $message"
        problems=$((problems + 1))
    fi
done
exit $((problems > 0))
