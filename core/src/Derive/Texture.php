<?php

namespace Chorometra\Core\Derive;

use Chorometra\Core\Derive\Windows\CoOccurrence;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Percentiles;
use Chorometra\Core\Raster\RowBlock;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Learning;
use Chorometra\Core\Step\LocalKind;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Step\Setting;

/** How grey levels stand beside each other around each pixel: smooth, grained, or in stripes. */
final class Texture extends LocalKind
{
    /** Ranges of the grey levels beyond which an extreme is an outlier; common practice, no source. */
    private const FAR = 10.0;

    public function declaration(): Declaration
    {
        return new Declaration(
            'derive.texture',
            'Texture (co-occurrence)',
            'Measures whether the surroundings of each pixel are smooth, grainy or striped, from how often grey levels occur side by side.',
            [new Port('image', PortType::Image, 'The image.')],
            [
                Setting::band('band', '1', 'The band, by role or number.'),
                Setting::choices('measures', CoOccurrence::MEASURES, ['contrast', 'homogeneity', 'entropy'], 'Measures to compute, one band each.'),
                Setting::whole('size', 7, 'Side of the window, odd.', 'pixels', 3, 51),
                Setting::whole('levels', 32, 'Number of grey levels between from and to.', null, 2, 256),
                Setting::number('from', null, 'Value of the lowest grey level; smaller values fall into it. Empty: the 1st percentile.'),
                Setting::number('to', null, 'Upper end of the highest grey level. Empty: the 99th percentile.'),
                Setting::numbers('directions', 'Directions of the pixel pairs, clockwise from north; measures are averaged over them. Empty: 0, 45, 90 and '
                    .'135.', '°'),
                Setting::whole('distance', 1, 'Distance between the pixels of a pair.', 'pixels', 1, 25),
            ],
            [new Port('result', PortType::Image, 'One band per measure; nodata where the pixel itself is nodata.')],
            'Haralick, Shanmugam & Dinstein 1973, IEEE Transactions on Systems, Man, and Cybernetics 3:610–621, symmetric; homogeneity is the inverse '
                .'difference moment. Percentiles as limits: common practice, no source.',
            synonyms: ['grey-level co-occurrence', 'GLCM', 'Haralick', 'contrast', 'homogeneity'],
            learns: Learning::Overview,
            example: new Example(['size' => '5', 'levels' => '8']),
            figures: [
                Figure::number('from', 'lower end of the grey levels'),
                Figure::number('to', 'upper end of the grey levels'),
                Figure::list('pairs', 'pixel pairs, columns to the right and rows down'),
            ],
            desk: new Desk(4, ['{measures}'], makes: 'texture'),
        );
    }

    public function plan(Call $call): Plan
    {
        $image = $call->image();
        $spec = $image->spec();
        if ($spec->content !== Content::Image) {
            throw Problem::input("{$image->name()} contains class codes, which are not grey levels: use an image of values.", 'image');
        }
        $index = $call->band('band');
        $band = $spec->bands[$index];
        if ($band->part === 'phase') {
            throw Problem::input("The band {$band->label($index + 1)} of {$image->name()} is a phase, which is cyclic and has no darkest value.", 'band');
        }
        $size = $call->whole('size');
        if ($size % 2 === 0) {
            throw Problem::call("A window of side $size has no centre: use an odd number.", 'size');
        }
        $distance = $call->whole('distance');
        if ($distance >= $size) {
            throw Problem::call("Pixels $distance apart don't fit in a window of $size: use a larger window.", 'distance');
        }
        $directions = self::offsets($spec->grid, $call->numbers('directions') ?: [0.0, 45.0, 90.0, 135.0], $distance);
        $measures = $call->texts('measures');
        $levels = $call->whole('levels');
        [$from, $to, $warning] = $this->range($call, $index);
        $half = intdiv($size, 2);

        return new Plan(
            [new Reading($image, [$index])],
            ['result' => $spec->measured(array_map(fn (string $measure): Band => new Band(name: $measure), $measures))],
            fn (array $blocks, RowBlock $rows): array => [
                'result' => self::measures($blocks[0], $rows, $size, $levels, $from, $to, $directions, $measures),
            ],
            halo: $half,
            figures: ['from' => $from, 'to' => $to, 'pairs' => array_map(fn (array $offset): string => implode('|', $offset), $directions)]
                + ($warning === null ? [] : ['warning' => $warning]),
        );
    }

