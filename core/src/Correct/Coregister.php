<?php

namespace Chorometra\Core\Correct;

use Chorometra\Core\Engine\Workers;
use Chorometra\Core\Format\Csv;
use Chorometra\Core\Format\Files;
use Chorometra\Core\Gather\Reproject;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Grid;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Resampling;
use Chorometra\Core\Raster\Warped;
use Chorometra\Core\Raster\Window;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\WholeKind;

/** One image brought onto another so that the same ground lies in the same pixel. */
final class Coregister implements WholeKind
{
    /** Share of a window that may be nodata. */
    private const HOLES = 0.2;

    private const ROUNDS = 8;

    /** Pixels by which tie points may contradict their fit, before they are taken for chance. */
    private const MOST_RMSE = 1.5;

    public function declaration(): Declaration
    {
        return new Declaration(
            'correct.coregister',
            'Two dates onto each other',
            'Finds how far an image lies beside another, by tie points all over it, and moves it so that the same ground lies in the same pixel.',
            [
                new Port('moving', PortType::Image, 'The image to move.'),
                new Port('reference', PortType::Image, 'The image that stays; the result lies on its grid.'),
            ],
            [
                Setting::band('band', '1', 'The band of the image to move that is compared, by role or number.'),
                Setting::band('reference-band', null, 'That of the reference; the one of the same role when empty.'),
                Setting::choice('transform', ['shift', 'affine', 'quadratic'], 'affine', 'What it may differ by.', ['shift' => 'a shift', 'affine' => 'a shift, a turn, scales and a shear', 'quadratic' => 'bends as well']),
                Setting::whole('points', 200, 'Tie points looked for, in rows over the image.', null, 9, 10000),
                Setting::choice('window', ['32', '64', '128'], '64', 'Side of the squares that are compared, in pixels.'),
                Setting::number('least-match', 0.1, 'How well the squares of a tie point must match: 0 no better than chance, 1 alike.', null, 0, 1),
                Setting::number('reject', 3.0, 'Deviations, by the median, beyond which a tie point is an outlier.', null, 1, 100),
                Setting::numbers('strike', 'Numbers of tie points to leave out by hand.'),
                Setting::choice('resampling', ['nearest', 'bilinear', 'cubic'], 'cubic', 'How values are taken between pixels.', Resampling::MEANINGS),
            ],
            [
                new Port('result', PortType::Image, 'The image, moved.'),
                new Port('tie-points', PortType::Table, 'The tie points and their residuals.', required: false, endings: ['.csv']),
            ],
            'Phase correlation: Kuglin & Hines 1975, Proceedings of the International Conference on Cybernetics and Society, 163–165. Outliers by the median: common practice, no source.',
        );
    }

    public function memory(Call $call): int
    {
        return 512 << 20;
    }

    public function compute(Call $call): array
    {
        [$moving, $reference] = [$call->image('moving'), $call->image('reference')];
        Reproject::fits($moving, Resampling::from($call->text('resampling')));
        $band = $call->band('band', 'moving');
        if ($moving->spec()->bands[$band]->part === 'phase') {
            throw Problem::call('Squares are compared by magnitude: band '.($band + 1)." of {$moving->name()} is a phase.", 'band');
        }
        $other = $call->text('reference-band') !== '' ? Call::bandOf($reference, $call->text('reference-band'), 'reference-band') : $this->alike($moving, $reference, $band);
        $grid = $reference->spec()->grid;
        $points = $this->points($call, $moving, $reference, $band, $other);
        $fit = TieFit::through($points, $call->text('transform'), $grid->width, $grid->height, $call->number('least-match'), $call->number('reject'), array_map(fn (float $number): int => (int) $number, $call->numbers('strike')));
        if ($fit->rmse > self::MOST_RMSE) {
            throw Problem::input(sprintf('The tie points contradict each other by %.1f pixels: the two images may not show the same ground, or differ too much in this band.', $fit->rmse), 'band');
        }
        $bend = function (float $col, float $row) use ($fit): array {
            [$dc, $dr] = $fit->shift($col, $row);

            return [$col + $dc, $row + $dr];
        };
        $figures = self::figures($points, $fit, $grid, $call->text('transform')) + Moved::write($call, $moving, $grid, $bend);
        if (isset($call->outputs['tie-points'])) {
            Files::write($call->outputs['tie-points'], self::csv($figures['tie-points']));
        }

        return $figures;
    }

