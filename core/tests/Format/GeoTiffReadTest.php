<?php

namespace Chorometra\Core\Tests\Format;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\GeoTiff\Jpeg;
use Chorometra\Core\Format\GeoTiff\SystemLibraries;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Tests\TestCase;
use PHPUnit\Framework\Attributes\DataProvider;

/** Files by libtiff and tifffile (fixtures/tiff), and files of our own that libtiff's tiffcp has written anew. */
final class GeoTiffReadTest extends TestCase
{
    /** @return iterable<string, array{string, string}> */
    public static function files(): iterable
    {
        foreach (self::fixture('tiff/expected.json')['files'] as $name => $file) {
            yield $name => [$name, $file['content']];
        }
    }

    #[DataProvider('files')]
    public function test_pixels_are_those_of_libtiff_and_tifffile(string $name, string $content): void
    {
        $image = new GeoTiffImage(__DIR__."/../fixtures/tiff/$name.tif");
        self::assertSame([[40, 30]], $image->levels());
        for ($band = 0; $band < ($content === 'u' ? 3 : 1); $band++) {
            $expected = [];
            for ($r = 0; $r < 30; $r++) {
                for ($c = 0; $c < 40; $c++) {
                    $expected[] = match ($content) {
                        'u' => (float) ((7 * $r + 13 * $c + 1000 * $band + 50 * (($r * $c) % 17)) % 65536),
                        'f' => $r === 4 && $c === 7 ? ($image->spec()->nodata === null ? -9999.0 : NAN) : 0.25 * ($r - 10) + 1.5 * $c + 0.125 * (($r * $c) % 5),
                        default => (float) ((5 * $r + 3 * $c) % 256),
                    };
                }
            }
            self::assertClose($expected, self::pixels($image, $band), 0.0, $name);
        }
    }

    public function test_georeference_by_scale_and_tie_point_at_corners_and_at_centres(): void
    {
        $area = (new GeoTiffImage(__DIR__.'/../fixtures/tiff/geo11_utm35n_area_u16x3.tif'))->spec()->grid;
        self::assertSame(32635, $area->epsg);
        self::assertSame([389000.0, 30.0, 0.0, 6062000.0, 0.0, -30.0], $area->transform);
        // the tie point of this file is the centre of the first pixel
        $point = (new GeoTiffImage(__DIR__.'/../fixtures/tiff/geo10_wgs84_point_f32_nodata.tif'))->spec();
        self::assertSame(4326, $point->grid->epsg);
        self::assertSame(-9999.0, $point->nodata);
        $step = 0.0008333333333333334;
        self::assertClose([25 - $step / 2, $step, 0.0, 55 + $step / 2, 0.0, -$step], $point->grid->transform, 1e-12);
    }

    public function test_a_compression_that_cannot_be_read_is_named(): void
    {
        $path = $this->raster('m.tif', new RasterSpec(self::grid(20, 10), [new Band], SampleType::UInt8, null), [range(0, 199)]);
        self::shell(['tiffcp', '-c', 'none', "$path,0", "$this->folder/n.tif"]);
        self::shell(['tiffset', '-s', '259', '34887', "$this->folder/n.tif"]);
        $this->problem(3, 'is compressed with LERC, which can\'t be read here', fn () => new GeoTiffImage("$this->folder/n.tif"));
    }

    public function test_zstd_and_lzma_as_libtiff_writes_them(): void
    {
        $values = array_map(fn (int $i): float => (float) (($i * 7919) % 251), range(0, 300 * 270 - 1));
        foreach ([[SampleType::UInt8, '1'], [SampleType::UInt16, '2'], [SampleType::Float32, '3'], [SampleType::Float64, '1']] as [$type, $predictor]) {
            $path = $this->raster(
                'mine.tif',
                new RasterSpec(self::grid(300, 270), $type === SampleType::UInt8 ? [new Band(), new Band()] : [new Band()], $type, null),
                $type === SampleType::UInt8 ? [$values, array_reverse($values)] : [$values],
            );
            foreach (['zstd', 'lzma'] as $how) {
                foreach ([['-t', '-w', '64', '-l', '32'], ['-s', '-r', '50']] as $layout) {
                    foreach ($type === SampleType::UInt8 ? ['contig', 'separate'] : ['contig'] as $planes) {
                        self::shell(['tiffcp', '-c', "$how:$predictor", '-p', $planes, ...$layout, "$path,0", "$this->folder/theirs.tif"]);
                        self::assertStringContainsStringIgnoringCase($how, self::shell(['tiffinfo', "$this->folder/theirs.tif"]));
                        $image = new GeoTiffImage("$this->folder/theirs.tif");
                        self::assertTrue(
                            [$values, $type === SampleType::UInt8 ? array_reverse($values) : $values] === [
                                self::pixels($image, 0),
                                self::pixels($image, count($image->spec()->bands) - 1),
                            ],
                            "$how {$type->value} $planes",
                        );
                    }
                }
            }
        }
        // broken data are told, and no more is unpacked than a block holds
        $bytes = (string) file_get_contents("$this->folder/theirs.tif");
        file_put_contents("$this->folder/broken.tif", substr_replace($bytes, str_repeat("\xAA", 40), 200, 40));
        $this->problem(3, 'can\'t be unpacked', fn () => self::pixels("$this->folder/broken.tif"));
        self::assertNull(SystemLibraries::unpack(50000, (string) file_get_contents(__DIR__.'/../fixtures/tiff/u8_lzma.tif'), 1000));
    }

