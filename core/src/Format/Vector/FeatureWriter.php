<?php

namespace Chorometra\Core\Format\Vector;

use Chorometra\Core\Problem;

/** A format that features are written to. */
interface FeatureWriter
{
    /** @return list<string> endings of files, with the point, in small letters */
    public static function endings(): array;

    /**
     * Writes the whole file, by rename. Features come one by one, so that a large collection needs no memory.
     *
     * @param  iterable<array<string, mixed>>  $features  of GeoJSON: `geometry`, `properties` and, by choice, `id`
     * @param  int|null  $epsg  CRS of their coordinates; longitude and latitude on WGS 84 when null
     *
     * @throws Problem where it can't be written
     */
    public static function write(string $path, iterable $features, ?int $epsg = null): void;
}
