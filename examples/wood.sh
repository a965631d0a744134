#!/usr/bin/env bash
# Water from land, then wood from the rest of land, by examples alone, kept and asked of the other date: examples/wood.sh [FOLDER FOR RESULTS]
set -euo pipefail
. "$(dirname "${BASH_SOURCE[0]}")/prepare.sh"
both
cut() { run segment.merge --in images="$1" --set bands=red,nir,swir1 --set merge-limit=5 --out segments="$2"; }

cut "$out/surface-2031.tif" "$out/segments-2031.tif"
run classify.key --in images="$out/surface-2031.tif" --in segments="$out/segments-2031.tif" --in key="$here/examples/wood.key.json" \
    --in examples="$here/examples/wood.examples.geojson" --out classes="$out/wood-2031.tif" --out key="$out/taught.key.json"
cut "$out/onto-2033.tif" "$out/segments-2033.tif"
run classify.key --in images="$out/onto-2033.tif" --in segments="$out/segments-2033.tif" --in key="$out/taught.key.json" --out classes="$out/wood-2033.tif"

for year in 2031 2033; do
    echo "wood-$year $(score accuracy "$out/wood-$year.tif" "$demo/orvane-$year-truth.tif" "water=deep water,shallow water" "wood=woodland" "other land=")"
done
