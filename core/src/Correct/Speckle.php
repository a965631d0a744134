<?php

namespace Chorometra\Core\Correct;

use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Histogram;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Neighbourhood;
use Chorometra\Core\Raster\PolygonMask;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\RowBlock;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Stats\Moments;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Caution;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\LocalKind;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Step\Setting;

/** The grain of radar, smoothed where the ground is even. */
final class Speckle extends LocalKind
{
    /** What the metadata say of the grain; it no longer holds of the result. */
    private const LOOKS = ['sar:looks_equivalent_number', 'sar:looks_range', 'sar:looks_azimuth'];

    /** Pixels of an area that the looks are measured in at most. */
    private const MOST_PIXELS = 4 << 20;

    public function declaration(): Declaration
    {
        return new Declaration(
            'correct.speckle',
            'Speckle filter',
            'Reduces the speckle of a radar image while keeping edges and bright targets, as far as the filter can.',
            [
                new Port('image', PortType::Image, 'Radar intensity; decibels are filtered as power.', sample: 'intensity'),
                new Port('area', PortType::Features, 'Homogeneous area in which the equivalent number of looks is measured before and after.', required: false),
            ],
            [
                Setting::choice('filter', ['boxcar', 'lee', 'refined-lee', 'gamma-map', 'frost'], 'lee', 'Filter.', [
                    'boxcar' => 'the mean of the window', 'lee' => 'weighted between the local mean and the pixel, by the variation in the window',
                    'refined-lee' => 'the same within the half of a 7 x 7 window on the pixel\'s side of an edge',
                    'gamma-map' => 'maximum a posteriori estimate for gamma-distributed backscatter and speckle; bright targets are kept',
                    'frost' => 'mean with weights that decay with distance, faster where the window varies more',
                ]),
                Setting::whole('size', 7, 'Side of the window, odd; 7 for refined-lee.', 'pixels', 3, 51),
                Setting::number('damping', 2.0, 'How fast the weights decay with distance.', null, 0, 100)->onlyFor('filter=frost'),
                Setting::number(
                    'looks',
                    null,
                    'Number of looks of the image. Empty: from the metadata, else 1.',
                    null,
                    0.5,
                    1000,
                ),
            ],
            [new Port('result', PortType::Image, 'The filtered image.')],
            'lee: Lee 1980, IEEE Transactions on Pattern Analysis and Machine Intelligence 2:165–168, in the linear form of that paper. refined-lee: '
                .'Lee 1981, Computer Graphics and Image Processing 15:380–389 (from memory). gamma-map: Lopes, Nezry, Touzi & Laur 1993, '
                .'International Journal of Remote Sensing 14:1735–1758 (from memory). frost: Frost, Stiles, Shanmugan & Holtzman 1982, IEEE '
                .'Transactions on Pattern Analysis and Machine Intelligence 4:157–166 (from memory). Equivalent number of looks: mean² / variance '
                .'of intensity.',
            synonyms: ['radar noise', 'Lee', 'Frost', 'gamma MAP', 'equivalent number of looks'],
            example: new Example(['filter' => 'gamma-map', 'looks' => '4']),
            figures: [
                Figure::table('looks', 'equivalent number of looks', ['band' => null, 'before' => null, 'after' => null]),
                Figure::number('looks-taken', 'looks used'),
            ],
            desk: new Desk(
                12,
                cautions: [
                    Caution::moved(
                        'This image was resampled already, which correlates neighbouring pixels: the number of looks no longer holds. Filter speckle before '
                            .'an image is moved.',
                    ),
                ],
                makes: 'speckle filtered',
            ),
        );
    }

    public function plan(Call $call): Plan
    {
        $image = $call->image();
        $spec = $image->spec();
        $filter = $call->text('filter');
        $size = $filter === 'refined-lee' ? 7 : $call->whole('size');
        if ($size % 2 === 0) {
            throw Problem::call("A window of side $size has no centre: use an odd number.", 'size');
        }
        foreach ($spec->bands as $index => $band) {
            if ($band->part === 'phase') {
                throw Problem::input("The band {$band->label($index + 1)} of {$image->name()} is a phase, which can't be averaged.", 'image');
            }
            if ($band->unit !== 'dB') {
                // on an overview; what it hides is met in the work
                self::positive(Histogram::moments($image, $index, $call->context)->minimum, $band->label($index + 1), $image->name());
            }
        }
        $looks = self::known($call, $spec);
        $damping = $call->number('damping');
        $compute = fn (array $values, RowBlock $rows): array => self::filtered($values, $rows, $filter, $size, 1 / $looks, $damping);
        $figures = ['looks-taken' => $looks];
        if ($call->hasInput('area')) {
            $figures += ['looks' => $this->looks($call, $image, $compute, intdiv($size, 2))];
        }

        return new Plan(
            [new Reading($image, array_keys($spec->bands))],
            [
                'result' => new RasterSpec(
                    $spec->grid,
                    array_map(fn (Band $band): Band => $band->measuredIn($band->unit), $spec->bands),
                    properties: array_diff_key($spec->properties, array_flip(self::LOOKS)),
                ),
            ],
            function (array $bands, RowBlock $rows) use ($compute, $spec, $image): array {
                foreach ($bands as $index => $values) {
                    if ($spec->bands[$index]->unit === 'dB') {
                        $filtered = $compute(self::power($values, count($values)), $rows);
                        $bands[$index] = Backscatter::decibel($filtered, count($filtered), 1.0);
                    } else {
                        self::positive(self::least($values, count($values)), $spec->bands[$index]->label($index + 1), $image->name());
                        $bands[$index] = $compute($values, $rows);
                    }
                }

                return ['result' => $bands];
            },
            halo: intdiv($size, 2),
            figures: $figures,
        );
    }