    /** The band of the reference with the same role; the first where there is none. */
    private function alike(Image $moving, Image $reference, int $band): int
    {
        $role = $moving->spec()->bands[$band]->role;

        return $role === null ? min($band, count($reference->spec()->bands) - 1) : ($reference->spec()->bandIndex($role) ?? throw Problem::input("{$reference->name()} has no band $role to compare with; name one with the setting reference-band. It has {$reference->spec()->bandList()}.", 'reference-band'));
    }

    /** @return list<array{col: float, row: float, dc: float, dr: float, quality: float}> */
    private function points(Call $call, Image $moving, Image $reference, int $band, int $other): array
    {
        $grid = $reference->spec()->grid;
        $side = (int) $call->text('window');
        if (min($grid->width, $grid->height) < 2 * $side) {
            throw Problem::call("{$reference->name()} is smaller than two windows of $side pixels: take a smaller window.", 'window');
        }
        // squares stay inside, and cover the image evenly
        $across = max(2, (int) round(sqrt($call->whole('points') * $grid->width / $grid->height)));
        $down = max(2, (int) ceil($call->whole('points') / $across));
        $coarse = $this->coarse($call, $moving, $reference, $band, $other);
        $rows = [];
        Workers::run($down, $call->context->part(0.1, 0.5), 'comparing squares', function (int $j) use ($grid, $side, $across, $down, $moving, $reference, $band, $other, $coarse): array {
            $found = [];
            for ($i = 0; $i < $across; $i++) {
                $col = (int) round($i * ($grid->width - $side) / ($across - 1));
                $row = (int) round($j * ($grid->height - $side) / ($down - 1));
                $point = self::tie($moving, $reference, $band, $other, $col, $row, $side, $coarse);
                if ($point !== null) {
                    $found[] = $point;
                }
            }

            return $found;
        }, function (int $j, mixed $found) use (&$rows): void {
            $rows[$j] = $found;
        });
        ksort($rows);
        /** @var list<array{col: float, row: float, dc: float, dr: float, quality: float}> $points */
        $points = array_merge(...array_values($rows));
        if ($points === []) {
            throw Problem::input("{$moving->name()} and {$reference->name()} have no squares in common that hold enough values: do they overlap?", 'moving');
        }

        return $points;
    }

    /**
     * The shift of the whole, on an overview, to start from.
     *
     * @return array{int, int}
     */
    private function coarse(Call $call, Image $moving, Image $reference, int $band, int $other): array
    {
        $call->context->report(0.02, 'looking for the shift of the whole');
        $grid = $reference->spec()->grid;
        $step = max(1, intdiv(max($grid->width, $grid->height), 256));
        $small = $grid->resized(max(1, intdiv($grid->width, $step)), max(1, intdiv($grid->height, $step)));
        $n = min($small->width, $small->height) >= 256 ? 256 : (min($small->width, $small->height) >= 128 ? 128 : 64);
        if (min($small->width, $small->height) < $n) {
            return [0, 0];
        }
        $window = new Window(intdiv($small->width - $n, 2), intdiv($small->height - $n, 2), $n, $n);
        $how = $step > 1 ? Resampling::Average : Resampling::Nearest;
        [$a, $b] = [self::filled((new Warped($reference, $small, $how))->values($other, $window)), self::filled((new Warped($moving, $small, $how))->values($band, $window))];
        $shift = $a === null || $b === null ? null : PhaseCorrelation::shift($a, $b, $n);

        // a peak that hardly stands out is none
        return $shift === null || $shift[2] < 0.02 ? [0, 0] : [(int) round($shift[0] * $step), (int) round($shift[1] * $step)];
    }

