<?php

namespace Chorometra\Core\Format;

use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Grid;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Raster\Window;

/** A PNG or JPEG picture, placed by the world file beside it: three bands red, green and blue of 8 bits; of 16 with -1 as nodata where it is clear in places. */
final class Picture implements Image
{
    private const MOST_PIXELS = 64_000_000;

    /** GD's alpha runs from 0 to this. */
    private const CLEAR = 127;

    private RasterSpec $spec;

    /** @var list<string> */
    private array $bands;

    public function __construct(private readonly string $path)
    {
        $size = @getimagesize($path);
        if ($size === false || ! in_array($size[2], [IMAGETYPE_PNG, IMAGETYPE_JPEG], true)) {
            throw Problem::input("{$this->name()} is no PNG or JPEG picture.", 'image');
        }
        if (($size['bits'] ?? 8) > 8) {
            throw Problem::input("{$this->name()} has {$size['bits']} bits a sample, of which a picture keeps eight; bring it as GeoTIFF.", 'image');
        }
        if ($size[0] * $size[1] > self::MOST_PIXELS) {
            throw Problem::input("{$this->name()} has {$size[0]} x {$size[1]} pixels, more than a picture of this kind is read with; bring it as GeoTIFF.", 'image');
        }
        $picture = $size[2] === IMAGETYPE_PNG ? @imagecreatefrompng($path) : @imagecreatefromjpeg($path);
        if ($picture === false) {
            throw Problem::input("{$this->name()} is broken: it can't be unpacked.", 'image');
        }
        imagepalettetotruecolor($picture);
        [$this->bands, $isClear] = self::split($picture, $size[0], $size[1]);
        $this->spec = new RasterSpec(
            new Grid($size[0], $size[1], $this->world()),
            [new Band('red', 'red'), new Band('green', 'green'), new Band('blue', 'blue')],
            $isClear ? SampleType::Int16 : SampleType::UInt8,
            $isClear ? -1.0 : null,
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
        $size = $this->spec->type->bytes();
        $out = '';
        for ($row = $window->row; $row < $window->row + $window->height; $row++) {
            $out .= substr($this->bands[$band], ($row * $this->spec->grid->width + $window->col) * $size, $window->width * $size);
        }

        return $out;
    }

    public function levels(): array
    {
        return [[$this->spec->grid->width, $this->spec->grid->height]];
    }

    /** Six lines: x per column, y per column, x per row, y per row, and the centre of the first pixel. */
    public static function worldFile(Grid $grid): string
    {
        $t = $grid->transform;

        return implode("\n", array_map(fn (float $value): string => rtrim(rtrim(sprintf('%.10f', $value), '0'), '.'), [$t[1], $t[4], $t[2], $t[5], $t[0] + 0.5 * ($t[1] + $t[2]), $t[3] + 0.5 * ($t[4] + $t[5])]))."\n";
    }

    /** @return array{list<string>, bool} samples of each band, and whether places that are clear made them wider */
    private static function split(\GdImage $picture, int $width, int $height): array
    {
        $red = $green = $blue = $clear = '';
        for ($y = 0; $y < $height; $y++) {
            for ($x = 0; $x < $width; $x++) {
                $rgb = (int) imagecolorat($picture, $x, $y);
                $red .= chr(($rgb >> 16) & 255);
                $green .= chr(($rgb >> 8) & 255);
                $blue .= chr($rgb & 255);
                $clear .= $rgb >> 24 === self::CLEAR ? "\xFF" : "\0";
            }
        }
        if (! str_contains($clear, "\xFF")) {
            return [[$red, $green, $blue], false];
        }
        // both bytes of a sample become ones, which is -1
        $clear = chunk_split($clear, 1, "\0");
        $clear |= "\0".substr($clear, 0, -1);

        return [array_map(fn (string $band): string => chunk_split($band, 1, "\0") | $clear, [$red, $green, $blue]), true];
    }

    /** @return array{float, float, float, float, float, float} */
    private function world(): array
    {
        $stem = preg_replace('/\.[^.]+$/', '', $this->path);
        foreach (['.pgw', '.jgw', '.pngw', '.jpgw', '.wld', '.PGW', '.JGW'] as $ending) {
            if (is_file($stem.$ending)) {
                $lines = array_map(trim(...), file($stem.$ending, FILE_SKIP_EMPTY_LINES) ?: []);
                if (count($lines) < 6 || count(array_filter(array_slice($lines, 0, 6), is_numeric(...))) < 6) {
                    throw Problem::input(basename($stem.$ending).' is no world file: six lines with a number each were expected.', 'image');
                }
                [$a, $d, $b, $e, $x, $y] = array_map(floatval(...), $lines);

                return [$x - 0.5 * ($a + $b), $a, $b, $y - 0.5 * ($d + $e), $d, $e];
            }
        }

        return [0.0, 1.0, 0.0, 0.0, 0.0, 1.0];
    }
}
