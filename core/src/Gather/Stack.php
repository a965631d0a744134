<?php

namespace Chorometra\Core\Gather;

use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\LocalKind;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Reading;

/** Bands of several images into one. */
final class Stack extends LocalKind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'gather.stack',
            'Stack bands',
            'Combines the bands of several images on one grid into one image, in the order given.',
            [new Port('images', PortType::Image, 'The images, two or more.', many: true)],
            [],
            [new Port('result', PortType::Image, 'The image with all bands.')],
            'Common practice, no source.',
            synonyms: ['layer stacking', 'combine bands'],
            figures: [
                Figure::table('from', 'from', ['image' => null, 'bands' => null]),
            ],
            desk: new Desk(7, makes: 'band stack'),
        );
    }

    public function plan(Call $call): Plan
    {
        $images = $call->images('images');
        if (count($images) < 2) {
            throw Problem::call('A stack needs two images or more.', 'images');
        }
        $sources = [];
        $bands = [];
        foreach ($images as $image) {
            if ($image->spec()->content !== Content::Image) {
                throw Problem::input("{$image->name()} contains class codes, not a measured band; leave it out.", 'images');
            }
            $sources[] = new Reading($image, array_keys($image->spec()->bands));
            array_push($bands, ...$image->spec()->bands);
        }
        $first = $images[0]->spec();
        [$type, $nodata] = self::common($images);

        return new Plan(
            $sources,
            ['result' => $first->with(bands: $bands, type: $type, nodata: $nodata, content: Content::Image, legend: null)],
            fn (array $values): array => ['result' => $values],
            figures: ['from' => array_map(fn (Image $image): array => ['image' => $image->name(), 'bands' => count($image->spec()->bands)], $images)],
        );
    }

    /**
     * The samples that hold all of them: their own where they are alike, else floating point.
     *
     * @param  list<Image>  $images
     * @return array{SampleType, float|null}
     */
    public static function common(array $images): array
    {
        $first = $images[0]->spec();
        $double = false;
        $alike = true;
        foreach ($images as $image) {
            $spec = $image->spec();
            $alike =
                $alike &&
                $spec->type === $first->type &&
                ($spec->nodata === $first->nodata || ($spec->nodata !== null && $first->nodata !== null && is_nan($spec->nodata) && is_nan($first->nodata)));
            $double = $double || in_array($spec->type, [SampleType::Float64, SampleType::Int32, SampleType::UInt32], true);
        }

        return $alike ? [$first->type, $first->nodata] : [$double ? SampleType::Float64 : SampleType::Float32, NAN];
    }
}
