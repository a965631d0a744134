<?php

namespace Chorometra\Core\Correct;

use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\RowBlock;
use Chorometra\Core\Stats\Robust;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Caution;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Learning;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Wants;
use Chorometra\Core\Step\Work;

/** Lines and single pixels that a sensor lost or got wrong, found by robust statistics and filled from their neighbours. */
final class BadLines implements Kind
{
    /** Lines next to each other that can be bridged. */
    private const REACH = 4;

    /** Pixels of a line that are compared at most. */
    private const ACROSS = 512;

    /** Differences of pixels kept of each block to take their spread from. */
    private const SAMPLE = 2048;

    public function declaration(): Declaration
    {
        return new Declaration(
            'correct.lines',
            'Bad lines and pixels',
            'Finds lines and single pixels that differ from their neighbours, marks them, and fills them by interpolation.',
            [new Port('image', PortType::Image, 'The image.', wants: Wants::Counts)],
            [
                Setting::number('limit', 6.0, 'Difference from the lines above and below from which a line counts as bad, in robust standard '
                    .'deviations.', null, 2, 100),
                Setting::number(
                    'pixel-limit',
                    0.0,
                    'The same for a single pixel and its eight neighbours. 0: single pixels are not checked.',
                    null,
                    0,
                    1000,
                ),
                Setting::numbers('rows', 'Known bad lines, counted from 1, in every band.')->ofImage(),
                Setting::yes('repair', true, 'Fill bad lines and pixels; if not, only mark them in the mask.'),
            ],
            [
                new Port('result', PortType::Image, 'The image with bad lines and pixels filled.'),
                new Port('repaired', PortType::Classes, 'Mask of the filled pixels.', required: false),
            ],
            'Median and median absolute deviation: Rousseeuw & Croux 1993, Journal of the American Statistical Association 88:1273–1283 (from '
                .'memory); filling from beside is common practice, no source.',
            synonyms: ['striping', 'dropped lines', 'dead pixels', 'destripe'],
            learns: Learning::Window,
            example: new Example(['limit' => '8']),
            figures: [Figure::table('bad', 'bad lines', ['band' => null, 'lines' => null, 'spread' => null])],
            desk: new Desk(
                1,
                cautions: [
                    Caution::moved('This image was resampled already: a bad line is spread over its neighbours. Correct lines before resampling.'),
                ],
                makes: 'repaired image',
            ),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $isSampled = $call->number('pixel-limit') > 0;
        $image = $call->learning()->image();
        $learnt = $work->part(0.0, 0.4)->gather(
            [new Reading($image, array_keys($image->spec()->bands))],
            fn (array $bands, RowBlock $rows): array => self::seen($bands, $rows, $isSampled),
            fn (array $above, array $below): array => array_map(self::joined(...), $above, $below),
            halo: 1,
        );

        return $work->part(0.4, 1.0)->carryOut($this->plan($call, $learnt));
    }

    /**
     * @param  list<list<float>>  $bands
     * @return list<array{lines: array<int, array{float|null, int}>, pixels: list<float>}> by band
     */
    private static function seen(array $bands, RowBlock $rows, bool $isSampled): array
    {
        $told = [];
        foreach ($bands as $index => $values) {
            $told[] = ['lines' => self::lines($values, $rows), 'pixels' => $isSampled ? self::sample($values, $rows) : []];
        }

        return $told;
    }

    /**
     * @param  array{lines: array<int, array{float|null, int}>, pixels: list<float>}  $one
     * @param  array{lines: array<int, array{float|null, int}>, pixels: list<float>}  $other
     * @return array{lines: array<int, array{float|null, int}>, pixels: list<float>}
     */
    private static function joined(array $one, array $other): array
    {
        return ['lines' => $one['lines'] + $other['lines'], 'pixels' => [...$one['pixels'], ...$other['pixels']]];
    }

    /** @param  list<array{lines: array<int, array{float|null, int}>, pixels: list<float>}>  $learnt */
    private function plan(Call $call, array $learnt): Plan
    {
        $image = $call->image();
        $spec = $image->spec();
        $height = $spec->grid->height;
        if ($height < 3) {
            throw Problem::input("{$image->name()} has fewer than three lines: there is nothing to compare with.", 'image');
        }
        $known = [];
        foreach ($call->numbers('rows') as $row) {
            if ($row < 1 || $row > $height || fmod($row, 1.0) !== 0.0) {
                throw Problem::call("There is no line $row: {$image->name()} has $height.", 'rows');
            }
            $known[(int) $row - 1] = true;
        }
        $bad = [];
        $spreads = [];
        $told = [];
        foreach ($spec->bands as $index => $band) {
            ['bad' => $found, 'spread' => $spread] = self::outliers($learnt[$index]['lines'], $call->number('limit'));
            $spreads[$index] = Robust::spread($learnt[$index]['pixels'])[1] * $call->number('pixel-limit');
            $bad[$index] = $found + array_map(fn (): ?float => null, $known);
            ksort($bad[$index]);
            $told[] = [
                'band' => $band->label($index + 1),
                'lines' => array_map(
                    fn (int $row, ?float $by): array => ['line' => $row + 1, 'deviations' => $by === null ? null : round($by, 2)],
                    array_keys($bad[$index]),
                    $bad[$index],
                ),
                'spread' => $spread,
            ];
        }
        $mask = RasterSpec::classes(
            $spec->grid,
            new Legend([
                1 => ['name' => 'as it was', 'colour' => '#d8d2c4'],
                2 => ['name' => 'bad line', 'colour' => '#9a2b39'],
                3 => ['name' => 'bad pixel', 'colour' => '#946000'],
            ]),
            $spec->properties,
        );
        $repair = $call->isOn('repair');

        return new Plan(
            [new Reading($image, array_keys($spec->bands))],
            ['result' => $spec->with(content: Content::Image, legend: null), 'repaired' => $mask],
            function (array $bands, RowBlock $rows) use ($bad, $spreads, $repair): array {
                $count = $rows->rows * $rows->width;
                $codes = array_fill(0, $count, 1);
                $out = [];
                foreach ($bands as $index => $values) {
                    self::bridge($values, $rows, $bad[$index], $codes, $repair);
                    $own = array_slice($values, $rows->above * $rows->width, $count);
                    $out[] = $spreads[$index] > 0.0 ? self::pixels($own, $values, $rows, $spreads[$index], $codes, $repair) : $own;
                }

                return ['result' => $out, 'repaired' => [$codes]];
            },
            halo: self::REACH,
            figures: ['bad' => $told],
        );
    }

    /**
     * By row of the image: the median of its differences from the row below, null where there is none, and how many pixels are valid.
     *
     * @param  list<float>  $values
     * @return array<int, array{float|null, int}>
     */
    private static function lines(array $values, RowBlock $rows): array
    {
        $width = $rows->width;
        $step = max(1, intdiv($width, self::ACROSS));
        $told = [];
        for ($row = 0; $row < $rows->rows; $row++) {
            $at = ($row + $rows->above) * $width;
            $isLast = $row + 1 >= $rows->rows + $rows->below;
            $differences = [];
            $valid = 0;
            for ($col = intdiv($step, 2); $col < $width; $col += $step) {
                $valid += $values[$at + $col] === $values[$at + $col] ? 1 : 0;
                $difference = $isLast ? NAN : $values[$at + $col] - $values[$at + $width + $col];
                if (! is_nan($difference)) {
                    $differences[] = $difference;
                }
            }
            sort($differences);
            $told[$rows->first + $row] = [$differences === [] ? null : $differences[intdiv(count($differences), 2)], $valid];
        }

        return $told;
    }

    /**
     * The worst line first, and what lies beside it judged anew without it.
     *
     * @param  array<int, array{float|null, int}>  $lines
     * @return array{bad: array<int, float|null>, spread: float} rows and by how many deviations; null for a line that is lost
     */
    private static function outliers(array $lines, float $limit): array
    {
        ksort($lines);
        $bad = [];
        foreach ($lines as $row => [, $valid]) {
            if (2 * $valid < max($lines[$row - 1][1] ?? 0, $lines[$row + 1][1] ?? 0)) {
                $bad[$row] = null;
            }
        }
        $away = $between = [];
        foreach (array_keys($lines) as $row) {
            $away[$row] = self::away($lines, $row, $bad);
            $between[] = self::between($lines, $row, $bad);
        }
        [$middle, $spread] = Robust::spread(array_values(array_filter($between, fn (?float $value): bool => $value !== null)));
        $floor = max($spread, 1e-9 * (1 + abs($middle)));
        while (true) {
            $worst = null;
            $most = $limit * $floor;
            foreach ($away as $row => $value) {
                if ($value !== null && ! array_key_exists($row, $bad) && abs($value - $middle) > $most) {
                    $most = abs($value - $middle);
                    $worst = $row;
                }
            }
            if ($worst === null) {
                return ['bad' => $bad, 'spread' => $spread];
            }
            $worst = self::culprit($lines, $worst, $bad, $away, $middle, $limit * $floor);
            $bad[$worst] = min(1e6, abs(($away[$worst] ?? 0.0) - $middle) / $floor);
            for ($row = $worst - self::REACH; $row <= $worst + self::REACH; $row++) {
                if (isset($lines[$row])) {
                    $away[$row] = self::away($lines, $row, $bad);
                }
            }
        }
    }

    /**
     * Of a row that stands out and one beside it, the one without which the other does not.
     *
     * $row of the block; $middle and $limit, of what a line differs by from those beside it.
     *
     * @param  array<int, array{float|null, int}>  $lines
     * @param  array<int, float|null>  $bad
     * @param  array<int, float|null>  $away
     */
    private static function culprit(array $lines, int $row, array $bad, array $away, float $middle, float $limit): int
    {
        $stands = fn (int $one, int $without): bool => abs((self::away($lines, $one, $bad + [$without => null]) ?? INF) - $middle) > $limit;
        foreach ([$row - 1, $row + 1, $row - 2, $row + 2] as $other) {
            if (abs(($away[$other] ?? $middle) - $middle) > $limit && ! array_key_exists($other, $bad) && ! $stands($row, $other) && $stands($other, $row)) {
                return $other;
            }
        }

        return $row;
    }

    /**
     * How far a row stands out from both sides: off the good ones above and those below the same way, the lesser of the two. Beside a step
     * that goes across the image a row differs from one side only, but for what rows around differ anyway. The row beside it may be bad
     * with it, so that one is passed over too.
     *
     * @param  array<int, array{float|null, int}>  $lines
     * @param  array<int, float|null>  $bad
     */
    private static function away(array $lines, int $row, array $bad): ?float
    {
        [$above, $below] = [self::good($lines, $row, -1, $bad), self::good($lines, $row, 1, $bad)];
        $between = self::between($lines, $row, $bad);
        if ($above === [] || $below === []) {
            $near = ($above[0] ?? $below[0] ?? [0, 0.0])[1];

            return $between === null ? null : self::beyond(self::lesser($between, $near), self::usual($lines, $row));
        }
        $most = 0.0;
        foreach ($above as $i => [, $up]) {
            foreach ($below as $j => [, $down]) {
                $least = $i + $j < 2 ? self::lesser($up, $down) : 0.0;
                $most = abs($least) > abs($most) ? $least : $most;
            }
        }

        return self::beyond($most, self::usual($lines, $row));
    }

    /**
     * By how much two rows differ that lie two apart, around a row.
     *
     * @param  array<int, array{float|null, int}>  $lines
     */
    private static function usual(array $lines, int $row): float
    {
        $steps = [];
        for ($other = $row - self::REACH; $other < $row + self::REACH; $other++) {
            if (isset($lines[$other][0])) {
                $steps[] = abs($lines[$other][0]);
            }
        }
        sort($steps);

        return $steps === [] ? 0.0 : 2 * $steps[intdiv(count($steps) - 1, 2)];
    }

    private static function beyond(float $value, float $least): float
    {
        return abs($value) <= $least ? 0.0 : $value - $least * ($value <=> 0.0);
    }

    /** The one nearer to 0 of two numbers; 0 where one lies on each side. */
    private static function lesser(float $one, float $other): float
    {
        return $one * $other <= 0.0 ? 0.0 : (abs($one) < abs($other) ? $one : $other);
    }

    /**
     * How far a row is off the line through the nearest good ones above and below; through two on one side where the other has none.
     *
     * @param  array<int, array{float|null, int}>  $lines
     * @param  array<int, float|null>  $bad
     */
    private static function between(array $lines, int $row, array $bad): ?float
    {
        $sides = [self::good($lines, $row, -1, $bad), self::good($lines, $row, 1, $bad)];
        if ($sides[0] !== [] && $sides[1] !== []) {
            [[$k, $above], [$m, $below]] = [$sides[0][0], $sides[1][0]];

            return ($above * $m + $below * $k) / ($k + $m);
        }
        foreach ($sides as $side) {
            if (count($side) === 2) {
                [[$k, $near], [$m, $far]] = $side;

                return $near - ($far - $near) * $k / ($m - $k);
            }
        }

        return null;
    }

    /**
     * Up to two good rows on one side: how far they are, and by how much the row is above them.
     *
     * @param  array<int, array{float|null, int}>  $lines
     * @param  array<int, float|null>  $bad
     * @return list<array{int, float}>
     */
    private static function good(array $lines, int $row, int $way, array $bad): array
    {
        $found = [];
        $sum = 0.0;
        for ($other = $row; abs($other - $row) < self::REACH && isset($lines[$other + $way]);) {
            $step = $lines[$way > 0 ? $other : $other - 1][0];
            if ($step === null) {
                break;
            }
            $sum += $way * $step;
            $other += $way;
            if (! array_key_exists($other, $bad) && array_push($found, [abs($other - $row), $sum]) === 2) {
                break;
            }
        }

        return $found;
    }

    /**
     * Bad lines become what lies between the nearest good ones; the last of several beyond reach stay as they are.
     *
     * @param  list<float>  $values  with the halo; changed
     * @param  array<int, float|null>  $bad  by row of the image
     * @param  list<int>  $codes  changed
     */
    private static function bridge(array &$values, RowBlock $rows, array $bad, array &$codes, bool $repair): void
    {
        $width = $rows->width;
        $all = $rows->above + $rows->rows + $rows->below;
        $top = $rows->first - $rows->above;
        $before = $values;
        for ($row = 0; $row < $rows->rows; $row++) {
            if (! array_key_exists($rows->first + $row, $bad)) {
                continue;
            }
            $at = $row + $rows->above;
            [$up, $down] = [$at - 1, $at + 1];
            while ($up >= 0 && array_key_exists($top + $up, $bad)) {
                $up--;
            }
            while ($down < $all && array_key_exists($top + $down, $bad)) {
                $down++;
            }
            for ($col = 0; $col < $width; $col++) {
                $codes[$row * $width + $col] = 2;
            }
            if (! $repair) {
                continue;
            }
            [$hasUp, $hasDown] = [$up >= 0, $down < $all];
            for ($col = 0; $col < $width; $col++) {
                $above = $hasUp ? $before[$up * $width + $col] : NAN;
                $below = $hasDown ? $before[$down * $width + $col] : NAN;
                $share = $hasUp && $hasDown ? ($at - $up) / ($down - $up) : 0.0;
                $value = $above + $share * ($below - $above);
                $values[$at * $width + $col] = $value === $value ? $value : ($above === $above ? $above : $below);
            }
        }
    }

    /**
     * Differences of some pixels from the median of their neighbours.
     *
     * @param  list<float>  $values
     * @return list<float>
     */
    private static function sample(array $values, RowBlock $rows): array
    {
        $step = max(1, intdiv($rows->rows * $rows->width, self::SAMPLE));
        $out = [];
        for ($i = intdiv($step, 2), $count = $rows->rows * $rows->width; $i < $count; $i += $step) {
            $difference = $values[$rows->above * $rows->width + $i] - self::median($values, $rows, $i % $rows->width, $rows->above + intdiv($i, $rows->width));
            if ($difference === $difference) {
                $out[] = $difference;
            }
        }

        return $out;
    }

    /** @param  list<float>  $values */
    private static function median(array $values, RowBlock $rows, int $col, int $row): float
    {
        $around = [];
        for ($y = max(0, $row - 1), $last = min($rows->above + $rows->rows + $rows->below - 1, $row + 1); $y <= $last; $y++) {
            for ($x = max(0, $col - 1), $end = min($rows->width - 1, $col + 1); $x <= $end; $x++) {
                if ($x !== $col || $y !== $row) {
                    $value = $values[$y * $rows->width + $x];
                    if ($value === $value) {
                        $around[] = $value;
                    }
                }
            }
        }
        sort($around);
        $n = count($around);

        return $n < 3 ? NAN : 0.5 * ($around[intdiv($n - 1, 2)] + $around[intdiv($n, 2)]);
    }

    /**
     * @param  list<float>  $own
     * @param  list<float>  $values  with the halo
     * @param  list<int>  $codes  changed
     * @return list<float>
     */
    private static function pixels(array $own, array $values, RowBlock $rows, float $limit, array &$codes, bool $repair): array
    {
        $width = $rows->width;
        $start = $rows->above * $width;
        $all = $rows->above + $rows->rows + $rows->below;
        foreach ($own as $i => $value) {
            if ($value !== $value) {
                continue;
            }
            // quick look: within the limit of any two neighbours beside it, it is no outlier among the eight
            $k = $start + $i;
            $col = $i % $width;
            $near = 0;
            foreach ([$col > 0 ? $k - 1 : -1, $col + 1 < $width ? $k + 1 : -1, $k - $width, $k + $width < $all * $width ? $k + $width : -1] as $beside) {
                if ($beside > -1) {
                    $difference = $value - $values[$beside];
                    $near += $difference < $limit && $difference > -$limit ? 1 : 0;
                }
            }
            if ($near >= 3) {
                continue;
            }
            $median = self::median($values, $rows, $col, $rows->above + intdiv($i, $width));
            $difference = $value - $median;
            if ($difference > $limit || $difference < -$limit) {
                $codes[$i] = $codes[$i] === 1 ? 3 : $codes[$i];
                if ($repair) {
                    $own[$i] = $median;
                }
            }
        }

        return $own;
    }
}
