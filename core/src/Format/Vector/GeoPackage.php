<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Problem;
use Chorometra\Core\Work\Utf8;
use Chorometra\Core\Work\Workers;

/**
 * Features of a GeoPackage (OGC 12-128r18): the first table of them, or the one named.
 *
 * A database may hold programs: views and triggers, columns that are computed, pages that lead in circles. So only plain tables are read,
 * without sorting or joining, with SQLite's own defences on, and in a process of its own that is ended when it is silent for long.
 */
final class GeoPackage implements FeatureReader
{
    private const MOST_FEATURES = 1_000_000;

    private const MOST_BYTES = 2 << 30;

    private const MOST_CELL = 16 << 20;

    private const MOST_LAYERS = 1000;

    private const SECONDS = 10.0;

    private const MEMORY = '384M';

    public static function format(): string
    {
        return 'GeoPackage';
    }

    public static function recognises(string $head): bool
    {
        return str_starts_with($head, "SQLite format 3\0");
    }

    public static function read(string $path, ?string $layer = null): FeatureSet
    {
        $name = basename($path);
        if (filesize($path) > self::MOST_BYTES) {
            throw Problem::input("$name is larger than 2 GB: cut it into parts.", 'file');
        }
        $about = null;
        foreach (self::aside($name, fn (): iterable => [self::about(self::open($path), $name, $layer)]) as $about) {
            // one answer is all there is
        }
        if ($about === null) {
            throw self::broken($name);
        }
        ['table' => $table, 'column' => $column, 'system' => $system] = $about;
        $isEpsg = strtoupper($system['organization'] ?? '') === 'EPSG';
        $epsg = (int) ($system['code'] ?? 0);
        $projection = ($isEpsg ? Crs::of($epsg) : null) ?? WellKnownText::projection($system['definition'] ?? '');

        return new FeatureSet(
            $name,
            'GeoPackage',
            $projection,
            $isEpsg ? "EPSG:$epsg" : WellKnownText::name($system['definition'] ?? ''),
            null,
            fn (): \Generator => self::aside($name, fn (): \Generator => self::features(self::open($path), $table, $column, $name)),
        );
    }

    /**
     * @template T
     *
     * @param  \Closure(): iterable<T>  $tell
     * @return \Generator<int, T>
     */
    private static function aside(string $name, \Closure $tell): \Generator
    {
        return Workers::messages(function () use ($tell, $name): \Generator {
            ini_set('memory_limit', self::MEMORY);
            try {
                yield from $tell();
            } catch (\PDOException) {
                throw self::broken($name);
            }
        }, self::SECONDS, "$name takes too long to read: it is corrupt or of another format.");
    }

    private static function open(string $path): \PDO
    {
        $database = new \PDO("sqlite:$path", null, null, [
            \PDO::ATTR_ERRMODE => \PDO::ERRMODE_EXCEPTION,
            \PDO::SQLITE_ATTR_OPEN_FLAGS => \PDO::SQLITE_OPEN_READONLY,
        ]);
        foreach (['trusted_schema = OFF', 'query_only = ON', 'cell_size_check = ON', 'mmap_size = 0'] as $defence) {
            $database->exec("PRAGMA $defence");
        }

        return $database;
    }

