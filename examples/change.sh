#!/usr/bin/env bash
# Where the sea took the land, found in three ways and held against the truth: examples/change.sh [FOLDER FOR RESULTS]
set -euo pipefail
. "$(dirname "${BASH_SOURCE[0]}")/prepare.sh"
both
dates=(--in before="$out/surface-2031.tif" --in after="$out/onto-2033.tif")

# what grew there is gone: near infrared falls far below what changes elsewhere
run compare.difference "${dates[@]}" --set bands=nir --set limits=deviations --set spread=robust --set below=-6 \
    --out difference="$out/difference.tif" --out changes="$out/difference-changes.tif" --report "$out/difference.json"
# the same in two bands: nir down, whatever red does
run compare.vector "${dates[@]}" --set bands=red,nir --set limits=values --set above=0.12 \
    --out vector="$out/vector.tif" --out changes="$out/vector-signs.tif" --report "$out/vector.json"
run classify.recode --in classes="$out/vector-signs.tif" --set lines=$'gone = red down and nir down, red up and nir down' \
    --out classes="$out/vector-changes.tif"
# in all bands together, whatever light and air put between the dates: it finds all that changed, not only what is gone
run compare.mad "${dates[@]}" --set reweightings=0 --set at-most=1e-6 --out probability="$out/mad.tif" --out changes="$out/mad-changes.tif" \
    --report "$out/mad.json"

for way in difference:"less nir" vector:gone mad:changed; do
    name=${way%%:*}
    run classify.sieve --in classes="$out/$name-changes.tif" --set minimum=100 --out classes="$out/$name-sieved.tif"
    echo "$name $(score loss "$out/$name-sieved.tif" "${way#*:}" "$demo/orvane-2031-truth.tif" "$demo/orvane-2033-truth.tif" "$here/examples/loss.area.geojson")"
done
