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
light_layers=" base spring stepping follow "
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
problems=0

complain() {
    echo "$1"
    problems=$((problems + 1))
}

rank_of() {
    local i
    for i in "${!layers[@]}"; do
        [[ ${layers[i]} == "$1" ]] && { echo "$i"; return; }
    done
    echo "unknown"
}

# Lists what FILE, as a member of LAYER, includes from layers above it.
upward_includes() {
    local file=$1 rank included
    rank=$(rank_of "$2")
    sed -nE 's!^#include (<hopcoil/|")([a-z_]+)/[a-z_]+\.hpp[>"].*!\2!p' "$file" | sort -u |
        while read -r included; do
            local other
            other=$(rank_of "$included")
            if [[ $other == unknown ]] || ((other > rank)); then
                echo "$file ($2) includes $included"
            fi
        done
}

heavy_includes() {
    grep -HnE '^#include <(iostream|ostream|istream|sstream|fstream|cstdio|filesystem|regex|functional)>' \
        "$1" || true
}

eigen_includes() { grep -Hn '^#include <Eigen/' "$1" || true; }

# Streams and files among the undefined symbols of an archive or object.
file_symbols() {
    nm -C --undefined-only "$1" |
        grep -E ' (fopen|fwrite|fputs|puts|printf|fprintf|open|std::(cout|cerr|.*basic_[io]?f?stream))' || true
}

too_long() {
    local lines
    lines=$(wc -l <"$1")
    ((lines <= $2)) || echo "$1 has $lines lines, at most $2"
}

# Comments are not wrapped by clang-format, which tears what stands in columns.
too_wide() { awk 'length($0) > 100 { print FILENAME ":" FNR " is wider than 100" }' "$1"; }

# A kind of system is said in its own file alone: no other names it, or includes what it is made of.
names_a_kind() {
    local kinds='follower|glide|pursuit|settle|curve|cascade|coast|pose|chain|wind'
    local made_of='follower|glide|pursuit|settle_curve|curve_move|cascade|coast|pose_follower|bounded_follower|size_follower|stepped_follower|angle_mover|rotation_mover'
    sed 's!//.*!!' "$1" | grep -nE "\"($kinds)\"|'($kinds)'|hopcoil/follow/($made_of)\.hpp|hopcoil/points/chain\.hpp|hopcoil/field/wind\.hpp|kinds/movers\.hpp" |
        sed "s!^!$1 names a kind: !" || true
}

# Names and phrases that plain ones have taken the place of.
old_words() {
    grep -HnE 'Relay|Calming|DampedSpring|start_velocity|Unsayable|said together|CoursePoint|MoverNumbers|is_led|flock|\bknot|each_state|likeness|telling_rows|telling_time_s|says_nothing|wanted_movers|take_up|arrivals_|put_down|take_back|settle_clock|find_chains|are_calm|flew_out|damping_gave|so manieth|for infinity|gone after|looks a step|no jump is passed|so far past|what is left halves|Instead or beside|all that come with it|past its last sample|did not hold|whose they are|wobbly|\bjolt' "$1" || true
}

# must_catch WHAT COMMAND...: the guard sees what it is there to see.
must_catch() {
    local what=$1
    shift
    [[ -n $("$@") ]] || complain "the guard against $what does not work"
}

printf '#include <hopcoil/follow/follower.hpp>\n' >"$scratch/bad.hpp"
must_catch "upward includes" upward_includes "$scratch/bad.hpp" spring
printf '#include <hopcoil/nowhere/thing.hpp>\n' >"$scratch/bad.hpp"
must_catch "unknown folders" upward_includes "$scratch/bad.hpp" tool
printf '#include <fstream>\n' >"$scratch/bad.hpp"
must_catch "heavy headers" heavy_includes "$scratch/bad.hpp"
printf '#include <Eigen/Core>\n' >"$scratch/bad.hpp"
must_catch "Eigen" eigen_includes "$scratch/bad.hpp"
seq 251 >"$scratch/bad.hpp"
must_catch "long files" too_long "$scratch/bad.hpp" 250
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

for file in include/hopcoil/*/*.hpp src/*/*.cpp; do
    layer=$(basename "$(dirname "$file")")
    check upward_includes "$file" "$layer"
    [[ $file == *.hpp ]] || continue
    check heavy_includes "$file"
    [[ $light_layers == *" $layer "* ]] && check eigen_includes "$file"
done
for layer in io scene tune draw page tool; do
    [[ -d $layer ]] || continue
    while read -r file; do
        check upward_includes "$file" "$layer"
    done < <(find "$layer" -name '*.[ch]pp')
done
while read -r file; do check names_a_kind "$file"; done < <(
    find io scene tune draw page \( -name '*.[ch]pp' -o -name '*.js' \) -not -path '*/kinds/*')
while read -r file; do check old_words "$file"; done < <(
    find include src io scene tune draw page tool examples bench tests docs scripts scenes README.md CONTRIBUTING.md CMakeLists.txt cmake \
        -type f -not -path '*/architecture/guards.sh' -not -path 'docs/screenshots/*' -not -name '*.csv')
check file_symbols "$archive"
while read -r file; do check too_long "$file" 250; done < <(find include io/include scene/include -name '*.hpp')
while read -r file; do check too_wide "$file"; done < <(find include src io scene tune draw page tool examples bench -name '*.[ch]pp')
while read -r file; do check too_long "$file" 500; done < <(find src io scene tune draw page tool \( -name "*.cpp" -o -name "*.js" \))

((problems == 0)) && echo "the architecture is in order"
exit $((problems > 0))