    /** Refuses power below nothing: it is none. */
    private static function positive(float $least, string $label, string $name): void
    {
        if ($least < 0.0) {
            throw Problem::input(
                "The band $label of $name has values below 0, which no power has: if they are decibels, gather it again with the unit dB (units).",
                'image',
            );
        }
    }

    /** @param  list<float>  $values */
    private static function least(array $values, int $count): float
    {
        $least = INF;
        for ($i = 0; $i < $count; $i++) {
            $least = $values[$i] < $least ? $values[$i] : $least;
        }

        return $least;
    }

    /** Looks as set, else as the metadata tell them, else one. */
    private static function known(Call $call, RasterSpec $spec): float
    {
        $set = $call->number('looks');
        $told =
            $spec->properties['sar:looks_equivalent_number'] ??
            (float) ($spec->properties['sar:looks_range'] ?? 1) * (float) ($spec->properties['sar:looks_azimuth'] ?? 1);

        return is_nan($set) ? (is_numeric($told) && $told >= 0.5 ? (float) $told : 1.0) : $set;
    }

    /**
     * @param  list<float>  $values  with the rows of the halo
     * @return list<float>
     */
    public static function filtered(array $values, RowBlock $rows, string $filter, int $size, float $noise, float $damping = 2.0): array
    {
        $half = intdiv($size, 2);
        $padded = Neighbourhood::padded($values, $rows, $half);
        if ($filter === 'refined-lee') {
            $near = Neighbourhood::means(Neighbourhood::padded($values, $rows, 3), $rows->width + 4, $rows->rows + 4, 3);

            return self::refined($padded, $near, $rows->width, $rows->rows, $noise, self::halves($rows->width + 6));
        }
        $own = array_slice($values, $rows->above * $rows->width, $rows->rows * $rows->width);
        if ($filter === 'boxcar') {
            return self::kept(Neighbourhood::means($padded, $rows->width, $rows->rows, $size), $own, count($own));
        }
        [$means, $variances] = Neighbourhood::moments($padded, $rows->width, $rows->rows, $size);

        return match ($filter) {
            'gamma-map' => self::likeliest($own, $means, $variances, count($own), $noise),
            'frost' => self::weighted(
                $padded,
                $own,
                $means,
                $variances,
                $rows->width,
                $rows->rows,
                $damping,
                self::distances($size, $rows->width + 2 * $half),
                $rows->width + 2 * $half,
            ),
            default => self::lee($own, $means, $variances, count($own), $noise),
        };
    }

    /**
     * @param  list<float>  $values  decibels
     * @return list<float> power
     */
    public static function power(array $values, int $count): array
    {
        $factor = M_LN10 / 10;
        for ($i = 0; $i < $count; $i++) {
            $values[$i] = exp($values[$i] * $factor);
        }

        return $values;
    }

    /**
     * Nodata stays nodata.
     *
     * @param  list<float>  $means
     * @param  list<float>  $own
     * @return list<float>
     */
    private static function kept(array $means, array $own, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            if ($own[$i] !== $own[$i]) {
                $means[$i] = NAN;
            }
        }

