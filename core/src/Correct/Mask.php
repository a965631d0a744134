<?php

namespace Chorometra\Core\Correct;

use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
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
use Chorometra\Core\Step\Wants;

/** Where there are clouds, their shadows, water and snow: from a quality band, or from reflectance. */
final class Mask extends LocalKind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'correct.mask',
            'Cloud, shadow, water and snow mask',
            'Separates clear ground from clouds, their shadows, water and snow, by the scene\'s quality bits or by reflectance.',
            [new Port('image', PortType::Image, 'A quality band, or an image in reflectance.', sample: 'quality', wants: Wants::Counts)],
            [
                Setting::choice('by', ['quality', 'reflectance'], 'quality', 'Source of the mask.'),
                Setting::whole('cloud-bit', 3, 'Bit of the quality band that means cloud, from 0.', null, 0, 31)->onlyFor('by=quality'),
                Setting::whole('shadow-bit', 4, 'Bit that means cloud shadow.', null, 0, 31)->onlyFor('by=quality'),
                Setting::whole('snow-bit', 5, 'Bit that means snow.', null, 0, 31)->onlyFor('by=quality'),
                Setting::whole('water-bit', 7, 'Bit that means water.', null, 0, 31)->onlyFor('by=quality'),
                Setting::choice(
                    'least-confidence',
                    ['none', 'low', 'medium', 'high'],
                    'none',
                    'Confidence from which a pixel counts as cloud, cloud shadow or snow, for quality bands with two confidence bits each.',
                    ['none' => 'only the single bits are used'],
                )->onlyFor('by=quality'),
                Setting::whole(
                    'cloud-confidence-bit',
                    8,
                    'Lower of the two bits of cloud confidence: 0 unknown, 1 low, 2 medium, 3 high.',
                    null,
                    0,
                    30,
                )->onlyFor('least-confidence=low|medium|high'),
                Setting::whole('shadow-confidence-bit', 10, 'Lower of the two bits of cloud shadow confidence.', null, 0, 30)->onlyFor(
                    'least-confidence=low|medium|high',
                ),
                Setting::whole('snow-confidence-bit', 12, 'Lower of the two bits of snow confidence.', null, 0, 30)
                    ->onlyFor('least-confidence=low|medium|high'),
                Setting::whole('grow', 0, 'Buffer around clouds and cloud shadows.', 'pixels', 0, 100),
                Setting::number('bright', 25.0, 'Least mean reflectance of blue, green and red in a cloud.', '%', 0, 100)->onlyFor('by=reflectance'),
                Setting::number('white', 30.0, 'Largest deviation of the three from their mean in a cloud, as a share of the mean.', '%', 0, 200)->onlyFor(
                    'by=reflectance',
                ),
                Setting::number('snow', 0.4, 'Snow index (green − swir1)/(green + swir1) from which a pixel is snow.', null, -1, 1)->onlyFor('by=reflectance'),
                Setting::number('water', 0.1, 'Water index (green − nir)/(green + nir) from which a pixel is water.', null, -1, 1)->onlyFor('by=reflectance'),
                Setting::number('dark', 12.0, 'Near-infrared reflectance below which a pixel that is not water may be in shadow.', '%', 0, 100)->onlyFor(
                    'by=reflectance',
                ),
            ],
            [new Port('result', PortType::Classes, 'The mask.')],
            'Quality bits as in the USGS pixel quality band. By reflectance: tests of brightness and whiteness after Zhu & Woodcock 2012, Remote '
                .'Sensing of Environment 118:83–94, snow index after Hall et al. 1995, Remote Sensing of Environment 54:127–140, water index after '
                .'McFeeters 1996 (from memory; limits are common practice).',
            synonyms: ['cloud detection', 'quality bits', 'cloud shadow'],
            example: new Example(['grow' => '3', 'least-confidence' => 'medium']),
            desk: new Desk(4, makes: 'mask'),
        );
    }

    public function plan(Call $call): Plan
    {
        $image = $call->image();
        $spec = $image->spec();
        $legend = new Legend([
            1 => ['name' => 'clear', 'colour' => '#cfc8b0'],
            2 => ['name' => 'cloud', 'colour' => '#f4f4f4'],
            3 => ['name' => 'cloud shadow', 'colour' => '#3c3c50'],
            4 => ['name' => 'water', 'colour' => '#3a6ea5'],
            5 => ['name' => 'snow', 'colour' => '#9fd8e8'],
        ]);
        $out = ['result' => RasterSpec::classes($spec->grid, $legend, $spec->properties)];
        if ($call->text('by') === 'quality') {
            $band =
                $spec->bandIndex('quality') ??
                (count($spec->bands) === 1
                    ? 0
                    : throw Problem::input(
                        "{$image->name()} has no quality band; it has {$spec->bandList()}. Read the quality group of the bundle too, or use reflectance.",
                        'by',
                    ));
            if ($spec->type->isFloat()) {
                throw Problem::input("The quality band of {$image->name()} is floating point: quality bits need integers.", 'image');
            }
            $nodata = $spec->nodata === null ? -1 : (int) $spec->nodata;
            $bits = array_map(fn (string $name): int => 1 << $call->whole($name), ['cloud-bit', 'shadow-bit', 'snow-bit', 'water-bit']);

            $least = array_search($call->text('least-confidence'), ['none', 'low', 'medium', 'high'], true) ?: 0;
            $sure = array_map($call->whole(...), ['cloud-confidence-bit', 'shadow-confidence-bit', 'snow-confidence-bit']);

            return self::grown([new Reading($image, [$band], true)], $out, $call->whole('grow'), function (array $bands) use (
                $nodata,
                $bits,
                $least,
                $sure,
            ): array {
                /** @var list<int> $codes */
                $codes = $bands[0];
                $codes = $least === 0 ? $codes : self::sure($codes, count($codes), $least, $sure, $bits);

                return self::byBits($codes, count($codes), $nodata, ...$bits);
            });
        }
        $bands = array_map(
            fn (string $role): int => $spec->bandIndex($role) ??
                throw Problem::input("{$image->name()} has no band $role, which is needed to detect clouds, water and snow; it has {$spec->bandList()}.", 'by'),
            ['blue', 'green', 'red', 'nir', 'swir1'],
        );
        foreach ($bands as $index) {
            if (! in_array($spec->bands[$index]->unit, ['reflectance', null], true)) {
                throw Problem::input(
                    "The band {$spec->bands[$index]->label(
                        $index + 1,
                    )} of {$image->name()} is in {$spec->bands[$index]->unit}: calibrate to reflectance first.",
                    'image',
                );
            }
        }
        $limits = [$call->share('bright'), $call->share('white'), $call->number('snow'), $call->number('water'), $call->share('dark')];

        return self::grown(
            [new Reading($image, $bands)],
            $out,
            $call->whole('grow'),
            fn (array $values): array => self::byReflectance($values[0], $values[1], $values[2], $values[3], $values[4], count($values[0]), ...$limits),
        );
    }

    /**
     * @param  list<Reading>  $sources
     * @param  array<string, RasterSpec>  $out
     * @param  \Closure(list<list<float>|list<int>>): list<int>  $told  the mask before it is grown
     */
    private static function grown(array $sources, array $out, int $by, \Closure $told): Plan
    {
        return new Plan($sources, $out, function (array $bands, RowBlock $rows) use ($by, $told): array {
            $codes = $told($bands);
            $own = array_slice($codes, $rows->above * $rows->width, $rows->rows * $rows->width);
            // clouds over shadows, both over the rest
            foreach ($by === 0 ? [] : [3, 2] as $code) {
                $own = self::over($own, $codes, $rows, $code, $by);
            }

            return ['result' => [$own]];
        }, halo: $by);
    }

    /**
     * Pixels that lie within a distance of those of a code take it, but for nodata and, where it is a shadow, clouds.
     *
     * @param  list<int>  $own
     * @param  list<int>  $codes  with the rows of the halo
     * @return list<int>
     */
    public static function over(array $own, array $codes, RowBlock $rows, int $code, int $by): array
    {
        $width = $rows->width;
        $all = $rows->above + $rows->rows + $rows->below;
        // columns to the nearest pixel of the code in the same row
        $away = array_fill(0, $all * $width, $by + 1);
        for ($row = 0; $row < $all; $row++) {
            $far = $by + 1;
            for ($at = $row * $width, $end = $at + $width; $at < $end; $at++) {
                $far = $codes[$at] === $code ? 0 : ($far > $by ? $far : $far + 1);
                $away[$at] = $far;
            }
            $far = $by + 1;
            for ($at = ($row + 1) * $width - 1, $end = $row * $width; $at >= $end; $at--) {
                $far = $codes[$at] === $code ? 0 : ($far > $by ? $far : $far + 1);
                $away[$at] = $far < $away[$at] ? $far : $away[$at];
            }
        }
        for ($step = -$by; $step <= $by; $step++) {
            $reach = (int) sqrt($by * $by - $step * $step);
            for ($row = 0; $row < $rows->rows; $row++) {
                $from = $row + $rows->above + $step;
                if ($from < 0 || $from >= $all) {
                    continue;
                }
                for ($i = $row * $width, $at = $from * $width, $end = $i + $width; $i < $end; $i++, $at++) {
                    if ($away[$at] <= $reach && $own[$i] !== 255 && ($own[$i] !== 2 || $code === 2)) {
                        $own[$i] = $code;
                    }
                }
            }
        }

        return $own;
    }

    /**
     * Sets the single bits where the two that tell the confidence say enough.
     *
     * $count samples; $least confidence, 0 to 3.
     *
     * @param  list<int>  $codes
     * @param  list<int>  $sure  the lower bit of cloud, shadow, snow
     * @param  list<int>  $bits  those to set
     * @return list<int>
     */
    private static function sure(array $codes, int $count, int $least, array $sure, array $bits): array
    {
        [$cloudAt, $shadowAt, $snowAt] = $sure;
        [$cloud, $shadow, $snow] = $bits;
        for ($i = 0; $i < $count; $i++) {
            $code = $codes[$i];
            if ((($code >> $cloudAt) & 3) >= $least) {
                $codes[$i] |= $cloud;
            }
            if ((($code >> $shadowAt) & 3) >= $least) {
                $codes[$i] |= $shadow;
            }
            if ((($code >> $snowAt) & 3) >= $least) {
                $codes[$i] |= $snow;
            }
        }

        return $codes;
    }

    /**
     * Cloud before shadow before snow before water; bit 0 set is fill.
     *
     * $count samples, $nodata among them; $cloud, $shadow, $snow and $water are the numbers of their bits, from 0.
     *
     * @param  list<int>  $codes
     * @return list<int>
     */
    private static function byBits(array $codes, int $count, int $nodata, int $cloud, int $shadow, int $snow, int $water): array
    {
        for ($i = 0; $i < $count; $i++) {
            $code = $codes[$i];
            $codes[$i] =
                $code === $nodata || ($code & 1) !== 0
                    ? 255
                    : (($code & $cloud) !== 0
                        ? 2
                        : (($code & $shadow) !== 0
                            ? 3
                            : (($code & $snow) !== 0
                                ? 5
                                : (($code & $water) !== 0
                                    ? 4
                                    : 1))));
        }

        return $codes;
    }

    /**
     * $count pixels; $bright, $white and $dark as reflectance, $snow and $water as indices.
     *
     * @param  list<float>  $blue
     * @param  list<float>  $green
     * @param  list<float>  $red
     * @param  list<float>  $nir
     * @param  list<float>  $swir
     * @return list<int>
     */
    private static function byReflectance(
        array $blue,
        array $green,
        array $red,
        array $nir,
        array $swir,
        int $count,
        float $bright,
        float $white,
        float $snow,
        float $water,
        float $dark,
    ): array {
        $out = [];
        for ($i = 0; $i < $count; $i++) {
            $b = $blue[$i];
            $g = $green[$i];
            $r = $red[$i];
            $n = $nir[$i];
            $s = $swir[$i];
            $mean = ($b + $g + $r) * 0.33333333333333;
            if ($mean + $n + $s !== $mean + $n + $s) {
                $out[] = 255;

                continue;
            }
            $spread = ($b > $mean ? $b - $mean : $mean - $b) + ($g > $mean ? $g - $mean : $mean - $g) + ($r > $mean ? $r - $mean : $mean - $r);
            if ($mean >= $bright && $spread <= $white * $mean) {
                // snow is as white, and dark in the short-wave infrared
                $out[] = $g - $s >= $snow * ($g + $s) ? 5 : 2;
            } elseif ($g - $n >= $water * ($g + $n)) {
                $out[] = 4;
            } else {
                $out[] = $n < $dark ? 3 : 1;
            }
        }

        return $out;
    }
}