    public function test_pictures_in_tiles_and_strips_as_libtiff_writes_them(): void
    {
        $smooth = fn (int $k): array => array_map(
            fn (int $i): float => round(127 + 90 * sin(($i % 300) / (30 + 9 * $k)) * cos(intdiv($i, 300) / 40)),
            range(0, 300 * 200 - 1),
        );
        $bands = [$smooth(0), $smooth(1), $smooth(2)];
        $colours = $this->raster(
            'c.tif',
            new RasterSpec(self::grid(300, 200), [new Band('red'), new Band('green'), new Band('blue')], SampleType::UInt8, null),
            $bands,
        );
        self::shell(['tiffcp', '-c', 'none', '-p', 'contig', "$colours,0", "$this->folder/plain.tif"]);
        self::shell(['tiffset', '-s', '262', '2', "$this->folder/plain.tif"]);
        foreach (['jpeg:r:95', 'jpeg:95'] as $how) {
            foreach ([['-t', '-w', '128', '-l', '64'], ['-s', '-r', '48']] as $layout) {
                self::shell(['tiffcp', '-c', $how, ...$layout, "$this->folder/plain.tif", "$this->folder/jpeg.tif"]);
                $image = new GeoTiffImage("$this->folder/jpeg.tif");
                foreach ($bands as $k => $band) {
                    $found = self::pixels($image, $k);
                    $off = array_map(fn (float $a, float $b): float => abs($a - $b), $found, $band);
                    // what such packing loses
                    self::assertLessThan(3.0, array_sum($off) / count($off), "$how band $k");
                    self::assertLessThan(45.0, max($off), "$how band $k");
                }
            }
        }
        $grey = $this->raster('g.tif', new RasterSpec(self::grid(300, 200), [new Band], SampleType::UInt8, null), [$bands[0]]);
        self::shell(['tiffcp', '-c', 'jpeg:95', '-t', '-w', '64', '-l', '64', "$grey,0", "$this->folder/grey.tif"]);
        self::assertEqualsWithDelta(
            0.0,
            array_sum(array_map(fn (float $a, float $b): float => abs($a - $b), self::pixels("$this->folder/grey.tif"), $bands[0])) / 60_000,
            1.0,
        );
        // a picture of another size than the block is none
        self::assertNull(Jpeg::unpack((string) file_get_contents($this->picture(40, 30)), '', 3, 64, 64));
        self::assertNotNull(Jpeg::unpack((string) file_get_contents($this->picture(64, 64)), '', 3, 64, 64));
    }

    private function picture(int $width, int $height): string
    {
        imagejpeg(imagecreatetruecolor($width, $height) ?: self::fail(), "$this->folder/p.jpg");

        return "$this->folder/p.jpg";
    }

    /** @return iterable<string, array{SampleType}> */
    public static function types(): iterable
    {
        foreach (SampleType::cases() as $type) {
            yield $type->value => [$type];
        }
    }