    /** @return array{table: string, column: string, system: array{organization: string, code: string, definition: string}|null} */
    private static function about(\PDO $database, string $name, ?string $layer): array
    {
        foreach (['gpkg_geometry_columns', 'gpkg_contents', 'gpkg_spatial_ref_sys'] as $table) {
            self::plain($database, $table, $name);
        }
        $features = [];
        foreach (self::rows($database, 'SELECT table_name, data_type FROM gpkg_contents') as ['table_name' => $table, 'data_type' => $type]) {
            if ($type === 'features') {
                $features[$table] = true;
            }
        }
        $tables = [];
        foreach (self::rows($database, 'SELECT table_name, column_name, srs_id FROM gpkg_geometry_columns') as $row) {
            if (isset($features[$row['table_name']])) {
                $tables[(string) $row['table_name']] = $row;
            }
        }
        ksort($tables);
        $table = $layer ?? (string) array_key_first($tables);
        if ($tables === []) {
            throw Problem::input("$name holds no features.", 'file');
        }
        if (! isset($tables[$table])) {
            throw Problem::call("$name has no layer “{$layer}”; it has ".implode(', ', array_slice(array_keys($tables), 0, 20)).'.', 'layer');
        }
        self::plain($database, $table, $name);
        $system = null;
        foreach (self::rows($database, 'SELECT srs_id, organization, organization_coordsys_id, definition FROM gpkg_spatial_ref_sys') as $row) {
            if ($system === null && $row['srs_id'] === $tables[$table]['srs_id']) {
                $system = ['organization' => $row['organization'], 'code' => $row['organization_coordsys_id'], 'definition' => $row['definition']];
            }
        }

        return ['table' => $table, 'column' => $tables[$table]['column_name'], 'system' => $system];
    }

    /** @return \Generator<int, array{geometry: array<string, mixed>|null, properties: array<string, mixed>}> */
    private static function features(\PDO $database, string $table, string $column, string $name): \Generator
    {
        $count = 0;
        foreach ($database->query('SELECT * FROM '.self::quoted($table), \PDO::FETCH_ASSOC) ?: [] as $row) {
            if (++$count > self::MOST_FEATURES) {
                throw Problem::input("$name holds more than a million features; cut it into parts.", 'file');
            }
            if (! array_key_exists($column, $row)) {
                throw Problem::input("$name is broken: its table $table has no geometry.", 'file');
            }
            foreach ($row as $field => $cell) {
                if (is_string($cell) && strlen($cell) > self::MOST_CELL) {
                    throw Problem::input("$name has a cell of more than 16 MB in row $count: simplify it.", 'file');
                }
                // what is no text says nothing to a reader
                $row[$field] = is_string($cell) && $field !== $column ? Utf8::of($cell) : $cell;
            }
            $blob = $row[$column];
            unset($row[$column]);
            yield ['geometry' => is_string($blob) ? self::geometry($blob, $name) : null, 'properties' => $row];
        }
    }

    /** Refuses what is no plain table: a view, a virtual table, one with columns that are computed. */
    private static function plain(\PDO $database, string $table, string $name): void
    {
        $statement = $database->prepare("SELECT type, sql FROM sqlite_master WHERE name = ? AND type IN ('table', 'view') LIMIT 1");
        $statement->execute([$table]);
        $row = $statement->fetch(\PDO::FETCH_ASSOC);
        if (! is_array($row)) {
            throw self::broken($name);
        }
        if (
            $row['type'] !== 'table' ||
            ! is_string($row['sql']) ||
            ! preg_match('/^\s*CREATE\s+TABLE\b/i', $row['sql']) ||
            preg_match('/\bGENERATED\b|\bAS\s*\(/i', $row['sql'])
        ) {
            throw Problem::input("$name is refused: “{$table}” in it is no plain table.", 'file');
        }
    }

    /**
     * Rows of a small table, cells as text.
     *
     * @return list<array<string, string>>
     */
    private static function rows(\PDO $database, string $query): array
    {
        $rows = [];
        foreach ($database->query($query.' LIMIT '.self::MOST_LAYERS, \PDO::FETCH_ASSOC) ?: [] as $row) {
            $rows[] = array_map(fn (mixed $cell): string => is_scalar($cell) ? Utf8::of(substr((string) $cell, 0, 1 << 16)) : '', $row);
        }

        return $rows;
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

    private static function quoted(string $name): string
    {
        return '"'.str_replace('"', '""', $name).'"';
    }

    private static function broken(string $name): Problem
    {
        return Problem::input("$name is no GeoPackage that can be read, or it is broken.", 'file');
    }
}
