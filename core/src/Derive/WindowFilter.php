<?php

namespace Chorometra\Core\Derive;

use Chorometra\Core\Derive\Windows\Extremes;
use Chorometra\Core\Derive\Windows\Gaussian;
use Chorometra\Core\Derive\Windows\Median;
use Chorometra\Core\Derive\Windows\Sobel;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Neighbourhood;
use Chorometra\Core\Raster\RowBlock;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\LocalKind;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Step\Setting;

/** What the window around each pixel says: smoothed, the least or the greatest, how much it varies, or where it changes. */
final class WindowFilter extends LocalKind
{
    private const SIZED = 'filter=mean|median|minimum|maximum|deviation';

    public function declaration(): Declaration
    {
        return new Declaration(
            'derive.filter',
            'Spatial filter',
            'Computes each pixel from its window: mean, median, minimum, maximum, variation or edges.',
            [new Port('image', PortType::Image, 'The image.')],
            [
                Setting::choice('filter', ['mean', 'median', 'gaussian', 'minimum', 'maximum', 'deviation', 'edge'], 'mean', 'Filter.', [
                    'mean' => 'mean of the window',
                    'median' => 'median, robust against single outliers; for an even number of pixels the mean of the middle two',
                    'gaussian' => 'mean weighted by a Gaussian, truncated at four standard deviations',
                    'minimum' => 'minimum of the window',
                    'maximum' => 'maximum of the window',
                    'deviation' => 'population standard deviation of the window',
                    'edge' => 'magnitude of the Sobel gradient, as the change over eight pixels',
                ]),
                Setting::whole('size', 3, 'Side of the window, odd.', 'pixels', 3, 101)->onlyFor(self::SIZED),
                Setting::number('sigma', 1.0, 'Standard deviation of the Gaussian.', 'pixels', 0.3, 25)->onlyFor('filter=gaussian'),
                Setting::texts('bands', 'Bands by number or role. Empty: all.'),
            ],
            [new Port('result', PortType::Image, 'The filtered bands; nodata where the pixel itself is nodata.')],
            'Median: Tukey 1977, Exploratory Data Analysis. Minimum and maximum: van Herk 1992, Pattern Recognition Letters 13:517–521. Edge: '
                .'Sobel & Feldman 1968, in Duda & Hart 1973, Pattern Classification and Scene Analysis, 271–272 (all from memory). Cutting the bell '
                .'at four deviations: common practice, no source.',
            synonyms: ['smoothing', 'convolution', 'median', 'edges', 'Sobel', 'kernel'],
            example: new Example(['filter' => 'gaussian', 'sigma' => '1.5']),
            desk: new Desk(3, ['{filter}'], makes: 'filtered image'),
        );
    }

    public function plan(Call $call): Plan
    {
        $image = $call->image();
        $spec = $image->spec();
        if ($spec->content !== Content::Image) {
            throw Problem::input("{$image->name()} contains class codes, which have no mean: use an image of values.", 'image');
        }
        $filter = $call->text('filter');
        $size = $filter === 'edge' ? 3 : $call->whole('size');
        if ($size % 2 === 0) {
            throw Problem::call("A window of side $size has no centre: use an odd number.", 'size');
        }
        $named = $call->texts('bands');
        $bands = $named === []
            ? array_keys($spec->bands)
            : array_map(fn (string $name): int => Call::bandOf($image, $name, 'bands'), $named);
        foreach ($bands as $index) {
            if ($spec->bands[$index]->part === 'phase') {
                throw Problem::input("The band {$spec->bands[$index]->label($index + 1)} of {$image->name()} is a phase, which can't be averaged.", 'bands');
            }
        }
        $sigma = $call->number('sigma');
        $half = $filter === 'gaussian' ? Gaussian::reach($sigma) : intdiv($size, 2);
        // how much values vary is measured as they are, and is no light any more
        $isMeasure = $filter === 'deviation' || $filter === 'edge';
        $made = array_map(
            fn (int $index): Band => $isMeasure
                ? new Band(name: $spec->bands[$index]->label($index + 1).' '.$filter, unit: $spec->bands[$index]->unit)
                : $spec->bands[$index]->measuredIn($spec->bands[$index]->unit),
            $bands,
        );

        return new Plan(
            [new Reading($image, $bands)],
            ['result' => $spec->measured($made)],
            fn (array $blocks, RowBlock $rows): array => [
                'result' => array_map(fn (array $values): array => self::filtered($values, $rows, $filter, $half, $sigma), $blocks),
            ],
            halo: $half,
        );
    }

    /**
     * @param  list<float>  $values  with the halo
     * @param  int  $half  pixels that the window reaches each way
     * @return list<float> of the rows to be made; NaN where the pixel itself is
     */
    public static function filtered(array $values, RowBlock $rows, string $filter, int $half, float $sigma): array
    {
        $padded = Neighbourhood::padded($values, $rows, $half);
        $size = 2 * $half + 1;
        $made = match ($filter) {
            'mean' => Neighbourhood::means($padded, $rows->width, $rows->rows, $size),
            'deviation' => self::roots(Neighbourhood::moments($padded, $rows->width, $rows->rows, $size)[1], $rows->width * $rows->rows),
            'gaussian' => Gaussian::smooth($padded, $rows->width, $rows->rows, $sigma),
            'minimum' => Extremes::of($padded, $rows->width, $rows->rows, $size, false),
            'maximum' => Extremes::of($padded, $rows->width, $rows->rows, $size, true),
            'median' => Median::of($padded, $rows->width, $rows->rows, $size),
            default => Sobel::of($padded, $rows->width, $rows->rows),
        };

        return self::kept($made, $values, $rows->above * $rows->width, $rows->width * $rows->rows);
    }

    /**
     * @param  list<float>  $values
     * @return list<float>
     */
    private static function roots(array $values, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            $values[$i] = sqrt($values[$i]);
        }

        return $values;
    }

    /**
     * What has no value gets none.
     *
     * @param  list<float>  $made
     * @param  list<float>  $values  whose pixels begin at $from
     * @return list<float>
     */
    private static function kept(array $made, array $values, int $from, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            if ($values[$from + $i] !== $values[$from + $i]) {
                $made[$i] = NAN;
            }
        }

        return $made;
    }
}
