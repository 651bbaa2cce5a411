#!/usr/bin/env bash
# Every example prints exactly what is stored beside it.
#
# usage: examples.sh ROOT FOLDER_OF_PROGRAMS
set -euo pipefail
root=$1
programs=$2
cd "$root"  # where they find their files
count=0
for source in "$root"/examples/*.cpp; do
    name=$(basename "$source" .cpp)
    diff -u "$root/examples/$name.out" <("$programs/example_$name") || exit 1
    count=$((count + 1))
done
((count > 0))
echo "$count examples"
