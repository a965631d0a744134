#!/usr/bin/env bash
# Eight classes taught from forty drawn areas, and the model used on the other date: examples/classes.sh [FOLDER FOR RESULTS]
set -euo pipefail
. "$(dirname "${BASH_SOURCE[0]}")/prepare.sh"
both
groups=("water=deep water,shallow water" "tidal flat=tidal flat" "salt marsh=salt marsh" "pasture=pasture" "crops=crops"
    "bare ground=bare soil,quarry" "woodland=woodland" "town=town")

run classify.teach --in images="$out/surface-2031.tif" --in areas="$here/examples/classes.areas.geojson" --set method=random-forest \
    --out classes="$out/classes-2031.tif" --out confidence="$out/sure-2031.tif" --out model="$out/classes.model.json"
run classify.apply --in images="$out/onto-2033.tif" --in model="$out/classes.model.json" --out classes="$out/classes-2033.tif" --out outside="$out/outside-2033.tif"

for map in classes-2031 classes-2033; do
    year=${map##*-}
    echo "$map $(score accuracy "$out/$map.tif" "$demo/orvane-$year-truth.tif" "${groups[@]}")"
done
echo "by-class $(score classes "$out/classes-2031.tif" "$demo/orvane-2031-truth.tif" "${groups[@]}")"
