<?php

namespace Chorometra\Core\Tests\Gather;

use Chorometra\Core\Format\Files;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Tests\TestCase;

final class BundleTest extends TestCase
{
    private const META = <<<'TEXT'
        GROUP = SCENE
          SPACECRAFT = "VELISANDE-1"
          INSTRUMENT = "QUILLON"
          SENSED_DATE = 2031-05-12
          SENSED_TIME = "10:41:22.5Z"
          SUN_ELEVATION = 52.4
        END_GROUP = SCENE
        GROUP = BANDS
          BAND_3_FILE = "x_B3.tif"
          BAND_3_REFLECTANCE_GAIN = 2.5e-05
          BAND_3_REFLECTANCE_OFFSET = -0.05
          BAND_4_FILE = "x_B4.tif"
          BAND_7_FILE = "x_B7.tif"
          BAND_8_FILE = "x_B8.tif"
          BAND_8_K1 = 790
        END_GROUP = BANDS
        END
        TEXT;

    private function delivery(): string
    {
        $folder = "$this->folder/scene";
        mkdir($folder);
        foreach (['B3' => [4, 4000], 'B4' => [4, 8000], 'B7' => [8, 3000], 'B8' => [4, 25000]] as $name => [$size, $value]) {
            $this->raster("scene/x_$name.tif", new RasterSpec(self::grid($size, $size), [new Band], SampleType::UInt16, null), [array_map(fn (int $i): float => $i === 0 ? 0.0 : $value + $i, range(0, $size * $size - 1))]);
            unlink("$folder/x_$name.stac.json");
        }
        file_put_contents("$folder/x_META.txt", self::META);

        return $folder;
    }

    private function packed(string $ending): string
    {
        $folder = $this->delivery();
        $path = "$this->folder/scene$ending";
        match ($ending) {
            '.tar' => self::shell(['tar', '-C', $this->folder, '-cf', $path, 'scene']),
            '.tar.gz' => self::shell(['tar', '-C', $this->folder, '-czf', $path, 'scene']),
            '.zip' => self::zip($path, ['scene/x_META.txt' => self::META] + array_combine(array_map(fn (string $file): string => 'scene/'.basename($file), glob("$folder/*.tif") ?: []), array_map(file_get_contents(...), glob("$folder/*.tif") ?: []))),
            default => null,
        };
        if ($ending !== '') {
            Files::remove($folder);
        }

        return $path;
    }

    /** @param  array<string, string|false>  $files */
    private static function zip(string $path, array $files): void
    {
        $zip = new \ZipArchive;
        $zip->open($path, \ZipArchive::CREATE);
        foreach ($files as $name => $content) {
            $zip->addFromString($name, (string) $content);
        }
        $zip->close();
    }

    public function test_every_packing_gives_the_same_images(): void
    {
        $hashes = [];
        foreach (['', '.tar', '.tar.gz', '.zip'] as $ending) {
            $path = $this->packed($ending);
            $figures = $this->compute('gather.bundle', ['image' => $path], ['groups' => 'multispectral,pan,thermal'], ['result' => "$this->folder/out$ending"]);
            self::assertSame(['multispectral', 'pan', 'thermal'], array_keys($figures['groups']));
            $hashes[] = array_map(fn (string $group): string => md5_file("$this->folder/out$ending/$group.tif") ?: '', array_keys($figures['groups']));
            Files::remove($path);
            self::assertSame([], glob("$this->folder/chorometra-*"), 'temporary files go');
        }
        self::assertCount(1, array_unique($hashes, SORT_REGULAR));
        $spec = (new GeoTiffImage("$this->folder/out.zip/multispectral.tif"))->spec();
        self::assertSame(['red', 'nir'], array_map(fn (Band $band): ?string => $band->role, $spec->bands));
        self::assertSame([0.657, 0.864], array_map(fn (Band $band): ?float => $band->wavelength, $spec->bands));
        self::assertSame(['reflectance_gain' => 2.5e-05, 'reflectance_offset' => -0.05], $spec->bands[0]->constants);
        self::assertSame(['2031-05-12T10:41:22Z', 52.4], [$spec->properties['datetime'], $spec->properties['view:sun_elevation']]);
        self::assertClose([NAN, 4001.0], array_slice(self::pixels("$this->folder/out.zip/multispectral.tif"), 0, 2), 0.0);
        self::assertSame([[8, 8]], (new GeoTiffImage("$this->folder/out.zip/pan.tif"))->levels());
    }

