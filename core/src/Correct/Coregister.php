<?php

namespace Chorometra\Core\Correct;

use Chorometra\Core\Correct\Ties\MovedImage;
use Chorometra\Core\Correct\Ties\TieFit;
use Chorometra\Core\Correct\Ties\TieMatch;
use Chorometra\Core\Correct\Ties\TieReport;
use Chorometra\Core\Correct\Ties\TieStart;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Resampling;
use Chorometra\Core\Raster\Warped;
use Chorometra\Core\Stats\PhaseCorrelation;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Work;
use Chorometra\Core\Work\Files;
use Chorometra\Core\Work\Workers;

/** One image brought onto another so that the same ground lies in the same pixel. */
final class Coregister implements Kind
{
    /** Pixels of the overview's longer side, at least, that the start is looked for on. */
    private const OVERVIEW = 256;

    /** Degrees between the turns that are tried. */
    private const TURNS = 2;

    /** A match of the whole from which on no turn is looked for. */
    private const CLEAR = 0.25;

    /** Pixels by which tie points may contradict their fit, before they are taken for chance. */
    private const MOST_RMSE = 1.5;

    public function declaration(): Declaration
    {
        return new Declaration(
            'correct.coregister',
            'Co-registration',
            'Measures the offset between two images at tie points, and resamples one so that the same ground is in the same pixel.',
            [
                new Port('moving', PortType::Image, 'The image to move.', sample: 'later'),
                new Port('reference', PortType::Image, 'The reference image; the result is on its grid.'),
            ],
            [
                Setting::band('band', '1', 'Band of the image to move, by role or number, used for matching.'),
                Setting::band('reference-band', null, 'Band of the reference image. Empty: the one with the same role.', 'reference'),
                Setting::choice('transform', ['shift', 'affine', 'quadratic'], 'affine', 'Transformation between the two images.', [
                    'shift' => 'a shift',
                    'affine' => 'shift, rotation, scale and shear',
                    'quadratic' => 'second-order polynomial',
                ]),
                Setting::whole('points', 200, 'Number of tie points to look for, on a regular grid.', null, 9, 10000),
                Setting::choice('window', ['32', '64', '128'], '64', 'Side of the matching window, in pixels.'),
                Setting::number('least-match', 0.1, 'Least correlation of a tie point: 0 no better than chance, 1 identical.', null, 0, 1),
                Setting::number('reject', 3.0, 'Robust standard deviations beyond which a tie point is an outlier.', null, 1, 100),
                Setting::numbers(
                    'start',
                    'Starting position for images that are rotated or far off: two places visible in both, as x, y in the reference and x, y in the image '
                        .'to move, in map coordinates; eight numbers. Empty: found automatically.',
                )->ofImage(),
                Setting::numbers('strike', 'Numbers of tie points to exclude.')->ofImage(),
                Setting::choice('resampling', ['nearest', 'bilinear', 'cubic'], 'cubic', 'Resampling method.', Resampling::MEANINGS),
            ],
            [
                new Port('result', PortType::Image, 'The co-registered image.'),
                new Port('tie-points', PortType::Table, 'The tie points and their residuals.', required: false, endings: ['.csv']),
            ],
            'Phase correlation: Kuglin & Hines 1975, Proceedings of the International Conference on Cybernetics and Society, 163–165. Values between '
                .'pixels: Kaiser 1974, see SubPixel. Outliers by the median: common practice, no source.',
            synonyms: ['image registration', 'tie points', 'match two dates'],
            example: new Example(['window' => '32', 'points' => '25']),
            figures: [
                Figure::number('shift.columns', 'shift in columns', 'pixels'),
                Figure::number('shift.rows', 'shift in rows', 'pixels'),
                Figure::number('shift.metres', 'shift', 'm'),
                ...TieReport::declared(),
                Figure::number('start.turned-by', 'initial rotation', '°'),
                Figure::number('start.scale', 'initial scale'),
            ],
            desk: new Desk(9, evidence: [new Evidence('start', beside: 'start'), new Evidence('tie-points')], moves: true, makes: 'co-registered image'),
        );
    }

