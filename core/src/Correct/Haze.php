<?php

namespace Chorometra\Core\Correct;

use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\PolygonMask;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Caution;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Learning;
use Chorometra\Core\Step\LocalKind;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Step\Setting;

/**
 * Haze that differs from place to place, taken off the visible bands.
 *
 * Clear ground lies along a line in the plane of blue and red, and haze moves a pixel across it: the distance from the line tells how
 * much. How dark the darkest pixels of each step of that distance are tells what haze adds to a band. Water is bluer than that line
 * without any haze: where a near infrared band tells it, it is left as it is.
 */
final class Haze extends LocalKind
{
    private const VISIBLE = ['coastal', 'blue', 'green', 'red'];

    /** Pixels that line and steps are learnt from, in rows spread over the image. */
    private const SAMPLE = 1 << 19;

    private const STEPS = 40;

    private const LEAST_IN_STEP = 40;

    public function declaration(): Declaration
    {
        return new Declaration(
            'correct.haze',
            'Haze removal',
            'Removes spatially varying haze from the visible bands over land, by the haze-optimised transform.',
            [
                new Port('image', PortType::Image, 'An image with a blue and a red band, in counts or reflectance.'),
                new Port(
                    'clear',
                    PortType::Features,
                    'Haze-free area with several land covers, from which the clear line is fitted. Left out: fitted to all but the hazy pixels.',
                    required: false,
                ),
            ],
            [
                Setting::number(
                    'percentile',
                    1.0,
                    'Percentile taken as the darkest value of each haze level; above 0, so that single bad pixels do not decide.',
                    '%',
                    0.1,
                    20,
                ),
            ],
            [
                new Port('result', PortType::Image, 'The corrected image.'),
                new Port('haze', PortType::Image, 'Distance from the clear line; 0 where clear, nodata over water.', required: false),
            ],
            'Zhang, Guindon & Cihlar 2002, Remote Sensing of Environment 82:173–187 (from memory); what haze adds is a straight line through the '
                .'dark values of its steps. Leaving hazy pixels out of the line by repeated fits, and water by a near infrared below the red: '
                .'common practice, no source.',
            synonyms: ['haze-optimised transform', 'dehaze', 'thin cloud'],
            learns: Learning::Overview,
            figures: [
                Figure::number('line.angle', 'clear line', '°'),
                Figure::number('line.correlation', 'correlation'),
                Figure::number('line.pixels', 'fitted to', 'pixels'),
                Figure::share('hazy', 'hazy pixels'),
                Figure::table('added', 'haze removed', ['band' => null, 'per-distance' => null]),
            ],
            desk: new Desk(5, cautions: [
                Caution::after('correct.terrain', 'Topographic correction was applied already, to the haze as well. Remove haze before it.'),
            ], makes: 'haze removed'),
        );
    }

    public function plan(Call $call): Plan
    {
        $image = $call->image();
        $spec = $image->spec();
        [$blue, $red] = array_map(
            fn (string $role): int => $spec->bandIndex($role) ??
                throw Problem::input("{$image->name()} has no band $role, which haze removal needs; it has {$spec->bandList()}.", 'image'),
            ['blue', 'red'],
        );
        $visible = array_keys(array_filter($spec->bands, fn (Band $band): bool => in_array($band->role, self::VISIBLE, true)));
        $nir = $spec->bandIndex('nir');
        $learning = $call->learning();
        $sample = $this->sample($learning->image(), $visible, $red, $nir);
        $line = $this->line($learning, $learning->image(), $sample, $blue, $red);
        if (is_string($line)) {
            return $this->unchanged($image, $blue, $line);
        }
        $away = self::away($sample[$blue], $sample[$red], count($sample[$blue]), $line['sine'], $line['cosine'], $line['clear']);
        $adds = [];
        $told = [];
        foreach ($visible as $index) {
            $adds[$index] = self::added($sample[$index], $away, $call->number('percentile'));
            $told[] = ['band' => $spec->bands[$index]->label($index + 1), 'per-distance' => $adds[$index]];
        }
        // haze scatters blue more than red
        if ($adds[$red] >= $adds[$blue]) {
            return $this->unchanged(
                $image,
                $blue,
                "{$image->name()} shows no haze: pixels off the clear line are other covers, not haze. Nothing was removed; "
                    .'draw a clear area to fit the line to, if there is haze.',
            );
        }

        return new Plan(
            [new Reading($image, array_keys($spec->bands))],
            self::outputs($spec, $blue),
            function (array $blocks) use ($blue, $red, $nir, $line, $adds): array {
                $haze = self::away($blocks[$blue], $blocks[$red], count($blocks[$blue]), $line['sine'], $line['cosine'], $line['clear']);
                if ($nir !== null) {
                    $haze = self::overLand($haze, $blocks[$red], $blocks[$nir], count($haze));
                }
                foreach ($adds as $index => $slope) {
                    $blocks[$index] = self::without($blocks[$index], $haze, count($haze), $slope);
                }

                return ['result' => $blocks, 'haze' => [$haze]];
            },
            figures: [
                'line' => ['angle' => rad2deg(atan2($line['sine'], $line['cosine'])), 'correlation' => $line['correlation'], 'pixels' => $line['pixels']],
                'hazy' => count(array_filter($away, fn (float $one): bool => $one > 2 * $line['spread'])) / max(1, count($away)),
                'added' => $told,
            ],
        );
    }

