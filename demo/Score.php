<?php

namespace Chorometra\Demo;

use Chorometra\Core\Derive\Sharpening\Injection;
use Chorometra\Core\Engine\Production;
use Chorometra\Core\Engine\Reduce;
use Chorometra\Core\Engine\Runner;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\RowBlock;
use Chorometra\Core\Raster\SlopeLight;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Step\Registry;
use Chorometra\Core\Work\Context;

/** Corrections of the made-up scenes against their truth: how far off they were before, and how far after. */
final class Score
{
    private const SIDE = 600;

    private Context $context;

    /** @param  string  $demo  folder with the demo's bundles; $folder is for what is computed here */
    public function __construct(private readonly string $demo, private readonly string $folder)
    {
        $this->context = new Context(2, $folder);
    }

    /** @return list<array{correction: string, measure: string, before: float, after: float}> */
    public function table(): array
    {
        foreach (['orvane-2031' => 'first', 'orvane-2033' => 'second'] as $name => $short) {
            $bundle = Simulator::bundle($this->demo, $name);
            $this->run('gather.bundle', ['image' => $bundle], ['groups' => 'multispectral,pan'], ['result' => "$this->folder/$short"]);
            $this->run('correct.calibrate', ['image' => "$this->folder/$short/multispectral.tif"], [], ['result' => "$this->folder/$short.tif"]);
        }
        Elevation::write("$this->folder/heights.tif", $this->context);

        return [
            ...$this->darkObject(),
            ...$this->surface(),
            ...$this->haze(),
            ...$this->mask(),
            ...$this->terrain(),
            ...$this->lines(),
            ...$this->coregister(),
            ...$this->gaps(),
            ...$this->speckle(),
            ...$this->geocode(),
            ...$this->sharpen(),
        ];
    }

    /** @return list<array{correction: string, measure: string, before: float, after: float}> */
    private function darkObject(): array
    {
        $this->run('correct.dark-object', ['image' => "$this->folder/first.tif"], ['assumed' => 1], ['result' => "$this->folder/dark.tif"]);
        [$date, $later, $sky, $elevation, $azimuth, $seed] = Simulator::SCENES['orvane-2031'];
        $scene = new OpticalScene(Landscape::at($later), $date, $sky, $elevation, $azimuth, $seed);
        $rows = [];
        foreach ([0 => 'blue', 1 => 'green', 2 => 'red'] as $band => $name) {
            $truth = $scene->ground($band);
            $rows[] = [
                'correction' => 'dark object',
                'measure' => "$name, mean error of reflectance",
                'before' => self::error($this->band("$this->folder/first.tif", $band), $truth),
                'after' => self::error($this->band("$this->folder/dark.tif", $band), $truth),
            ];
        }

        return $rows;
    }

    /** @return list<array{correction: string, measure: string, before: float, after: float}> */
    private function surface(): array
    {
        [$date, $later, $sky, $elevation, $azimuth, $seed] = Simulator::SCENES['orvane-2031'];
        // as the atmosphere service tells it, which is not quite as it was
        $air = Air::on($date, $sky)->told($date);
        $this->run(
            'correct.surface',
            ['image' => "$this->folder/first.tif"],
            ['aerosol' => $air->aerosol, 'aot550' => $air->aot550, 'water-vapour' => $air->water, 'ozone' => $air->ozone, 'elevation' => $air->elevation],
            ['result' => "$this->folder/surface.tif"],
        );
        $scene = new OpticalScene(Landscape::at($later), $date, $sky, $elevation, $azimuth, $seed);
        $rows = [];
        foreach (['blue', 'green', 'red', 'nir', 'swir1', 'swir2'] as $band => $name) {
            $truth = $scene->lit($band);
            $rows[] = [
                'correction' => 'surface reflectance',
                'measure' => "$name, share of pixels more than 0.01 off",
                'before' => self::beyond($this->band("$this->folder/first.tif", $band), $truth, 0.01),
                'after' => self::beyond($this->band("$this->folder/surface.tif", $band), $truth, 0.01),
            ];
        }

        return $rows;
    }

