<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Problem;

/** Features from and to whichever open format a file is in. A format is one class, and one line here. */
final class Vectors
{
    /** @var list<class-string<FeatureReader>> */
    private const READERS = [GeoPackage::class, Shapefile::class, GeoJson::class];

    /** @var list<class-string<FeatureWriter>> */
    private const WRITERS = [GeoJson::class];

    /** @throws Problem where a file holds no features that can be read */
    public static function read(string $path, ?string $layer = null): FeatureSet
    {
        $reader = self::reader($path);
        if ($reader === null) {
            throw Problem::input(basename($path).' holds no features that can be read: GeoJSON, GeoPackage or shapefile.', 'file');
        }

        return $reader::read($path, $layer);
    }

    /** What kind of file it is by its first bytes; null for none of ours. */
    public static function format(string $path): ?string
    {
        $reader = self::reader($path);

        return $reader === null ? null : $reader::format();
    }

    /** @return list<string> endings of the files that can be written */
    public static function endings(): array
    {
        return array_merge(...array_map(fn (string $writer): array => $writer::endings(), self::WRITERS));
    }

    /**
     * In the format that the ending of the file names.
     *
     * @param  iterable<array<string, mixed>>  $features  of GeoJSON: `geometry`, `properties` and, by choice, `id`
     * @param  int|null  $epsg  CRS of their coordinates; longitude and latitude on WGS 84 when null
     *
     * @throws Problem where there is no such format, or the file can't be written
     */
    public static function write(string $path, iterable $features, ?int $epsg = null): void
    {
        foreach (self::WRITERS as $writer) {
            foreach ($writer::endings() as $ending) {
                if (str_ends_with(strtolower($path), $ending)) {
                    $writer::write($path, $features, $epsg);

                    return;
                }
            }
        }
        throw Problem::call('Features can\'t be written as '.basename($path).'; the file can end in '.implode(', ', self::endings()).'.');
    }

    /** @return class-string<FeatureReader>|null */
    private static function reader(string $path): ?string
    {
        $head = (string) @file_get_contents($path, false, null, 0, 4096);
        foreach (self::READERS as $reader) {
            if ($reader::recognises($head)) {
                return $reader;
            }
        }

        return null;
    }
}
