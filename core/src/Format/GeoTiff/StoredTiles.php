<?php

namespace Chorometra\Core\Format\GeoTiff;

/**
 * Tiles as they lie in a file of our own layout (little-endian, bands separate, tiles of 256 x 256, deflated without predictor), to be
 * handed on without unpacking them. Of the file's lists only the places of the tiles asked for are read.
 */
final readonly class StoredTiles
{
    /** @param  list<Directory>  $levels  full resolution first */
    private function __construct(private Source $source, private array $levels) {}

    /** Null where the file has another layout. */
    public static function of(string $path): ?self
    {
        $source = new Source($path);
        ['bigEndian' => $bigEndian, 'directories' => $directories] = Directory::all($source);
        foreach ($directories as $index => $directory) {
            $isOurs = ! $bigEndian && $directory->int(Tag::COMPRESSION, 1) === 8 && $directory->int(Tag::PREDICTOR, 1) === 1 && $directory->int(Tag::FILL_ORDER, 1) === 1
                && $directory->int(Tag::TILE_WIDTH, 0) === GeoTiffWriter::TILE && $directory->int(Tag::TILE_HEIGHT, 0) === GeoTiffWriter::TILE
                && ($directory->int(Tag::SAMPLES_PER_PIXEL, 1) === 1 || $directory->int(Tag::PLANAR, 1) === 2)
                && $directory->int(Tag::NEW_SUBFILE_TYPE, 0) === ($index === 0 ? 0 : 1);
            if (! $isOurs) {
                return null;
            }
        }

        return new self($source, $directories);
    }

    /** A zlib stream (RFC 1950) of one band's samples, little-endian; null where there is no such tile, or nothing stored for it. */
    public function deflated(int $band, int $across, int $down, int $level): ?string
    {
        $directory = $this->levels[$level] ?? null;
        if ($directory === null) {
            return null;
        }
        $columns = intdiv($directory->int(Tag::WIDTH, 1) + GeoTiffWriter::TILE - 1, GeoTiffWriter::TILE);
        $rows = intdiv($directory->int(Tag::HEIGHT, 1) + GeoTiffWriter::TILE - 1, GeoTiffWriter::TILE);
        if ($across < 0 || $down < 0 || $band < 0 || $across >= $columns || $down >= $rows || $band >= $directory->int(Tag::SAMPLES_PER_PIXEL, 1)) {
            return null;
        }
        $index = ($band * $rows + $down) * $columns + $across;
        $size = $directory->intAt(Tag::TILE_BYTE_COUNTS, $index);
        $offset = $directory->intAt(Tag::TILE_OFFSETS, $index);

        return $size === null || $size === 0 || $offset === null ? null : $this->source->bytes($offset, $size, "tile $index");
    }
}
