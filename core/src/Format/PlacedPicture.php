<?php

namespace Chorometra\Core\Format;

use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Work\Memory;

/**
 * A PNG or JPEG picture, placed by the world file beside it: three bands red, green and blue of 8 bits; of 16 with -1 as nodata where it is clear in
 * places.
 */
final class PlacedPicture implements Image, RasterReader
{
    private const MOST_PIXELS = 64_000_000;

    private const MOST_WORLD = 4096;

    /** Chunks of a PNG that are passed over to find what is clear. */
    private const MOST_CHUNKS = 10_000;

    /** GD's alpha runs from 0 to this. */
    private const CLEAR = 127;

    private RasterSpec $spec;

    private readonly \GdImage $picture;

    /** @var array{Window, list<string>}|null the rows that were read last: bands are read in turn */
    private ?array $last = null;

    /** @throws Problem where it is broken, or too large to be unpacked */
    public function __construct(private readonly string $path)
    {
        $spec = self::described($path);
        ['width' => $width, 'height' => $height] = (array) $spec->grid;
        // the library that unpacks it takes four bytes a pixel, beside PHP's own memory
        Memory::reserve(5 * $width * $height, $this->name(), 'save it as GeoTIFF, or crop it first');
        $picture = self::isPng($path) ? @imagecreatefrompng($path) : @imagecreatefromjpeg($path);
        if ($picture === false || imagesx($picture) !== $width || imagesy($picture) !== $height) {
            throw Problem::input("{$this->name()} is broken: it can't be unpacked.", 'image');
        }
        imagepalettetotruecolor($picture);
        $this->picture = $picture;
        $this->spec = self::mayBeClear($path) && self::isClear($picture, $width, $height) ? $spec->with(type: SampleType::Int16, nodata: -1.0) : $spec;
    }

    public static function format(string $head): ?string
    {
        return str_starts_with($head, "\x89PNG") ? 'PNG picture' : (str_starts_with($head, "\xff\xd8\xff") ? 'JPEG picture' : null);
    }

    public static function open(string $path): self
    {
        return new self($path);
    }

    public static function described(string $path): RasterSpec
    {
        $name = basename($path);
        $size = @getimagesize($path);
        if ($size === false || ! in_array($size[2], [IMAGETYPE_PNG, IMAGETYPE_JPEG], true) || $size[0] < 1 || $size[1] < 1) {
            throw Problem::input("$name is no PNG or JPEG picture.", 'image');
        }
        if (($size['bits'] ?? 8) > 8) {
            throw Problem::input("$name has {$size['bits']} bits per sample, of which only eight can be read from a picture; save it as GeoTIFF.", 'image');
        }
        if ($size[0] * $size[1] > self::MOST_PIXELS) {
            throw Problem::input("$name has {$size[0]} x {$size[1]} pixels, more than can be read from a picture of this kind; save it as GeoTIFF.", 'image');
        }

        return new RasterSpec(
            new Grid($size[0], $size[1], self::world($path)),
            [new Band('red', 'red'), new Band('green', 'green'), new Band('blue', 'blue')],
            SampleType::UInt8,
            null,
        );
    }

    public function spec(): RasterSpec
    {
        return $this->spec;
    }

    public function name(): string
    {
        return basename($this->path);
    }

    public function read(int $band, Window $window, int $level = 0): string
    {
        if ($this->last === null || $this->last[0] != $window) {
            $this->last = [$window, self::split($this->picture, $window, $this->spec->type === SampleType::Int16)];
        }

        return $this->last[1][$band];
    }

    public function levels(): array
    {
        return [[$this->spec->grid->width, $this->spec->grid->height]];
    }

    /** Six lines: x per column, y per column, x per row, y per row, and the centre of the first pixel. */
    public static function worldFile(Grid $grid): string
    {
        $t = $grid->transform;

        return implode(
            "\n",
            array_map(fn (float $value): string => rtrim(rtrim(sprintf('%.10f', $value), '0'), '.'), [
                $t[1],
                $t[4],
                $t[2],
                $t[5],
                $t[0] + 0.5 * ($t[1] + $t[2]),
                $t[3] + 0.5 * ($t[4] + $t[5]),
            ]),
        )."\n";
    }

