<?php

namespace Chorometra\Core\Tests\Gather;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Grid;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Tests\TestCase;

final class SingleImageTest extends TestCase
{
    public function test_what_a_file_lacks_is_given_by_hand(): void
    {
        $path = $this->raster('plain.tif', new RasterSpec(new Grid(2, 1, [500_000.0, 10.0, 0.0, 60_000.0, 0.0, -10.0]), [new Band, new Band], SampleType::UInt16, null), [[7, 0], [9, 8]]);
        $this->compute('gather.image', ['image' => $path], ['crs' => '32632', 'roles' => 'red,-', 'date' => '2031-05-12', 'nodata' => '0'], ['result' => "$this->folder/out.tif"]);
        $spec = (new GeoTiffImage("$this->folder/out.tif"))->spec();
        self::assertSame([32632, 'red', null, '2031-05-12T00:00:00Z'], [$spec->grid->epsg, $spec->bands[0]->role, $spec->bands[1]->role, $spec->properties['datetime']]);
        self::assertClose([7.0, NAN], self::pixels("$this->folder/out.tif"), 0.0);
    }

    public function test_a_picture_with_world_file(): void
    {
        $picture = imagecreatetruecolor(3, 2);
        self::assertNotFalse($picture);
        imagesetpixel($picture, 2, 1, (10 << 16) | (200 << 8) | 30);
        imagepng($picture, "$this->folder/p.png");
        file_put_contents("$this->folder/p.pgw", "0.5\n0\n0\n-0.5\n1000.25\n1999.75\n");
        $this->compute('gather.image', ['image' => "$this->folder/p.png"], ['crs' => '32632'], ['result' => "$this->folder/out.tif"]);
        $image = new GeoTiffImage("$this->folder/out.tif");
        self::assertSame([1000.0, 0.5, 0.0, 2000.0, 0.0, -0.5], $image->spec()->grid->transform);
        self::assertSame([10.0, 200.0, 30.0], [self::pixels($image, 0)[5], self::pixels($image, 1)[5], self::pixels($image, 2)[5]]);
    }

    public function test_bad_files_and_settings(): void
    {
        $run = fn (string $path, array $settings = []) => $this->compute('gather.image', ['image' => $path], $settings, ['result' => "$this->folder/out.tif"]);
        $path = $this->image('i.tif', 2, 1, ['red' => [1, 2]]);
        $this->problem(2, 'says itself that its CRS is EPSG:32632', fn () => $run($path, ['crs' => '32633']));
        $this->problem(2, '2 roles are given for the 1 bands', fn () => $run($path, ['roles' => 'red,nir']));
        $this->problem(2, '“rouge” is no band role', fn () => $run($path, ['roles' => 'rouge']));
        $this->problem(2, 'write it as 2031-05-12', fn () => $run($path, ['date' => '12 May']));
        $this->problem(3, 'There is no file', fn () => $run("$this->folder/none.tif"));
        file_put_contents("$this->folder/p.png", "\x89PNG\r\n\x1a\nbroken");
        $this->problem(3, 'p.png is no PNG or JPEG picture', fn () => $run("$this->folder/p.png"));
        self::assertFileDoesNotExist("$this->folder/out.tif");
    }
}