    public function test_thermal_bands_may_join_the_others(): void
    {
        $this->compute('gather.bundle', ['image' => $this->packed('.tar')], ['groups' => 'multispectral,thermal', 'thermal' => 'joined'], ['result' => "$this->folder/out"]);
        self::assertSame(['red', 'nir', 'thermal1'], array_map(fn (Band $band): ?string => $band->role, (new GeoTiffImage("$this->folder/out/multispectral.tif"))->spec()->bands));
        self::assertFileDoesNotExist("$this->folder/out/thermal.tif");
    }

    public function test_an_archive_that_points_outside_itself_is_refused(): void
    {
        $run = fn (string $path) => $this->compute('gather.bundle', ['image' => $path], [], ['result' => "$this->folder/out"]);
        foreach (['../evil.txt', '/etc/evil.txt', 'a/../../evil.txt', 'C:/evil.txt'] as $i => $name) {
            self::zip("$this->folder/z$i.zip", [$name => 'x', 'x_META.txt' => self::META]);
            $this->problem(3, "its entry “{$name}” points outside the archive", fn () => $run("$this->folder/z$i.zip"));
        }
        file_put_contents("$this->folder/plain.txt", 'x');
        self::shell(['tar', '-C', $this->folder, '--transform=s,^,../../,', '-P', '-cf', "$this->folder/climb.tar", 'plain.txt']);
        $this->problem(3, 'points outside the archive', fn () => $run("$this->folder/climb.tar"));
        symlink('/etc/passwd', "$this->folder/link");
        self::shell(['tar', '-C', $this->folder, '-cf', "$this->folder/link.tar", 'link']);
        $this->problem(3, 'points outside the archive', fn () => $run("$this->folder/link.tar"));
        self::assertFileDoesNotExist("$this->folder/out");
        self::assertFileDoesNotExist(dirname($this->folder).'/evil.txt');
    }

    public function test_what_is_wrong_with_a_bundle_is_told(): void
    {
        $run = fn (string $path, array $settings = []) => $this->compute('gather.bundle', ['image' => $path], $settings, ['result' => "$this->folder/out"]);
        $good = $this->packed('.tar.gz');
        $this->problem(3, 'has no cirrus bands; leave that group out', fn () => $run($good, ['groups' => 'cirrus']));
        $this->problem(2, 'it can be multispectral, pan', fn () => $run($good, ['groups' => 'colour']));
        file_put_contents("$this->folder/cut.tar.gz", substr((string) file_get_contents($good), 0, intdiv((int) filesize($good), 2)));
        $this->problem(3, 'broken or ends too early', fn () => $run("$this->folder/cut.tar.gz"));
        file_put_contents("$this->folder/text.tar", 'this is a letter');
        $this->problem(3, 'text.tar', fn () => $run("$this->folder/text.tar"));
        file_put_contents("$this->folder/letter.doc", 'this is a letter');
        $this->problem(3, 'neither a tar, tar.gz or zip archive nor a folder', fn () => $run("$this->folder/letter.doc"));
        self::zip("$this->folder/empty.zip", ['readme.md' => 'nothing']);
        $this->problem(3, 'holds no metadata text that can be read, only readme.md', fn () => $run("$this->folder/empty.zip"));
        self::zip("$this->folder/other.zip", ['m.txt' => str_replace('QUILLON', 'OTHER', self::META)]);
        $this->problem(3, 'sensor that is not known here; known are Velisande-1 Quillon', fn () => $run("$this->folder/other.zip"));
        self::zip("$this->folder/lacks.zip", ['m.txt' => self::META]);
        $this->problem(3, 'lacks the file x_B3.tif of its red band', fn () => $run("$this->folder/lacks.zip"));
        // a band that breaks off after others were read: no folder appears
        $folder = $this->delivery();
        file_put_contents("$folder/x_B7.tif", substr((string) file_get_contents("$folder/x_B7.tif"), 0, 500));
        $this->problem(3, 'x_B7.tif', fn () => $run($folder, ['groups' => 'multispectral,pan']));
        self::assertFileDoesNotExist("$this->folder/out");
        self::assertSame([], glob("$this->folder/*.part"));
    }
}
