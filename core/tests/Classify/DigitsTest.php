<?php

namespace Chorometra\Core\Tests\Classify;

use Chorometra\Core\Classify\Maps\Recoding;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Raster\ClassCodes;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Tests\TestCase;

/** Classes that are called by numbers keep them, and are meant by name wherever they are named. */
final class DigitsTest extends TestCase
{
    private function map(): string
    {
        // code 1 is called “2”, and code 2 “1”
        $legend = new Legend([
            1 => ['name' => '2', 'colour' => '#111111'], 2 => ['name' => '1', 'colour' => '#222222'], 7 => ['name' => 'mud', 'colour' => '#333333']]);

        return $this->raster('m.tif', RasterSpec::classes(self::grid(4, 1), $legend), [[1, 1, 2, 7]]);
    }

    public function test_names_come_first_and_codes_have_a_mark(): void
    {
        $map = new GeoTiffImage($this->map());
        $find = fn (string $text): ?int => ClassCodes::find($map->spec()->legend, $text);
        self::assertSame([1, 1, 2, 1, 2, 7, 7, null, null], array_map($find, ['2', '"2"', '1', '#1', '#2', 'mud', '7', '"7"', '9']));
        $double = new Legend([1 => ['name' => 'mud', 'colour' => '#111111'], 2 => ['name' => 'mud', 'colour' => '#222222']]);
        $this->problem(2, 'give the code instead, #1 or #2', fn (): ?int => ClassCodes::find($double, 'mud'));
        self::assertSame(2, ClassCodes::find($double, '#2'));
        self::assertSame([1 => 1, 2 => 2, 7 => 2], Recoding::of($map, "two = 2\nrest = #2, mud", false)->codes);
    }

    public function test_areas_called_by_numbers_get_these_as_codes(): void
    {
        $area = fn (string $class, float $x): array => ['type' => 'Feature', 'properties' => ['class' => $class], 'geometry' => ['type' => 'Polygon',
            'coordinates' => [[[$x, 6_072_000], [$x + 100, 6_072_000], [$x + 100, 6_071_800], [$x, 6_071_800], [$x, 6_072_000]]]]];
        file_put_contents("$this->folder/a.geojson", (string) json_encode([
            'type' => 'FeatureCollection', 'crs' => ['type' => 'name', 'properties' => ['name' => 'urn:ogc:def:crs:EPSG::32632']],
            'features' => [$area('2', 431_000), $area('1', 431_100), $area('mud', 431_200)],
        ]));
        $values = array_map(fn (int $i): float => [0.1, 0.5, 0.9][min(2, intdiv($i % 15, 5))] + 0.001 * ($i % 7), range(0, 15 * 10 - 1));
        $image = $this->image('i.tif', 15, 10, ['nir' => $values]);
        $this->compute('classify.teach', ['images' => $image, 'areas' => "$this->folder/a.geojson"], ['method' => 'nearest-mean', 'test' => 'none'],
            ['classes' => "$this->folder/c.tif"]);
        $made = new GeoTiffImage("$this->folder/c.tif");
        self::assertSame(['2', '1', 'mud'], array_map(fn (int $col): ?string => $made->spec()->legend?->name((int) self::pixels($made)[$col]), [0, 5, 10]));
        self::assertSame([2, 1, 3], [self::pixels($made)[0], self::pixels($made)[5], self::pixels($made)[10]]);
    }
}