    public function run(Call $call, Work $work): array
    {
        [$moving, $reference] = [$call->image('moving'), $call->image('reference')];
        Resampling::from($call->text('resampling'))->check($moving);
        $band = $call->band('band', 'moving');
        if ($moving->spec()->bands[$band]->part === 'phase') {
            throw Problem::call('Windows are matched by magnitude: band '.($band + 1)." of {$moving->name()} is a phase.", 'band');
        }
        $other =
            $call->text('reference-band') !== ''
                ? Call::bandOf($reference, $call->text('reference-band'), 'reference-band')
                : $this->alike($moving, $reference, $band);
        $grid = $reference->spec()->grid;
        $start = $this->start($call, $moving, $reference, $band, $other);
        $points = $this->points($call, $moving, $reference, $band, $other, $start->at(...), $start->isShift());
        $fit = $this->fit($call, $points, $grid);
        if (! $start->isShift()) {
            // squares that lay a little turned are compared anew from what they told
            $points = $this->points(
                $call,
                $moving,
                $reference,
                $band,
                $other,
                function (float $col, float $row) use ($fit): array {
                    [$dc, $dr] = $fit->shift($col, $row);

                    return [$col + $dc, $row + $dr];
                },
                false,
            );
            $fit = $this->fit($call, $points, $grid);
        }
        if ($fit->rmse > self::MOST_RMSE) {
            throw Problem::input(
                sprintf(
                    'The tie points contradict each other by %.1f pixels: the two images may not show the same ground, or differ too much in this band.',
                    $fit->rmse,
                ),
                'band',
            );
        }
        $bend = function (float $col, float $row) use ($fit): array {
            [$dc, $dr] = $fit->shift($col, $row);

            return [$col + $dc, $row + $dr];
        };
        $figures =
            ['start' => $start->figures()] +
            Crs::datums($moving->spec()->grid, $grid) +
            TieReport::figures($points, $fit, $grid, $call->text('transform')) +
            MovedImage::write($call, $work, $moving, $grid, $bend);
        if (isset($call->outputs['tie-points'])) {
            Files::write($call->outputs['tie-points'], TieReport::csv($figures['tie-points']));
        }

        return $figures;
    }

    /** @param  list<array{col: float, row: float, dc: float, dr: float, quality: float}>  $points */
    private function fit(Call $call, array $points, Grid $grid): TieFit
    {
        return TieFit::through(
            $points,
            $call->text('transform'),
            $grid->width,
            $grid->height,
            $call->number('least-match'),
            $call->number('reject'),
            array_map(fn (float $number): int => (int) $number, $call->numbers('strike')),
        );
    }

    /** The band of the reference with the same role; the first where there is none. */
    private function alike(Image $moving, Image $reference, int $band): int
    {
        $role = $moving->spec()->bands[$band]->role;

        return $role === null
            ? min($band, count($reference->spec()->bands) - 1)
            : $reference->spec()->bandIndex($role) ??
                    throw Problem::input(
                        "{$reference->name()} has no band $role to compare with; name one with the setting reference-band. It has "
                            ."{$reference->spec()->bandList()}.",
                        'reference-band',
                    );
    }

    /**
     * @param  \Closure(float, float): array{float, float}  $start  where a position of the reference is looked for, on its grid
     * @param  bool  $isShift  whether that is a shift only
     * @return list<array{col: float, row: float, dc: float, dr: float, quality: float}>
     */
    private function points(Call $call, Image $moving, Image $reference, int $band, int $other, \Closure $start, bool $isShift): array
    {
        $grid = $reference->spec()->grid;
        $side = (int) $call->text('window');
        if (min($grid->width, $grid->height) < 2 * $side) {
            throw Problem::call("{$reference->name()} is smaller than two windows of $side pixels: take a smaller window.", 'window');
        }
        // squares stay inside, and cover the image evenly
        $across = max(2, (int) round(sqrt(($call->whole('points') * $grid->width) / $grid->height)));
        $down = max(2, (int) ceil($call->whole('points') / $across));
        $rows = Workers::all(
            $down,
            $call->context->part(0.1, 0.5),
            'comparing squares',
            function (int $j) use ($grid, $side, $across, $down, $moving, $reference, $band, $other, $start, $isShift): array {
                $found = [];
                for ($i = 0; $i < $across; $i++) {
                    $col = (int) round(($i * ($grid->width - $side)) / ($across - 1));
                    $row = (int) round(($j * ($grid->height - $side)) / ($down - 1));
                    $point = TieMatch::at($moving, $reference, $band, $other, $col, $row, $side, $start, $isShift);
                    if ($point !== null) {
                        $found[] = $point;
                    }
                }

                return $found;
            },
        );
        /** @var list<array{col: float, row: float, dc: float, dr: float, quality: float}> $points */
        $points = array_merge(...$rows);
        if ($points === []) {
            throw Problem::input("{$moving->name()} and {$reference->name()} have no windows in common with enough values: do they overlap?", 'moving');
        }

        return $points;
    }