    /**
     * @param  array{int, int}  $start
     * @return array{col: float, row: float, dc: float, dr: float, quality: float}|null
     */
    private static function tie(Image $moving, Image $reference, int $band, int $other, int $col, int $row, int $side, array $start): ?array
    {
        $spec = $reference->spec();
        $own = self::filled(Codec::values($reference->read($other, new Window($col, $row, $side, $side)), $spec->type, $spec->nodata));
        if ($own === null) {
            return null;
        }
        [$dc, $dr] = $start;
        $grid = $spec->grid;
        $quality = 0.0;
        // the square is cut anew where the last look found it, between pixels too: what is left in the end is nothing, whatever the window did
        for ($round = 0; $round < self::ROUNDS; $round++) {
            [$x, $y] = $grid->toMap($col + $dc, $row + $dr);
            $t = $grid->transform;
            $there = new Warped($moving, new Grid($side, $side, [$x, $t[1], $t[2], $y, $t[4], $t[5]], $grid->epsg, $grid->geoKeys), Resampling::Cubic);
            $values = self::filled($there->values($band, new Window(0, 0, $side, $side)));
            $shift = $values === null ? null : PhaseCorrelation::shift($own, $values, $side);
            if ($shift === null) {
                return null;
            }
            $dc += $shift[0];
            $dr += $shift[1];
            $quality = $shift[2];
            if (abs($shift[0]) + abs($shift[1]) < 0.01) {
                break;
            }
        }

        return ['col' => $col + $side / 2, 'row' => $row + $side / 2, 'dc' => $dc, 'dr' => $dr, 'quality' => $quality];
    }

    /**
     * Nodata becomes the mean; null where there is too much of it.
     *
     * @param  list<float>  $values
     * @return list<float>|null
     */
    private static function filled(array $values): ?array
    {
        $sum = 0.0;
        $valid = 0;
        foreach ($values as $value) {
            if ($value === $value) {
                $sum += $value;
                $valid++;
            }
        }
        if ($valid < (1 - self::HOLES) * count($values)) {
            return null;
        }
        $mean = $sum / $valid;
        foreach ($values as $k => $value) {
            if ($value !== $value) {
                $values[$k] = $mean;
            }
        }

        return $values;
    }

    /**
     * @param  list<array{col: float, row: float, dc: float, dr: float, quality: float}>  $points
     * @return array<string, mixed>
     */
    public static function figures(array $points, TieFit $fit, Grid $grid, string $transform): array
    {
        $rows = [];
        foreach ($points as $k => $point) {
            [$x, $y] = $grid->toMap($point['col'], $point['row']);
            [$dc, $dr] = $fit->shift($point['col'], $point['row']);
            $rows[] = ['number' => $k + 1, 'at-column' => $point['col'], 'at-row' => $point['row'], 'x' => round($x, 4), 'y' => round($y, 4), 'state' => $fit->states[$k], 'match' => round($point['quality'], 4), 'columns' => round($point['dc'], 4), 'rows' => round($point['dr'], 4), 'residual-columns' => round($point['dc'] - $dc, 4), 'residual-rows' => round($point['dr'] - $dr, 4)];
        }
        $counts = array_count_values($fit->states);
        [$dc, $dr] = $fit->shift($grid->width / 2, $grid->height / 2);

        return [
            'transform' => $transform, 'used' => $counts['used'] ?? 0, 'weak' => $counts['weak'] ?? 0, 'rejected' => $counts['rejected'] ?? 0, 'struck' => $counts['struck'] ?? 0,
            'shift' => ['columns' => round($dc, 4), 'rows' => round($dr, 4), 'metres' => round(hypot($dc * $grid->transform[1] + $dr * $grid->transform[2], $dc * $grid->transform[4] + $dr * $grid->transform[5]), 3)],
            'rmse' => round($fit->rmse, 4), 'tie-points' => $rows,
        ];
    }

    /**
     * The fit anew through tie points that were found before, with others struck out.
     *
     * @param  list<array<string, mixed>>  $rows  as the figures told them
     * @param  list<int>  $struck
     * @return array<string, mixed> figures
     */
    public static function refit(array $rows, Grid $grid, string $transform, float $leastMatch, float $reject, array $struck): array
    {
        $number = fn (mixed $value): float => is_numeric($value) ? (float) $value : NAN;
        $points = array_map(fn (array $row): array => ['col' => $number($row['at-column'] ?? null), 'row' => $number($row['at-row'] ?? null), 'dc' => $number($row['columns'] ?? null), 'dr' => $number($row['rows'] ?? null), 'quality' => $number($row['match'] ?? null)], $rows);

        return self::figures($points, TieFit::through($points, $transform, $grid->width, $grid->height, $leastMatch, $reject, $struck), $grid, $transform);
    }

    /** @param  list<array<string, mixed>>  $rows */
    public static function csv(array $rows): string
    {
        return Csv::of([array_keys($rows[0] ?? ['number' => 1]), ...array_map(array_values(...), $rows)]);
    }
}
