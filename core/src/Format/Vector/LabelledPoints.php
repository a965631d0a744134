<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Format\GeoJson;
use Chorometra\Core\Problem;

/** Points with a label each, from GeoJSON. */
final class LabelledPoints
{
    /**
     * Map coordinates and label; of check points also what they were drawn from, and the share of all ground that this covers.
     *
     * @return list<array{x: float, y: float, label: string|null, stratum: string|null, share: float|null, design: string|null}>
     */
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
            $told = is_array($feature['properties'] ?? null) ? $feature['properties'] : [];
            $points[] = ['x' => $x, 'y' => $y, 'label' => self::text($told['label'] ?? null), ...self::drawn($told)];
        }

        return $points;
    }

    /**
     * @param  array<mixed>  $told  properties of a point
     * @return array{stratum: string|null, share: float|null, design: string|null}
     */
    public static function drawn(array $told): array
    {
        $share = $told['share'] ?? null;

        return [
            'stratum' => self::text($told['stratum'] ?? null),
            'share' => is_numeric($share) && $share > 0 && $share <= 1.0 ? (float) $share : null,
            'design' => self::text($told['design'] ?? null),
        ];
    }

    private static function text(mixed $value): ?string
    {
        return is_scalar($value) && $value !== '' ? (string) $value : null;
    }
}
