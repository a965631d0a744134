<?php

namespace Chorometra\Core\Tests\Format;

use Chorometra\Core\Engine\Reduce;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Tests\TestCase;

/** What we write, read by libtiff's and libgeotiff's own tools. */
final class GeoTiffWriteTest extends TestCase
{
    public function test_libtiff_reads_the_same_pixels(): void
    {
        $values = array_map(fn (int $i): float => ($i * 7919) % 30011, range(0, 300 * 270 - 1));
        foreach ([true, false] as $deflate) {
            $path = $this->raster(
                'mine.tif',
                new RasterSpec(self::grid(300, 270), [new Band('red')], SampleType::UInt16, 65535.0),
                [$values],
                deflate: $deflate,
            );
            // libtiff unpacks our tiles into one plain strip; its bytes are the pixels themselves
            self::shell(['tiffcp', '-L', '-s', '-r', '270', '-c', 'none', "$path,0", "$this->folder/strip.tif"]);
            preg_match('/StripOffsets[^:]*: ?(\d+)|\b0: \[\s*(\d+)/', self::shell(['tiffinfo', '-s', "$this->folder/strip.tif"]), $match);
            $at = (int) (($match[1] ?? '') ?: ($match[2] ?? 0));
            $bytes = substr((string) file_get_contents("$this->folder/strip.tif"), $at, 2 * 300 * 270);
            self::assertSame(bin2hex(md5(Codec::encode($values, SampleType::UInt16, null), true)), bin2hex(md5($bytes, true)));
        }
    }

    public function test_libgeotiff_reads_the_place(): void
    {
        $path = $this->raster('mine.tif', new RasterSpec(self::grid(10, 10), [new Band]), [array_fill(0, 100, 1.0)]);
        $told = self::shell(['listgeo', $path]);
        self::assertStringContainsString('Code-32632 (WGS 84 / UTM zone 32N)', $told);
        self::assertStringContainsString('RasterPixelIsArea', $told);
        self::assertMatchesRegularExpression('/Upper Left\s+\(\s*431000\.000,\s*6072000\.000\)/', $told);
        self::assertMatchesRegularExpression('/Lower Right\s+\(\s*431200\.000,\s*6071800\.000\)/', $told);
    }

    public function test_the_layout_is_cloud_optimised(): void
    {
        $path = $this->raster('mine.tif', new RasterSpec(self::grid(700, 600), [new Band('red'), new Band('nir')]), [
            array_fill(0, 420_000, 1.5),
            array_fill(0, 420_000, 2.5),
        ]);
        $bytes = (string) file_get_contents($path);
        self::assertSame("II\x2a\0".pack('V', 8), substr($bytes, 0, 8));
        $told = self::shell(['tiffinfo', '-s', $path]);
        preg_match_all('/=== TIFF directory (\d+) ===/', $told, $found);
        self::assertCount(3, $found[0]);
        self::assertStringContainsString('Planar Configuration: separate image planes', $told);
        self::assertStringContainsString('Tile Width: 256 Tile Length: 256', $told);
        preg_match_all('/TIFF Directory at offset 0x([0-9a-f]+)/', $told, $at);
        preg_match_all('/\d+: \[\s*(\d+),/', $told, $tiles);
        self::assertNotEmpty($tiles[1]);
        self::assertLessThan(min(array_map(intval(...), $tiles[1])), max(array_map(hexdec(...), $at[1])), 'all directories come before all tiles');
    }

