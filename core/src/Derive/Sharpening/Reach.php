<?php

namespace Chorometra\Core\Derive\Sharpening;

use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\GridMapping;
use Chorometra\Core\Geo\Window;

/** How far two grids lie on the same ground: outlines in map coordinates of the first, and shares of their areas. */
final readonly class Reach
{
    /** Pieces of each side of an outline, which bends where the two have different CRS. */
    private const PIECES = 16;

    /**
     * @param  list<array{float, float}>  $common  closed; empty where they have nothing in common
     * @param  list<array{float, float}>  $first  outlines, closed
     * @param  list<array{float, float}>  $second
     * @param  float  $ofFirst  share of the first that lies in the second
     * @param  Window  $window  pixels of the second that may lie in the first
     */
    private function __construct(
        public array $common,
        public array $first,
        public array $second,
        public float $ofFirst,
        public float $ofSecond,
        public Window $window,
    ) {}

    public static function of(Grid $first, Grid $second, string $name): self
    {
        $there = new GridMapping($second, $first, $name);
        $outline = array_map(fn (array $place): array => $there->at(...$place), self::outline($second));
        $common = self::clipped($outline, $first->width, $first->height);
        $area = abs(self::area($common));
        $back = new GridMapping($first, $second, $name);
        $seen = array_map(fn (array $place): array => $back->at(...$place), $common);
        $map = fn (array $ring): array => array_map(
            fn (array $place): array => $first->toMap($place[0], $place[1]),
            $ring === [] ? [] : array_values([...$ring, $ring[0]]),
        );

        return new self(
            $map($common),
            $map([[0.0, 0.0], [$first->width, 0.0], [$first->width, $first->height], [0.0, $first->height]]),
            $map($outline),
            $area / ($first->width * $first->height),
            $area / max(1e-300, abs(self::area($outline))),
            $seen === [] ? new Window(0, 0, 0, 0) : self::window($seen, $second),
        );
    }

    public function isEmpty(): bool
    {
        return $this->ofFirst < 1e-12 || $this->window->isEmpty();
    }

    /** @return list<array{float, float}> in pixels */
    private static function outline(Grid $grid): array
    {
        $corners = [[0, 0], [$grid->width, 0], [$grid->width, $grid->height], [0, $grid->height], [0, 0]];
        $ring = [];
        for ($k = 0; $k < 4; $k++) {
            for ($i = 0; $i < self::PIECES; $i++) {
                $share = $i / self::PIECES;
                $ring[] = [
                    $corners[$k][0] + $share * ($corners[$k + 1][0] - $corners[$k][0]),
                    $corners[$k][1] + $share * ($corners[$k + 1][1] - $corners[$k][1]),
                ];
            }
        }

        return $ring;
    }

    /**
     * What of a ring lies in a box from 0, 0: side by side (Sutherland & Hodgman 1974, Communications of the ACM 17:32–42).
     *
     * @param  list<array{float, float}>  $ring
     * @return list<array{float, float}>
     */
    private static function clipped(array $ring, float $width, float $height): array
    {
        // axis, limit, and whether what lies above it stays
        foreach ([[0, 0.0, 1], [0, $width, -1], [1, 0.0, 1], [1, $height, -1]] as [$axis, $limit, $sign]) {
            $kept = [];
            foreach ($ring as $i => $place) {
                $before = $ring[$i === 0 ? count($ring) - 1 : $i - 1];
                [$in, $was] = [$sign * ($place[$axis] - $limit), $sign * ($before[$axis] - $limit)];
                if (($in >= 0.0) !== ($was >= 0.0)) {
                    $share = $was / ($was - $in);
                    $met = [$before[0] + $share * ($place[0] - $before[0]), $before[1] + $share * ($place[1] - $before[1])];
                    $met[$axis] = $limit;
                    $kept[] = $met;
                }
                if ($in >= 0.0) {
                    $kept[] = $place;
                }
            }
            $ring = $kept;
        }

        return $ring;
    }

    /** @param  list<array{float, float}>  $ring */
    private static function area(array $ring): float
    {
        $sum = 0.0;
        foreach ($ring as $i => [$x, $y]) {
            [$u, $v] = $ring[$i === 0 ? count($ring) - 1 : $i - 1];
            $sum += $u * $y - $x * $v;
        }

        return 0.5 * $sum;
    }

    /** @param  non-empty-list<array{float, float}>  $places */
    private static function window(array $places, Grid $grid): Window
    {
        $cols = array_column($places, 0);
        $rows = array_column($places, 1);
        [$col, $row] = [(int) floor(min($cols) + 1e-6), (int) floor(min($rows) + 1e-6)];

        return (new Window($col, $row, (int) ceil(max($cols) - 1e-6) - $col, (int) ceil(max($rows) - 1e-6) - $row))->within($grid->width, $grid->height);
    }
}