    /** @return list<array{correction: string, measure: string, before: float, after: float}> */
    private function haze(): array
    {
        $this->run('correct.haze', ['image' => "$this->folder/second.tif"], [], ['result' => "$this->folder/dehazed.tif", 'haze' => "$this->folder/haze.tif"]);
        [$date, $later, $sky, $elevation, $azimuth, $seed, $east, $south] = Simulator::SCENES['orvane-2033'];
        $truth = (new OpticalScene(Landscape::at($later), $date, $sky, $elevation, $azimuth, $seed, east: $east, south: $south))->cloudless(0);
        // water is left alone
        $land = $this->band("$this->folder/haze.tif", 0);
        $of = fn (string $file): float => self::error(
            array_map(fn (float $value, float $haze): float => is_nan($haze) ? NAN : $value, $this->band($file, 0), $land),
            $truth,
        );

        return [
            [
                'correction' => 'haze',
                'measure' => 'blue over land, mean error of reflectance',
                'before' => $of("$this->folder/second.tif"),
                'after' => $of("$this->folder/dehazed.tif"),
            ],
        ];
    }

    /** @return list<array{correction: string, measure: string, before: float, after: float}> */
    private function mask(): array
    {
        $scene = Catalogue::scenes()['VL1_ORVANE_20310512'];
        foreach (Catalogue::scenes() as $one) {
            if ($one->collection === 'velisande-level1' && $one->clouds > 0.1 && $one->window->width * $one->window->height === Landscape::SIZE ** 2) {
                $scene = $one;
                break;
            }
        }
        OpticalScene::of($scene)->write("$this->folder/cloudy.tar.gz", null, $this->context);
        $this->run('gather.bundle', ['image' => "$this->folder/cloudy.tar.gz"], ['groups' => 'multispectral,quality'], ['result' => "$this->folder/cloudy"]);
        $this->run('correct.calibrate', ['image' => "$this->folder/cloudy/multispectral.tif"], [], ['result' => "$this->folder/cloudy.tif"]);
        $this->run('correct.mask', ['image' => "$this->folder/cloudy.tif"], ['by' => 'reflectance'], ['result' => "$this->folder/mask.tif"]);
        $bits = $this->band("$this->folder/cloudy/quality.tif", 0);
        $found = $this->band("$this->folder/mask.tif", 0);
        $all = $clouds = $wrong = 0;
        foreach ($found as $i => $class) {
            if (! is_nan($class) && ! is_nan($bits[$i])) {
                $isCloud = ((int) $bits[$i] & 8) > 0;
                $all++;
                $clouds += $isCloud ? 1 : 0;
                $wrong += $isCloud !== ($class === 2.0) ? 1 : 0;
            }
        }

        return [
            [
                'correction' => 'mask by reflectance',
                'measure' => 'share of pixels with a cloud taken for none, or the other way',
                'before' => $clouds / max(1, $all),
                'after' => $wrong / max(1, $all),
            ],
        ];
    }

