#!/usr/bin/env bash
# Every C++ block of the README and the docs compiles: whole programs as they are, others as the
# body of a function. Every TOML block is a scene without problems. A block that begins as the
# output of an example does is that output. Every link between documents leads somewhere.
#
# usage: documents.sh ROOT COMMAND
set -euo pipefail
shopt -s nullglob
cd "$1"
command=$2
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
problems=0

mapfile -t documents < <(git ls-files --cached --others --exclude-standard '*.md')

# Blocks of one document, each into a file of its own.
extract() {
    awk -v out="$scratch/$2" '
        /^```cpp/ { n++; open = "block"; next }
        /^```toml/ { n++; open = "toml"; next }
        /^```$/ { n++; open = open == "" ? "text" : ""; next }
        /^```/ { open = "other"; next }
        open { print > (out "_" n "." open) }' "$1"
}

is_program() { grep -qE '^int main\(' "$1"; }

# A fragment becomes a function; its includes stay above it.
complete() {
    if is_program "$1"; then
        cat "$1"
    else
        grep '^#include' "$1" || true
        echo 'namespace {'
        echo '[[maybe_unused]] void fragment() {'
        grep -v '^#include' "$1" || true
        echo '}}'
    fi
}

# Before a fragment stands what most of them need, compiled once.
flags=(-std=c++20 -Iinclude -Iio/include -Iscene/include -Itune/include -isystem /usr/include/eigen3)
printf '#include <%s>\n' Eigen/Core hopcoil/follow/follower.hpp >"$scratch/fragments.hpp"
c++ "${flags[@]}" -x c++-header "$scratch/fragments.hpp" -o "$scratch/fragments.hpp.gch"

compiles() {
    local before=(-include "$scratch/fragments.hpp")
    is_program "$1" && before=()
    complete "$1" >"$1.cpp"
    c++ "${flags[@]}" "${before[@]}" -fsyntax-only "$1.cpp"
}

echo 'this is not C++' >"$scratch/bad.block"
echo '[follower.lamp]' >"$scratch/bad.toml"
if compiles "$scratch/bad.block" 2>/dev/null || "$command" check "$scratch/bad.toml" >/dev/null; then
    echo "the guard lets anything pass"
    problems=1
fi

blocks=0
for document in "${documents[@]}"; do
    extract "$document" "${document//[\/.]/_}"
    while read -r link; do
        if [[ ! -e $(dirname "$document")/$link ]]; then
            echo "$document links to $link, which is not there"
            problems=$((problems + 1))
        fi
    done < <(grep -oE '\]\([^)#: ]+\)' "$document" | sed -E 's/^\]\(//; s/\)$//')
done
for block in "$scratch"/*_*.block; do
    blocks=$((blocks + 1))
    compiles "$block" || { echo "in $block"; problems=$((problems + 1)); }
done
outputs=0
for text in "$scratch"/*_*.text; do
    for output in examples/*.out; do
        [[ $(head -n 1 "$text") == "$(head -n 1 "$output")" ]] || continue
        outputs=$((outputs + 1))
        diff "$text" "$output" || { echo "in $text: not what $output has"; problems=$((problems + 1)); }
    done
done
scenes=0
for scene in "$scratch"/*_*.toml; do
    scenes=$((scenes + 1))
    "$command" check "$scene" >/dev/null || { "$command" check "$scene" || true; problems=$((problems + 1)); }
done
((blocks > 0 && scenes > 0 && outputs > 0)) || { echo "no block of C++, of TOML or of output was found"; problems=1; }
echo "$blocks blocks of C++, $scenes of TOML and $outputs outputs in ${#documents[@]} documents"
exit $((problems > 0))