        return $means;
    }

    /**
     * m + k (x − m), k = vx / (m² σu² + vx), vx = (v − m² σu²) / (1 + σu²) where positive.
     *
     * $count pixels.
     *
     * @param  list<float>  $own
     * @param  list<float>  $means
     * @param  list<float>  $variances
     * @param  float  $noise  σu², one over the looks
     * @return list<float>
     */
    public static function lee(array $own, array $means, array $variances, int $count, float $noise): array
    {
        $under = 1.0 / (1.0 + $noise);
        for ($i = 0; $i < $count; $i++) {
            $mean = $means[$i];
            $grain = $mean * $mean * $noise;
            $signal = ($variances[$i] - $grain) * $under;
            if ($signal > 0.0) {
                $own[$i] = $mean + $signal / ($grain + $signal) * ($own[$i] - $mean);
            } elseif ($own[$i] === $own[$i]) {
                $own[$i] = $mean;
            }
        }

        return $own;
    }

    /**
     * With Cu² = 1/L and Ci² = v/m²: the mean up to Cu, the pixel from √2 Cu on; between, with α = (1 + Cu²)/(Ci² − Cu²) and b = α − L − 1,
     * (b m + √(b² m² + 4 α L m x)) / 2α.
     *
     * $count pixels.
     *
     * @param  list<float>  $own
     * @param  list<float>  $means
     * @param  list<float>  $variances
     * @param  float  $noise  Cu²
     * @return list<float>
     */
    public static function likeliest(array $own, array $means, array $variances, int $count, float $noise): array
    {
        $looks = 1.0 / $noise;
        for ($i = 0; $i < $count; $i++) {
            $value = $own[$i];
            $mean = $means[$i];
            if ($value === $value && $mean > 0.0) {
                $uneven = $variances[$i] / ($mean * $mean);
                if ($uneven <= $noise) {
                    $own[$i] = $mean;
                } elseif ($uneven < 2.0 * $noise) {
                    $alpha = (1.0 + $noise) / ($uneven - $noise);
                    $b = ($alpha - $looks - 1.0) * $mean;
                    $own[$i] = ($b + sqrt($b * $b + 4.0 * $alpha * $looks * $mean * $value)) / (2.0 * $alpha);
                }
            }
        }

        return $own;
    }

    /**
     * A mean with the weights exp(−K Ci² d), d the distance in pixels.
     *
     * $rows of $width pixels in rows of $stride; $damping of the weights with distance.
     *
     * @param  list<float>  $padded
     * @param  list<float>  $own
     * @param  list<float>  $means
     * @param  list<float>  $variances
     * @param  list<array{float, list<int>}>  $distances  offsets from the window's first pixel by distance
     * @return list<float>
     */
    private static function weighted(
        array $padded,
        array $own,
        array $means,
        array $variances,
        int $width,
        int $rows,
        float $damping,
        array $distances,
        int $stride,
    ): array {
        for ($row = 0, $i = 0; $row < $rows; $row++) {
            for ($col = 0; $col < $width; $col++, $i++) {
                $mean = $means[$i];
                if ($own[$i] !== $own[$i] || $mean <= 0.0) {
                    continue;
                }
                $fall = -$damping * $variances[$i] / ($mean * $mean);
                $start = $row * $stride + $col;
                $sum = $weight = 0.0;
                foreach ($distances as [$distance, $offsets]) {
                    $ring = $count = 0.0;
                    foreach ($offsets as $offset) {
                        $value = $padded[$start + $offset];
                        if ($value === $value) {
                            $ring += $value;
                            $count += 1.0;
                        }
                    }
                    $w = exp($fall * $distance);
                    $sum += $w * $ring;
                    $weight += $w * $count;
                }
                $own[$i] = $sum / $weight;
            }
        }

        return $own;
    }

    /** @return list<array{float, list<int>}> offsets of a window's pixels from its first, by their distance from its middle */
    private static function distances(int $size, int $stride): array
    {
        $half = intdiv($size, 2);
        $rings = [];
        for ($y = -$half; $y <= $half; $y++) {
            for ($x = -$half; $x <= $half; $x++) {
                $rings[$x * $x + $y * $y][] = ($y + $half) * $stride + $x + $half;
            }
        }
        ksort($rings);

        return array_map(fn (int $square, array $offsets): array => [sqrt($square), $offsets], array_keys($rings), $rings);
    }

    /**
     * The eight halves of a 7 x 7 window: offsets from its first pixel, by direction of the edge (0 upright, 1 falling to the right, 2 level,
     * 3 rising to the right), the two sides of each; the edge's own pixels belong to both.
     *
     * @return list<array{list<int>, list<int>}>
     */
    private static function halves(int $stride): array
    {
        $halves = [];
        foreach ([[1, 0], [1, -1], [0, 1], [1, 1]] as [$a, $b]) {
            $sides = [[], []];
            for ($y = -3; $y <= 3; $y++) {
                for ($x = -3; $x <= 3; $x++) {
                    $offset = ($y + 3) * $stride + $x + 3;
                    if ($a * $x + $b * $y <= 0) {
                        $sides[0][] = $offset;
                    }
                    if ($a * $x + $b * $y >= 0) {
                        $sides[1][] = $offset;
                    }
                }
            }
            $halves[] = $sides;
        }

        return $halves;
    }

    /**
     * $rows of $width pixels; $noise is the relative variance of the grain.
     *
     * @param  list<float>  $padded  by 3
     * @param  list<float>  $near  means of 3 x 3, with two more on every side
     * @param  list<array{list<int>, list<int>}>  $halves
     * @return list<float>
     */
    private static function refined(array $padded, array $near, int $width, int $rows, float $noise, array $halves): array
    {
        $stride = $width + 6;
        $step = $width + 4;
        $under = 1.0 / (1.0 + $noise);
        $out = [];
        for ($row = 0; $row < $rows; $row++) {
            for ($col = 0; $col < $width; $col++) {
                $start = $row * $stride + $col;
                $own = $padded[$start + 3 * $stride + 3];
                if ($own !== $own) {
                    $out[] = NAN;

                    continue;
                }
                // means of the nine parts of the window, two pixels apart
                $k = $row * $step + $col;
                [$a, $b, $c] = [$near[$k], $near[$k + 2], $near[$k + 4]];
                $k += 2 * $step;
                [$d, $e, $f] = [$near[$k], $near[$k + 2], $near[$k + 4]];
                $k += 2 * $step;
                [$g, $h, $i] = [$near[$k], $near[$k + 2], $near[$k + 4]];
                $upright = $c + $f + $i - $a - $d - $g;
                $falling = $b + $c + $f - $d - $g - $h;
                $level = $g + $h + $i - $a - $b - $c;
                $rising = $f + $h + $i - $a - $b - $d;
                $best = $upright < 0.0 ? -$upright : $upright;
                $way = 0;
                $one = $d;
                $other = $f;
                $size = $falling < 0.0 ? -$falling : $falling;
                if ($size > $best) {
                    $best = $size;
                    $way = 1;
                    $one = $g;
                    $other = $c;
                }
                $size = $level < 0.0 ? -$level : $level;
                if ($size > $best) {
                    $best = $size;
                    $way = 2;
                    $one = $b;
                    $other = $h;
                }
                $size = $rising < 0.0 ? -$rising : $rising;
                if ($size > $best) {
                    $way = 3;
                    $one = $a;
                    $other = $i;
                }
                // the side whose mean is nearer to the middle's
                $one -= $e;
                $other -= $e;
                $side = $one * $one <= $other * $other ? 0 : 1;
                $sum = $square = $count = 0.0;
                foreach ($halves[$way][$side] as $offset) {
                    $value = $padded[$start + $offset];
                    if ($value === $value) {
                        $sum += $value;
                        $square += $value * $value;
                        $count += 1.0;
                    }
                }
                $mean = $sum / $count;
                $grain = $mean * $mean * $noise;
                $signal = ($square / $count - $mean * $mean - $grain) * $under;
                $out[] = $signal > 0.0 ? $mean + $signal / ($grain + $signal) * ($own - $mean) : $mean;
            }
        }

        return $out;
    }

    /**
     * Equivalent number of looks by band in an area, before and after.
     *
     * @param  \Closure(list<float>, RowBlock): list<float>  $compute
     * @return list<array<string, mixed>>
     */
    private function looks(Call $call, Image $image, \Closure $compute, int $half): array
    {
        $spec = $image->spec();
        $mask = new PolygonMask(Vectors::read($call->path('area'))->polygonsOn($spec->grid, 'area'), $spec->grid);
        $window = $mask->bounds->within($spec->grid->width, $spec->grid->height);
        if ($window->isEmpty()) {
            throw Problem::input("The area is outside {$image->name()}.", 'area');
        }
        if ($window->pixels() > self::MOST_PIXELS) {
            throw Problem::call('The area to measure the looks in is too large: take a small even piece of ground.', 'area');
        }
        $around = (new Window($window->col - $half, $window->row - $half, $window->width + 2 * $half, $window->height + 2 * $half))->within(
            $spec->grid->width,
            $spec->grid->height,
        );
        $rows = new RowBlock(
            $around->width,
            $window->height,
            $window->row,
            $window->row - $around->row,
            $around->row + $around->height - $window->row - $window->height,
        );
        $inner = new Window($around->col, $window->row, $around->width, $window->height);
        $told = [];
        foreach ($spec->bands as $index => $band) {
            $values = Values::of($image, $index, $around);
            $values = $band->unit === 'dB' ? self::power($values, count($values)) : $values;
            $before = array_slice($values, $rows->above * $around->width, $inner->pixels());
            [$one, $other] = array_map(fn (array $pixels): ?float => self::equivalent(array_values($mask->cut($pixels, $inner, NAN))), [
                $before,
                $compute($values, $rows),
            ]);
            $told[] = ['band' => $band->label($index + 1), 'before' => $one, 'after' => $other];
        }

        return $told;
    }

    /** @param  list<float>  $values */
    private static function equivalent(array $values): ?float
    {
        $moments = Moments::of($values);

        return $moments->count > 1 && $moments->deviation() > 0 ? ($moments->mean / $moments->deviation()) ** 2 : null;
    }
}
