#!/usr/bin/env bash
# The same recorded run, compiled for the instructions of this machine, gives the bits on record.
# Each build of the project checks its own library against them, the sanitized one with clang++.
#
# usage: compare.sh ROOT CORE_ARCHIVE
set -euo pipefail
cd "$1"
archive=$2
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
expected=$(cat tests/bits/expected.txt)
problems=0

# The mathematics that everything uses; the rest comes from the library. Loops that become vectors
# are there compiled for each instruction set: their tests compare those.
sources=(tests/bits/record.cpp src/base/*.cpp src/spring/*.cpp)

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
    # Ours come before the same of the library.
    "$compiler" "$folder"/*.o "$archive" -Wl,-z,muldefs -o "$folder/record"
    "$folder/record"
}

compare() {
    local found
    found=$(hash_of "$@" -ffp-contract=off)
    echo "$found  $*"
    [[ $found == "$expected" ]] || problems=$((problems + 1))
}

compare g++ -O3 -march=native

# The guard itself: where fused arithmetic is allowed and there, in the templates alone, the bits
# differ.
if grep -qw fma /proc/cpuinfo; then
    g++ -std=c++20 -O2 -mfma -ffp-contract=fast -DHOPCOIL_SAME_BITS -Iinclude \
        -isystem /usr/include/eigen3 tests/bits/record.cpp "$archive" -o "$scratch/fused"
    if [[ $("$scratch/fused") == "$expected" ]]; then
        echo "the hash does not notice fused arithmetic"
        problems=$((problems + 1))
    fi
fi
exit $((problems > 0))
