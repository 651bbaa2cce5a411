#!/usr/bin/env bash
# Every model that the command writes of the shipped scenes passes the format's reference validator,
# and so do models that the library writes in its tests. First the validator shows that it can refuse.
#
# usage: models.sh ROOT COMMAND TOOLS
set -euo pipefail
shopt -s globstar nullglob
root=$1
command=$2
tools=$3 # a folder for the validator, kept between runs
scratch=$(mktemp -d)
trap 'rm -rf "$scratch"' EXIT

mkdir -p "$tools"
cp "$root"/tests/models/{package.json,validate.js} "$tools"
[[ -d $tools/node_modules/gltf-validator ]] ||
    npm install --prefix "$tools" --no-audit --no-fund --no-package-lock --silent

echo '{ "asset": { "version": "2.0" }, "nodes": [{ "mesh": 3 }] }' >"$scratch/broken.gltf"
if node "$tools/validate.js" "$scratch/broken.gltf" >/dev/null; then
    echo "the validator found nothing wrong with a broken model" >&2
    exit 1
fi

# The scenes in turn as a .glb with smooth curves and as a .gltf with straight ones.
models=()
ways=("cubic glb" "straight gltf")
for scene in "$root"/scenes/**/*.toml; do
    [[ $scene == *tunings.toml ]] && continue
    read -r shape ending <<<"${ways[$((${#models[@]} % 2))]}"
    model=$scratch/$(basename "$scene" .toml).$ending
    "$command" bake "$scene" --shape "$shape" --out "$model" >/dev/null
    models+=("$model")
done
((${#models[@]} > 0)) || { echo "no scenes to make models of" >&2; exit 1; }
node "$tools/validate.js" "${models[@]}"
echo "${#models[@]} models, nothing to remark"