    #[DataProvider('types')]
    public function test_every_type_and_layout_that_libtiff_writes(SampleType $type): void
    {
        [$width, $height] = [70, 45];
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(5));
        $planes = [];
        for ($band = 0; $band < 2; $band++) {
            $planes[$band] = [];
            for ($i = 0; $i < $width * $height; $i++) {
                [$least, $greatest] = $type->isFloat() ? [-1_000_000, 1_000_000] : array_map(intval(...), $type->range());
                $planes[$band][] = $random->getInt($least, $greatest) * ($type->isFloat() ? 0.0625 : 1.0);
            }
        }
        self::assertTrue(
            $planes[1] ===
                self::pixels($this->raster('mine.tif', new RasterSpec(self::grid($width, $height), [new Band(), new Band()], $type, null), $planes), 1),
            'as we write it',
        );
        file_put_contents("$this->folder/contig.tif", self::plain($type, $width, $height, $planes, false));
        file_put_contents("$this->folder/separate.tif", self::plain($type, $width, $height, $planes, true));
        $layouts = [
            'strips' => ['-s', '-r', '7'],
            'tiles' => ['-t', '-w', '32', '-l', '16'],
        ];
        $packings = ['none' => ['none'], 'packbits' => ['packbits'], 'lzw' => ['lzw:1', 'lzw:2'], 'zip' => ['zip:1', 'zip:2']];
        if ($type->isFloat()) {
            $packings['lzw'] = ['lzw:1', 'lzw:3'];
            $packings['zip'] = ['zip:1', 'zip:3'];
        }
        foreach (array_merge(...array_values($packings)) as $packing) {
            foreach ($layouts as $layout => $options) {
                // tiffcp itself garbles separate tiles of more than 8 bits (libtiff 4.5.0, seen with tifffile)
                foreach ($layout === 'tiles' && $type->bytes() > 1 ? ['contig'] : ['contig', 'separate'] as $planar) {
                    // nor does libtiff read its own big-endian files with the floating-point predictor back as they were
                    foreach (str_ends_with($packing, ':3') ? ['-L', '-8'] : ['-L', '-B', '-8'] as $order) {
                        $path = "$this->folder/copy.tif";
                        self::shell(['tiffcp', $order, ...$options, '-p', $planar, '-c', $packing, "$this->folder/$planar.tif", $path]);
                        $told = "$type->value $packing $layout $planar $order";
                        $image = new GeoTiffImage($path);
                        self::assertSame($type, $image->spec()->type, $told);
                        self::assertTrue($planes[0] === self::pixels($image, 0), $told);
                        self::assertTrue($planes[1] === self::pixels($image, 1), $told);
                        // a window across blocks
                        $part = Codec::values($image->read(1, new Window(29, 5, 11, 12)), $type, null);
                        self::assertSame([$planes[1][5 * $width + 29], $planes[1][16 * $width + 39]], [$part[0], $part[131]], $told);
                    }
                }
            }
        }
    }

    /**
     * The simplest file: uncompressed, one strip with the bands of a pixel side by side, or a strip for each band.
     *
     * @param  list<list<float>>  $planes
     */
    private static function plain(SampleType $type, int $width, int $height, array $planes, bool $separate): string
    {
        $mixed = [];
        foreach ($planes[0] as $i => $value) {
            array_push($mixed, $value, $planes[1][$i]);
        }
        $bytes = Codec::encode($separate ? array_merge(...$planes) : $mixed, $type, null);
        $bits = 8 * $type->bytes();
        $size = intdiv(strlen($bytes), 2);
        $two = fn (int $value): int => $value | ($value << 16);
        $entries = [
            [256, 3, 1, $width],
            [257, 3, 1, $height],
            [258, 3, 2, $two($bits)],
            [259, 3, 1, 1],
            [262, 3, 1, 1],
            $separate ? [273, 4, 2, 240] : [273, 4, 1, 256],
            [277, 3, 1, 2],
            [278, 3, 1, $height],
            $separate ? [279, 4, 2, 248] : [279, 4, 1, 2 * $size],
            [284, 3, 1, $separate ? 2 : 1],
            [338, 3, 1, 0],
            [339, 3, 2, $two($type->tiffFormat())],
        ];
        $head =
            "II\x2a\0".
            pack('V', 8).
            pack('v', count($entries)).
            implode('', array_map(fn (array $entry): string => pack('vvVV', ...$entry), $entries)).
            pack('V', 0);

        return str_pad($head, 240, "\0").pack('V4', 256, 256 + $size, $size, $size).$bytes;
    }

    public function test_a_turned_grid_and_a_crs_of_its_own_come_back_as_they_were(): void
    {
        $keys = ['directory' => [1, 1, 0, 3, 1024, 0, 1, 1, 1025, 0, 1, 1, 3072, 0, 1, 32767], 'doubles' => [], 'text' => ''];
        $grid = new Grid(5, 4, [100.0, 2.0, 0.5, 50.0, 0.5, -2.0], null, $keys);
        $path = $this->raster('own.tif', new RasterSpec($grid, [new Band]), [array_fill(0, 20, 1.5)]);
        $read = (new GeoTiffImage($path))->spec()->grid;
        self::assertSame($grid->transform, $read->transform);
        self::assertNull($read->epsg);
        self::assertSame($keys['directory'], $read->geoKeys['directory'] ?? null);
    }

    public function test_bits_in_the_other_order_as_libtiff_writes_them(): void
    {
        $plain = $this->raster('plain.tif', new RasterSpec(self::grid(300, 70), [new Band()], SampleType::UInt16, null), [
            array_map(fn (int $i): int => ($i * 7919) % 65521, range(0, 300 * 70 - 1)),
        ]);
        foreach (['none', 'lzw', 'zip', 'packbits'] as $packing) {
            self::shell(['tiffcp', '-f', 'lsb2msb', '-c', $packing, '-s', '-r', '16', $plain, "$this->folder/turned-$packing.tif"]);
            self::assertStringContainsString('FillOrder: lsb-to-msb', self::shell(['tiffinfo', "$this->folder/turned-$packing.tif"]));
            self::assertSame(self::pixels($plain), self::pixels("$this->folder/turned-$packing.tif"), $packing);
        }
    }
}
