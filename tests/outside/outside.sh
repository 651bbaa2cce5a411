#!/usr/bin/env bash
# Installs the library and uses it as strangers would: found by CMake (each component alone), taken
# in as a subdirectory, found by pkg-config; where CMake compiles it, with the library's bits.
#
# usage: outside.sh ROOT BUILD
set -euo pipefail
root=$1
build=$2
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
record=$root/tests/bits/record.cpp
expected=$(cat "$root/tests/bits/expected.txt")

cmake --install "$build" --prefix "$scratch/prefix" >"$scratch/log"

quietly() {
    "$@" >"$scratch/log" 2>&1 || { cat "$scratch/log"; exit 1; }
}

# configure_outside NAME OPTIONS...
configure_outside() {
    local name=$1
    shift
    quietly cmake -G Ninja -S "$root/tests/outside/$name" -B "$scratch/$name" \
        -DCMAKE_BUILD_TYPE=Release -DRECORD="$record" "$@"
}
build_outside() {
    configure_outside "$@"
    quietly cmake --build "$scratch/$1"
}

same_bits() {
    local found
    found=$("$2")
    echo "$found  $1"
    [[ $found == "$expected" ]] || { echo "$1: expected $expected"; exit 1; }
}

build_outside core -DCMAKE_PREFIX_PATH="$scratch/prefix" \
    -DFIRST_PROGRAM="$root/examples/01_first_follower.cpp"
same_bits "find_package, -march=native -ffp-contract=fast" "$scratch/core/stranger"
diff -u "$root/examples/01_first_follower.out" <("$scratch/core/plain")

build_outside io -DCMAKE_PREFIX_PATH="$scratch/prefix"
printf 'time_s,hook.value_m\n0,1\n0.5,2\n' >"$scratch/take.csv"
"$scratch/io/stranger" "$scratch/take.csv" "$scratch/take.json" >/dev/null
"$scratch/io/stranger" "$scratch/take.json" "$scratch/again.csv" >/dev/null
cmp "$scratch/take.csv" "$scratch/again.csv"

build_outside scene -DCMAKE_PREFIX_PATH="$scratch/prefix" \
    -DOWN_KIND="$root/examples/18_own_kind.cpp"
"$scratch/scene/stranger" "$root/scenes/quay/vane.toml"
diff -u "$root/examples/18_own_kind.out" \
    <("$scratch/scene/own_kind" "$root/examples/18_own_kind.toml")

# Added as a subdirectory it can be configured, and one file of it and the program compile; the
# program, without optimisation, has the same bits with the installed library. Compiling the whole
# library once more takes two minutes.
configure_outside subdirectory -DHOPCOIL="$root" -DCMAKE_BUILD_TYPE=Debug -DCMAKE_CXX_FLAGS_DEBUG=
quietly ninja -C "$scratch/subdirectory" hopcoil/src/CMakeFiles/hopcoil_core.dir/points/chain.cpp.o \
    CMakeFiles/stranger.dir/"$record".o
core=$(find "$scratch/prefix" -name libhopcoil_core.a)
c++ "$scratch/subdirectory/CMakeFiles/stranger.dir/$record.o" "$core" -o "$scratch/guest"
same_bits "add_subdirectory" "$scratch/guest"

export PKG_CONFIG_PATH=$scratch/prefix/lib/pkgconfig
read -ra flags < <(pkg-config --cflags --libs hopcoil)
c++ -std=c++20 "$root/examples/01_first_follower.cpp" "${flags[@]}" -o "$scratch/found"
diff -u "$root/examples/01_first_follower.out" <("$scratch/found")

# The installed command finds its demo data, and says where it wrote what.
(cd "$scratch" && "$scratch/prefix/bin/hopcoil" demo vane >"$scratch/said")
grep -q "hopcoil-demo/vane.png" "$scratch/said"
grep -q "brass, after wind" "$scratch/said"
[[ $(head -c 40 "$scratch/said") == "$(head -c 40 "$scratch/hopcoil-demo/vane.txt")" ]]
[[ -s $scratch/hopcoil-demo/vane.png && -s $scratch/hopcoil-demo/report.html ]]
