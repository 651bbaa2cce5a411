#!/usr/bin/env bash
# Every C++ block of the README and the docs compiles: whole programs as they are, others as the
# body of a function. Every link between documents leads somewhere.
#
# usage: documents.sh ROOT
set -euo pipefail
shopt -s nullglob
cd "$1"
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
problems=0

mapfile -t documents < <(git ls-files --cached --others --exclude-standard '*.md')

# Blocks of one document, each into a file of its own.
extract() {
    awk -v out="$scratch/$2" '
        /^```cpp/ { n++; open = 1; next }
        /^```/ { open = 0 }
        open { print > (out "_" n ".block") }' "$1"
}

# A fragment becomes a function; its includes stay above it.
complete() {
    if grep -qE '^int main\(' "$1"; then
        cat "$1"
    else
        printf '%s\n' '#include <Eigen/Core>' '#include <hopcoil/follow/follower.hpp>'
        grep '^#include' "$1" || true
        echo 'namespace {'
        echo '[[maybe_unused]] void fragment() {'
        grep -v '^#include' "$1" || true
        echo '}}'
    fi
}

compiles() {
    complete "$1" >"$1.cpp"
    c++ -std=c++20 -Iinclude -Iio/include -Iscene/include -Itune/include -isystem /usr/include/eigen3 -fsyntax-only "$1.cpp"
}

echo 'this is not C++' >"$scratch/bad.block"
if compiles "$scratch/bad.block" 2>/dev/null; then
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
((blocks > 0)) || { echo "no block of C++ was found"; problems=1; }
echo "$blocks blocks of C++ in ${#documents[@]} documents"
exit $((problems > 0))
