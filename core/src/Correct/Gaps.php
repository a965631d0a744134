<?php

namespace Chorometra\Core\Correct;

use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\Neighbourhood;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\RowBlock;
use Chorometra\Core\Raster\WithNodata;
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
use Chorometra\Core\Step\Wants;

/** Strips and holes filled from another date made like this one around each of them, or from around. */
final class Gaps extends LocalKind
{
    /** Another contrast than this many times ours is chance. */
    private const MOST_GAIN = 3.0;

    public function declaration(): Declaration
    {
        return new Declaration(
            'correct.gaps',
            'Gap filling',
            'Fills gaps from another date, matched to this one around each gap, or from their surroundings.',
            [
                new Port('image', PortType::Image, 'The image with gaps: nodata pixels, or those of the mask.', wants: Wants::Counts),
                new Port('other', PortType::Image, 'Another date with the same bands on the same grid.', required: false),
                new Port('mask', PortType::Image, 'A mask on the same grid; every value but 0 is a gap, or only the codes named.', required: false),
            ],
            [
                Setting::whole('size', 31, 'Side of the window (odd) in which the two dates are matched, or from which a gap is filled.', 'pixels', 3, 201),
                Setting::numbers('codes', 'Mask codes that are gaps, such as clouds and cloud shadows. Empty: all but 0.'),
            ],
            [
                new Port('result', PortType::Image, 'The image with gaps filled where possible.'),
                new Port('filled', PortType::Classes, 'Mask of filled pixels and of remaining gaps.', required: false),
            ],
            'Local linear histogram matching: Scaramuzza, Micijevic & Chander 2004, SLC gap-filled products, USGS (from memory). From around: '
                .'inverse squared distance to the nearest valid pixels in eight directions (Shepard 1968).',
            synonyms: ['fill holes', 'missing data', 'cloud replacement', 'inpainting'],
            figures: [
                Figure::text('from', 'filled from'),
            ],
            desk: new Desk(2, makes: 'gaps filled'),
        );
    }

    public function plan(Call $call): Plan
    {
        $image = WithNodata::of($call->image(), $call->context);
        $spec = $image->spec();
        $bands = count($spec->bands);
        $size = $call->whole('size');
        if ($size % 2 === 0) {
            throw Problem::call("A window of side $size has no centre: use an odd number.", 'size');
        }
        $sources = [new Reading($image, array_keys($spec->bands))];
        $hasOther = $call->hasInput('other');
        if ($hasOther) {
            $other = $call->image('other');
            if (count($other->spec()->bands) !== $bands) {
                throw Problem::input(
                    sprintf(
                        '%s has %d bands and %s has %d: filling needs the same bands.',
                        $image->name(),
                        $bands,
                        $other->name(),
                        count($other->spec()->bands),
                    ),
                    'other',
                );
            }
            $sources[] = new Reading($other, array_keys($other->spec()->bands));
        }
        $hasMask = $call->hasInput('mask');
        if ($hasMask) {
            $sources[] = new Reading($call->image('mask'), [0]);
        }
        $half = intdiv($size, 2);
        $codesOfGaps = array_fill_keys(array_map(intval(...), $call->numbers('codes')), true);

        return new Plan(
            $sources,
            [
                'result' => $spec->with(content: Content::Image, legend: null),
                'filled' => RasterSpec::classes(
                    $spec->grid,
                    new Legend([
                        1 => ['name' => 'as it was', 'colour' => '#d8d2c4'],
                        2 => ['name' => 'filled', 'colour' => '#1a6b60'],
                        3 => ['name' => 'still a gap', 'colour' => '#9a2b39'],
                    ]),
                    $spec->properties,
                ),
            ],
            function (array $planes, RowBlock $rows) use ($bands, $hasOther, $hasMask, $size, $half, $codesOfGaps): array {
                $mask = $hasMask ? array_pop($planes) : null;
                $count = $rows->rows * $rows->width;
                $start = $rows->above * $rows->width;
                $codes = array_fill(0, $count, 1);
                $out = [];
                for ($band = 0; $band < $bands; $band++) {
                    $values = $mask === null ? $planes[$band] : self::holed($planes[$band], $mask, count($mask), $codesOfGaps);
                    $own = array_slice($values, $start, $count);
                    if (! is_nan(array_sum($own))) {
                        $out[] = $own;

                        continue;
                    }
                    $out[] = $hasOther
                        ? self::matched($own, $values, $planes[$bands + $band], $rows, $size, $codes)
                        : self::around($own, $values, $rows, $half, $codes);
                }

                return ['result' => $out, 'filled' => [$codes]];
            },
            halo: $half,
            figures: ['from' => $hasOther ? $call->image('other')->name() : 'around'] + WithNodata::figures($image),
        );
    }

