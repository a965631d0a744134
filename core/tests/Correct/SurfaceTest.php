<?php

namespace Chorometra\Core\Tests\Correct;

use Chorometra\Core\Correct\Air\Atmosphere;
use Chorometra\Core\Correct\Air\Gases;
use Chorometra\Core\Correct\Air\ScatteringLayer;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Tests\TestCase;

/** The air over a scene: against photons followed one by one, published formulae, and itself backwards. */
final class SurfaceTest extends TestCase
{
    public function test_rayleigh_optical_depth_and_pressure(): void
    {
        // another fit to the same air: Dutton et al. 1994, Journal of Geophysical Research 99:2377–2388 (from memory)
        foreach ([0.4, 0.45, 0.55, 0.65, 0.8, 1.0] as $wavelength) {
            self::assertEqualsWithDelta(1.0, Atmosphere::rayleigh($wavelength) / (0.00877 * $wavelength ** -4.05), 0.03, "at $wavelength µm");
        }
        // ISO 2533: 898.76 hPa at 1000 m, 701.21 hPa at 3000 m, 1013.25 hPa at sea level
        self::assertEqualsWithDelta(898.76, 1013.25 * Atmosphere::pressure(1000), 0.1);
        self::assertEqualsWithDelta(701.21, 1013.25 * Atmosphere::pressure(3000), 0.2);
    }

    public function test_all_orders_of_scattering_against_photons(): void
    {
        foreach (self::fixture('atmosphere/photons.json')['cases'] as $case) {
            [, $albedo, $asymmetry] = Atmosphere::AEROSOLS[$case['aerosol']];
            $layer = ScatteringLayer::of($case['rayleigh'], $case['aerosol_depth'], $albedo, $asymmetry, sin(deg2rad($case['sun'])));
            $what = "{$case['aerosol']} {$case['aot']} at {$case['wavelength']} µm, sun at {$case['sun']}°";
            self::assertEqualsWithDelta($case['path'], $layer->path, 0.0012, "$what: path");
            self::assertEqualsWithDelta($case['down'], $layer->down, 0.0015, "$what: down");
            self::assertEqualsWithDelta($case['spherical'], $layer->spherical, 0.002, "$what: spherical albedo");
        }
    }

    public function test_nothing_is_lost_where_nothing_absorbs(): void
    {
        foreach ([0.02, 0.3, 1.7] as $depth) {
            // alike from all sides: what is not sent back comes through, to all sides of the sky
            $sum = 0.0;
            for ($k = 0; $k < 40; $k++) {
                $cosine = ($k + 0.5) / 40;
                $sum += 2 * $cosine * ScatteringLayer::of($depth / 2, $depth / 2, 1.0, 0.7, $cosine)->down / 40;
            }
            self::assertEqualsWithDelta(1.0, $sum + ScatteringLayer::of($depth / 2, $depth / 2, 1.0, 0.7, 0.5)->spherical, 1e-3);
        }
        $none = ScatteringLayer::of(0.0, 0.0, 0.9, 0.6, 0.5);
        self::assertSame([0.0, 1.0, 1.0, 0.0], [$none->path, $none->down, $none->up, $none->spherical]);
    }

