<?php

namespace Chorometra\Core\Tests\Deliver;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Tests\TestCase;

final class DeliveryTest extends TestCase
{
    public function test_values_are_handed_on_as_they_are(): void
    {
        $image = $this->image('i.tif', 3, 1, ['red' => [0.1, NAN, 0.3], 'nir' => [0.5, 0.6, 0.7]], ['datetime' => '2031-05-12T10:41:22Z']);
        $this->compute('deliver.image', ['image' => $image], ['bands' => 'nir,1', 'compression' => 'none'], ['result' => "$this->folder/o.tif"]);
        self::assertClose([0.5, 0.6, 0.7], self::pixels("$this->folder/o.tif", 0), 1e-7);
        self::assertClose([0.1, NAN, 0.3], self::pixels("$this->folder/o.tif", 1), 1e-7);
        $spec = (new GeoTiffImage("$this->folder/o.tif"))->spec();
        self::assertSame(['nir', 'red'], array_map(fn ($band) => $band->role, $spec->bands));
        self::assertSame('2031-05-12T10:41:22Z', $spec->properties['datetime']);
        self::assertStringContainsString('Compression Scheme: None', self::shell(['tiffinfo', "$this->folder/o.tif"]));
    }

    public function test_a_picture_as_shown_is_stretched_and_placed(): void
    {
        $values = array_map(floatval(...), range(0, 999));
        $image = $this->image('i.tif', 100, 10, ['red' => $values, 'green' => array_reverse($values), 'blue' => array_fill(0, 1000, 5.0)]);
        $this->compute('deliver.image', ['image' => $image], ['bands' => 'red,green,blue', 'clip' => '10,90'], ['result' => "$this->folder/o.png"]);
        $picture = imagecreatefrompng("$this->folder/o.png");
        self::assertNotFalse($picture);
        self::assertSame([100, 10], [imagesx($picture), imagesy($picture)]);
        $at = fn (int $x, int $y): array => array_intersect_key(imagecolorsforindex($picture, (int) imagecolorat($picture, $x, $y)), [
            'red' => 1,
            'green' => 1,
            'blue' => 1,
        ]);
        // value 500 between the 10th and 90th percentile, 100 and 899
        self::assertEqualsWithDelta(['red' => 1 + 254 * 400 / 799, 'green' => 1 + 254 * 399 / 799, 'blue' => 1], $at(0, 5), 1.0);
        self::assertSame(['red' => 1, 'green' => 255, 'blue' => 1], $at(0, 0));
        self::assertSame(['20', '0', '0', '-20', '431010', '6071990'], file("$this->folder/o.pgw", FILE_IGNORE_NEW_LINES));
    }

    public function test_percentiles_of_a_large_image_are_those_of_an_overview_and_it_says_so(): void
    {
        $values = [];
        for ($row = 0; $row < 1030; $row++) {
            array_push($values, ...array_map(floatval(...), range(0, 1027)));
        }
        $image = $this->image('large.tif', 1028, 1030, ['red' => $values]);
        $figures = $this->compute('deliver.image', ['image' => $image], ['bands' => 'red', 'clip' => '10,90'], ['result' => "$this->folder/o.png"]);
        self::assertSame('from an overview of 514 × 515 pixels', $figures['percentiles']);
        self::assertEqualsWithDelta([102.7, 924.3], [$figures['stretch'][0]['from'], $figures['stretch'][0]['to']], 2.0);
    }

    public function test_class_maps_keep_codes_and_colours(): void
    {
        $map = $this->raster(
            'm.tif',
            RasterSpec::classes(self::grid(3, 1), new Legend([2 => ['name' => 'marsh', 'colour' => '#80ff00'], 5 => ['name' => 'mud', 'colour' => '#102030']])),
            [[2, 5, 255]],
        );
        $this->compute('deliver.image', ['image' => $map], [], ['result' => "$this->folder/o.tif"]);
        self::assertSame([2, 5, 255], self::pixels("$this->folder/o.tif"));
        $this->compute('deliver.image', ['image' => $map], [], ['result' => "$this->folder/o.png"]);
        $picture = imagecreatefrompng("$this->folder/o.png");
        self::assertNotFalse($picture);
        self::assertSame([0x80FF00, 0x102030], [imagecolorat($picture, 0, 0) & 0xFFFFFF, imagecolorat($picture, 1, 0) & 0xFFFFFF]);
        self::assertSame(127, imagecolorat($picture, 2, 0) >> 24, 'nodata is clear');
    }

    public function test_a_picture_takes_one_or_three_bands(): void
    {
        $image = $this->image('i.tif', 2, 1, ['red' => [1, 2], 'nir' => [3, 4]]);
        $this->problem(
            2,
            'A picture shows one band or three',
            fn () => $this->compute('deliver.image', ['image' => $image], ['as' => 'shown', 'bands' => '1,2'], ['result' => "$this->folder/o.tif"]),
        );
        $this->problem(
            2,
            'can\'t be written as o.jpg; it can end in .tif, .png',
            fn () => $this->compute('deliver.image', ['image' => $image], [], ['result' => "$this->folder/o.jpg"]),
        );
    }
}
