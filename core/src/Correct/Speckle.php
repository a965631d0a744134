<?php

namespace Chorometra\Core\Correct;

use Chorometra\Core\Correct\Radar\SpeckleFilters;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Histogram;
use Chorometra\Core\Raster\Image;
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
        $compute = fn (array $values, RowBlock $rows): array => SpeckleFilters::filtered($values, $rows, $filter, $size, 1 / $looks, $damping);
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
                        $filtered = $compute(SpeckleFilters::power($values, count($values)), $rows);
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
            $values = $band->unit === 'dB' ? SpeckleFilters::power($values, count($values)) : $values;
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
