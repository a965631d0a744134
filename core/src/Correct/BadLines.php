<?php

namespace Chorometra\Core\Correct;

use Chorometra\Core\Correct\Repair\LineOutliers;
use Chorometra\Core\Correct\Repair\PixelOutliers;
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
            $told[] = ['lines' => LineOutliers::lines($values, $rows), 'pixels' => $isSampled ? PixelOutliers::sample($values, $rows) : []];
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
            ['bad' => $found, 'spread' => $spread] = LineOutliers::outliers($learnt[$index]['lines'], $call->number('limit'));
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
                    $out[] = $spreads[$index] > 0.0 ? PixelOutliers::pixels($own, $values, $rows, $spreads[$index], $codes, $repair) : $own;
                }

                return ['result' => $out, 'repaired' => [$codes]];
            },
            halo: LineOutliers::REACH,
            figures: ['bad' => $told],
        );
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
}
