<?php

namespace Chorometra\Core\Tests\Correct;

use Chorometra\Core\Correct\Ties\TieFit;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Stats\Fourier;
use Chorometra\Core\Stats\LeastSquares;
use Chorometra\Core\Stats\PhaseCorrelation;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;
use PHPUnit\Framework\Attributes\DataProvider;

/** Transforms and fits against numpy (fixtures/fourier.json); shifts against ground that is known at every place. */
final class CoregisterTest extends TestCase
{
    /** @var list<array{float, float, float, float}> waves: height, along x, along y, phase */
    private array $waves = [];

    /** Made-up ground as a sum of waves from 3 to 40 pixels: its value is known between pixels too. */
    private function ground(float $x, float $y): float
    {
        if ($this->waves === []) {
            $random = new \Random\Randomizer(new \Random\Engine\Mt19937(7));
            for ($k = 0; $k < 60; $k++) {
                $length = 3 + $random->getInt(0, 37);
                $angle = $random->getInt(0, 628) / 100;
                $this->waves[] = [sqrt($length), 2 * M_PI / $length * cos($angle), 2 * M_PI / $length * sin($angle), $random->getInt(0, 628) / 100];
            }
        }
        $sum = 100.0;
        foreach ($this->waves as [$height, $a, $b, $phase]) {
            $sum += $height * sin($a * $x + $b * $y + $phase);
        }

        return $sum;
    }

    /**
     * @param  \Closure(float, float): array{float, float}  $from  where a pixel's ground comes from
     * @return list<float>
     */
    private function seen(int $width, int $height, \Closure $from, float $noise = 0.0, int $seed = 1): array
    {
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937($seed));
        $out = [];
        for ($y = 0; $y < $height; $y++) {
            for ($x = 0; $x < $width; $x++) {
                $out[] = $this->ground(...$from($x + 0.5, $y + 0.5)) + $noise * $random->getInt(-1000, 1000) / 1000;
            }
        }

