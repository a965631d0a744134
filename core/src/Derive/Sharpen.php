<?php

namespace Chorometra\Core\Derive;

use Chorometra\Core\Derive\Sharpening\Injection;
use Chorometra\Core\Derive\Sharpening\Pair;
use Chorometra\Core\Derive\Sharpening\Wald;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Resampling;
use Chorometra\Core\Stats\Comoments;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Grids;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Learning;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Wants;
use Chorometra\Core\Step\Work;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Workers;

/** Coarse bands made as fine as a panchromatic image of the same ground. */
final class Sharpen implements Kind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'derive.sharpen',
            'Pan-sharpening',
            'Brings multispectral bands to the resolution of a panchromatic image, and reports how well each method does it.',
            [
                new Port('image', PortType::Image, 'The multispectral image, in the same CRS or another.', wants: Wants::Reflectance),
                new Port('pan', PortType::Image, 'The panchromatic image; the result is on its grid.', wants: Wants::Pan),
            ],
            [
                Setting::choice('method', Injection::METHODS, 'gram-schmidt', 'Method of pan-sharpening.', [
                    'components' => 'the first principal component is replaced',
                    'brovey' => 'each band times the panchromatic band over the mean of all: band ratios are kept, levels are not',
                    'gram-schmidt' => 'the mean of the bands is replaced, weighted by the covariance of each band with it',
                    'high-pass' => 'the high frequencies of the panchromatic band are added, weighted by the covariance of each band with it',
                ]),
                Setting::choice('resampling', ['nearest', 'bilinear', 'cubic'], 'cubic', 'Resampling of the bands to the fine grid.', Resampling::MEANINGS),
                Setting::texts('bands', 'Bands to sharpen, by number or role. Empty: all optical bands.'),
                Setting::band('pan-band', '1', 'Panchromatic band, by role or number.', 'pan'),
                Setting::choice('skip-zeros', ['border', 'yes', 'no'], 'border', 'Whether pixels that are 0 in all bands count as nodata.', [
                    'border' => 'only around the edge of an image',
                    'yes' => 'everywhere',
                    'no' => 'zeros are valid values',
                ]),
                Setting::yes('compare', true, 'Compare the methods on degraded samples of these images.'),
            ],
            [
                new Port('result', PortType::Image, 'The sharpened bands, in the unit of the image; nodata outside the overlap of the two.'),
                new Port('reach', PortType::Outlines, 'Footprints of both images and of their overlap.', required: false, endings: Vectors::endings()),
            ],
            'components, high-pass: Chavez, Sides & Anderson 1991, Photogrammetric Engineering & Remote Sensing 57:295–303; the weights of the '
                .'high-pass: Aiazzi et al. 2002, IEEE Transactions on Geoscience and Remote Sensing 40:2300–2312. brovey: Gillespie, Kahle & Walker 1987, '
                .'Remote Sensing of Environment 22:343–365. gram-schmidt: Laben & Brower 2000, US patent 6 011 875 (expired). Comparison: Wald, '
                .'Ranchin & Mangolini 1997, Photogrammetric Engineering & Remote Sensing 63:691–699; ERGAS: Wald 2000, Fusion of Earth Data; Q: Wang & '
                .'Bovik 2002, IEEE Signal Processing Letters 9:81–84 (all from memory).',
            synonyms: ['panchromatic', 'Brovey', 'Gram-Schmidt'],
            learns: Learning::Overview,
            figures: [
                Figure::text('pixel.before', 'pixels before'),
                Figure::text('pixel.after', 'pixels after'),
                Figure::number('pixel.ratio', 'resolution ratio'),
                Figure::table('quality', 'each method at reduced resolution, against the original bands', [
                    'method' => null,
                    'ERGAS' => null,
                    'angle' => '°',
                    'Q' => null,
                ]),
                Figure::number('compared', 'compared on samples of', 'pixels'),
                Figure::table('bands', 'correlation of each band with the panchromatic band; mean', [
                    'band' => null,
                    'with-it' => null,
                    'before' => null,
                    'after' => null,
                    'off' => '%',
                ]),
                Figure::share('reach.both', 'panchromatic image sharpened'),
                Figure::share('reach.fine-alone', 'covered by the panchromatic image only'),
                Figure::share('reach.colour-alone', 'multispectral image outside the panchromatic one'),
                Figure::list('zeros', 'zeros taken as nodata in'),
            ],
            desk: new Desk(9, ['{method}'], evidence: [new Evidence('reach')], grids: Grids::Any, moves: true, makes: 'pan-sharpened image'),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $method = $call->text('method');
        $seen = $work->part(0.0, 0.4)->gather(
            Pair::of($call->learning())->readings(Injection::needsCoarse($method)),
            fn (array $bands): array => self::moments($method, $bands, count($bands[0])),
            fn (array $one, array $other): array => [$one[0] + $other[0], $one[1]->merge($other[1]), $one[2]->merge($other[2])],
        );
        $rest = $call->with($call->context->part(0.4, 1.0));

        return $work->part(0.4, 1.0)->carryOut($this->plan($rest, ...$seen));
    }

    /**
     * @param  list<list<float>>  $bands
     * @return array{int, Comoments, Comoments} pixels of the fine image, moments of all bands, and of what comes out where that is not linear
     */
    private static function moments(string $method, array $bands, int $count): array
    {
        $hasCoarse = Injection::needsCoarse($method);
        $colour = array_slice($bands, $hasCoarse ? 2 : 1);
        // what is not read stands for itself, so that all methods have one order
        $given = [$bands[0], $hasCoarse ? $bands[1] : $bands[0], ...$colour];
        $made = $method === 'brovey' ? Injection::brovey($bands[0], $colour, $count) : [];

        return [Comoments::complete([$bands[0]], $count), Comoments::of($given, $count), Comoments::of($made, $made === [] ? 0 : $count)];
    }

    private function plan(Call $call, int $fine, Comoments $moments, Comoments $made): Plan
    {
        $pair = Pair::of($call);
        if (! $pair->isFiner()) {
            throw Problem::input('At this zoom the fine image is no finer than the coarse one: zoom in to try.', 'pan');
        }
        $method = $call->text('method');
        if ($moments->count < 2) {
            throw Problem::input("{$pair->pan->name()} and {$pair->image->name()} have no ground in common on which both have values.", 'image');
        }
        if ($moments->isConstant(Injection::PAN)) {
            throw Problem::input("{$pair->pan->name()} is constant within {$pair->image->name()}: it has no detail.", 'pan');
        }
        if ($method === 'components' && array_filter($pair->bands, fn (int $band, int $k): bool => ! $moments->isConstant(Injection::FIRST + $k),
            ARRAY_FILTER_USE_BOTH) === []) {
            throw Problem::input("All bands of {$pair->image->name()} are constant: there is no component to replace.", 'bands');
        }
        $sharpened = Injection::of($method, $moments);
        $hasCoarse = Injection::needsCoarse($method);
        $spec = $pair->image->spec();
        if (isset($call->outputs['reach'])) {
            $this->outline($call->outputs['reach'], $pair);
        }

        return new Plan(
            $pair->readings($hasCoarse),
            [
                'result' => new RasterSpec(
                    $pair->pan->spec()->grid,
                    array_map(fn (int $band): Band => $spec->bands[$band]->measuredIn($spec->bands[$band]->unit), $pair->bands),
                    properties: $spec->properties,
                ),
            ],
            fn (array $bands): array => [
                'result' => $sharpened([$bands[0], $hasCoarse ? $bands[1] : [], ...array_slice($bands, $hasCoarse ? 2 : 1)], count($bands[0])),
            ],
            figures: $this->figures($call, $pair, $fine, $moments, $made),
        );
    }

    /** @return array<string, mixed> */
    private function figures(Call $call, Pair $pair, int $fine, Comoments $moments, Comoments $made): array
    {
        $method = $call->text('method');
        $grid = $pair->pan->spec()->grid;
        $size = $call->learning()->image('pan')->spec()->grid;
        $looked = $size->width * $size->height;
        $means = array_slice($moments->means, Injection::FIRST);
        // sums keep to weights as pixels do
        $after = $method === 'brovey' ? $made->means : array_map(
            fn (array $one): float => $one[0],
            Injection::of($method, $moments)(array_map(fn (float $mean): array => [$mean], $moments->means), 1),
        );
        $covariances = $moments->covariances();
        $bands = [];
        foreach ($pair->bands as $k => $band) {
            $size = sqrt($covariances[Injection::PAN][Injection::PAN] * $covariances[Injection::FIRST + $k][Injection::FIRST + $k]);
            $bands[] = [
                'band' => $pair->image->spec()->bands[$band]->label($band + 1),
                'with-it' => $size > 0 ? $covariances[Injection::PAN][Injection::FIRST + $k] / $size : null,
                'before' => $means[$k],
                'after' => $after[$k],
                'off' => $means[$k] != 0 ? ($after[$k] - $means[$k]) / abs($means[$k]) : null,
            ];
        }
        $both = $moments->count / $looked;

        return [
            'pixel' => ['before' => Pair::pixel($pair->image->spec()->grid), 'after' => Pair::pixel($grid), 'ratio' => $pair->ratio],
            'bands' => $bands,
            'reach' => ['both' => $both, 'fine-alone' => max(0.0, $fine / $looked - $both), 'colour-alone' => max(0.0, 1.0 - $pair->reach->ofSecond)],
        ] +
            ($pair->zeros === [] ? [] : ['zeros' => $pair->zeros]) +
            ($call->isOn('compare') ? $this->compared($call, $pair) : []) +
            $this->warning($pair, $method);
    }

    /** @return array<string, mixed> */
    private function compared(Call $call, Pair $pair): array
    {
        // in a process of its own, whose memory goes with it before the image is made
        $found = Workers::aside(
            $call->context->part(0.0, 0.2),
            fn (Context $context): ?array => Wald::of(
                $pair->pan,
                $pair->panBand,
                $pair->image,
                $pair->bands,
                $pair->reach->window,
                $pair->resampling,
                $pair->ratio,
                $context,
            ),
            fn (int $pid): null => null,
        );
        if ($found === null) {
            return [];
        }
        $rows = [];
        foreach ($found['methods'] as $method => $quality) {
            $rows[] = [
                'method' => $method === 'none' ? 'resampled only' : $method,
                'ERGAS' => $quality['ergas'],
                'angle' => $quality['angle'],
                'Q' => array_sum($quality['q']) / count($quality['q']),
            ];
        }

        return ['quality' => $rows, 'compared' => $found['pixels']];
    }

    /** @return array<string, string> */
    private function warning(Pair $pair, string $method): array
    {
        $unit = $pair->pan->spec()->bands[$pair->panBand]->unit;
        $others = array_unique(array_filter(array_map(fn (int $band): ?string => $pair->image->spec()->bands[$band]->unit, $pair->bands)));

        return $method === 'brovey' && $unit !== null && $others !== [] && $others !== [$unit]
            ? ['warning' => "The fine band is in $unit and the bands in ".implode(', ', $others).': brovey makes bands at the level of the panchromatic one.']
            : [];
    }

    private function outline(string $path, Pair $pair): void
    {
        $percent = fn (float $share): float => round(100 * max(0.0, min(1.0, $share)), 2);
        $feature = fn (string $what, array $ring, array $told): array => [
            'properties' => ['what' => $what] + $told,
            'geometry' => ['type' => 'Polygon', 'coordinates' => [$ring]],
        ];
        Vectors::write($path, [
            $feature('both reach', $pair->reach->common, ['of the fine image, %' => $percent($pair->reach->ofFirst)]),
            $feature('fine image', $pair->reach->first, ['it alone, %' => $percent(1 - $pair->reach->ofFirst)]),
            $feature('coarse image', $pair->reach->second, ['it alone, %' => $percent(1 - $pair->reach->ofSecond)]),
        ], $pair->pan->spec()->grid->epsg);
    }
}
