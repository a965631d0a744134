<?php

namespace Chorometra\Demo;

use Chorometra\Core\Correct\Terrain;
use Chorometra\Core\Engine\Context;
use Chorometra\Core\Engine\Reduce;
use Chorometra\Core\Engine\Rows;
use Chorometra\Core\Engine\Runner;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Window;
use Chorometra\Core\Step\Opening;
use Chorometra\Core\Step\Registry;

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
            $this->run('gather.bundle', ['image' => Simulator::bundle($this->demo, $name)], [], ['result' => "$this->folder/$short"]);
            $this->run('correct.calibrate', ['image' => "$this->folder/$short/multispectral.tif"], [], ['result' => "$this->folder/$short.tif"]);
        }
        Elevation::write("$this->folder/heights.tif", $this->context);

        return [...$this->darkObject(), ...$this->terrain(), ...$this->lines(), ...$this->coregister(), ...$this->speckle()];
    }

    /** @return list<array{correction: string, measure: string, before: float, after: float}> */
    private function darkObject(): array
    {
        $this->run('correct.dark-object', ['image' => "$this->folder/first.tif"], ['assumed' => 0.01], ['result' => "$this->folder/dark.tif"]);
        [$date, $later, $sky, $elevation, $azimuth, $seed] = Simulator::SCENES['orvane-2031'];
        $scene = new OpticalScene(Landscape::at($later), $date, $sky, $elevation, $azimuth, $seed);
        $rows = [];
        foreach ([0 => 'blue', 1 => 'green', 2 => 'red'] as $band => $name) {
            $truth = $scene->ground($band);
            $rows[] = ['correction' => 'dark object', 'measure' => "$name, mean error of reflectance", 'before' => self::error($this->band("$this->folder/first.tif", $band), $truth), 'after' => self::error($this->band("$this->folder/dark.tif", $band), $truth)];
        }

        return $rows;
    }

    /** @return list<array{correction: string, measure: string, before: float, after: float}> */
    private function terrain(): array
    {
        $this->run('correct.terrain', ['image' => "$this->folder/first.tif", 'elevation' => "$this->folder/heights.tif"], [], ['result' => "$this->folder/even.tif"]);
        [, , , $elevation, $azimuth] = Simulator::SCENES['orvane-2031'];
        [$light, $slope] = Terrain::light($this->band("$this->folder/heights.tif", 0), new Rows(self::SIDE, self::SIDE), OpticalScene::grid(20), $elevation, $azimuth);
        $cover = Reduce::mode(Landscape::at(false)->cover, Landscape::SIZE, Landscape::SIZE);
        // woodland on slopes: all of one kind, so what goes with the light is light
        $use = array_keys(array_filter($cover, fn (int $code, int $i): bool => $code === Cover::Wood->value && $slope[$i] > 0.087, ARRAY_FILTER_USE_BOTH));
        $rows = [];
        foreach ([3 => 'nir', 4 => 'swir1'] as $band => $name) {
            $of = fn (string $file): float => self::correlation(array_map(fn (int $i): float => $light[$i], $use), array_map(fn (int $i): float => $this->band($file, $band)[$i], $use));
            $rows[] = ['correction' => 'light on slopes', 'measure' => "$name of woodland, correlation with light", 'before' => abs($of("$this->folder/first.tif")), 'after' => abs($of("$this->folder/even.tif"))];
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

        return [['correction' => 'bad lines', 'measure' => 'nir, mean error in '.count($rows).' lines, counts', 'before' => $of("$this->folder/second/multispectral.tif"), 'after' => $of("$this->folder/mended.tif")]];
    }

    /** @return list<array{correction: string, measure: string, before: float, after: float}> */
    private function coregister(): array
    {
        $figures = $this->run('correct.coregister', ['moving' => "$this->folder/second.tif", 'reference' => "$this->folder/first.tif"], ['band' => 'nir'], ['result' => "$this->folder/onto.tif"]);
        [, , , , , , $east, $south] = Simulator::SCENES['orvane-2033'];
        [$columns, $rows] = [$east / 2, $south / 2];

        return [['correction' => 'two dates', 'measure' => 'shift, pixels', 'before' => hypot($columns, $rows), 'after' => hypot($figures['shift']['columns'] - $columns, $figures['shift']['rows'] - $rows)]];
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
            $this->run('correct.speckle', ['image' => "$this->folder/radar.tif"], ['filter' => $filter, 'looks' => 4], ['result' => "$this->folder/smooth.tif"]);
            $rows[] = ['correction' => "speckle, $filter", 'measure' => 'vv, mean error in dB', 'before' => self::decibels($this->whole("$this->folder/radar.tif"), $truth), 'after' => self::decibels($this->whole("$this->folder/smooth.tif"), $truth)];
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

        return Runner::run($kind, Opening::call($kind, $in, $set, $out, $this->context));
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
    private function whole(string $path): array
    {
        $image = new GeoTiffImage($path);
        $grid = $image->spec()->grid;

        return Codec::values($image->read(0, new Window(0, 0, $grid->width, $grid->height)), $image->spec()->type, $image->spec()->nodata);
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
            if (! is_nan($found[$i])) {
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
