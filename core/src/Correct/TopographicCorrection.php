<?php

namespace Chorometra\Core\Correct;

use Chorometra\Core\Correct\Light\Horizon;
use Chorometra\Core\Correct\Light\LightFit;
use Chorometra\Core\Correct\Light\Sun;
use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\OneGrid;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\RowBlock;
use Chorometra\Core\Raster\SlopeLight;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Caution;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Instead;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Learning;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Wants;
use Chorometra\Core\Step\Work;

/** Uneven light on slopes, evened out with an elevation model. */
final class TopographicCorrection implements Kind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'correct.terrain',
            'Topographic correction',
            'Corrects illumination on slopes with an elevation model, so that a forest has the same reflectance on sunlit and shaded slopes.',
            [
                new Port('image', PortType::Image, 'The image, best in reflectance.'),
                new Port(
                    'elevation',
                    PortType::Image,
                    'An elevation model on the same grid, with elevations in map units, or in metres where those are degrees.',
                    wants: Wants::Heights,
                ),
            ],
            [
                Setting::choice('method', ['cosine', 'c', 'minnaert', 'empirical'], 'c', 'How.', [
                    'cosine' => 'the cosine law alone, which overcorrects weakly lit slopes',
                    'c' => 'the cosine law moderated by a constant fitted to each band',
                    'minnaert' => 'a power of the cosine law, with an exponent fitted to each band',
                    'empirical' => 'the fitted dependence on illumination is subtracted',
                ]),
                Setting::number('sun-elevation', null, 'Sun elevation above the horizon. Empty: from the metadata.', '°', 0.1, 90)->ofImage(),
                Setting::number('sun-azimuth', null, 'Sun azimuth, clockwise from north. Empty: from the metadata.', '°', 0, 360)->ofImage(),
                Setting::number('least-slope', 5.0, 'Least slope of the pixels used in the fit; flat ground has no variation in illumination.', '°', 0, 60),
                Setting::number('least-light', 0.15, 'Cosine of the incidence angle below which illumination is too weak to correct; flagged.', null, 0, 0.9),
                Setting::choice('faint', ['leave', 'nodata'], 'leave', 'Treatment of weakly lit pixels and of cast shadow.', [
                    'leave' => 'left unchanged',
                    'nodata' => 'set to nodata',
                ]),
            ],
            [
                new Port('result', PortType::Image, 'The corrected image; nodata in shade.'),
                new Port('flags', PortType::Classes, 'Mask of lit, weakly lit, self-shaded and cast-shadow pixels.', required: false),
            ],
            'Slope and aspect: Horn 1981, Proceedings of the IEEE 69:14–47. cosine and c: Teillet, Guindon & Goodenough 1982, Canadian Journal of '
                .'Remote Sensing 8:84–106. minnaert: Smith, Lin & Ranson 1980, Photogrammetric Engineering & Remote Sensing 46:1183–1189. '
                .'empirical: Meyer et al. 1993, ISPRS Journal 48:17–28 (from memory). Cast shadow: Corripio 2003, International Journal of '
                .'Geographical Information Science 17:1–23 (from memory).',
            synonyms: ['illumination', 'light on slopes', 'cosine', 'Minnaert', 'C correction'],
            learns: Learning::Overview,
            example: new Example(['method' => 'c']),
            figures: [
                Figure::table('fit', 'fit', [
                    'band' => null,
                    'slope' => null,
                    'offset' => null,
                    'c' => null,
                    'k' => null,
                    'mean' => null,
                    'correlation' => null,
                    'pixels' => null,
                ]),
                Figure::number('sun.elevation', 'sun elevation', '°'),
                Figure::number('sun.azimuth', 'sun azimuth', '°'),
                Figure::number('faintlyLit', 'weakly lit', 'pixels'),
                Figure::number('turnedFromTheSun', 'self-shaded', 'pixels'),
                Figure::number('inCastShadow', 'cast shadow', 'pixels'),
            ],
            desk: new Desk(
                8,
                cautions: [
                    Caution::counts(
                        'This image is in counts. Calibrate first: the sensor’s offset would be treated as skylight, and shaded slopes be '
                            .'left too dark.',
                    ),
                    Caution::without(
                        'Path radiance is still in this image. Subtracted first (dark object or atmospheric correction), the fit describes '
                            .'the ground alone.',
                        'correct.dark-object',
                        'correct.surface',
                    ),
                ],
                evidence: [new Evidence('light')],
                instead: new Instead('derive.index', ['index' => 'ratio'], 'the ratio of two bands', 'in which the light on a slope cancels out'),
                makes: 'illumination corrected',
            ),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $seen = $call->learning();
        $learnt = $work->part(0.0, 0.4)->gather($this->readings($seen), $this->sumsOf($seen), self::merged(...), halo: 1);

        return $work->part(0.4, 1.0)->carryOut($this->plan($call, $learnt));
    }

    /** @return list<Reading> */
    private function readings(Call $call): array
    {
        $image = $call->image();
        $elevation = $call->image('elevation');
        $grid = $image->spec()->grid;
        OneGrid::check([$image, $elevation], 'elevation');
        if (count($elevation->spec()->bands) !== 1) {
            throw Problem::input("{$elevation->name()} has several bands; an elevation model has one.", 'elevation');
        }
        if (! $grid->isReferenced() || $grid->controls !== null) {
            throw Problem::input("{$image->name()} has no georeference, so the slope towards the sun is unknown.", 'image');
        }

        // swept over once, before workers ask for rows of it
        $this->horizon($call);

        return [new Reading($image, array_keys($image->spec()->bands)), new Reading($elevation, [0])];
    }

    /** @return \Closure(list<list<float>>, RowBlock): array{flags: list<int>, bands: list<list<float>>} */
    private function sumsOf(Call $call): \Closure
    {
        $grid = $call->image()->spec()->grid;
        [$elevation, $azimuth] = $this->sun($call);
        $horizon = $this->horizon($call);
        $leastLight = $call->number('least-light');
        $leastSlope = (float) tan(deg2rad($call->number('least-slope')));
        $withLogs = $call->text('method') === 'minnaert';

        return function (array $bands, RowBlock $rows) use ($grid, $elevation, $azimuth, $horizon, $leastLight, $leastSlope, $withLogs): array {
            $dem = array_pop($bands);
            assert($dem !== null);
            [$light, $slope] = SlopeLight::over($dem, $rows, $grid, $elevation, $azimuth);
            $flags = self::flags($light, $horizon->rows($rows->first, $rows->rows), count($light), $leastLight);
            $counts = array_count_values($flags);
            $sums = ['flags' => [$counts[1] ?? 0, $counts[2] ?? 0, $counts[3] ?? 0, $counts[4] ?? 0], 'bands' => []];
            foreach ($bands as $band) {
                $inner = array_slice($band, $rows->above * $rows->width, $rows->rows * $rows->width);
                $sums['bands'][] = self::sums($inner, $light, $slope, $flags, count($light), $leastSlope, $withLogs);
            }

            return $sums;
        };
    }

    /**
     * @param  array{flags: list<int>, bands: list<list<float>>}  $one
     * @param  array{flags: list<int>, bands: list<list<float>>}  $other
     * @return array{flags: list<int>, bands: list<list<float>>}
     */
    private static function merged(array $one, array $other): array
    {
        foreach ($other['flags'] as $flag => $count) {
            $one['flags'][$flag] += $count;
        }
        foreach ($other['bands'] as $band => $sums) {
            foreach ($sums as $k => $sum) {
                $one['bands'][$band][$k] += $sum;
            }
        }

        return $one;
    }

    /** @param  array{flags: list<int>, bands: list<list<float>>}  $learnt */
    private function plan(Call $call, array $learnt): Plan
    {
        $image = $call->image();
        $spec = $image->spec();
        [$lit, $faint, $away, $cast] = $learnt['flags'];
        if ($lit + $faint + $away + $cast === 0) {
            throw Problem::input(
                "{$call->image('elevation')->name()} has no elevations within {$image->name()}: use an elevation model that covers it.",
                'elevation',
            );
        }
        $method = $call->text('method');
        [$sunElevation, $sunAzimuth] = $this->sun($call);
        $cosine = sin(deg2rad($sunElevation));
        $fits = [];
        $told = [];
        foreach ($spec->bands as $index => $band) {
            $fit = LightFit::through($learnt['bands'][$index]);
            $label = $band->label($index + 1);
            if ($method !== 'cosine' && $fit === null) {
                throw Problem::input(
                    "The band $label of {$image->name()} can't be fitted: there are too few slopes steeper than {$call->number(
                        'least-slope',
                    )}°, or the band is the same everywhere; lower least-slope, or take the cosine method.",
                    'least-slope',
                );
            }
            $fits[] = $fit ?? ['slope' => 0.0, 'offset' => 0.0, 'c' => 0.0, 'k' => 1.0, 'mean' => 0.0, 'correlation' => 0.0, 'pixels' => 0];
            $told[] = ['band' => $label] + array_diff_key($fit ?? [], $method === 'minnaert' ? [] : ['k' => true]);
        }
        $flags = RasterSpec::classes(
            $spec->grid,
            new Legend([
                1 => ['name' => 'lit', 'colour' => '#e8dcc0'],
                2 => ['name' => 'faintly lit', 'colour' => '#a08050'],
                3 => ['name' => 'turned from the sun', 'colour' => '#3a3f5c'],
                4 => ['name' => 'in cast shadow', 'colour' => '#6d5a86'],
            ]),
            $spec->properties,
        );
        $grid = $spec->grid;
        $least = $call->number('least-light');
        $horizon = $this->horizon($call);
        $leave = $call->text('faint') === 'leave';

        return new Plan(
            $this->readings($call),
            ['result' => $spec->measured(array_map(fn (Band $band): Band => $band->measuredIn($band->unit), $spec->bands)), 'flags' => $flags],
            function (array $bands, RowBlock $rows) use ($fits, $method, $cosine, $sunElevation, $sunAzimuth, $grid, $least, $horizon, $leave): array {
                $dem = array_pop($bands);
                [$light] = SlopeLight::over($dem, $rows, $grid, $sunElevation, $sunAzimuth, slopes: false);
                $count = count($light);
                $flags = self::flags($light, $horizon->rows($rows->first, $rows->rows), $count, $least);
                $out = [];
                foreach ($bands as $index => $band) {
                    $values = $rows->above + $rows->below > 0 ? array_slice($band, $rows->above * $rows->width, $count) : $band;
                    $out[] = self::spared($values, $flags, $count, $leave, match ($method) {
                        'cosine' => self::softened($values, $light, $count, $cosine, 0.0),
                        'c' => self::softened($values, $light, $count, $cosine, $fits[$index]['c']),
                        'minnaert' => self::powered($values, $light, $count, 1 / $cosine, $fits[$index]['k']),
                        default => self::levelled($values, $light, $count, $fits[$index]['slope'], $fits[$index]['offset'] - $fits[$index]['mean']),
                    });
                }

                return ['result' => $out, 'flags' => [$flags]];
            },
            halo: 1,
            figures: [
                'sun' => ['elevation' => $sunElevation, 'azimuth' => $sunAzimuth],
                'faintlyLit' => $faint,
                'turnedFromTheSun' => $away,
                'inCastShadow' => $cast,
                'fit' => $told,
            ],
        );
    }

    /**
     * n, Σx, Σy, Σxx, Σxy, Σyy of values over light where slopes are lit and steep enough, then the same of their logarithms where those are wanted.
     *
     * $count pixels; $leastSlope as a tangent.
     *
     * @param  list<float>  $values
     * @param  list<float>  $light
     * @param  list<float>  $slope
     * @param  list<int>  $flags
     * @return list<float>
     */
    private static function sums(array $values, array $light, array $slope, array $flags, int $count, float $leastSlope, bool $logs): array
    {
        $n = $x = $y = $xx = $xy = $yy = $m = $u = $v = $uu = $uv = 0.0;
        for ($i = 0; $i < $count; $i++) {
            $value = $values[$i];
            if ($flags[$i] === 1 && $slope[$i] >= $leastSlope && $value === $value) {
                $l = $light[$i];
                $n += 1.0;
                $x += $l;
                $y += $value;
                $xx += $l * $l;
                $xy += $l * $value;
                $yy += $value * $value;
                if ($logs && $value > 0.0) {
                    $p = log($l);
                    $q = log($value);
                    $m += 1.0;
                    $u += $p;
                    $v += $q;
                    $uu += $p * $p;
                    $uv += $p * $q;
                }
            }
        }

        return [$n, $x, $y, $xx, $xy, $yy, $m, $u, $v, $uu, $uv];
    }

    /**
     * L (cos z + c) / (cos i + c); NaN in shade.
     *
     * $count pixels; $cosine of the sun's distance from the zenith, and the band's $c.
     *
     * @param  list<float>  $values
     * @param  list<float>  $light
     * @return list<float>
     */
    public static function softened(array $values, array $light, int $count, float $cosine, float $c): array
    {
        $top = $cosine + $c;
        for ($i = 0; $i < $count; $i++) {
            $values[$i] = $light[$i] > 0.0 ? $values[$i] * $top / ($light[$i] + $c) : NAN;
        }

        return $values;
    }

    /**
     * L (cos z / cos i)^k; NaN in shade.
     *
     * $count pixels; $under is one over the cosine of the sun's distance from the zenith, $k the power.
     *
     * @param  list<float>  $values
     * @param  list<float>  $light
     * @return list<float>
     */
    public static function powered(array $values, array $light, int $count, float $under, float $k): array
    {
        for ($i = 0; $i < $count; $i++) {
            $values[$i] = $light[$i] > 0.0 ? $values[$i] * exp(-$k * log($light[$i] * $under)) : NAN;
        }

        return $values;
    }

    /**
     * L − (m cos i + b) + mean; NaN in shade.
     *
     * $count pixels; $slope and $offset of the line that is taken off.
     *
     * @param  list<float>  $values
     * @param  list<float>  $light
     * @return list<float>
     */
    public static function levelled(array $values, array $light, int $count, float $slope, float $offset): array
    {
        for ($i = 0; $i < $count; $i++) {
            $values[$i] = $light[$i] > 0.0 ? $values[$i] - $slope * $light[$i] - $offset : NAN;
        }

        return $values;
    }

    /**
     * 1 lit, 2 faintly lit, 3 turned from the sun, 4 in the shadow of other ground.
     *
     * @param  list<float>  $light
     * @param  string  $shadows  a byte for each pixel
     * @return list<int>
     */
    private static function flags(array $light, string $shadows, int $count, float $least): array
    {
        $out = array_fill(0, $count, 255);
        for ($i = 0; $i < $count; $i++) {
            $l = $light[$i];
            if ($l >= $least) {
                $out[$i] = 1;
            } elseif ($l === $l) {
                $out[$i] = $l <= 0.0 ? 3 : 2;
            }
        }
        for ($i = strpos($shadows, "\1"); $i !== false; $i = strpos($shadows, "\1", $end)) {
            $end = min($count, $i + strspn($shadows, "\1", $i));
            self::darkened($out, $i, $end);
        }

        return $out;
    }

    /**
     * What would be lit lies in the shadow of other ground.
     *
     * @param  list<int>  $flags
     */
    private static function darkened(array &$flags, int $from, int $to): void
    {
        for ($i = $from; $i < $to; $i++) {
            if ($flags[$i] < 3) {
                $flags[$i] = 4;
            }
        }
    }

    /**
     * Pixels that direct light hardly reaches are not made good.
     *
     * @param  list<float>  $values  as they were
     * @param  list<int>  $flags
     * @param  list<float>  $even
     * @return list<float>
     */
    private static function spared(array $values, array $flags, int $count, bool $leave, array $even): array
    {
        for ($i = 0; $i < $count; $i++) {
            if ($flags[$i] === 2 || $flags[$i] === 4) {
                $even[$i] = $leave ? $values[$i] : NAN;
            }
        }

        return $even;
    }

    private function horizon(Call $call): Horizon
    {
        return Horizon::of($call->image('elevation'), ...[...$this->sun($call), $call->context]);
    }

    /** @return array{float, float} elevation and azimuth in degrees */
    private function sun(Call $call): array
    {
        $spec = $call->image()->spec();

        return [Sun::elevation($call, $spec, $call->image()->name()), Sun::azimuth($call, $spec, $call->image()->name())];
    }
}