    /** A method that is kept runs on clear scenes too: the image as it is, and a warning. */
    private function unchanged(Image $image, int $blue, string $warning): Plan
    {
        $spec = $image->spec();

        return new Plan(
            [new Reading($image, array_keys($spec->bands))],
            self::outputs($spec, $blue),
            fn (array $blocks): array => [
                'result' => $blocks,
                'haze' => [array_map(fn (float $value): float => $value === $value ? 0.0 : NAN, $blocks[$blue])],
            ],
            figures: ['warning' => $warning, 'hazy' => 0.0],
        );
    }

    /** @return array<string, RasterSpec> */
    private static function outputs(RasterSpec $spec, int $blue): array
    {
        return [
            'result' => $spec->measured(array_map(fn (Band $band): Band => $band->measuredIn($band->unit), $spec->bands)),
            'haze' => $spec->measured([new Band(name: 'haze', unit: $spec->bands[$blue]->unit)]),
        ];
    }

    /**
     * @param  list<int>  $bands
     * @return array<int, list<float>> by band; pixels of water, or without a value in any of them, are left out
     */
    private function sample(Image $image, array $bands, int $red, ?int $nir): array
    {
        $spec = $image->spec();
        $grid = $spec->grid;
        $rows = max(1, min($grid->height, intdiv(self::SAMPLE, $grid->width)));
        $out = array_fill_keys($bands, []);
        for ($k = 0; $k < $rows; $k++) {
            $window = new Window(0, (int) (($k + 0.5) * $grid->height / $rows), $grid->width, 1);
            $lines = [];
            foreach ($nir === null ? $bands : [...$bands, $nir] as $band) {
                $lines[$band] = Values::of($image, $band, $window);
            }
            for ($col = 0; $col < $grid->width; $col++) {
                if (! is_nan(array_sum(array_column($lines, $col))) && ($nir === null || $lines[$nir][$col] >= $lines[$red][$col])) {
                    foreach ($bands as $band) {
                        $out[$band][] = $lines[$band][$col];
                    }
                }
            }
        }

        return $out;
    }

    /**
     * The line of clear ground, red over blue.
     *
     * @param  array<int, list<float>>  $sample
     * @return array{sine: float, cosine: float, clear: float, spread: float, correlation: float, pixels: int}|string why there is none
     */
    private function line(Call $call, Image $image, array $sample, int $blue, int $red): array|string
    {
        $spec = $image->spec();
        [$x, $y] = [$sample[$blue], $sample[$red]];
        $hasArea = $call->hasInput('clear');
        if ($hasArea) {
            $mask = new PolygonMask(Vectors::read($call->path('clear'))->polygonsOn($spec->grid, 'clear'), $spec->grid);
            $window = $mask->bounds->within($spec->grid->width, $spec->grid->height);
            if ($window->isEmpty()) {
                throw Problem::input("The clear area is outside {$image->name()}.", 'clear');
            }
            if ($window->pixels() > 4 * self::SAMPLE) {
                throw Problem::call('The clear ground is too large to learn from: take a part of it.', 'clear');
            }
            [$x, $y] = array_map(fn (int $band): array => array_values($mask->cut(Values::of($image, $band, $window), $window, NAN)), [$blue, $red]);
        }
        $keep = array_keys(array_filter($x, fn (float $value, int $i): bool => ! is_nan($value) && ! is_nan($y[$i]), ARRAY_FILTER_USE_BOTH));
        for ($round = 0; $round < ($hasArea ? 1 : 12); $round++) {
            $fit = self::fit($x, $y, $keep);
            if ($fit === null && $hasArea) {
                throw Problem::input(
                    'The clear ground has too few pixels, or one value only, to learn a line from: take more of it, with several covers.',
                    'clear',
                );
            }
            if ($fit === null) {
                return "{$image->name()} has too few pixels, or constant blue or red: no clear line can be fitted. Nothing was "
                    .'removed.';
            }
            // a hazy pixel is bluer than the line
            $clear = $fit['clear'] + 2 * $fit['spread'];
            $fewer = $hasArea ? $keep : array_values(array_filter($keep, fn (int $i): bool => $x[$i] * $fit['sine'] - $y[$i] * $fit['cosine'] <= $clear));
            if (count($fewer) < 0.3 * count($x) || count($fewer) > 0.995 * count($keep)) {
                break;
            }
            $keep = $fewer;
        }
        if ($fit['correlation'] < 0.3) {
            $what = sprintf(
                'Blue and red of %s are hardly correlated (%.2f): no clear line can be fitted.',
                $hasArea ? 'the clear ground' : $image->name(),
                $fit['correlation'],
            );

            return $hasArea ? throw Problem::input($what, 'clear') : "$what Nothing was removed.";
        }

        return $fit;
    }

