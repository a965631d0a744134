<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Format\CsvRows;
use Chorometra\Core\Problem;

/**
 * Points with a label each, from GeoJSON or from CSV with columns longitude and latitude.
 *
 * @phpstan-type Point array{
 *     x: float, y: float, label: string|null, second: string|null, stratum: string|null, share: float|null, design: string|null, ground: float|null
 * }
 */
final class LabelledPoints
{
    /** WGS 84 in longitude and latitude. */
    private const DEGREES = 4326;

    private const MOST_POINTS = 200_000;

    /**
     * Map coordinates, label and what it may be as well; of check points also what they were drawn from, the share of all ground that this covers, and
     * how much that is.
     *
     * @param  string  $field  property or column that holds the label
     * @return list<Point>
     *
     * @throws Problem where something is no point, or no point tells the field
     */
    public static function read(string $path, ?int $epsg, string $about = 'points', string $field = 'label'): array
    {
        ['epsg' => $own, 'points' => $read] = self::places($path, $about);
        $points = [];
        $isThere = $read === [];
        foreach ($read as ['x' => $longitude, 'y' => $latitude, 'told' => $told]) {
            [$x, $y] = GeoJson::toMap($longitude, $latitude, $own, $epsg, basename($path));
            $isThere = $isThere || array_key_exists($field, $told);
            $points[] = ['x' => $x, 'y' => $y, 'label' => self::text($told[$field] ?? null), 'second' => self::text($told['second'] ?? null),
                ...self::drawn($told)];
        }
        if (! $isThere && $field !== 'label') {
            $there = implode(', ', array_slice(array_keys($read[0]['told']), 0, 12)) ?: 'none';
            throw Problem::input(basename($path)." has no property “{$field}” that could hold the labels; it has $there.", 'field');
        }

        return $points;
    }

    /**
     * Where points lie, and all that is told of them.
     *
     * @return array{epsg: int, points: list<array{x: float, y: float, told: array<string, mixed>}>}
     *
     * @throws Problem where a feature is no point
     */
    public static function places(string $path, string $about = 'points'): array
    {
        if (str_ends_with(strtolower($path), '.csv')) {
            return ['epsg' => self::DEGREES, 'points' => self::ofTable($path, $about)];
        }
        ['epsg' => $own, 'features' => $features] = GeoJson::all($path);
        $points = [];
        foreach ($features as $feature) {
            $at = $feature['geometry']['coordinates'] ?? null;
            if (($feature['geometry']['type'] ?? null) !== 'Point' || ! is_array($at) || ! is_numeric($at[0] ?? null) || ! is_numeric($at[1] ?? null)) {
                throw Problem::input(basename($path).' contains features that are not points; check points are points.', $about);
            }
            $told = is_array($feature['properties'] ?? null) ? $feature['properties'] : [];
            $points[] = ['x' => (float) $at[0], 'y' => (float) $at[1], 'told' => $told];
        }

        return ['epsg' => $own, 'points' => $points];
    }

    /** @return list<array{x: float, y: float, told: array<string, mixed>}> */
    private static function ofTable(string $path, string $about): array
    {
        $name = basename($path);
        $rows = new CsvRows($path);
        $columns = array_column($rows->columns(), 'name');
        [$longitude, $latitude] = [array_search('longitude', $columns, true), array_search('latitude', $columns, true)];
        if ($longitude === false || $latitude === false || count($columns) !== count(array_unique($columns))) {
            throw Problem::input("$name has no columns longitude and latitude, in degrees; it has ".implode(', ', array_slice($columns, 0, 12)).'.', $about);
        }
        if ($rows->count() > self::MOST_POINTS) {
            throw Problem::input("$name has more than ".number_format(self::MOST_POINTS).' rows.', $about);
        }
        $points = [];
        foreach ($rows->rows(0, $rows->count()) as $number => $row) {
            [$x, $y] = array_map(fn (mixed $cell): float => is_numeric($cell) ? (float) $cell : NAN, [$row[$longitude], $row[$latitude]]);
            if (! (abs($x) <= 360.0 && abs($y) <= 90.0)) {
                throw Problem::input("$name has no valid coordinates in row ".($number + 2).'.', $about);
            }
            $points[] = ['x' => $x, 'y' => $y, 'told' => array_combine($columns, $row)];
        }

        return $points;
    }

    /**
     * @param  array<mixed>  $told  properties of a point
     * @return array{stratum: string|null, share: float|null, design: string|null, ground: float|null, unlabelled: bool}
     */
    public static function drawn(array $told): array
    {
        $share = $told['share'] ?? null;
        $ground = $told['ground'] ?? null;

        return [
            'stratum' => self::text($told['stratum'] ?? null),
            'share' => is_numeric($share) && $share > 0 && $share <= 1.0 ? (float) $share : null,
            'design' => self::text($told['design'] ?? null),
            'ground' => is_numeric($ground) && $ground > 0 && is_finite((float) $ground) ? (float) $ground : null,
            // a table says 1, true or yes
            'unlabelled' => in_array(strtolower((string) self::text($told['unlabelled'] ?? null)), ['1', 'true', 'yes'], true),
        ];
    }

    private static function text(mixed $value): ?string
    {
        return is_scalar($value) && $value !== '' ? (string) $value : null;
    }
}
