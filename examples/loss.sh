#!/usr/bin/env bash
# Vegetation lost where the sea wall was opened: examples/loss.sh [FOLDER FOR RESULTS]
set -euo pipefail
. "$(dirname "${BASH_SOURCE[0]}")/prepare.sh"
both
images=(--in images="$out/surface-2031.tif" --in images="$out/onto-2033.tif" --set names=before,after)

# both dates cut together, red and near infrared of each with equal weights
run segment.merge "${images[@]}" --set bands=before.red,before.nir,after.red,after.nir --set weights=25,25,25,25 --set merge-limit=20 \
    --out segments="$out/segments.tif"
run classify.key "${images[@]}" --in segments="$out/segments.tif" --in key="$here/examples/loss.key.json" \
    --out classes="$out/loss.tif" --out segments="$out/after-tidying.tif" --out measures="$out/loss.npz" --report "$out/loss.json"
run deliver.outlines --in image="$out/loss.tif" --set only=lost --out result="$out/loss.geojson"

echo "loss $(score loss "$out/loss.tif" lost "$demo/orvane-2031-truth.tif" "$demo/orvane-2033-truth.tif" "$here/examples/loss.area.geojson")"