    /** @return list<array{correction: string, measure: string, before: float, after: float}> */
    private function gaps(): array
    {
        $band = 3;
        $whole = $this->band("$this->folder/first.tif", $band);
        $other = $this->band("$this->folder/onto.tif", $band);
        $spec = (new GeoTiffImage("$this->folder/first.tif"))->spec();
        // strips as a failed scan mirror leaves them
        $isGap = fn (int $i): bool => (intdiv($i, self::SIDE) + (int) (0.2 * ($i % self::SIDE))) % 40 < 6;
        $holed = array_map(fn (float $value, int $i): float => $isGap($i) ? NAN : $value, $whole, array_keys($whole));
        foreach (['holed' => $holed, 'other' => $other] as $name => $values) {
            (new Production(
                ['result' => ['path' => "$this->folder/$name.tif", 'spec' => new RasterSpec($spec->grid, [$spec->bands[$band]])]],
                fn (Window $window): array => ['result' => [array_slice($values, $window->row * self::SIDE, $window->pixels())]],
                $this->context,
            ))->run([], 'gaps');
        }
        $this->run('correct.gaps', ['image' => "$this->folder/holed.tif", 'other' => "$this->folder/other.tif"], [], ['result' => "$this->folder/whole.tif"]);
        $of = fn (array $values): float => self::error(
            array_map(fn (float $value, int $i): float => $isGap($i) ? $value : NAN, $values, array_keys($values)),
            $whole,
        );

        return [
            [
                'correction' => 'gaps',
                'measure' => 'nir in strips, mean error of reflectance; before: the other date as it is',
                'before' => $of($other),
                'after' => $of($this->band("$this->folder/whole.tif", 0)),
            ],
        ];
    }

    /** @return list<array{correction: string, measure: string, before: float, after: float}> */
    private function geocode(): array
    {
        ComplexRadar::write("$this->folder/single.tif", Catalogue::scenes()['CS1_SINGLE_20310420']);
        $this->run('gather.image', ['image' => "$this->folder/single.tif"], ['roles' => 'hh,hv,vh,vv'], ['result' => "$this->folder/complex.tif"]);
        $of = fn (string $transform): float => $this->run(
            'correct.geocode',
            ['image' => "$this->folder/complex.tif"],
            ['transform' => $transform],
            ['result' => "$this->folder/map.tif"],
        )['rmse'];

        return [
            [
                'correction' => 'onto the map',
                'measure' => 'control points, RMSE in pixels; before: the look in place (affine), after: cubic',
                'before' => $of('affine'),
                'after' => $of('cubic'),
            ],
        ];
    }

    /** @return list<array{correction: string, measure: string, before: float, after: float}> */
    private function sharpen(): array
    {
        $this->run('correct.calibrate', ['image' => "$this->folder/first/pan.tif"], [], ['result' => "$this->folder/pan.tif"]);
        $given = ['image' => "$this->folder/first.tif"];
        $bands = ['bands' => 'blue,green,red'];
        $this->run('gather.reproject', $given + ['align-to' => "$this->folder/pan.tif"], ['resampling' => 'cubic'], ['result' => "$this->folder/cubic.tif"]);
        foreach (Injection::METHODS as $method) {
            $out = ['result' => "$this->folder/$method.tif"];
            $this->run('derive.sharpen', $given + ['pan' => "$this->folder/pan.tif"], ['method' => $method] + $bands, $out);
        }
        [$date, $later, $sky, $elevation, $azimuth, $seed] = Simulator::SCENES['orvane-2031'];
        $scene = new OpticalScene(Landscape::at($later), $date, $sky, $elevation, $azimuth, $seed);
        $rows = [];
        foreach (['blue', 'green', 'red'] as $band => $name) {
            $truth = $scene->fine($band);
            $found = [];
            foreach (Injection::METHODS as $method) {
                $found[$method] = self::rmse($this->whole("$this->folder/$method.tif", $band), $truth);
            }
            asort($found);
            $rows[] = [
                'correction' => 'sharper picture',
                'measure' => "$name, RMSE of reflectance at 10 m; best: ".array_key_first($found),
                'before' => self::rmse($this->whole("$this->folder/cubic.tif", $band), $truth),
                'after' => min($found),
            ];
        }

        return $rows;
    }

