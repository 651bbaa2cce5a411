#!/usr/bin/env bash
# The rules of the architecture, checked: who includes whom, what the core stays free
# of, how long a file may be. Each guard is first shown to fail on a file that breaks its rule.
#
# usage: guards.sh ROOT CORE_ARCHIVE
set -euo pipefail
root=$1
archive=$2
cd "$root"

# Data flows downward: a folder includes only itself and those before it.
layers=(base spring stepping field follow points gait parts take measure io scene tune draw page tool)
light_layers="base spring stepping follow"
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
problems=0

complain() {
    echo "$1"
    problems=$((problems + 1))
}

# Lists what FILES, as members of LAYER, include from layers above it.
upward_includes() {
    awk -v layers="${layers[*]}" -v layer="$1" '
        BEGIN { count = split(layers, names, " "); for (i = 1; i <= count; i++) rank[names[i]] = i }
        { is_beside = sub(/"\.\.\//, "\"") }
        match($0, /^#include (<hopcoil\/|")[a-z_]+\/[a-z_]+\.hpp[>"]/) {
            split($0, parts, /<hopcoil\/|"|\//)
            if (is_beside && !(parts[2] in rank)) next
            if (!(parts[2] in rank) || rank[parts[2]] > rank[layer])
                print FILENAME " (" layer ") includes " parts[2]
        }' "${@:2}"
}

heavy_includes() {
    grep -HnE '^#include <(iostream|ostream|istream|sstream|fstream|cstdio|filesystem|regex|functional)>' \
        "$@" || true
}

eigen_includes() { grep -Hn '^#include <Eigen/' "$@" || true; }

# Streams and files among the undefined symbols of an archive or object.
file_symbols() {
    nm -C --undefined-only "$1" |
        grep -E ' (fopen|fwrite|fputs|puts|printf|fprintf|open|std::(cout|cerr|.*basic_[io]?f?stream))' || true
}

# Lists those of FILES that have more lines than MOST.
too_long() {
    wc -l "${@:2}" | awk -v most="$1" '$2 != "total" && $1 > most { print $2 " has " $1 " lines, at most " most }'
}

# Comments are not wrapped by clang-format, which tears what stands in columns.
too_wide() { awk 'length($0) > 100 { print FILENAME ":" FNR " is wider than 100" }' "$@"; }

# A kind of system is said in its own file alone: no other names it, or includes what it is made of.
names_a_kind() {
    local kinds='follower|glide|pursuit|settle|curve|cascade|coast|pose|chain|wind'
    local made_of='follower|glide|pursuit|settle_curve|curve_move|cascade|coast|pose_follower|bounded_follower|size_follower|stepped_follower|angle_mover|rotation_mover'
    grep -HnE "^([^/]|/[^/])*(\"($kinds)\"|'($kinds)'|hopcoil/follow/($made_of)\.hpp|hopcoil/points/chain\.hpp|hopcoil/field/wind\.hpp|kinds/movers\.hpp)" "$@" |
        sed 's!^!a kind is named: !' || true
}

# Names and phrases that plain ones have taken the place of.
old_words() {
    grep -HnE 'Relay|Calming|DampedSpring|start_velocity|Unsayable|said together|CoursePoint|MoverNumbers|is_led|flock|\bknot|each_state|likeness|telling_rows|telling_time_s|says_nothing|wanted_movers|take_up|arrivals_|put_down|take_back|settle_clock|find_chains|are_calm|flew_out|damping_gave|so manieth|for infinity|gone after|looks a step|no jump is passed|so far past|what is left halves|Instead or beside|all that come with it|past its last sample|did not hold|whose they are|wobbly|\bjolt' "$@" || true
}

# must_catch WHAT COMMAND...: the guard sees what it is there to see.
must_catch() {
    local what=$1
    shift
    [[ -n $("$@") ]] || complain "the guard against $what does not work"
}

printf '#include <hopcoil/follow/follower.hpp>\n' >"$scratch/bad.hpp"
must_catch "upward includes" upward_includes spring "$scratch/bad.hpp"
printf '#include "../tool/table.hpp"\n' >"$scratch/bad.hpp"
must_catch "upward includes of one's own" upward_includes draw "$scratch/bad.hpp"
printf '#include <hopcoil/nowhere/thing.hpp>\n' >"$scratch/bad.hpp"
must_catch "unknown folders" upward_includes tool "$scratch/bad.hpp"
printf '#include <fstream>\n' >"$scratch/bad.hpp"
must_catch "heavy headers" heavy_includes "$scratch/bad.hpp"
printf '#include <Eigen/Core>\n' >"$scratch/bad.hpp"
must_catch "Eigen" eigen_includes "$scratch/bad.hpp"
seq 251 >"$scratch/bad.hpp"
must_catch "long files" too_long 250 "$scratch/bad.hpp"
printf '// %0100d\n' 0 >"$scratch/bad.hpp"
must_catch "wide lines" too_wide "$scratch/bad.hpp"
printf '// a motion that left for infinity\n' >"$scratch/bad.hpp"
must_catch "old words" old_words "$scratch/bad.hpp"
printf 'if (kind == "glide") return;\n' >"$scratch/bad.cpp"
must_catch "named kinds" names_a_kind "$scratch/bad.cpp"
printf '#include <hopcoil/points/chain.hpp>\n' >"$scratch/bad.cpp"
must_catch "kinds included" names_a_kind "$scratch/bad.cpp"
printf '#include <fstream>\nstd::ofstream file{"x"};\n' >"$scratch/bad.cpp"
c++ -c "$scratch/bad.cpp" -o "$scratch/bad.o"
must_catch "files in the core" file_symbols "$scratch/bad.o"

check() {
    local found
    found=$("$@")
    [[ -z $found ]] || complain "$found"
}

# sources NAME FOLDERS...: all files of that name in the folders.
sources() { find "${@:2}" -name "$1" | sort; }

for folder in include/hopcoil/*/ src/*/; do
    check upward_includes "$(basename "$folder")" "$folder"*.[ch]pp
done
for layer in io scene tune draw page tool; do
    mapfile -t files < <(sources '*.[ch]pp' "$layer")
    check upward_includes "$layer" "${files[@]}"
done
check heavy_includes include/hopcoil/*/*.hpp
for layer in $light_layers; do check eigen_includes "include/hopcoil/$layer"/*.hpp; done
mapfile -t files < <(find io scene tune draw page \( -name '*.[ch]pp' -o -name '*.js' \) -not -path '*/kinds/*')
check names_a_kind "${files[@]}"
mapfile -t files < <(
    find include src io scene tune draw page tool examples bench tests docs scripts scenes README.md CONTRIBUTING.md CMakeLists.txt cmake \
        -type f -not -path '*/architecture/guards.sh' -not -path 'docs/screenshots/*' -not -name '*.csv')
check old_words "${files[@]}"
check file_symbols "$archive"
mapfile -t files < <(sources '*.hpp' include io/include scene/include)
check too_long 250 "${files[@]}"
mapfile -t files < <(sources '*.[ch]pp' include src io scene tune draw page tool examples bench)
check too_wide "${files[@]}"
mapfile -t files < <(find src io scene tune draw page tool \( -name "*.cpp" -o -name "*.js" \))
check too_long 500 "${files[@]}"

((problems == 0)) && echo "the architecture is in order"
exit $((problems > 0))