    public function test_backwards_it_gives_what_went_in(): void
    {
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(8));
        $between = fn (float $low, float $high): float => $low + ($high - $low) * $random->getInt(0, 1 << 20) / (1 << 20);
        for ($k = 0; $k < 120; $k++) {
            $atmosphere = new Atmosphere(
                $between(10, 90),
                array_keys(Atmosphere::AEROSOLS)[$k % 4],
                $between(0, 1),
                $between(0, 5),
                $between(200, 500),
                $between(0, 3000),
            );
            $air = $atmosphere->at([0.443, 0.483, 0.561, 0.657, 0.864, 1.612, 2.204][$k % 7], 0.04);
            $surface = $between(0, 0.95);
            self::assertEqualsWithDelta($surface, $air->surface($air->above($surface)), 1e-6);
        }
    }

    public function test_more_in_the_air_hides_more(): void
    {
        $air = fn (string $aerosol = 'continental', float $aot = 0.2, float $water = 2, float $ozone = 300, float $elevation = 0) => new Atmosphere(
            45.0,
            $aerosol,
            $aot,
            $water,
            $ozone,
            $elevation,
        );
        self::assertGreaterThan($air()->at(0.483)->path, $air(aot: 0.4)->at(0.483)->path);
        self::assertGreaterThan($air()->at(0.864)->path, $air()->at(0.483)->path);
        self::assertLessThan($air()->at(0.483)->path, $air(elevation: 2500)->at(0.483)->path);
        self::assertLessThan($air()->at(0.657)->down, $air('urban')->at(0.657)->down);
        // ozone takes green and red, water vapour the near infrared beside its bands
        self::assertLessThan($air()->at(0.6)->gas, $air(ozone: 450)->at(0.6)->gas);
        self::assertSame(1.0, Gases::ozone(0.86, 300.0));
        self::assertLessThan(0.5, Gases::water(0.94, 3.0));
        self::assertGreaterThan(0.999, Gases::water(0.86, 3.0));
        self::assertSame(1.0, Gases::water(0.55, 3.0));
        // Koschmieder: 3.912 over the distance; of it molecules take their part
        self::assertEqualsWithDelta((3.912 / 23 - 0.0116) * 2, Atmosphere::aot(23), 1e-12);
        self::assertGreaterThan(0, Atmosphere::aot(300));
        self::assertEqualsWithDelta(23, Atmosphere::visibility(Atmosphere::aot(23)), 1e-9);
    }

    /** @param  list<float>  $spectrum */
    private function scene(array $spectrum, ?string $unit = 'reflectance'): string
    {
        $bands = [new Band('blue', 'blue', 0.483, 0.065, $unit), new Band('nir', 'nir', 0.864, 0.035, $unit), new Band('thermal1', 'thermal1', 10.9, 0.8, 'K')];

        return $this->raster(
            'toa.tif',
            new RasterSpec(self::grid(3, 1), $bands, properties: ['view:sun_elevation' => 50.0, 'datetime' => '2031-05-12T10:41:22Z']),
            [[...$spectrum, NAN], [0.3, 0.4, 0.5], [290.0, 291.0, 292.0]],
        );
    }

    public function test_an_image(): void
    {
        $image = $this->scene([0.12, 0.2]);
        $figures = $this->compute(
            'correct.surface',
            ['image' => $image],
            ['aot550' => 0.15, 'water-vapour' => 1.5, 'ozone' => 320, 'elevation' => 100, 'aerosol' => 'maritime'],
            ['result' => "$this->folder/s.tif"],
        );
        $air = (new Atmosphere(50.0, 'maritime', 0.15, 1.5, 320.0, 100.0))->at(0.483, 0.065);
        self::assertClose([$air->surface(0.12), $air->surface(0.2), NAN], self::pixels("$this->folder/s.tif"), 1e-6);
        // temperatures are left as they are
        self::assertClose([290.0, 291.0, 292.0], self::pixels("$this->folder/s.tif", 2), 1e-4);
        $spec = (new GeoTiffImage("$this->folder/s.tif"))->spec();
        self::assertSame(['reflectance', 'reflectance', 'K'], array_map(fn (Band $band): ?string => $band->unit, $spec->bands));
        self::assertSame(
            [
                'aerosol' => 'set',
                'aot550' => 'set',
                'visibility' => 'aot550',
                'sun-elevation' => 'metadata',
                'water-vapour' => 'set',
                'ozone' => 'set',
                'elevation' => 'set',
            ],
            array_column($figures['air'], 'from', 'what'),
        );
        self::assertEqualsWithDelta($air->path, $figures['transmission'][0]['path'], 1e-12);
        self::assertCount(2, $figures['transmission']);
        // a visibility stands for an optical depth
        $figures = $this->compute('correct.surface', ['image' => $image], ['visibility' => 40], ['result' => "$this->folder/v.tif"]);
        self::assertEqualsWithDelta(Atmosphere::aot(40), array_column($figures['air'], 'value', 'what')['aot550'], 1e-12);
    }

    public function test_points_beside_signatures(): void
    {
        $image = $this->scene([0.12, 0.2]);
        $air = new Atmosphere(50.0, 'continental', Atmosphere::aot(23), 2.0, 300.0, 0.0);
        $spectrum = [100 * $air->at(0.483, 0.065)->surface(0.12), 100 * $air->at(0.864, 0.035)->surface(0.3)];
        // nanometres and per cent, with decimal commas
        $lines = ['nm;meadow;chalk'];
        foreach ([400, 600, 800, 1000] as $nm) {
            $lines[] = "$nm;".str_replace('.', ',', sprintf('%.6f;%.1f', $nm < 700 ? $spectrum[0] : $spectrum[1], 60 + $nm / 100));
        }
        file_put_contents("$this->folder/lib.csv", implode("\r\n", $lines));
        [$x, $y] = self::grid(3, 1)->toMap(0.5, 0.5);
        $point = ['type' => 'Feature', 'geometry' => ['type' => 'Point', 'coordinates' => [$x, $y]]];
        file_put_contents(
            "$this->folder/p.geojson",
            json_encode([
                'type' => 'FeatureCollection',
                'crs' => ['type' => 'name', 'properties' => ['name' => 'urn:ogc:def:crs:EPSG::32632']],
                'features' => [['properties' => ['name' => 'field']] + $point, ['properties' => ['signature' => 'chalk']] + $point],
            ]),
        );
        $fits = $this->compute(
            'correct.surface',
            ['image' => $image, 'signatures' => "$this->folder/lib.csv", 'points' => "$this->folder/p.geojson"],
            [],
            ['result' => "$this->folder/s.tif"],
        )['fits'];
        self::assertSame(['field', 'meadow'], [$fits[0]['point'], $fits[0]['signature']]);
        self::assertEqualsWithDelta(0.0, $fits[0]['angle'], 0.01);
        self::assertEqualsWithDelta(0.0, $fits[0]['rmse'], 1e-6);
        self::assertSame(['2', 'chalk'], [$fits[1]['point'], $fits[1]['signature']]);
        // by hand: the angle between two spectra of two bands, and their distance
        [$a, $b] = [array_map(fn (float $one): float => $one / 100, $spectrum), [0.6483, 0.6864]];
        self::assertEqualsWithDelta(rad2deg(abs(atan2($a[1], $a[0]) - atan2($b[1], $b[0]))), $fits[1]['angle'], 1e-3);
        self::assertEqualsWithDelta(sqrt((($a[0] - $b[0]) ** 2 + ($a[1] - $b[1]) ** 2) / 2), $fits[1]['rmse'], 1e-5);
    }

    public function test_what_is_not_set_is_asked_for(): void
    {
        $socket = stream_socket_server('tcp://127.0.0.1:0');
        self::assertIsResource($socket);
        $address = (string) stream_socket_get_name($socket, false);
        fclose($socket);
        $server = proc_open(
            [PHP_BINARY, '-S', $address, __DIR__.'/../fixtures/atmosphere/server.php'],
            [['file', '/dev/null', 'r'], ['file', '/dev/null', 'w'], ['file', '/dev/null', 'w']],
            $pipes,
            null,
            ['ASKED' => "$this->folder/asked.json"] + getenv(),
        );
        self::assertIsResource($server);
        try {
            for ($i = 0; $i < 500 && ! is_resource(@fsockopen(...explode(':', $address))); $i++) {
                usleep(20_000);
            }
            $run = fn (string $manner, array $set = []): array => $this->compute(
                'correct.surface',
                ['image' => $this->scene([0.12, 0.2])],
                ['service' => "http://$address/$manner"] + $set,
                ['result' => "$this->folder/s.tif"],
            );
            $air = array_column($run('air', ['ozone' => 300])['air'], null, 'what');
            self::assertSame(['urban', 'service'], [$air['aerosol']['value'], $air['aerosol']['from']]);
            self::assertEqualsWithDelta(0.21, $air['aot550']['value'], 1e-12);
            self::assertEqualsWithDelta(1.85, $air['water-vapour']['value'], 1e-12);
            self::assertSame([300.0, 'set'], [$air['ozone']['value'], $air['ozone']['from']]);
            self::assertEqualsWithDelta(140, $air['elevation']['value'], 1e-12);
            $asked = json_decode((string) file_get_contents("$this->folder/asked.json"), true);
            self::assertMatchesRegularExpression('/^POINT\(7\.9\d+ 54\.7\d+\)$/', $asked['coords']);
            self::assertSame('2031-05-12T10:41:22Z', $asked['datetime']);
            self::assertEqualsWithDelta(320, array_column($run('air')['air'], 'value', 'what')['ozone'], 1e-9);
            unlink("$this->folder/s.tif");
            self::assertSame('service', $this->problem(3, 'is temporarily unavailable (status 503)', fn () => $run('down'))->about);
            self::assertSame('service', $this->problem(3, 'nothing is known of that place', fn () => $run('beyond'))->about);
            self::assertSame('service', $this->problem(3, 'something that is no coverage', fn () => $run('other'))->about);
            self::assertSame('service', $this->problem(3, 'in a unit that is not supported', fn () => $run('unit'))->about);
            self::assertFileDoesNotExist("$this->folder/s.tif");
        } finally {
            proc_terminate($server);
            proc_close($server);
        }
        self::assertSame('service', $this->problem(3, 'does not answer', fn () => $run('air'))->about);
    }

    public function test_what_can_not_be_done(): void
    {
        $image = $this->scene([0.12, 0.2]);
        $run = fn (string $image, array $set = [], array $in = []) => fn () => $this->compute('correct.surface', ['image' => $image] + $in, $set, [
            'result' => "$this->folder/o.tif",
        ]);
        self::assertSame('visibility', $this->problem(2, 'visibility is 500; it must be between 1 and 300 km', $run($image, ['visibility' => 500]))->about);
        self::assertSame('visibility', $this->problem(2, 'visibility is 0; it must be between 1 and 300 km', $run($image, ['visibility' => 0]))->about);
        $counts = $this->scene([5.0, 9.0], 'counts');
        $this->problem(3, 'is in counts: atmospheric correction needs top-of-atmosphere reflectance; calibrate first', $run($counts));
        self::assertSame(
            'sun-elevation',
            $this->problem(3, 'has no sun elevation', $run($this->image('plain.tif', 2, 1, ['red' => [0.1, 0.2]])))->about,
        );
        $this->problem(3, 'has no wavelength', $run($this->image('plain.tif', 2, 1, ['red' => [0.1, 0.2]]), ['sun-elevation' => 40]));
        $this->problem(3, 'nearly opaque in band blue', $run($this->scene([0.1, 0.2]), ['aot550' => 5, 'aerosol' => 'urban', 'sun-elevation' => 5]));
        file_put_contents("$this->folder/p.geojson", '{"type":"FeatureCollection","features":[]}');
        $this->problem(2, 'give the input signatures too', $run($image, [], ['points' => "$this->folder/p.geojson"]));
        foreach (
            [
                "a\n1" => 'contains no signatures',
                "nm,a\n400,x\n500,1" => 'holds “x” for a',
                "nm,a\n400,1,2" => 'Line 2 of',
                "nm,a\n400,1" => 'two wavelengths at least',
            ] as $text => $sentence
        ) {
            file_put_contents("$this->folder/bad.csv", $text);
            $this->problem(3, $sentence, $run($image, [], ['points' => "$this->folder/p.geojson", 'signatures' => "$this->folder/bad.csv"]));
        }
        self::assertFileDoesNotExist("$this->folder/o.tif");
    }
}
