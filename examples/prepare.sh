# Both dates of the demo as surface reflectance on one grid, in the folder $out; sourced by the examples.
here=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
demo="$here/storage/demo"
out=${1:-$(mktemp -d)}
mkdir -p "$out"
run() { "$here/bin/chorometra" run "$@" --quiet; }
score() { php "$here/examples/score.php" "$@"; }

"$here/bin/setup" >&2
[ -f "$demo/orvane-2033.tar.gz" ] || php "$here/demo/make.php" >&2

scene() { # year
    run gather.bundle --in image="$demo/orvane-$1.tar.gz" --out result="$out/orvane-$1"
    run correct.lines --in image="$out/orvane-$1/multispectral.tif" --out result="$out/mended-$1.tif"
    run correct.calibrate --in image="$out/mended-$1.tif" --out result="$out/toa-$1.tif"
    run correct.surface --in image="$out/toa-$1.tif" --out result="$out/surface-$1.tif"
}

both() {
    scene 2031
    scene 2033
    run correct.coregister --in moving="$out/surface-2033.tif" --in reference="$out/surface-2031.tif" --set band=nir --out result="$out/onto-2033.tif"
}
