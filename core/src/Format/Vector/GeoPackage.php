<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Problem;

/** Features of a GeoPackage (OGC 12-128r18): the first table of them, or the one named. */
final class GeoPackage
{
    private const MOST_FEATURES = 1_000_000;

    public static function read(string $path, ?string $layer = null): FeatureSet
    {
        $name = basename($path);
        try {
            $database = new \PDO("sqlite:$path", null, null, [\PDO::ATTR_ERRMODE => \PDO::ERRMODE_EXCEPTION, \PDO::SQLITE_ATTR_OPEN_FLAGS => \PDO::SQLITE_OPEN_READONLY]);
            $tables = self::rows($database, "SELECT g.table_name, g.column_name, g.srs_id FROM gpkg_geometry_columns g JOIN gpkg_contents c ON c.table_name = g.table_name WHERE c.data_type = 'features' ORDER BY g.table_name");
            $names = array_column($tables, 'table_name');
            if ($names === []) {
                throw Problem::input("$name holds no features.", 'file');
            }
            $index = $layer === null ? 0 : array_search($layer, $names, true);
            if ($index === false) {
                throw Problem::call("$name has no layer “{$layer}”; it has ".implode(', ', $names).'.', 'layer');
            }
            ['table_name' => $table, 'column_name' => $column, 'srs_id' => $id] = $tables[$index];
            $system = self::rows($database, 'SELECT organization, organization_coordsys_id, definition FROM gpkg_spatial_ref_sys WHERE srs_id = '.(int) $id)[0] ?? null;
            $features = [];
            foreach ($database->query('SELECT * FROM '.self::quoted((string) $table), \PDO::FETCH_ASSOC) ?: [] as $row) {
                if (count($features) >= self::MOST_FEATURES) {
                    throw Problem::input("$name holds more than a million features; cut it into parts.", 'file');
                }
                if (! array_key_exists((string) $column, $row)) {
                    throw Problem::input("$name is broken: its table $table has no geometry.", 'file');
                }
                $blob = $row[$column];
                unset($row[$column]);
                $features[] = ['geometry' => is_string($blob) ? self::geometry($blob, $name) : null, 'properties' => $row];
            }
        } catch (\PDOException) {
            throw Problem::input("$name is no GeoPackage that can be read, or it is broken.", 'file');
        }
        $isEpsg = strtoupper((string) ($system['organization'] ?? '')) === 'EPSG';
        $epsg = (int) ($system['organization_coordsys_id'] ?? 0);
        $projection = ($isEpsg ? Crs::of($epsg) : null) ?? WellKnownText::projection((string) ($system['definition'] ?? ''));

        return new FeatureSet($name, 'GeoPackage', $projection, $isEpsg ? "EPSG:$epsg" : WellKnownText::name((string) ($system['definition'] ?? '')), $features);
    }

    /** @return array<string, mixed>|null */
    private static function geometry(string $blob, string $name): ?array
    {
        if (strlen($blob) < 8 || ! str_starts_with($blob, 'GP')) {
            throw Problem::input("$name is broken: a geometry in it has no GeoPackage header.", 'file');
        }
        $flags = ord($blob[3]);
        if (($flags & 0x10) !== 0) {
            return null;
        }
        $envelope = [0, 32, 48, 48, 64][($flags >> 1) & 7] ?? throw Problem::input("$name is broken: a geometry in it has an unknown envelope.", 'file');

        return Wkb::read(substr($blob, 8 + $envelope), $name);
    }

    /** @return list<array<string, mixed>> */
    private static function rows(\PDO $database, string $query): array
    {
        $statement = $database->query($query, \PDO::FETCH_ASSOC);

        return $statement === false ? [] : array_values($statement->fetchAll());
    }

    private static function quoted(string $name): string
    {
        return '"'.str_replace('"', '""', $name).'"';
    }
}