    public function test_overviews_are_means_for_images_and_modes_for_class_maps(): void
    {
        $values = array_map(fn (int $i): float => $i % 977 === 0 ? NAN : fmod($i * 0.37, 5.0), range(0, 601 * 333 - 1));
        $path = $this->raster('image.tif', new RasterSpec(self::grid(601, 333), [new Band]), [$values]);
        $half = Reduce::mean($values, 601, 333);
        self::assertSame([[601, 333], [301, 167], [151, 84]], (new GeoTiffImage($path))->levels());
        self::assertClose($half, self::pixels($path, 0, 1), 1e-6);
        self::assertClose(Reduce::mean($half, 301, 167), self::pixels($path, 0, 2), 1e-6);

        $codes = array_map(fn (int $i): int => 1 + intdiv($i * 31, 97) % 3, range(0, 601 * 333 - 1));
        $map = $this->classes('map.tif', 601, 333, $codes, ['a', 'b', 'c']);
        self::assertSame(Reduce::mode($codes, 601, 333), self::pixels($map, 0, 1));
    }

    public function test_overviews_of_segments_are_every_second_pixel_however_they_come(): void
    {
        foreach ([[700, 600], [70_001, 31]] as [$width, $height]) {
            $labels = array_map(fn (int $i): int => 1 + $i, range(0, $width * $height - 1));
            $image = new GeoTiffImage($this->raster('s.tif', RasterSpec::segments(self::grid($width, $height)), [$labels], 2));
            self::assertGreaterThan(1, count($image->levels()));
            foreach ($image->levels() as $level => [$w, $h]) {
                $found = self::pixels($image, 0, $level);
                foreach ([[0, 0], [$w - 1, $h - 1], [intdiv($w, 2), intdiv($h, 3)], [0, $h - 1], [min(256, $w - 1), intdiv($h, 2)]] as [$x, $y]) {
                    self::assertSame(1 + ($y << $level) * $width + ($x << $level), $found[$y * $w + $x], "level $level at $x, $y");
                }
            }
        }
    }

    public function test_reducing_by_hand(): void
    {
        self::assertClose([2.5, 5.0, 8.0, NAN], Reduce::mean([1.0, 2.0, 5.0, 3.0, 4.0, NAN, NAN, 8.0, NAN], 3, 3), 0.0);
        self::assertSame([2, 3, 1, 4], Reduce::mode([2, 1, 3, 2, 2, 3, 1, 2, 4], 3, 3));
    }

    public function test_the_legend_travels_as_colour_map_and_in_the_sidecar(): void
    {
        $path = $this->raster(
            'map.tif',
            RasterSpec::classes(
                self::grid(4, 1),
                new Legend([1 => ['name' => 'open water', 'colour' => '#3a6ea5'], 7 => ['name' => 'marsh', 'colour' => '#80ff00']]),
            ),
            [[1, 7, 0, 255]],
        );
        $legend = (new GeoTiffImage($path))->spec()->legend;
        self::assertSame('open water', $legend?->name(1));
        self::assertSame('#80FF00', strtoupper($legend->classes[7]['colour'] ?? ''));
        $sidecar = json_decode((string) file_get_contents("$this->folder/map.stac.json"), true);
        self::assertSame('1.0.0', $sidecar['stac_version']);
        self::assertContains('https://stac-extensions.github.io/classification/v1.1.0/schema.json', $sidecar['stac_extensions']);
        self::assertSame(
            ['value' => 7, 'name' => 'marsh', 'title' => 'marsh', 'color_hint' => '80FF00'],
            $sidecar['assets']['data']['classification:classes'][1],
        );
        // without the sidecar the colours are still there
        unlink("$this->folder/map.stac.json");
        self::assertSame('#80ff00', (new GeoTiffImage($path))->spec()->legend->classes[7]['colour'] ?? null);
    }

    public function test_nodata_and_extremes_come_back(): void
    {
        $path = $this->raster('f.tif', new RasterSpec(self::grid(3, 1), [new Band], SampleType::Float32, -9999.0), [[NAN, 1.5, -9998.0]]);
        self::assertClose([NAN, 1.5, -9998.0], self::pixels($path), 0.0);
        $path = $this->raster('i.tif', new RasterSpec(self::grid(4, 1), [new Band], SampleType::Int16, -32768.0), [[NAN, -40000.0, 40000.0, 2.5]]);
        self::assertClose([NAN, -32767.0, 32767.0, 3.0], self::pixels($path), 0.0);
    }
}