    /**
     * $size of the window and the number of $levels from $from to $to.
     *
     * @param  list<float>  $values  with the halo
     * @param  list<array{int, int}>  $directions  columns and rows
     * @param  list<string>  $measures
     * @return list<list<float>> NaN where the pixel itself is
     */
    public static function measures(
        array $values,
        RowBlock $rows,
        int $size,
        int $levels,
        float $from,
        float $to,
        array $directions,
        array $measures,
    ): array {
        $codes = CoOccurrence::levels($values, count($values), $from, $to, $levels);
        $half = intdiv($size, 2);
        $made = CoOccurrence::measures(self::padded($codes, $rows, $half), $rows->width, $rows->rows, $size, $levels, $directions, $measures);
        $first = $rows->above * $rows->width;

        return array_map(fn (array $one): array => self::kept($one, $codes, $first, $rows->width * $rows->rows), $made);
    }

    /**
     * Columns and rows between the pixels of a pair, for directions on the map.
     *
     * @param  list<float>  $directions  degrees from north over east
     * @return list<array{int, int}>
     *
     * @throws Problem where a direction is no angle
     */
    public static function offsets(Grid $grid, array $directions, int $distance): array
    {
        $offsets = [];
        foreach ($directions as $direction) {
            if ($direction < 0 || $direction > 360) {
                throw Problem::call("The direction $direction is out of range: 0 to 360 degrees.", 'directions');
            }
            [$x, $y] = [sin(deg2rad($direction)), cos(deg2rad($direction))];
            // where the image lies nowhere, north is up
            [$col, $row] = [$x, -$y];
            if ($grid->isReferenced() && $grid->controls === null) {
                [$a, $b] = [$grid->toMap(0.0, 0.0), $grid->toMap(1.0, 1.0)];
                $pixel = hypot($b[0] - $a[0], $b[1] - $a[1]);
                [$col, $row] = $grid->toPixel($a[0] + $pixel * $x, $a[1] + $pixel * $y);
            }
            $longest = max(abs($col), abs($row));
            $offset = [(int) round($distance * round($col / $longest, 9)), (int) round($distance * round($row / $longest, 9))];
            // the opposite is the same pair
            $offset = $offset[1] < 0 || ($offset[1] === 0 && $offset[0] < 0) ? [-$offset[0], -$offset[1]] : $offset;
            $offsets[implode('|', $offset)] = $offset;
        }

        return array_values($offsets);
    }

    /** @return array{float, float, string|null} from, to, and what is to be said of them */
    private function range(Call $call, int $index): array
    {
        $image = $call->image();
        [$from, $to] = [$call->number('from'), $call->number('to')];
        $isFar = false;
        $least = $greatest = NAN;
        if (is_nan($from) || is_nan($to)) {
            [$least, $low, $high, $greatest] = Percentiles::of($call->learning()->image(), $index, [0.0, 1.0, 99.0, 100.0], $call->context->part(0.0, 0.2));
            if (is_nan($low)) {
                throw Problem::input("The band {$image->spec()->bands[$index]->label($index + 1)} of {$image->name()} is nodata everywhere.", 'band');
            }
            $isFar = $high > $low && max($low - $least, $greatest - $high) > self::FAR * ($high - $low);
            $from = is_nan($from) ? $low : $from;
            $to = is_nan($to) ? $high : $to;
            if ($from === $to && ! is_nan($from) && is_nan($call->number('from')) && is_nan($call->number('to'))) {
                // one value: one level
                $to = $from + max(1.0, abs($from));
            }
        }
        if ($from >= $to) {
            throw Problem::call("Grey levels can't range from $from to $to: from must be below to.", is_nan($call->number('from')) ? 'to' : 'from');
        }

        $told = 'Values go from %.6g to %.6g, far outside of the grey levels: if these are nodata, declare them so.';

        return [$from, $to, $isFar ? sprintf($told, $least, $greatest) : null];
    }

    /**
     * Beyond the edge there is nothing.
     *
     * @param  list<int>  $codes  with the halo
     * @return list<int> with $margin more than the rows on every side
     */
    private static function padded(array $codes, RowBlock $rows, int $margin): array
    {
        $width = $rows->width;
        $beside = array_fill(0, $margin, -1);
        $nothing = array_fill(0, $width + 2 * $margin, -1);
        $lines = [];
        for ($row = $rows->above - $margin; $row < $rows->above + $rows->rows + $margin; $row++) {
            $isThere = $row >= 0 && $row < $rows->above + $rows->rows + $rows->below;
            array_push($lines, ...($isThere ? [$beside, array_slice($codes, $row * $width, $width), $beside] : [$nothing]));
        }

        return array_merge(...$lines);
    }

    /**
     * @param  list<float>  $made
     * @param  list<int>  $codes  whose pixels begin at $first
     * @return list<float>
     */
    private static function kept(array $made, array $codes, int $first, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            if ($codes[$first + $i] < 0) {
                $made[$i] = NAN;
            }
        }

        return $made;
    }
}