    /** @return list<string> samples of each band */
    private static function split(\GdImage $picture, Window $window, bool $isClear): array
    {
        $red = $green = $blue = $clear = '';
        for ($y = $window->row, $bottom = $y + $window->height; $y < $bottom; $y++) {
            for ($x = $window->col, $right = $x + $window->width; $x < $right; $x++) {
                $rgb = (int) imagecolorat($picture, $x, $y);
                $red .= chr(($rgb >> 16) & 255);
                $green .= chr(($rgb >> 8) & 255);
                $blue .= chr($rgb & 255);
                $clear .= $rgb >> 24 === self::CLEAR ? "\xFF" : "\0";
            }
        }
        if (! $isClear) {
            return [$red, $green, $blue];
        }
        // both bytes of a sample become ones, which is -1
        $clear = chunk_split($clear, 1, "\0");
        $clear |= "\0".substr($clear, 0, -1);

        return array_map(fn (string $band): string => chunk_split($band, 1, "\0") | $clear, [$red, $green, $blue]);
    }

    private static function isClear(\GdImage $picture, int $width, int $height): bool
    {
        for ($y = 0; $y < $height; $y++) {
            for ($x = 0; $x < $width; $x++) {
                if (imagecolorat($picture, $x, $y) >> 24 === self::CLEAR) {
                    return true;
                }
            }
        }

        return false;
    }

    private static function isPng(string $path): bool
    {
        return str_starts_with((string) @file_get_contents($path, false, null, 0, 8), "\x89PNG");
    }

    /** Whether a PNG has alpha, or a colour that stands for it: only then every pixel has to be looked at. */
    private static function mayBeClear(string $path): bool
    {
        $handle = self::isPng($path) ? @fopen($path, 'rb') : false;
        if ($handle === false) {
            return false;
        }
        $head = (string) fread($handle, 33);
        if (in_array(ord($head[25] ?? "\0"), [4, 6], true)) {
            return true;
        }
        for ($i = 0; $i < self::MOST_CHUNKS && strlen($chunk = (string) fread($handle, 8)) === 8; $i++) {
            $name = substr($chunk, 4);
            if ($name === 'tRNS' || $name === 'IDAT') {
                return $name === 'tRNS';
            }
            fseek($handle, ((array) unpack('N', $chunk))[1] + 4, SEEK_CUR);
        }

        return false;
    }

    /** @return array{float, float, float, float, float, float} */
    private static function world(string $path): array
    {
        $stem = preg_replace('/\.[^.]+$/', '', $path);
        foreach (['.pgw', '.jgw', '.pngw', '.jpgw', '.wld', '.PGW', '.JGW'] as $ending) {
            if (is_file($stem.$ending)) {
                $lines = array_slice(preg_split('/\s*\R\s*/', trim((string) @file_get_contents($stem.$ending, false, null, 0, self::MOST_WORLD))) ?: [], 0, 6);
                $numbers = array_map(floatval(...), array_filter($lines, is_numeric(...)));
                if (count($numbers) < 6 || ! is_finite(array_sum($numbers))) {
                    throw Problem::input(basename($stem.$ending).' is no world file: six lines with a number each were expected.', 'image');
                }
                [$a, $d, $b, $e, $x, $y] = array_values($numbers);
                if (! Grid::makesSense([$x, $a, $b, $y, $d, $e])) {
                    throw Problem::input(basename($stem.$ending).' gives pixels of no size or outside any map: correct it first.', 'image');
                }

                return [$x - 0.5 * ($a + $b), $a, $b, $y - 0.5 * ($d + $e), $d, $e];
            }
        }

        return [0.0, 1.0, 0.0, 0.0, 0.0, 1.0];
    }
}
