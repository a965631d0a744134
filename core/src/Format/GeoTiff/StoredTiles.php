<?php

namespace Chorometra\Core\Format\GeoTiff;

use Chorometra\Core\Raster\RasterSpec;

/**
 * Tiles as they lie in a file of our own layout (little-endian, bands separate, tiles of 256 x 256, deflated without predictor), to be
 * handed on without unpacking them. Of the file's lists only the places of the tiles asked for are read.
 */
final readonly class StoredTiles
{
    /** @param  list<Directory>  $levels  full resolution first */
    private function __construct(private TiffBytes $source, private array $levels) {}

    /** Null where the file has another layout. */
    public static function of(string $path): ?self
    {
        $source = new TiffBytes($path);
        ['bigEndian' => $bigEndian, 'directories' => $directories] = Directory::all($source);
        foreach ($directories as $index => $directory) {
            $isOurs =
                ! $bigEndian &&
                $directory->int(Tag::COMPRESSION, 1) === 8 &&
                $directory->int(Tag::PREDICTOR, 1) === 1 &&
                $directory->int(Tag::FILL_ORDER, 1) === 1 &&
                $directory->int(Tag::TILE_WIDTH, 0) === GeoTiffWriter::TILE &&
                $directory->int(Tag::TILE_HEIGHT, 0) === GeoTiffWriter::TILE &&
                ($directory->int(Tag::SAMPLES_PER_PIXEL, 1) === 1 || $directory->int(Tag::PLANAR, 1) === 2) &&
                $directory->int(Tag::NEW_SUBFILE_TYPE, 0) === ($index === 0 ? 0 : 1);
            if (! $isOurs) {
                return null;
            }
        }

        return new self($source, $directories);
    }

    /**
     * The tiles of images as those of a raster whose samples are the same; null where one of the files has another layout, or where packing
     * anew could make other samples of them (floats, of which infinite ones become nodata).
     *
     * @param  list<array{GeoTiffImage, int}>  $bands  of the raster: image and band that each is
     * @return \Closure(int, int, int): ?string|null by band, column and row
     */
    public static function passing(array $bands, RasterSpec $to): ?\Closure
    {
        $files = [];
        foreach ($bands as [$image]) {
            $spec = $image->spec();
            if ($spec->type !== $to->type || $to->type->isFloat() || $spec->grid->width !== $to->grid->width || $spec->grid->height !== $to->grid->height) {
                return null;
            }
            $files[$image->path()] ??= self::of($image->path());
            if ($files[$image->path()] === null || array_unique($files[$image->path()]->levels[0]->ints(Tag::BITS_PER_SAMPLE)) !== [8 * $to->type->bytes()]) {
                return null;
            }
        }
        $process = getmypid();

        return function (int $band, int $across, int $down) use ($bands, $files, &$process): ?string {
            if ($process !== getmypid()) {
                $process = getmypid();
                array_map(fn (self $file) => $file->source->reopen(), array_filter($files));
            }
            [$image, $of] = $bands[$band];

            return $files[$image->path()]?->deflated($of, $across, $down, 0);
        };
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
