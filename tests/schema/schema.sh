#!/usr/bin/env bash
# The schemas and the page of keys in docs/ are what the command prints; every shipped scene and
# tuning file fits its schema, as does every scene in the documents; a scene with a slip does not.
#
# usage: schema.sh ROOT COMMAND
set -euo pipefail
shopt -s globstar nullglob
root=$1
command=$2
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT
python=/usr/bin/python3 # Debian's, which has Debian's jsonschema

problems=0
same() { # same FILE ARGUMENTS...: what the command prints with these is the file
    local file=$1
    shift
    "$command" check "$@" >"$scratch/printed"
    if ! cmp -s "$scratch/printed" "$root/docs/$file"; then
        echo "docs/$file is not what 'hopcoil check $*' prints; print it anew" >&2
        problems=1
    fi
}
same schema/scene.schema.json --schema scene
same schema/tunings.schema.json --schema tunings
same keys.md --keys

validate() { "$python" "$root/tests/schema/validate.py" "$@"; }

scene_schema=$root/docs/schema/scene.schema.json
for slip in 'rate_hz = "fast"' '[follower.a]
target = "t"
frequency = 2' '[target.t]
moves = [{ at_s = 1 }]'; do
    echo "$slip" >"$scratch/slip.toml"
    if validate "$scene_schema" "$scratch/slip.toml" >/dev/null; then
        echo "the schema lets a slip pass: $slip" >&2
        problems=1
    fi
done

# Each TOML block of a document that is a whole scene: one with a target.
for document in "$root"/README.md "$root"/docs/*.md; do
    awk -v out="$scratch/$(basename "$document" .md)" '
        /^```toml/ { n++; open = 1; next }
        /^```/ { open = 0 }
        open { print > (out "_" n ".toml") }' "$document"
done
tunings=("$root"/scenes/**/*tunings.toml)
scenes=()
for file in "$root"/scenes/**/*.toml "$scratch"/*_*.toml; do
    [[ $file == *tunings.toml ]] && continue
    if grep -q '^\[tuning\.' "$file" && ! grep -qE '^\[(target|coast)\.' "$file"; then
        tunings+=("$file")
    else
        scenes+=("$file")
    fi
done
((${#scenes[@]} > 0)) || { echo "no scenes to look at" >&2; exit 1; }
validate "$scene_schema" "${scenes[@]}" || problems=1
validate "$root/docs/schema/tunings.schema.json" "${tunings[@]}" || problems=1
for file in "$root"/scenes/**/*.toml; do
    "$command" check "$file" >/dev/null || { "$command" check "$file" >&2 || true; problems=1; }
done
((problems == 0))
echo "${#scenes[@]} scenes and ${#tunings[@]} tuning files fit"