    /** @return list<array{correction: string, measure: string, before: float, after: float}> */
    private function terrain(): array
    {
        $this->run(
            'correct.terrain',
            ['image' => "$this->folder/first.tif", 'elevation' => "$this->folder/heights.tif"],
            ['faint' => 'nodata'],
            ['result' => "$this->folder/even.tif"],
        );
        [, , , $elevation, $azimuth] = Simulator::SCENES['orvane-2031'];
        [$light, $slope] = SlopeLight::over(
            $this->band("$this->folder/heights.tif", 0),
            new RowBlock(self::SIDE, self::SIDE),
            OpticalScene::grid(20),
            $elevation,
            $azimuth,
        );
        $cover = Reduce::mode(Landscape::at(false)->cover, Landscape::SIZE, Landscape::SIZE);
        // woodland on slopes: all of one kind, so what goes with the light is light
        $use = array_keys(array_filter($cover, fn (int $code, int $i): bool => $code === Cover::Wood->value && $slope[$i] > 0.087, ARRAY_FILTER_USE_BOTH));
        $rows = [];
        foreach ([3 => 'nir', 4 => 'swir1'] as $band => $name) {
            $of = fn (string $file): float => self::correlation(
                array_map(fn (int $i): float => $light[$i], $use),
                array_map(fn (int $i): float => $this->band($file, $band)[$i], $use),
            );
            $rows[] = [
                'correction' => 'light on slopes',
                'measure' => "$name of woodland, correlation with light",
                'before' => abs($of("$this->folder/first.tif")),
                'after' => abs($of("$this->folder/even.tif")),
            ];
        }

        return $rows;
    }

    /** @return list<array{correction: string, measure: string, before: float, after: float}> */
    private function lines(): array
    {
        $figures = $this->run('correct.lines', ['image' => "$this->folder/second/multispectral.tif"], [], ['result' => "$this->folder/mended.tif"]);
        [$date, $later, $sky, $elevation, $azimuth, $seed, $east, $south] = Simulator::SCENES['orvane-2033'];
        $whole = (new OpticalScene(Landscape::at($later), $date, $sky, $elevation, $azimuth, $seed, east: $east, south: $south))->countsOf(3);
        $rows = array_map(fn (array $line): int => $line['line'] - 1, $figures['bad'][3]['lines']);
        $of = function (string $file) use ($whole, $rows): float {
            $band = $this->band($file, 3);
            $sum = $count = 0;
            foreach ($rows as $row) {
                for ($x = 20; $x < self::SIDE; $x++) {
                    $value = $band[$row * self::SIDE + $x];
                    $sum += abs((is_nan($value) ? 0.0 : $value) - $whole[$row * self::SIDE + $x]);
                    $count++;
                }
            }

            return $count === 0 ? NAN : $sum / $count;
        };

        return [
            [
                'correction' => 'bad lines',
                'measure' => 'nir, mean error in '.count($rows).' lines, counts',
                'before' => $of("$this->folder/second/multispectral.tif"),
                'after' => $of("$this->folder/mended.tif"),
            ],
        ];
    }

    /** @return list<array{correction: string, measure: string, before: float, after: float}> */
    private function coregister(): array
    {
        $figures = $this->run(
            'correct.coregister',
            ['moving' => "$this->folder/second.tif", 'reference' => "$this->folder/first.tif"],
            ['band' => 'nir'],
            ['result' => "$this->folder/onto.tif"],
        );
        [, , , , , , $east, $south] = Simulator::SCENES['orvane-2033'];
        [$columns, $rows] = [$east / 2, $south / 2];

        return [
            [
                'correction' => 'two dates',
                'measure' => 'shift, pixels',
                'before' => hypot($columns, $rows),
                'after' => hypot($figures['shift']['columns'] - $columns, $figures['shift']['rows'] - $rows),
            ],
        ];
    }

    /** @return list<array{correction: string, measure: string, before: float, after: float}> */
    private function speckle(): array
    {
        $scene = Catalogue::scenes()['CS1_ORVANE_20301220'];
        Radar::write("$this->folder/radar.tif", $scene, $this->context);
        $rows = [];
        $grid = (new GeoTiffImage("$this->folder/radar.tif"))->spec()->grid;
        $truth = Radar::truth($scene, $grid);
        foreach (['boxcar', 'lee', 'refined-lee'] as $filter) {
            $this->run(
                'correct.speckle',
                ['image' => "$this->folder/radar.tif"],
                ['filter' => $filter, 'looks' => 4],
                ['result' => "$this->folder/smooth.tif"],
            );
            $rows[] = [
                'correction' => "speckle, $filter",
                'measure' => 'vv, mean error in dB',
                'before' => self::decibels($this->whole("$this->folder/radar.tif"), $truth),
                'after' => self::decibels($this->whole("$this->folder/smooth.tif"), $truth),
            ];
        }

        return $rows;
    }

