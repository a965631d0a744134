<?php

namespace Chorometra\Core\Tests\Gather;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Files;

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
            $this->raster("scene/x_$name.tif", new RasterSpec(self::grid($size, $size), [new Band()], SampleType::UInt16, null), [
                array_map(fn (int $i): float => $i === 0 ? 0.0 : $value + $i, range(0, $size * $size - 1)),
            ]);
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
            '.zip' => self::zip(
                $path,
                ['scene/x_META.txt' => self::META] +
                    array_combine(
                        array_map(fn (string $file): string => 'scene/'.basename($file), glob("$folder/*.tif") ?: []),
                        array_map(file_get_contents(...), glob("$folder/*.tif") ?: []),
                    ),
            ),
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
        $this->compute(
            'gather.bundle',
            ['image' => $this->packed('.tar')],
            ['groups' => 'multispectral,thermal', 'thermal' => 'joined'],
            ['result' => "$this->folder/out"],
        );
        self::assertSame(
            ['red', 'nir', 'thermal1'],
            array_map(fn (Band $band): ?string => $band->role, (new GeoTiffImage("$this->folder/out/multispectral.tif"))->spec()->bands),
        );
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
        $this->problem(3, 'corrupt or truncated', fn () => $run("$this->folder/cut.tar.gz"));
        // cut between two files: nothing of it is broken but the end
        $entry = fn (string $name, string $text): string => self::header($name, strlen($text)).str_pad($text, 512 * (int) ceil(strlen($text) / 512), "\0");
        file_put_contents("$this->folder/between.tar.gz", (string) gzencode($entry('x_B4.tif', 'a').$entry('x_B3.tif', 'b')));
        $this->problem(3, 'corrupt or truncated', fn () => $run("$this->folder/between.tar.gz"));
        file_put_contents("$this->folder/text.tar", 'this is a letter');
        $this->problem(3, 'text.tar', fn () => $run("$this->folder/text.tar"));
        file_put_contents("$this->folder/letter.doc", 'this is a letter');
        $this->problem(3, 'neither a tar, tar.gz or zip archive nor a folder', fn () => $run("$this->folder/letter.doc"));
        self::zip("$this->folder/empty.zip", ['readme.md' => 'nothing']);
        $this->problem(
            3,
            'empty.zip contains no readable metadata. It holds readme.md. Assign the bands by hand: red=FILE',
            fn () => $run("$this->folder/empty.zip"),
        );
        self::zip("$this->folder/other.zip", ['m.txt' => str_replace('QUILLON', 'OTHER', self::META)]);
        $this->problem(3, 'other.zip comes from a sensor that is not supported (known are ', fn () => $run("$this->folder/other.zip"));
        self::zip("$this->folder/lacks.zip", ['m.txt' => self::META]);
        $this->problem(3, 'lacks the file of its red band (x_B3.tif)', fn () => $run("$this->folder/lacks.zip"));
        // a band that breaks off after others were read: no folder appears
        $folder = $this->delivery();
        file_put_contents("$folder/x_B7.tif", substr((string) file_get_contents("$folder/x_B7.tif"), 0, 500));
        $this->problem(3, 'x_B7.tif', fn () => $run($folder, ['groups' => 'multispectral,pan']));
        self::assertFileDoesNotExist("$this->folder/out");
        self::assertSame([], glob("$this->folder/*.part"));
    }

    public function test_a_bundle_within_a_bundle(): void
    {
        $inner = $this->packed('.tar.gz');
        self::zip("$this->folder/twice.zip", ['letter.txt' => 'Enclosed is your order.', 'data/scene.tar.gz' => file_get_contents($inner)]);
        $this->compute('gather.bundle', ['image' => "$this->folder/twice.zip"], ['groups' => 'multispectral'], ['result' => "$this->folder/out"]);
        self::assertSame(['red', 'nir'], $this->roles('multispectral'));
        self::assertSame([], glob("$this->folder/chorometra-*"), 'temporary files go');
    }

    public function test_bands_are_assigned_by_hand_where_the_sensor_is_not_known(): void
    {
        $folder = $this->delivery();
        file_put_contents("$folder/x_META.txt", str_replace('QUILLON', 'OTHER', self::META));
        $run = fn (array $settings): array => $this->compute('gather.bundle', ['image' => $folder], $settings, ['result' => "$this->folder/out"]);
        $problem = $this->problem(3, 'It holds x_B3.tif, x_B4.tif, x_B7.tif, x_B8.tif, x_META.txt', fn () => $run([]));
        self::assertSame('assign', $problem->about);
        $this->problem(2, '“colour=x_B3.tif” assigns no band', fn () => $run(['assign' => 'colour=x_B3.tif']));
        $this->problem(3, 'lacks the file of its red band (x_B9.tif)', fn () => $run(['assign' => 'red=x_B9.tif']));
        $figures = $run(['groups' => 'multispectral,thermal', 'assign' => 'nir=x_B4.tif,thermal1=x_B8.tif,red=X_B3.TIF']);
        self::assertSame(['nir', 'red'], $this->roles('multispectral'));
        self::assertSame(['thermal1'], $this->roles('thermal'));
        self::assertSame('sensor unknown, bands assigned by hand', $figures['sensor']);
    }

    public function test_a_public_mission_by_its_metadata(): void
    {
        $bands = ['1' => 'blue', '4' => 'nir', '6_VCID_1' => 'low', '6_VCID_2' => 'high'];
        $lines = [
            'GROUP = LANDSAT_METADATA_FILE',
            'SPACECRAFT_ID = "LANDSAT_7"',
            'SENSOR_ID = "ETM"',
            'DATE_ACQUIRED = 2009-07-02',
            'SCENE_CENTER_TIME = "10:15:41.1234567Z"',
            'SUN_ELEVATION = 58.1',
            'RADIANCE_MULT_BAND_1 = 0.77874',
            'RADIANCE_ADD_BAND_1 = -6.97874',
            'FILE_NAME_QUALITY_L1_PIXEL = "S_QA.TIF"',
            'FILE_NAME_BAND_2 = "S_B2.TIF"',
        ];
        mkdir("$this->folder/scene");
        foreach ([...array_keys($bands), 'QA', 'gap_mask/S_GM_B1', 'gap_mask/S_GM_B4'] as $name) {
            $file = str_contains((string) $name, '/') ? (string) $name : ((string) $name === 'QA' ? 'S_QA' : "S_B$name");
            $this->raster("scene/$file.tif", new RasterSpec(self::grid(2, 2), [new Band], SampleType::UInt8, null), [[0, 1, 2, 3]]);
            $lines[] = "FILE_NAME_BAND_$name = \"S_B$name.TIF\"";
        }
        array_map(unlink(...), glob("$this->folder/scene/*.stac.json") ?: []);
        file_put_contents("$this->folder/scene/S_MTL.txt", implode("\n", $lines));
        // the others are missing: told by name
        $this->problem(
            3,
            'lacks the file of its green band',
            fn () => $this->compute('gather.bundle', ['image' => "$this->folder/scene"], [], ['result' => "$this->folder/out"]),
        );
        foreach (['2', '3', '5', '7'] as $name) {
            copy("$this->folder/scene/S_B1.tif", "$this->folder/scene/S_B$name.tif");
            $lines[] = "FILE_NAME_BAND_$name = \"S_B$name.TIF\"";
            copy("$this->folder/scene/gap_mask/S_GM_B1.tif", "$this->folder/scene/gap_mask/S_GM_B$name.tif");
        }
        file_put_contents("$this->folder/scene/S_MTL.txt", implode("\n", $lines));
        $figures = $this->compute(
            'gather.bundle',
            ['image' => "$this->folder/scene"],
            ['groups' => 'multispectral,thermal,quality,gap-mask'],
            ['result' => "$this->folder/out"],
        );
        self::assertSame('Landsat 7 ETM+', $figures['sensor']);
        self::assertSame(['blue', 'green', 'red', 'nir', 'swir1', 'swir2'], $this->roles('multispectral'));
        $spec = (new GeoTiffImage("$this->folder/out/multispectral.tif"))->spec();
        self::assertSame(['solar' => 1997.0, 'radiance_gain' => 0.77874, 'radiance_offset' => -6.97874], $spec->bands[0]->constants);
        self::assertSame(['landsat-7', '2009-07-02T10:15:41Z'], [$spec->properties['platform'], $spec->properties['datetime']]);
        self::assertSame(['k1' => 666.09, 'k2' => 1282.71], (new GeoTiffImage("$this->folder/out/thermal.tif"))->spec()->bands[1]->constants);
        self::assertCount(6, (new GeoTiffImage("$this->folder/out/gap-mask.tif"))->spec()->bands);
    }

    public function test_a_delivery_described_by_a_stac_item(): void
    {
        $folder = $this->delivery();
        unlink("$folder/x_META.txt");
        file_put_contents(
            "$folder/item.json",
            (string) json_encode([
                'type' => 'Feature',
                'stac_version' => '1.0.0',
                'id' => 'x',
                'properties' => ['datetime' => '2031-05-12T10:00:00Z', 'platform' => 'orlune-2', 'view:sun_elevation' => 41.5],
                'assets' => [
                    'b3' => [
                        'href' => './x_B3.tif',
                        'roles' => ['data', 'reflectance'],
                        'eo:bands' => [['name' => 'B3', 'common_name' => 'red', 'center_wavelength' => 0.66]],
                        'raster:bands' => [['scale' => 1.0e-4, 'offset' => -0.1]],
                    ],
                    'b4' => ['href' => './x_B4.tif', 'bands' => [['name' => 'B4', 'eo:common_name' => 'nir08']]],
                    'b8' => ['href' => './x_B8.tif', 'bands' => [['eo:common_name' => 'lwir11']]],
                    'mask' => ['href' => './x_B7.tif', 'roles' => ['cloud']],
                    'look' => ['href' => './look.png', 'roles' => ['thumbnail']],
                ],
            ]),
        );
        $this->compute('gather.bundle', ['image' => $folder], ['groups' => 'multispectral,thermal,quality'], ['result' => "$this->folder/out"]);
        self::assertSame([['red', 'nir'], ['thermal1'], ['quality']], [$this->roles('multispectral'), $this->roles('thermal'), $this->roles('quality')]);
        $spec = (new GeoTiffImage("$this->folder/out/multispectral.tif"))->spec();
        self::assertSame(
            [0.66, ['value_gain' => 1.0e-4, 'value_offset' => -0.1], 'orlune-2', 41.5],
            [$spec->bands[0]->wavelength, $spec->bands[0]->constants, $spec->properties['platform'], $spec->properties['view:sun_elevation']],
        );
    }

    /** @return array<string, array{array<string, mixed>, array<string, mixed>, string|null}> */
    public static function scaled(): array
    {
        $scale = ['scale' => 1.0e-4, 'offset' => -0.1];
        $red = [['common_name' => 'red']];

        return [
            'extension raster 1' => [[], ['raster:bands' => [$scale], 'eo:bands' => $red], null],
            'extension raster 2' => [[], ['bands' => [['eo:common_name' => 'red', 'raster:scale' => 1.0e-4, 'raster:offset' => -0.1]]], null],
            'by its level' => [['processing:level' => 'L2A'], ['raster:bands' => [$scale], 'eo:bands' => $red], 'surface'],
            'by its title' => [[], ['title' => 'Red, surface reflectance', 'raster:bands' => [$scale], 'eo:bands' => $red], 'surface'],
            'above the air' => [[], ['title' => 'Red, TOA', 'raster:bands' => [$scale], 'eo:bands' => $red], 'toa'],
        ];
    }

    /**
     * @param  array<string, mixed>  $properties
     * @param  array<string, mixed>  $asset
     */
    #[\PHPUnit\Framework\Attributes\DataProvider('scaled')]
    public function test_scale_and_offset_of_a_stac_item_give_reflectance_itself(array $properties, array $asset, ?string $quantity): void
    {
        mkdir("$this->folder/s");
        $this->raster('s/red.tif', new RasterSpec(self::grid(2, 1), [new Band], SampleType::UInt16, 0.0), [[3000, 0]]);
        unlink("$this->folder/s/red.stac.json");
        file_put_contents("$this->folder/s/item.json", (string) json_encode([
            'type' => 'Feature',
            'stac_version' => '1.0.0',
            'properties' => ['datetime' => '2031-05-12T10:00:00Z', 'view:sun_elevation' => 30.0] + $properties,
            'assets' => ['red' => ['href' => './red.tif', 'roles' => ['data', 'reflectance']] + $asset],
        ]));
        $this->compute('gather.bundle', ['image' => "$this->folder/s"], ['groups' => 'multispectral'], ['result' => "$this->folder/out"]);
        $this->compute('correct.calibrate', ['image' => "$this->folder/out/multispectral.tif"], [], ['result' => "$this->folder/r.tif"]);
        self::assertClose([0.2, NAN], self::pixels("$this->folder/r.tif"), 1e-7);
        $spec = (new GeoTiffImage("$this->folder/r.tif"))->spec();
        self::assertSame(['reflectance', $quantity], [$spec->bands[0]->unit, $spec->properties[RasterSpec::REFLECTANCE] ?? null]);
        $what = $quantity === 'surface' ? 'surface reflectance already' : 'is reflectance already';
        $again = fn (string $kind): array => $this->compute($kind, ['image' => "$this->folder/r.tif"], [], ['result' => "$this->folder/again.tif"]);
        $this->problem(3, $what, fn () => $again('correct.calibrate'));
        if ($quantity === 'surface') {
            $this->problem(3, $what, fn () => $again('correct.surface'));
        }
    }

    public function test_sensor_profiles_keep_to_their_schema(): void
    {
        $folder = dirname(__DIR__, 2).'/resources';
        $schema = json_decode((string) file_get_contents("$folder/sensor.schema.json"), true);
        foreach (glob("$folder/sensors/*.json") ?: [] as $file) {
            $profile = json_decode((string) file_get_contents($file), true);
            self::assertSame([], array_diff($schema['required'], array_keys($profile)), $file);
            self::assertSame([], array_diff(array_keys($profile), array_keys($schema['properties'])), $file);
            foreach (['keys', 'constants'] as $name) {
                self::assertSame([], array_diff(array_keys($profile[$name]), array_keys($schema['properties'][$name]['properties'])), $file);
            }
            $fields = $schema['properties']['bands']['items']['properties'];
            foreach ($profile['bands'] as $band) {
                self::assertSame([], array_diff(array_keys($band), array_keys($fields)), $file);
                self::assertContains($band['group'], $fields['group']['enum']);
                isset($band['role']) && self::assertContains($band['role'], $fields['role']['enum']);
            }
        }
        self::assertSame(Band::ROLES, $schema['properties']['bands']['items']['properties']['role']['enum']);
    }

    /** @return list<string|null> */
    private function roles(string $group): array
    {
        return array_map(fn (Band $band): ?string => $band->role, (new GeoTiffImage("$this->folder/out/$group.tif"))->spec()->bands);
    }

    /** Of a file in a tar archive (POSIX ustar). */
    private static function header(string $name, int $size): string
    {
        $header = str_pad($name, 100, "\0").sprintf("%07o\0%07o\0%07o\0%011o\0%011o\0", 0644, 0, 0, $size, 0).'        0'.str_repeat("\0", 100)."ustar\0".'00';
        $header = str_pad($header, 512, "\0");

        return substr_replace($header, sprintf("%06o\0 ", array_sum(array_map(ord(...), str_split($header)))), 148, 8);
    }
}
