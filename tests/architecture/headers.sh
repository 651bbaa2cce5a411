#!/usr/bin/env bash
# Every public header compiles alone, and stays light: see the budgets below, in lines of text once
# all that it includes is read.
#
# usage: headers.sh ROOT
set -euo pipefail
cd "$1"
flags=(-std=c++20 -Wall -Wextra -Wpedantic -Wconversion -Wshadow -Werror -Iinclude -Iio/include -Iscene/include -Itune/include
    -isystem /usr/include/eigen3)
problems=0

budget_of() {
    case $1 in
        hopcoil/follow/follower.hpp) echo 22000 ;;
        *) echo 47000 ;;
    esac
}

check_header() {
    local header=$1 lines
    if ! c++ "${flags[@]}" -E -include "$header" -x c++ /dev/null -o "$scratch/read.ii" ||
        ! c++ "${flags[@]}" -fsyntax-only "$scratch/read.ii"; then
        echo "$header does not compile alone"
        return 1
    fi
    lines=$(grep -cvE '^(#|$)' "$scratch/read.ii")
    if ((lines > $(budget_of "$header"))); then
        echo "$header makes $lines lines, at most $(budget_of "$header")"
        return 1
    fi
}

# The guard itself: a header that leans on another, and one that is too heavy.
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
flags+=(-I"$scratch")
echo 'inline std::string text;' >"$scratch/leaning.hpp"
seq -f 'int heavy_%g;' 50000 >"$scratch/heavy.hpp"
for bad in leaning heavy; do
    if check_header "$bad.hpp" >/dev/null 2>&1; then
        echo "the guard lets $bad.hpp pass"
        problems=$((problems + 1))
    fi
done

for folder in include io/include scene/include tune/include; do
    while read -r header; do
        check_header "$header" || problems=$((problems + 1))
    done < <(cd "$folder" && find . -name '*.hpp' | sed 's!^\./!!' | sort)
done
exit $((problems > 0))
