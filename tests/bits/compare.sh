#!/usr/bin/env bash
# The same recorded run, compiled in many ways, gives the same bits; and those on record.
#
# usage: compare.sh ROOT
set -euo pipefail
cd "$1"
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
expected=$(cat tests/bits/expected.txt)
problems=0

# What the recorded run needs; the analysis of linear systems only reports, and is slow to compile.
sources=(tests/bits/record.cpp)
for source in src/{base,spring,stepping,follow}/*.cpp; do
    [[ $source == */linear_stability.cpp ]] || sources+=("$source")
done

# hash_of COMPILER FLAGS...: each source by itself, on every core.
hash_of() {
    local compiler=$1 folder
    shift
    folder=$(mktemp -d -p "$scratch")
    printf '%s\n' "${sources[@]}" |
        xargs -P "$(nproc)" -I {} sh -c '
            folder=$1 source=$2
            shift 2
            "$@" -c "$source" -o "$folder/$(echo "$source" | tr / _).o"' \
            sh "$folder" {} "$compiler" -std=c++20 "$@" -Iinclude -isystem /usr/include/eigen3 \
            -DHOPCOIL_SAME_BITS
    "$compiler" "$folder"/*.o -o "$folder/record"
    "$folder/record"
}

compare() {
    local found
    found=$(hash_of "$@" -ffp-contract=off)
    echo "$found  $*"
    [[ $found == "$expected" ]] || problems=$((problems + 1))
}

compare g++ -O0
compare g++ -O2
compare g++ -O3 -march=native
compare clang++ -O2 -march=native

# The guard itself: where fused arithmetic is allowed and there, the bits differ.
if grep -qw fma /proc/cpuinfo && [[ $(hash_of g++ -O2 -mfma -ffp-contract=fast) == "$expected" ]]; then
    echo "the hash does not notice fused arithmetic"
    problems=$((problems + 1))
fi
exit $((problems > 0))