    /**
     * @param  list<float>  $values
     * @param  list<float>  $mask
     * @param  array<int, true>  $codes  all but 0 when empty
     * @return list<float>
     */
    private static function holed(array $values, array $mask, int $count, array $codes): array
    {
        for ($i = 0; $i < $count; $i++) {
            if ($mask[$i] !== 0.0 && $mask[$i] === $mask[$i] && ($codes === [] || isset($codes[(int) $mask[$i]]))) {
                $values[$i] = NAN;
            }
        }

        return $values;
    }

    /**
     * Mean and deviation of both dates where both are valid in the window give the gain and the offset.
     *
     * $size is the side of the window in pixels, odd.
     *
     * @param  list<float>  $own
     * @param  list<float>  $values
     * @param  list<float>  $other
     * @param  list<int>  $codes  changed
     * @return list<float>
     */
    private static function matched(array $own, array $values, array $other, RowBlock $rows, int $size, array &$codes): array
    {
        $half = intdiv($size, 2);
        $both = $there = $values;
        foreach ($values as $k => $value) {
            $isBoth = $value === $value && $other[$k] === $other[$k];
            $both[$k] = $isBoth ? $value : NAN;
            $there[$k] = $isBoth ? $other[$k] : NAN;
        }
        [$mean, $variance] = Neighbourhood::moments(Neighbourhood::padded($both, $rows, $half), $rows->width, $rows->rows, $size);
        [$otherMean, $otherVariance] = Neighbourhood::moments(Neighbourhood::padded($there, $rows, $half), $rows->width, $rows->rows, $size);
        $start = $rows->above * $rows->width;
        foreach ($own as $i => $value) {
            if (! is_nan($value)) {
                continue;
            }
            $from = $other[$start + $i];
            if ($from === $from && $mean[$i] === $mean[$i]) {
                $gain = $otherVariance[$i] > 0.0 ? sqrt($variance[$i] / $otherVariance[$i]) : 1.0;
                $gain = $gain > self::MOST_GAIN || $gain < 1 / self::MOST_GAIN ? 1.0 : $gain;
                $own[$i] = $mean[$i] + $gain * ($from - $otherMean[$i]);
                $codes[$i] = $codes[$i] === 3 ? 3 : 2;
            } else {
                $codes[$i] = 3;
            }
        }

        return $own;
    }

    /**
     * @param  list<float>  $own
     * @param  list<float>  $values
     * @param  list<int>  $codes  changed
     * @return list<float>
     */
    private static function around(array $own, array $values, RowBlock $rows, int $reach, array &$codes): array
    {
        $width = $rows->width;
        $all = $rows->above + $rows->rows + $rows->below;
        $ways = [[1, 0], [-1, 0], [0, 1], [0, -1], [1, 1], [1, -1], [-1, 1], [-1, -1]];
        foreach ($own as $i => $value) {
            if (! is_nan($value)) {
                continue;
            }
            $col = $i % $width;
            $row = $rows->above + intdiv($i, $width);
            $sum = $weight = 0.0;
            foreach ($ways as [$dx, $dy]) {
                for (
                    $step = 1, $x = $col + $dx, $y = $row + $dy;
                    $step <= $reach && $x >= 0 && $y >= 0 && $x < $width && $y < $all;
                    $step++, $x += $dx, $y += $dy
                ) {
                    $found = $values[$y * $width + $x];
                    if ($found === $found) {
                        // diagonal steps are longer
                        $w = ($dx !== 0 && $dy !== 0 ? 0.5 : 1.0) / ($step * $step);
                        $sum += $w * $found;
                        $weight += $w;
                        break;
                    }
                }
            }
            if ($weight > 0.0) {
                $own[$i] = $sum / $weight;
                $codes[$i] = $codes[$i] === 3 ? 3 : 2;
            } else {
                $codes[$i] = 3;
            }
        }

        return $own;
    }
}
