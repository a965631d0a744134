#!/usr/bin/env bash
# Water, vegetation and the rest from four bands: examples/water-and-vegetation.sh [FOLDER FOR RESULTS]
set -euo pipefail
. "$(dirname "${BASH_SOURCE[0]}")/prepare.sh"
scene 2031
image="$out/surface-2031.tif"
key="$here/examples/water-and-vegetation.key.json"

# the water index cut at 0, without what is smaller than ten pixels; what remains is merged
run derive.index --in image="$image" --set index=ndwi --out result="$out/ndwi.tif"
run segment.slice --in image="$out/ndwi.tif" --set limits=0 --set minimum=10 --set names=land,water \
    --out classes="$out/slices.tif" --out segments="$out/sliced.tif"
run segment.merge --in images="$image" --in within="$out/slices.tif" --set codes=land --set bands=blue,green,red,nir --set merge-limit=10 \
    --out segments="$out/land.tif"
run segment.join --in segments="$out/land.tif" --in others="$out/sliced.tif" --out segments="$out/segments.tif"
run classify.key --in images="$image" --in segments="$out/segments.tif" --in key="$key" --out classes="$out/cover.tif"
# the same questions asked of pixels
run classify.key --in images="$image" --in key="$key" --out classes="$out/cover-of-pixels.tif"

for map in cover cover-of-pixels; do
    echo "$map $(score accuracy "$out/$map.tif" "$demo/orvane-2031-truth.tif" "water=deep water,shallow water" \
        "vegetation=salt marsh,pasture,crops,woodland" "the rest=")"
done