        return $out;
    }

    public function test_transforms_and_least_squares(): void
    {
        $case = self::fixture('fourier.json');
        [$re, $im] = [array_merge(...$case['re']), array_merge(...$case['im'])];
        Fourier::square($re, $im, 16);
        self::assertClose(array_merge(...$case['fre']), $re, 1e-10);
        self::assertClose(array_merge(...$case['fim']), $im, 1e-10);
        Fourier::square($re, $im, 16, true);
        self::assertClose(array_map(fn (float $value): float => 256 * $value, array_merge(...$case['re'])), $re, 1e-8);
        self::assertClose($case['solution'], LeastSquares::solve($case['rows'], $case['values']) ?? [], 1e-10);
        self::assertNull(LeastSquares::solve([[1.0, 2.0], [2.0, 4.0], [3.0, 6.0]], [1.0, 2.0, 3.0]));
    }

    public function test_shifts_between_pixels(): void
    {
        foreach ([[0.0, 0.0], [0.25, -0.4], [0.5, 0.5], [-0.37, 0.11], [3.0, -2.0], [5.3, 4.75]] as [$dx, $dy]) {
            $a = $this->seen(64, 64, fn (float $x, float $y): array => [$x, $y]);
            $b = $this->seen(64, 64, fn (float $x, float $y): array => [$x - $dx, $y - $dy]);
            [$x, $y, $quality] = PhaseCorrelation::shift($a, $b, 64) ?? [NAN, NAN, NAN];
            // the window draws what it sees a little towards nothing; looking anew from there ends at the truth
            self::assertEqualsWithDelta($dx, $x, 0.15 + 0.03 * abs($dx), "$dx, $dy");
            self::assertEqualsWithDelta($dy, $y, 0.15 + 0.03 * abs($dy), "$dx, $dy");
            self::assertGreaterThan(0.3, $quality);
            // another brightness and contrast make no difference
            [$u, $v] = PhaseCorrelation::shift($a, array_map(fn (float $value): float => 7 - 3 * -$value, $b), 64) ?? [NAN, NAN];
            self::assertClose([$x, $y], [$u, $v], 1e-9);
        }
        self::assertNull(PhaseCorrelation::shift(array_fill(0, 1024, 3.0), array_fill(0, 1024, 3.0), 32));
    }

    public function test_fits_reject_outliers_and_leave_out_what_is_struck(): void
    {
        $points = [];
        for ($k = 0; $k < 100; $k++) {
            [$col, $row] = [10.0 * ($k % 10), 10.0 * intdiv($k, 10)];
            $points[] = [
                'col' => $col,
                'row' => $row,
                'dc' => 1.5 + 0.01 * $col - 0.004 * $row + (($k % 3) - 1) * 0.02,
                'dr' => -0.7 + 0.006 * $col + (($k % 5) - 2) * 0.01,
                'quality' => 0.5,
            ];
        }
        foreach ([7, 33, 61, 88] as $k) {
            $points[$k]['dc'] += 4 + $k / 10;
        }
        $points[50]['quality'] = 0.01;
        $fit = TieFit::through($points, 'affine', 100, 100, 0.1, 3.0, [13]);
        self::assertSame(['rejected', 'rejected', 'rejected', 'rejected'], array_map(fn (int $k): string => $fit->states[$k], [7, 33, 61, 88]));
        self::assertSame(['weak', 'struck', 'used'], [$fit->states[50], $fit->states[12], $fit->states[0]]);
        self::assertClose([1.5 + 0.5 - 0.2, -0.7 + 0.3], $fit->shift(50.0, 50.0), 0.01);
        self::assertEqualsWithDelta(0.022, $fit->rmse, 0.006);
        $this->problem(3, 'Only 2 tie points are left', fn () => TieFit::through(array_slice($points, 0, 2), 'affine', 100, 100, 0.1, 3.0));
        $this->problem(3, 'nearly on one line', fn () => TieFit::through(array_slice($points, 0, 7), 'affine', 100, 100, 0.1, 3.0));
    }

    public function test_known_shifts_are_not_drawn_to_the_half_pixel(): void
    {
        $errors = [];
        $reference = $this->image('ref.tif', 160, 160, ['red' => $this->seen(160, 160, fn (float $x, float $y): array => [$x, $y], 1.0, 2)]);
        for ($k = 1; $k <= 10; $k++) {
            $shift = 0.05 * $k;
            $moving = $this->image('mov.tif', 160, 160, [
                'red' => $this->seen(160, 160, fn (float $x, float $y): array => [$x - $shift, $y + $shift], 1.0, 3 + $k),
            ]);
            $figures = $this->compute(
                'correct.coregister',
                ['moving' => $moving, 'reference' => $reference],
                ['transform' => 'shift', 'points' => 36],
                ['result' => "$this->folder/o.tif"],
            );
            $errors[] = $figures['shift']['columns'] - $shift;
            $errors[] = -$figures['shift']['rows'] - $shift;
        }
        self::assertLessThan(0.005, abs(array_sum($errors) / 20), 'bias');
        self::assertLessThan(0.005, max(array_map(abs(...), $errors)), 'bias at each shift');
        self::assertLessThan(0.01, sqrt(array_sum(array_map(fn (float $error): float => $error ** 2, $errors)) / 20), 'RMSE');
    }

    /** @return iterable<string, array{float, float}> degrees, and scale */
    public static function turns(): iterable
    {
        yield '10°' => [10.0, 1.0];
        yield '-25°' => [-25.0, 1.0];
        yield '74°' => [74.0, 1.0];
        yield 'by hand, 140° and a tenth larger' => [140.0, 1.1];
    }

    #[DataProvider('turns')]
    public function test_images_that_lie_turned(float $degrees, float $scale): void
    {
        $n = 260;
        [$cos, $sin] = [$scale * cos(deg2rad($degrees)), $scale * sin(deg2rad($degrees))];
        $to = fn (float $x, float $y): array => [130 + $cos * ($x - 130) - $sin * ($y - 130) + 7, 130 + $sin * ($x - 130) + $cos * ($y - 130) - 4];
        $back = fn (float $u, float $v): array => [
            130 + ($cos * ($u - 137) + $sin * ($v - 126)) / $scale ** 2,
            130 + (-$sin * ($u - 137) + $cos * ($v - 126)) / $scale ** 2,
        ];
        $reference = $this->image('ref.tif', $n, $n, ['red' => $this->seen($n, $n, fn (float $x, float $y): array => [$x, $y])]);
        $moving = $this->image('mov.tif', $n, $n, ['red' => $this->seen($n, $n, $back, 2.0, 5)]);
        $settings = ['window' => '32', 'points' => 100];
        if ($scale !== 1.0) {
            $grid = self::grid($n, $n);
            // pointed at to a pixel or two
            $places = [
                ...$grid->toMap(60, 80),
                ...$grid->toMap($to(60, 80)[0] + 1.2, $to(60, 80)[1] - 0.8),
                ...$grid->toMap(200, 180),
                ...$grid->toMap($to(200, 180)[0] - 0.7, $to(200, 180)[1] + 1.1),
            ];
            $settings['start'] = implode(',', $places);
        }
        $figures = $this->compute('correct.coregister', ['moving' => $moving, 'reference' => $reference], $settings, ['result' => "$this->folder/o.tif"]);
        self::assertEqualsWithDelta($degrees, -$figures['start']['turned-by'], 2.0, 'rows grow downwards');
        self::assertGreaterThan(20, $figures['used']);
        self::assertLessThan(0.1, $figures['rmse']);
        foreach ($figures['tie-points'] as $point) {
            if ($point['state'] === 'used') {
                [$u, $v] = $to($point['at-column'], $point['at-row']);
                self::assertEqualsWithDelta($u - $point['at-column'], $point['columns'], 0.25);
                self::assertEqualsWithDelta($v - $point['at-row'], $point['rows'], 0.25);
            }
        }
        // the result shows the ground of the reference
        $made = self::pixels("$this->folder/o.tif");
        $errors = [];
        foreach ([[130, 130], [110, 150], [160, 120], [130, 100]] as [$x, $y]) {
            $errors[] = abs($made[$y * $n + $x] - $this->ground($x + 0.5, $y + 0.5));
        }
        self::assertLessThan(6.0, max($errors));
        $this->problem(
            2,
            'expects eight numbers',
            fn () => $this->compute(
                'correct.coregister',
                ['moving' => $moving, 'reference' => $reference],
                ['start' => '1,2,3'],
                ['result' => "$this->folder/o.tif"],
            ),
        );
    }

    public function test_a_scene_that_is_turned_and_shifted_is_found_within_a_tenth_of_a_pixel(): void
    {
        [$width, $height] = [420, 360];
        // where the moving image shows the ground of the reference: shifted by some pixels, turned and stretched a little
        $to = fn (float $x, float $y): array => [$x + 6.3 + 0.004 * ($x - 210) - 0.006 * ($y - 180), $y - 4.6 + 0.006 * ($x - 210) + 0.003 * ($y - 180)];
        // and back, by two steps of iteration
        $back = function (float $u, float $v) use ($to): array {
            [$x, $y] = [$u - 6.3, $v + 4.6];
            for ($k = 0; $k < 4; $k++) {
                [$p, $q] = $to($x, $y);
                $x += $u - $p;
                $y += $v - $q;
            }

            return [$x, $y];
        };
        $reference = $this->image('reference.tif', $width, $height,
            ['nir' => $this->seen($width, $height, fn (float $x, float $y): array => [$x, $y], 2.0, 5)]);
        $values = $this->seen($width, $height, $back, 2.0, 6);
        // a change that is none of the geometry, and a corner without data
        foreach (array_keys($values) as $i) {
            if ($i % $width > 300 && intdiv($i, $width) < 90) {
                $values[$i] = 40.0 + $i % 7;
            }
            if ($i % $width < 40 && intdiv($i, $width) > 330) {
                $values[$i] = NAN;
            }
        }
        $moving = $this->image('moving.tif', $width, $height, ['red' => array_reverse($values), 'nir' => $values]);
        $in = ['moving' => $moving, 'reference' => $reference];
        $figures = $this->compute(
            'correct.coregister',
            $in,
            ['band' => 'nir', 'points' => 150],
            ['result' => "$this->folder/moved.tif", 'tie-points' => "$this->folder/ties.csv"],
        );
        self::assertSame('affine', $figures['transform']);
        self::assertGreaterThan(80, $figures['used']);
        self::assertLessThan(0.15, $figures['rmse']);
        [$dx, $dy] = [$to(210.0, 180.0)[0] - 210, $to(210.0, 180.0)[1] - 180];
        self::assertEqualsWithDelta($dx, $figures['shift']['columns'], 0.03);
        self::assertEqualsWithDelta($dy, $figures['shift']['rows'], 0.03);
        // every place within a tenth of a pixel, by the tie points' own fit
        foreach ($figures['tie-points'] as $point) {
            [$col, $row] = self::grid($width, $height)->toPixel($point['x'], $point['y']);
            [$u, $v] = $to($col, $row);
            self::assertEqualsWithDelta(
                0.0,
                hypot($point['columns'] - $point['residual-columns'] - ($u - $col), $point['rows'] - $point['residual-rows'] - ($v - $row)),
                0.1,
                "point {$point['number']}",
            );
        }
        self::assertSame(1 + count($figures['tie-points']), count(file("$this->folder/ties.csv") ?: []));
        // the result lies on the reference's grid and shows the same ground
        self::assertTrue((new GeoTiffImage("$this->folder/moved.tif"))->spec()->grid->matches((new GeoTiffImage($reference))->spec()->grid));
        $moved = self::pixels("$this->folder/moved.tif", 1);
        $square = $count = 0;
        for ($y = 100; $y < 300; $y++) {
            for ($x = 60; $x < 280; $x++) {
                $square += ($moved[$y * $width + $x] - $this->ground($x + 0.5, $y + 0.5)) ** 2;
                $count++;
            }
        }
        self::assertLessThan(2.5, sqrt($square / $count), 'noise of 1.2 and what is lost between pixels');
        // struck out by hand, the fit follows
        $some = array_column(array_slice(array_filter($figures['tie-points'], fn (array $point): bool => $point['state'] === 'used'), 0, 5), 'number');
        $struck = $this->compute('correct.coregister', $in, ['band' => 'nir', 'points' => 150, 'strike' => $some], ['result' => "$this->folder/s.tif"]);
        self::assertSame(5, $struck['struck']);
        self::assertEqualsWithDelta($figures['used'] - 5, $struck['used'], 5, 'the fit follows');
        $hashes = [];
        foreach ([1, 3] as $workers) {
            $this->compute(
                'correct.coregister',
                $in,
                ['band' => 'nir', 'transform' => 'quadratic'],
                ['result' => "$this->folder/w.tif"],
                new Context($workers, $this->folder),
            );
            $hashes[] = md5_file("$this->folder/w.tif");
        }
        self::assertSame($hashes[0], $hashes[1]);
    }

    public function test_complex_radar_keeps_its_phase(): void
    {
        [$width, $height] = [200, 180];
        // a phase that runs over its turn again and again
        $phase = fn (float $x, float $y): float => atan2(sin(0.31 * $x + 0.17 * $y), cos(0.31 * $x + 0.17 * $y));
        $seen = function (float $dx, float $dy) use ($width, $height, $phase): array {
            $turns = [];
            for ($y = 0; $y < $height; $y++) {
                for ($x = 0; $x < $width; $x++) {
                    $turns[] = $phase($x + 0.5 - $dx, $y + 0.5 - $dy);
                }
            }

            return [
                array_map(fn (float $value): float => abs($value), $this->seen($width, $height, fn (float $x, float $y): array => [$x - $dx, $y - $dy])),
                $turns,
            ];
        };
        $write = fn (string $name, array $planes): string => $this->raster(
            $name,
            new RasterSpec(self::grid($width, $height), [
                new Band('hh', 'hh magnitude', part: 'magnitude'),
                new Band('hh', 'hh phase', unit: 'rad', part: 'phase'),
            ]),
            $planes,
        );
        $reference = $write('r.tif', $seen(0.0, 0.0));
        $moving = $write('m.tif', $seen(2.37, -1.6));
        $figures = $this->compute(
            'correct.coregister',
            ['moving' => $moving, 'reference' => $reference],
            ['points' => 60, 'transform' => 'shift'],
            ['result' => "$this->folder/o.tif"],
        );
        self::assertEqualsWithDelta(2.37, $figures['shift']['columns'], 0.05);
        self::assertEqualsWithDelta(-1.6, $figures['shift']['rows'], 0.05);
        [$magnitude, $found] = [self::pixels("$this->folder/o.tif", 0), self::pixels("$this->folder/o.tif", 1)];
        for ($y = 20; $y < $height - 20; $y += 3) {
            for ($x = 20; $x < $width - 20; $x += 3) {
                // the difference of two phases, however often they turned
                $difference = $found[$y * $width + $x] - $phase($x + 0.5, $y + 0.5);
                self::assertEqualsWithDelta(0.0, atan2(sin($difference), cos($difference)), 0.08, "$x, $y");
                self::assertEqualsWithDelta(abs($this->ground($x + 0.5, $y + 0.5)), $magnitude[$y * $width + $x], 12.0);
            }
        }
        self::assertSame(['magnitude', 'phase'], array_map(fn (Band $band): ?string => $band->part, (new GeoTiffImage("$this->folder/o.tif"))->spec()->bands));
        $this->problem(
            2,
            'is a phase',
            fn () => $this->compute(
                'correct.coregister',
                ['moving' => $moving, 'reference' => $reference],
                ['band' => '2'],
                ['result' => "$this->folder/x.tif"],
            ),
        );
    }

    public function test_images_that_have_nothing_in_common(): void
    {
        $reference = $this->image('r.tif', 200, 200, ['nir' => $this->seen(200, 200, fn (float $x, float $y): array => [$x, $y])]);
        $run = fn (string $moving, array $set = []) => fn () => $this->compute('correct.coregister', ['moving' => $moving, 'reference' => $reference], $set, [
            'result' => "$this->folder/o.tif",
        ]);
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(3));
        $noise = $this->image('noise.tif', 200, 200, ['nir' => array_map(fn (): float => $random->getInt(0, 1000), range(1, 40000))]);
        $this->problem(3, 'The tie points contradict each other by', $run($noise));
        $far = $this->raster('far.tif', new RasterSpec(new Grid(200, 200, [500_000.0, 20.0, 0.0, 6_072_000.0, 0.0, -20.0], 32632), [new Band('nir', 'nir')]), [
            array_fill(0, 40000, 5.0),
        ]);
        $this->problem(3, 'have no windows in common', $run($far));
        $this->problem(3, 'has no band red to compare with', $run($this->image('red.tif', 200, 200, ['red' => array_fill(0, 40000, 5.0)])));
        $this->problem(2, 'smaller than two windows of 128', $run($reference, ['window' => '128']));
        self::assertFileDoesNotExist("$this->folder/o.tif");
    }
}
