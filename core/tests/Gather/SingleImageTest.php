<?php

namespace Chorometra\Core\Tests\Gather;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Tests\TestCase;

final class SingleImageTest extends TestCase
{
    public function test_what_a_file_lacks_is_given_by_hand(): void
    {
        $path = $this->raster(
            'plain.tif',
            new RasterSpec(new Grid(2, 1, [500_000.0, 10.0, 0.0, 60_000.0, 0.0, -10.0]), [new Band(), new Band()], SampleType::UInt16, null),
            [[7, 0], [9, 8]],
        );
        $this->compute(
            'gather.image',
            ['image' => $path],
            ['crs' => '32632', 'roles' => 'red,-', 'date' => '2031-05-12', 'nodata' => '0'],
            ['result' => "$this->folder/out.tif"],
        );
        $spec = (new GeoTiffImage("$this->folder/out.tif"))->spec();
        self::assertSame(
            [32632, 'red', null, '2031-05-12T00:00:00Z'],
            [$spec->grid->epsg, $spec->bands[0]->role, $spec->bands[1]->role, $spec->properties['datetime']],
        );
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

    public function test_where_a_picture_is_clear_it_has_no_data(): void
    {
        $values = [NAN, 0.0, 10.0, 20.0, NAN, 30.0];
        $image = $this->image('i.tif', 3, 2, ['red' => $values, 'green' => $values, 'blue' => $values]);
        $this->compute('deliver.image', ['image' => $image], ['bands' => 'red,green,blue', 'clip' => '0,100'], ['result' => "$this->folder/o.png"]);
        $this->compute('gather.image', ['image' => "$this->folder/o.png"], ['crs' => '32632'], ['result' => "$this->folder/back.tif"]);
        $back = self::pixels("$this->folder/back.tif");
        // clear where no band has a value; black stays a value
        self::assertClose([1.0, 85.0 + 2 / 3, 170.0 + 1 / 3, 255.0], [$back[1], $back[2], $back[3], $back[5]], 0.5);
        self::assertNan($back[4]);
    }

    public function test_a_picture_of_sixteen_bits_is_not_read_as_one_of_eight(): void
    {
        $chunk = fn (string $name, string $body): string => pack('N', strlen($body)).$name.$body.pack('N', crc32($name.$body));
        file_put_contents(
            "$this->folder/p.png",
            "\x89PNG\r\n\x1a\n".
                $chunk('IHDR', pack('NNCCCCC', 2, 1, 16, 0, 0, 0, 0)).
                $chunk('IDAT', (string) gzcompress("\0\1\2\3\4")).
                $chunk('IEND', ''),
        );
        $this->problem(
            3,
            'p.png has 16 bits per sample',
            fn () => $this->compute('gather.image', ['image' => "$this->folder/p.png"], ['crs' => '32632'], ['result' => "$this->folder/out.tif"]),
        );
    }

    public function test_complex_samples_become_magnitude_and_phase(): void
    {
        $expected = self::fixture('tiff/complex.json');
        $every = fn (array $pixels): array => array_values(array_filter($pixels, fn (int $i): bool => $i % 97 === 0, ARRAY_FILTER_USE_KEY));
        foreach (['complex64_strip' => 1, 'complex64_separate_tiled' => 2, 'complex128_chunky' => 2] as $name => $count) {
            $path = dirname(__DIR__)."/fixtures/tiff/$name.tif";
            $image = new GeoTiffImage($path);
            self::assertCount(2 * $count, $image->spec()->bands);
            $this->compute('gather.image', ['image' => $path], ['roles' => $count === 1 ? 'hh' : 'hh,vv'], ['result' => "$this->folder/$name.tif"]);
            for ($k = 0; $k < $count; $k++) {
                self::assertClose($expected['real'][$k], $every(self::pixels($image, 2 * $k)), 1e-5, $name);
                self::assertClose($expected['imaginary'][$k], $every(self::pixels($image, 2 * $k + 1)), 1e-5, $name);
                self::assertClose($expected['magnitude'][$k], $every(self::pixels("$this->folder/$name.tif", 2 * $k)), 1e-5, $name);
                self::assertClose($expected['phase'][$k], $every(self::pixels("$this->folder/$name.tif", 2 * $k + 1)), 1e-5, $name);
            }
            self::assertEqualsWithDelta(5.0, self::pixels("$this->folder/$name.tif", 0)[0], 1e-6);
        }
        $bands = (new GeoTiffImage("$this->folder/complex64_separate_tiled.tif"))->spec()->bands;
        self::assertSame(['hh', 'hh', 'vv', 'vv'], array_map(fn (Band $band): ?string => $band->role, $bands));
        self::assertSame(['magnitude', 'phase', 'rad'], [$bands[2]->part, $bands[3]->part, $bands[3]->unit]);
        $this->compute(
            'gather.image',
            ['image' => dirname(__DIR__).'/fixtures/tiff/complex64_strip.tif'],
            ['complex' => 'parts', 'roles' => 'vh'],
            ['result' => "$this->folder/parts.tif"],
        );
        self::assertSame(
            ['real', 'imaginary'],
            array_map(fn (Band $band): ?string => $band->part, (new GeoTiffImage("$this->folder/parts.tif"))->spec()->bands),
        );
        // the two parts delivered as plain bands
        $two = $this->image('two.tif', 2, 1, ['red' => [1, 2], 'nir' => [0.1, 0.2]]);
        $this->compute('gather.image', ['image' => $two], ['roles' => 'hv-magnitude,hv-phase'], ['result' => "$this->folder/hv.tif"]);
        $bands = (new GeoTiffImage("$this->folder/hv.tif"))->spec()->bands;
        self::assertSame(['hv', 'magnitude', 'hv', 'phase', 'rad'], [$bands[0]->role, $bands[0]->part, $bands[1]->role, $bands[1]->part, $bands[1]->unit]);
    }

    public function test_bad_files_and_settings(): void
    {
        $run = fn (string $path, array $settings = []) => $this->compute('gather.image', ['image' => $path], $settings, ['result' => "$this->folder/out.tif"]);
        $path = $this->image('i.tif', 2, 1, ['red' => [1, 2]]);
        $this->problem(2, 'names its CRS, EPSG:32632', fn () => $run($path, ['crs' => '32633']));
        $this->problem(2, '2 roles are given for the 1 bands', fn () => $run($path, ['roles' => 'red,nir']));
        $this->problem(2, '“rouge” is no band role', fn () => $run($path, ['roles' => 'rouge']));
        $this->problem(2, 'write it as 2031-05-12', fn () => $run($path, ['date' => '12 May']));
        $this->problem(3, 'There is no file', fn () => $run("$this->folder/none.tif"));
        file_put_contents("$this->folder/p.png", "\x89PNG\r\n\x1a\nbroken");
        $this->problem(3, 'p.png is no PNG or JPEG picture', fn () => $run("$this->folder/p.png"));
        self::assertFileDoesNotExist("$this->folder/out.tif");
    }
}
