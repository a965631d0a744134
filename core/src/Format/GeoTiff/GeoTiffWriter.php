<?php

namespace Chorometra\Core\Format\GeoTiff;

use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Work\Files;

/**
 * Puts a tiled GeoTIFF together from tiles that are ready: directories first, full resolution first, bands separate,
 * overviews as reduced images (the cloud-optimised layout of OGC 21-026). BigTIFF where 4 GB would not do.
 */
final class GeoTiffWriter
{
    public const TILE = 256;

    /**
     * @param  list<array{width: int, height: int, tiles: TileStore}>  $levels  full resolution first
     */
    public static function write(string $path, RasterSpec $spec, array $levels, bool $deflate): void
    {
        $bytes = 0;
        foreach ($levels as $level) {
            $bytes += $level['tiles']->bytes() + 16 * $level['tiles']->count() + 4096;
        }
        $big = $bytes > 4_200_000_000;
        Files::replace($path, function ($handle, string $path) use ($spec, $levels, $deflate, $big): void {
            $head = self::directories($spec, $levels, $deflate, $big);
            Files::put($handle, $head, $path);
            foreach (array_reverse($levels) as $level) {
                $level['tiles']->copyTo($handle, $path);
            }
        });
    }

    /** @param  list<array{width: int, height: int, tiles: TileStore}>  $levels */
    private static function directories(RasterSpec $spec, array $levels, bool $deflate, bool $big): string
    {
        // two rounds: sizes do not depend on positions, so the first tells where the tiles begin
        $start = 0;
        for ($round = 0; $round < 2; $round++) {
            $begins = [];
            $position = $start;
            for ($index = count($levels) - 1; $index >= 0; $index--) {
                $begins[$index] = $position;
                $position += $levels[$index]['tiles']->bytes();
            }
            $out = $big ? "II\x2b\0\x08\0\0\0".pack('P', 16) : "II\x2a\0".pack('V', 8);
            foreach ($levels as $index => $level) {
                $out .= self::directory(self::tags($spec, $level, $index, $deflate, $begins[$index], $big), strlen($out), $index === count($levels) - 1, $big);
            }
            $start = strlen($out);
        }

        return $out;
    }

    /**
     * @param  array{width: int, height: int, tiles: TileStore}  $level
     * @return array<int, array{type: int, values: list<int>|list<float>|string}>
     */
    private static function tags(RasterSpec $spec, array $level, int $index, bool $deflate, int $begin, bool $big): array
    {
        $bands = count($spec->bands);
        $tags = [
            Tag::WIDTH => ['type' => 4, 'values' => [$level['width']]],
            Tag::HEIGHT => ['type' => 4, 'values' => [$level['height']]],
            Tag::BITS_PER_SAMPLE => ['type' => 3, 'values' => array_fill(0, $bands, 8 * $spec->type->bytes())],
            Tag::COMPRESSION => ['type' => 3, 'values' => [$deflate ? 8 : 1]],
            Tag::PHOTOMETRIC => ['type' => 3, 'values' => [$spec->legend !== null && $spec->type->bytes() <= 2 ? 3 : 1]],
            Tag::SAMPLES_PER_PIXEL => ['type' => 3, 'values' => [$bands]],
            Tag::PLANAR => ['type' => 3, 'values' => [$bands > 1 ? 2 : 1]],
            Tag::SOFTWARE => ['type' => 2, 'values' => 'Chorometra'],
            Tag::TILE_WIDTH => ['type' => 4, 'values' => [self::TILE]],
            Tag::TILE_HEIGHT => ['type' => 4, 'values' => [self::TILE]],
            Tag::TILE_OFFSETS => ['type' => $big ? 16 : 4, 'values' => $level['tiles']->offsets($begin)],
            Tag::TILE_BYTE_COUNTS => ['type' => 4, 'values' => $level['tiles']->sizes()],
            Tag::SAMPLE_FORMAT => ['type' => 3, 'values' => array_fill(0, $bands, $spec->type->tiffFormat())],
        ];
        if ($index > 0) {
            $tags[Tag::NEW_SUBFILE_TYPE] = ['type' => 4, 'values' => [1]];
        }
        if ($bands > 1) {
            $tags[Tag::EXTRA_SAMPLES] = ['type' => 3, 'values' => array_fill(0, $bands - 1, 0)];
        }
        if ($spec->nodata !== null) {
            $tags[Tag::NODATA] = ['type' => 2, 'values' => is_nan($spec->nodata) ? 'nan' : json_encode($spec->nodata, JSON_THROW_ON_ERROR)];
        }
        if ($spec->legend !== null && $spec->type->bytes() <= 2) {
            $tags[Tag::COLOUR_MAP] = ['type' => 3, 'values' => self::colourMap($spec)];
        }
        if ($index === 0) {
            $tags += GeoReference::tags($spec->grid);
        }
        ksort($tags);

        return $tags;
    }

    /** @param  array<int, array{type: int, values: list<int>|list<float>|string}>  $tags */
    private static function directory(array $tags, int $position, bool $last, bool $big): string
    {
        $word = $big ? 8 : 4;
        $entries = pack($big ? 'P' : 'v', count($tags));
        $after = $position + strlen($entries) + count($tags) * ($big ? 20 : 12) + $word;
        $data = '';
        foreach ($tags as $tag => ['type' => $type, 'values' => $values]) {
            $bytes = is_string($values) ? $values."\0" : pack(match ($type) {
                3 => 'v*',
                4 => 'V*',
                12 => 'e*',
                default => 'P*',
            }, ...$values);
            $entries .= pack('vv', $tag, $type).pack($big ? 'P' : 'V', is_string($values) ? strlen($bytes) : count($values));
            if (strlen($bytes) <= $word) {
                $entries .= str_pad($bytes, $word, "\0");
            } else {
                $entries .= pack($big ? 'P' : 'V', $after + strlen($data));
                $data .= $bytes.str_repeat("\0", (8 - (strlen($bytes) & 7)) & 7);
            }
        }
        $end = $after + strlen($data);

        return $entries.pack($big ? 'P' : 'V', $last ? 0 : $end).$data;
    }

    /** @return list<int> */
    private static function colourMap(RasterSpec $spec): array
    {
        $size = 1 << (8 * $spec->type->bytes());
        $map = array_fill(0, 3 * $size, 0);
        foreach ($spec->legend->classes ?? [] as $code => $class) {
            $rgb = (int) hexdec(ltrim($class['colour'], '#'));
            $map[$code] = (($rgb >> 16) & 255) * 257;
            $map[$size + $code] = (($rgb >> 8) & 255) * 257;
            $map[2 * $size + $code] = ($rgb & 255) * 257;
        }

        return $map;
    }
}