    /** Where to start from: as told by hand, else by the shift of the whole on an overview, else by the turn under which it matches best. */
    private function start(Call $call, Image $moving, Image $reference, int $band, int $other): TieStart
    {
        $grid = $reference->spec()->grid;
        $told = $call->numbers('start');
        if ($told !== []) {
            if (count($told) !== 8 || ($told[0] === $told[4] && $told[1] === $told[5])) {
                throw Problem::call(
                    'The setting start expects eight numbers for two different places: x and y in the reference, x and y in the image to move; twice.',
                    'start',
                );
            }

            return TieStart::byHand($grid, $told);
        }
        $call->context->report(0.02, 'estimating the overall shift');
        $coarser = max(1, intdiv(max($grid->width, $grid->height), self::OVERVIEW));
        $small = $grid->resized(max(1, intdiv($grid->width, $coarser)), max(1, intdiv($grid->height, $coarser)));
        $n = min($small->width, $small->height) >= 256 ? 256 : (min($small->width, $small->height) >= 128 ? 128 : 64);
        $middle = $grid->toMap(0.5 * $grid->width, 0.5 * $grid->height);
        if (min($small->width, $small->height) < $n) {
            return new TieStart($grid, $middle, $middle);
        }
        $match = fn (float $angle): array => [...$this->turned($moving, $reference, $band, $other, $small, $n, $angle, $coarser), $angle];
        [$best, $at, $angle] = $match(0.0);
        for ($turn = self::TURNS; $best < self::CLEAR && $turn <= 90; $turn += self::TURNS) {
            $call->context->report(0.02 + (0.08 * $turn) / 90, 'estimating the overall rotation');
            foreach ([(float) $turn, (float) -$turn] as $one) {
                $now = $match($one);
                [$best, $at, $angle] = $now[0] > max($best, 0.04) ? $now : [$best, $at, $angle];
            }
        }
        // a turn that matches better is followed as long as it does
        foreach ([self::TURNS, 1.0, 0.5] as $step) {
            if ($step < self::TURNS && $angle === 0.0) {
                break;
            }
            do {
                $before = $best;
                foreach ([$angle - $step, $angle + $step] as $one) {
                    $now = $match($one);
                    [$best, $at, $angle] = $now[0] > 1.02 * $best ? $now : [$best, $at, $angle];
                }
            } while ($best > $before);
        }

        return $best < 0.02 ? new TieStart($grid, $middle, $middle) : new TieStart($grid, $at, $middle, cos(deg2rad($angle)), sin(deg2rad($angle)));
    }

    /**
     * How well the middles of both match when the one is turned, on an overview.
     *
     * $band of the one, $other of the reference; squares of $n pixels of $step pixels each, turned by $angle degrees.
     *
     * @return array{float, array{float, float}} the match, and the place of the reference that lies in the middle of the image to move
     */
    private function turned(Image $moving, Image $reference, int $band, int $other, Grid $small, int $n, float $angle, int $step): array
    {
        $window = new Window(intdiv($small->width - $n, 2), intdiv($small->height - $n, 2), $n, $n);
        $middle = $small->toMap(0.5 * $small->width, 0.5 * $small->height);
        $turn = new TieStart($small, $middle, $middle, cos(deg2rad($angle)), sin(deg2rad($angle)));
        $how = $step > 1 ? Resampling::Average : Resampling::Nearest;
        $there = new Warped($moving, $small, $angle === 0.0 ? $how : Resampling::Bilinear, self::level($moving, $step), $angle === 0.0 ? null : $turn->at(...));
        [$a, $b] = [
            TieMatch::filled((new Warped($reference, $small, $how, self::level($reference, $step)))->values($other, $window)),
            TieMatch::filled($there->values($band, $window)),
        ];
        $shift = $a === null || $b === null ? null : PhaseCorrelation::shift($a, $b, $n);

        // whole pixels of the full image: squares are cut without a loss then
        return $shift === null
            ? [0.0, $middle]
            : [$shift[2], $small->toMap(0.5 * $small->width - round($shift[0] * $step) / $step, 0.5 * $small->height - round($shift[1] * $step) / $step)];
    }

    /** The coarsest overview that still has two pixels or more to one in $step. */
    private static function level(Image $image, int $step): int
    {
        $levels = array_filter($image->levels(), fn (array $size): bool => 2 * $image->spec()->grid->width <= $step * $size[0]);

        return max(0, count($levels) - 1);
    }
}