    /**
     * @param  array<string, string>  $in
     * @param  array<string, mixed>  $set
     * @param  array<string, string>  $out
     * @return array<string, mixed>
     */
    private function run(string $id, array $in, array $set, array $out): array
    {
        $kind = Registry::get($id);

        return Runner::run($kind, CallOpener::call($kind, $in, $set, $out, $this->context));
    }

    /** @return list<float> */
    private function band(string $path, int $band): array
    {
        static $known = [];
        if (! isset($known["$path/$band"])) {
            $image = new GeoTiffImage($path);
            $known["$path/$band"] = Codec::values($image->read($band, new Window(0, 0, self::SIDE, self::SIDE)), $image->spec()->type, $image->spec()->nodata);
        }

        return $known["$path/$band"];
    }

    /** @return list<float> */
    private function whole(string $path, int $band = 0): array
    {
        $image = new GeoTiffImage($path);
        $grid = $image->spec()->grid;

        return Codec::values($image->read($band, new Window(0, 0, $grid->width, $grid->height)), $image->spec()->type, $image->spec()->nodata);
    }

    /**
     * @param  list<float>  $found
     * @param  list<float>  $truth
     */
    private static function error(array $found, array $truth): float
    {
        $sum = 0.0;
        $count = 0;
        foreach ($truth as $i => $value) {
            if (! is_nan($found[$i]) && ! is_nan($value)) {
                $sum += abs($found[$i] - $value);
                $count++;
            }
        }

        return $sum / max(1, $count);
    }

    /**
     * @param  list<float>  $found
     * @param  list<float>  $truth
     */
    private static function rmse(array $found, array $truth): float
    {
        $valid = array_filter($found, fn (float $value): bool => ! is_nan($value));

        return sqrt(array_sum(array_map(fn (float $value, int $i): float => ($value - $truth[$i]) ** 2, $valid, array_keys($valid))) / count($valid));
    }

    /**
     * @param  list<float>  $found
     * @param  list<float>  $truth
     */
    private static function beyond(array $found, array $truth, float $limit): float
    {
        $off = $count = 0;
        foreach ($truth as $i => $value) {
            if (! is_nan($found[$i])) {
                $off += abs($found[$i] - $value) > $limit ? 1 : 0;
                $count++;
            }
        }

        return $off / max(1, $count);
    }

    /**
     * @param  list<float>  $found
     * @param  list<float>  $truth
     */
    private static function decibels(array $found, array $truth): float
    {
        $sum = 0.0;
        $count = 0;
        foreach ($truth as $i => $value) {
            if ($found[$i] > 0 && $value > 0) {
                $sum += abs(10 * log10($found[$i] / $value));
                $count++;
            }
        }

        return $sum / max(1, $count);
    }

    /**
     * @param  list<float>  $x
     * @param  list<float>  $y
     */
    private static function correlation(array $x, array $y): float
    {
        $pairs = [];
        foreach ($x as $i => $value) {
            if (! is_nan($y[$i])) {
                $pairs[] = [$value, $y[$i]];
            }
        }
        $n = count($pairs);
        [$mx, $my] = [array_sum(array_column($pairs, 0)) / $n, array_sum(array_column($pairs, 1)) / $n];
        $xy = $xx = $yy = 0.0;
        foreach ($pairs as [$a, $b]) {
            $xy += ($a - $mx) * ($b - $my);
            $xx += ($a - $mx) ** 2;
            $yy += ($b - $my) ** 2;
        }

        return $xy / sqrt($xx * $yy);
    }
}
