<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Format\GeoJson;
use Chorometra\Core\Problem;

/** Points with a label each, from GeoJSON. */
final class LabelledPoints
{
    /** @return list<array{x: float, y: float, label: string|null}> map coordinates and label */
    public static function read(string $path, ?int $epsg, string $about = 'points'): array
    {
        ['epsg' => $own, 'features' => $features] = GeoJson::read($path);
        $points = [];
        foreach ($features as $feature) {
            $at = $feature['geometry']['coordinates'] ?? null;
            if (($feature['geometry']['type'] ?? null) !== 'Point' || ! is_array($at) || ! is_numeric($at[0] ?? null) || ! is_numeric($at[1] ?? null)) {
                throw Problem::input(basename($path).' holds something that is no point; check points are points.', $about);
            }
            [$x, $y] = GeoJson::toMap((float) $at[0], (float) $at[1], $own, $epsg, basename($path));
            $label = $feature['properties']['label'] ?? null;
            $points[] = ['x' => $x, 'y' => $y, 'label' => is_scalar($label) && $label !== '' ? (string) $label : null];
        }

        return $points;
    }
}