    /**
     * Red over blue by least squares, and how the pixels lie about the line.
     *
     * @param  list<float>  $x
     * @param  list<float>  $y
     * @param  list<int>  $keep
     * @return array{sine: float, cosine: float, clear: float, spread: float, correlation: float, pixels: int}|null
     */
    public static function fit(array $x, array $y, array $keep): ?array
    {
        $n = count($keep);
        if ($n < 20) {
            return null;
        }
        $meanX = $meanY = $xx = $xy = $yy = 0.0;
        foreach ($keep as $i) {
            $meanX += $x[$i] / $n;
            $meanY += $y[$i] / $n;
        }
        foreach ($keep as $i) {
            $xx += ($x[$i] - $meanX) ** 2;
            $xy += ($x[$i] - $meanX) * ($y[$i] - $meanY);
            $yy += ($y[$i] - $meanY) ** 2;
        }
        if ($xx <= 1e-18 * $n * $meanX ** 2 || $yy <= 1e-18 * $n * $meanY ** 2) {
            return null;
        }
        $angle = atan($xy / $xx);

        return [
            'sine' => sin($angle),
            'cosine' => cos($angle),
            'clear' => $meanX * sin($angle) - $meanY * cos($angle),
            'spread' => sqrt(max(0.0, $yy - $xy ** 2 / $xx) / $n) * cos($angle),
            'correlation' => $xy / sqrt($xx * $yy),
            'pixels' => $n,
        ];
    }

    /**
     * Distance from the line on its hazy side: blue · sin θ − red · cos θ, less that of clear ground; never below 0.
     *
     * $count pixels; $sine and $cosine of the line of clear ground, $clear the distance at which it is clear.
     *
     * @param  list<float>  $blue
     * @param  list<float>  $red
     * @return list<float>
     */
    public static function away(array $blue, array $red, int $count, float $sine, float $cosine, float $clear): array
    {
        for ($i = 0; $i < $count; $i++) {
            $distance = $blue[$i] * $sine - $red[$i] * $cosine - $clear;
            $blue[$i] = $distance < 0.0 ? 0.0 : $distance;
        }

        return $blue;
    }

    /**
     * Nodata over water.
     *
     * @param  list<float>  $haze
     * @param  list<float>  $red
     * @param  list<float>  $nir
     * @return list<float>
     */
    public static function overLand(array $haze, array $red, array $nir, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            if ($nir[$i] < $red[$i]) {
                $haze[$i] = NAN;
            }
        }

        return $haze;
    }

    /**
     * What a unit of distance adds to a band: the slope of a line through the dark value of each step, weighed by its pixels.
     *
     * @param  list<float>  $values
     * @param  list<float>  $away
     */
    public static function added(array $values, array $away, float $percentile): float
    {
        $far = $away;
        sort($far);
        $width = ($far[(int) (0.998 * (count($far) - 1))] ?? 0.0) / self::STEPS;
        if ($width <= 0.0) {
            return 0.0;
        }
        $steps = array_fill(0, self::STEPS, []);
        $sums = array_fill(0, self::STEPS, 0.0);
        foreach ($values as $i => $value) {
            $step = (int) ($away[$i] / $width);
            // the last step has no upper end
            if ($step < self::STEPS) {
                $steps[$step][] = $value;
                $sums[$step] += $away[$i];
            }
        }
        $n = $x = $y = $xx = $xy = 0.0;
        foreach ($steps as $step => $ordered) {
            $weight = count($ordered);
            if ($weight >= self::LEAST_IN_STEP) {
                $at = $sums[$step] / $weight;
                sort($ordered);
                $dark = $ordered[(int) ($percentile / 100 * ($weight - 1))];
                $n += $weight;
                $x += $weight * $at;
                $y += $weight * $dark;
                $xx += $weight * $at * $at;
                $xy += $weight * $at * $dark;
            }
        }
        $determinant = $n * $xx - $x * $x;

        return $determinant > 1e-9 * $n * $xx ? max(0.0, ($n * $xy - $x * $y) / $determinant) : 0.0;
    }

    /**
     * @param  list<float>  $values
     * @param  list<float>  $haze
     * @return list<float>
     */
    public static function without(array $values, array $haze, int $count, float $slope): array
    {
        for ($i = 0; $i < $count; $i++) {
            if ($haze[$i] === $haze[$i]) {
                $values[$i] -= $slope * $haze[$i];
            }
        }

        return $values;
    }
}
