<?php

namespace App\Tiles;

use App\Studies\StudyMap;
use Chorometra\Core\Format\Deflate;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\GeoTiff\GeoTiffWriter;
use Chorometra\Core\Format\GeoTiff\StoredTiles;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\SampleType;

/**
 * 256 x 256 pixels of some bands of an item, as the browser paints them. Where the file has them so, its tiles are handed on as they lie
 * there, packed. It needs no framework.
 */
final readonly class Tile
{
    private const MOST_BANDS = 4;

    /** Of one band, unpacked. */
    private const MOST_BYTES = 256 * 256 * 8;

    /**
     * @param  string  $path  of the item's file
     * @param  array<string, mixed>  $meta  of the item (RasterMeta)
     * @param  string  $bands  numbers from 1, separated by commas
     */
    public function __construct(private string $path, private array $meta, private int $z, private int $x, private int $y, private string $bands) {}

    /** How it is known to the browser's cache: items never change. */
    public static function tag(int $item, string $rest): string
    {
        return '"'.$item.'-'.md5($rest).'"';
    }

    /** Each band as four bytes that tell a length (little-endian) and a zlib stream (RFC 1950) of that length, which holds the raw values. */
    public function packed(): string
    {
        return implode('', array_map(fn (string $stream): string => pack('V', strlen($stream)).$stream, $this->streams()));
    }

    /** Raw little-endian values of each band, one after the other. */
    public function plain(): string
    {
        return implode('', array_map(fn (string $stream): string => (string) Deflate::unpack($stream, self::MOST_BYTES), $this->streams()));
    }

    /** @return list<string> a zlib stream for each band */
    private function streams(): array
    {
        $bands = $this->bands();
        [$width, $height] = ($this->meta['placed']['levels'] ?? $this->meta['levels'])[$this->z] ?? [0, 0];
        $size = GeoTiffWriter::TILE;
        // beyond any grid a product of numbers is none any more
        $isThere = $this->x >= 0 && $this->y >= 0 && $this->x <= intdiv((int) $width, $size) && $this->y <= intdiv((int) $height, $size);
        $window = $isThere ? (new Window($this->x * $size, $this->y * $size, $size, $size))->within($width, $height) : null;
        if ($window === null || $window->isEmpty()) {
            throw Problem::call("There is no tile $this->x, $this->y at level $this->z.", 'tile');
        }
        $stored = isset($this->meta['placed']) ? null : StoredTiles::of($this->path);
        $image = null;
        $streams = [];
        foreach ($bands as $band) {
            $stream = $stored?->deflated($band, $this->x, $this->y, $this->z);
            if ($stream === null) {
                $image ??= $this->image();
                $bytes = $image->read($band, $window, isset($this->meta['placed']) ? 0 : $this->z);
                $stream = Deflate::pack($this->padded($bytes, $window, $image->spec()->type, $image->spec()->nodata));
            }
            $streams[] = $stream;
        }

        return $streams;
    }

    private function image(): Image
    {
        $image = new GeoTiffImage($this->path);

        return isset($this->meta['placed']) ? StudyMap::shown($image, $this->meta['placed'], $this->z) : $image;
    }

    /** @return list<int> counted from 0 */
    private function bands(): array
    {
        $count = count($this->meta['bands']);
        $bands = [];
        foreach (explode(',', $this->bands) as $number) {
            if (! ctype_digit($number) || (int) $number < 1 || (int) $number > $count || count($bands) >= self::MOST_BANDS) {
                throw Problem::call(
                    'There is no band “'.mb_scrub(substr($number, 0, 20))."”: the item has $count, and at most four are sent at a time.",
                    'bands',
                );
            }
            $bands[] = (int) $number - 1;
        }

        return $bands;
    }

    private function padded(string $bytes, Window $window, SampleType $type, ?float $nodata): string
    {
        $size = GeoTiffWriter::TILE;
        if ($window->width === $size && $window->height === $size) {
            return $bytes;
        }
        $blank = $type->isFloat() ? Codec::encode([$nodata ?? NAN], $type, null) : Codec::encodeCodes([(int) ($nodata ?? 0)], $type);
        $row = $window->width * $type->bytes();
        $fill = str_repeat($blank, $size - $window->width);
        $out = '';
        for ($p = 0, $length = strlen($bytes); $p < $length; $p += $row) {
            $out .= substr($bytes, $p, $row).$fill;
        }

        return $out.str_repeat($blank, $size * ($size - $window->height));
    }
}
