<?php

namespace Chorometra\Core\Deliver;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\GeoTiff\StoredTiles;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Computed;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Histogram;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Percentiles;
use Chorometra\Core\Raster\RasterSpec;
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
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Work\Context;

/** An image to hand on: its values as they are, or the picture as it is shown. */
final class Delivery extends LocalKind
{
    /** Pixels that percentiles are taken from: of larger images an overview has them. */
    private const SAMPLE = 1 << 20;

    public function declaration(): Declaration
    {
        return new Declaration(
            'deliver.image',
            'Export image',
            'Exports an image: its values as a cloud-optimised GeoTIFF, or the picture as displayed, also as PNG with world file.',
            [new Port('image', PortType::Image, 'The image or class map.')],
            [
                Setting::choice(
                    'as',
                    ['values', 'shown'],
                    'values',
                    'The values, or stretched 8-bit colours for display. PNG is always as displayed; class maps keep their codes and colours.',
                ),
                Setting::texts(
                    'bands',
                    'Bands in order, by number or role; for a picture one or three (red, green, blue). Empty: all, or the first that fit.',
                ),
                Setting::numbers('clip', 'Percentiles displayed as black and white.', '%'),
                Setting::choice('compression', ['deflate', 'none'], 'deflate', 'Compression of the GeoTIFF.'),
            ],
            [new Port('result', PortType::Image, 'The file.', endings: ['.tif', '.png'], endingFor: ['as=shown' => '.png'])],
            'Cloud-optimised GeoTIFF: OGC 21-026. PNG: ISO/IEC 15948. Percentiles of an image of more than a million pixels from an '
                .'overview; linear stretch is common practice, no source.',
            synonyms: ['save image', 'GeoTIFF', 'PNG', 'cloud-optimised'],
            figures: [
                Figure::text('percentiles', 'percentiles'),
                Figure::table('stretch', 'black and white', ['band' => null, 'from' => null, 'to' => null]),
            ],
            desk: new Desk(1, makes: 'exported image'),
        );
    }

    public function plan(Call $call): Plan
    {
        $image = $call->image();
        $spec = $image->spec();
        $bands = $this->bands($call);
        $deflate = $call->text('compression') === 'deflate';
        if (! $this->isStretched($call)) {
            $codes = $spec->content !== Content::Image;
            $out = $spec->with(bands: array_map(fn (int $band): Band => $spec->bands[$band], $bands));

            return new Plan(
                [new Reading($image, $bands, $codes)],
                ['result' => $out],
                fn (array $values): array => ['result' => $values],
                deflate: $deflate,
                stored: $image instanceof GeoTiffImage ? StoredTiles::passing(array_map(fn (int $band): array => [$image, $band], $bands), $out) : null,
            );
        }
        $clip = $call->numbers('clip') + [2.0, 98.0];
        $level = Histogram::level($image, self::SAMPLE);
        $limits = array_map(fn (int $band): array => self::limits($image, $band, $clip, $level, $call->context), $bands);
        $out = new RasterSpec(
            $spec->grid,
            array_map(fn (int $band): Band => $spec->bands[$band]->measuredIn(null), $bands),
            SampleType::UInt8,
            0.0,
            properties: $spec->properties,
        );

        // with few bits each sample is looked up, stretched and rounded already
        $tables =
            $spec->type->bytes() > 2 || $image instanceof Computed
                ? []
                : array_map(
                    fn (array $limit): array => array_map(
                        round(...),
                        self::stretch($samples = Codec::samples($spec->type, $spec->nodata), count($samples), $limit[0], $limit[1]),
                    ),
                    $limits,
                );

        return new Plan([new Reading($image, $bands, tables: $tables)], ['result' => $out], function (array $values) use ($limits, $tables): array {
            foreach ($tables === [] ? $values : [] as $index => $band) {
                $values[$index] = self::stretch($band, count($band), $limits[$index][0], $limits[$index][1]);
            }

            return ['result' => $values];
        },
            figures: self::from($image, $level) + [
                'stretch' => array_map(
                    fn (int $band, array $limit): array => ['band' => $spec->bands[$band]->label($band + 1), 'from' => $limit[0], 'to' => $limit[1]],
                    $bands,
                    $limits,
                ),
            ],
            deflate: $deflate,
        );
    }

    /**
     * Values to 1 … 255; nodata stays NaN (0 in the file).
     *
     * @param  list<float>  $values
     * @return list<float>
     */
    public static function stretch(array $values, int $count, float $from, float $to): array
    {
        $factor = $to > $from ? 254.0 / ($to - $from) : 0.0;
        for ($i = 0; $i < $count; $i++) {
            $value = $values[$i];
            if ($value === $value) {
                $shown = 1.0 + $factor * ($value - $from);
                $values[$i] = $shown < 1.0 ? 1.0 : ($shown > 255.0 ? 255.0 : $shown);
            }
        }

        return $values;
    }

    private function isStretched(Call $call): bool
    {
        $spec = $call->image()->spec();

        return $spec->content === Content::Image && ($call->text('as') === 'shown' || str_ends_with(strtolower($call->outputs['result'] ?? ''), '.png'));
    }

    /** @return list<int> */
    private function bands(Call $call): array
    {
        $named = $call->texts('bands');
        $count = count($call->image()->spec()->bands);
        if ($named === []) {
            return $this->isStretched($call) ? ($count >= 3 ? [2, 1, 0] : [0]) : range(0, $count - 1);
        }
        if ($this->isStretched($call) && count($named) !== 1 && count($named) !== 3) {
            throw Problem::call('A picture shows one band or three; '.count($named).' are named.', 'bands');
        }

        return array_map(fn (string $name): int => Call::bandOf($call->image(), $name, 'bands'), $named);
    }

    /** @return array<string, string> what percentiles were taken from, where that is an overview */
    private static function from(Image $image, int $level): array
    {
        [$width, $height] = $image->levels()[$level] ?? [0, 0];

        return $level === 0 ? [] : ['percentiles' => sprintf('from an overview of %s × %s pixels', number_format($width), number_format($height))];
    }

    /**
     * @param  array<int, float>  $clip  per cent
     * @return array{float, float}
     */
    private static function limits(Image $image, int $band, array $clip, int $level, Context $context): array
    {
        [$low, $high] = Percentiles::of($image, $band, [$clip[0], $clip[1]], $context->part(0.0, 0.2), $level);

        return is_nan($low) ? [0.0, 1.0] : [$low, $high];
    }
}
