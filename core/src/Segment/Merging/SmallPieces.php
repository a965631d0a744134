<?php

namespace Chorometra\Core\Segment\Merging;

/**
 * Pieces of a few pixels: sides between pixels are taken one after another, those first along which the pixels differ least, and the pieces on both
 * become one, as long as that is small and costs less than a limit.
 *
 * Differences are told apart in steps; within a step sides come in an order drawn from where they lie in the image, so that even ground joins in no
 * direction. Two pieces of n and m pixels are taken to cost what two even ones would that differ so: twice n m / (n + m) times the difference.
 *
 * Source: joining along the sides of a graph in the order of their weights, Kruskal 1956, Proceedings of the American Mathematical Society 7:48–50;
 * ending each piece at a size is common practice, no source.
 */
final class SmallPieces
{
    /** Pixels of a piece at most. */
    public const MOST = 16;

    /** Steps of difference up to the limit, and places drawn in each. */
    private const STEPS = 256;

    private const DRAWN = 64;

    /**
     * @param  list<list<float>>  $bands  whose differences are added up; NaN where a pixel is none
     * @param  int  $first  number of the first pixel in the image, whose rows are $across long
     * @param  float  $limit  of the cost
     * @return list<int> for each pixel the first of its piece
     */
    public static function of(array $bands, int $width, int $height, int $first, int $across, float $limit): array
    {
        $count = $width * $height;
        $beside = $below = array_fill(0, $count, 0.0);
        foreach ($bands as $values) {
            self::differences($beside, $below, $values, $width, $count);
        }
        $turns = self::turns($beside, $below, $width, $count, $first, $across, $limit);
        [$order, $sides] = Turns::order($turns, 2 * $count, self::STEPS * self::DRAWN);
        unset($turns);

        return self::join($order, $sides, $beside, $below, $width, $count, $limit);
    }

    /**
     * @param  list<float>  $beside  to which the differences to the right are added
     * @param  list<float>  $below
     * @param  list<float>  $values
     */
    private static function differences(array &$beside, array &$below, array $values, int $width, int $count): void
    {
        $last = $count - $width;
        for ($i = 0; $i < $last; $i++) {
            $value = $values[$i];
            $d = $value - $values[$i + 1];
            $beside[$i] += $d < 0.0 ? -$d : $d;
            $d = $value - $values[$i + $width];
            $below[$i] += $d < 0.0 ? -$d : $d;
        }
        for ($i = $last; $i < $count - 1; $i++) {
            $d = $values[$i] - $values[$i + 1];
            $beside[$i] += $d < 0.0 ? -$d : $d;
        }
    }

    /**
     * When the sides of each pixel come, that to the right and that below; -1 for those that don't.
     *
     * @param  list<float>  $beside
     * @param  list<float>  $below
     * @return list<int>
     */
    private static function turns(array $beside, array $below, int $width, int $count, int $first, int $across, float $limit): array
    {
        $turns = [];
        $factor = (self::STEPS - 0.001) / $limit;
        $last = $count - $width;
        for ($i = 0, $start = $first; $i < $count; $start += $across) {
            for ($col = 1, $id = $start; $col <= $width; $col++, $i++, $id++) {
                $turns[] = $col < $width && $beside[$i] < $limit ? (int) ($beside[$i] * $factor) * self::DRAWN + ($id * 73856093 >> 7 & self::DRAWN - 1) : -1;
                $turns[] = $i < $last && $below[$i] < $limit ? (int) ($below[$i] * $factor) * self::DRAWN + ($id * 19349663 >> 7 & self::DRAWN - 1) : -1;
            }
        }

        return $turns;
    }

    /**
     * @param  list<int>  $order
     * @param  list<float>  $beside
     * @param  list<float>  $below
     * @return list<int>
     */
    private static function join(array $order, int $sides, array $beside, array $below, int $width, int $count, float $limit): array
    {
        // each pixel knows its piece, and the next in the ring of those that are in it
        $of = $next = range(0, $count - 1);
        $size = array_fill(0, $count, 1);
        for ($k = 0; $k < $sides; $k++) {
            $one = $order[$k] >> 1;
            if ($order[$k] & 1) {
                $d = $below[$one];
                $u = $of[$one];
                $v = $of[$one + $width];
            } else {
                $d = $beside[$one];
                $u = $of[$one];
                $v = $of[$one + 1];
            }
            if ($u === $v) {
                continue;
            }
            $all = $size[$u] + $size[$v];
            if ($all > self::MOST || 2.0 * $d * $size[$u] * $size[$v] >= $limit * $all) {
                continue;
            }
            if ($size[$u] < $size[$v]) {
                $t = $u;
                $u = $v;
                $v = $t;
            }
            $size[$u] = $all;
            $pixel = $v;
            do {
                $of[$pixel] = $u;
                $pixel = $next[$pixel];
            } while ($pixel !== $v);
            $t = $next[$u];
            $next[$u] = $next[$v];
            $next[$v] = $t;
        }
        $first = array_fill(0, $count, -1);
        for ($i = 0; $i < $count; $i++) {
            $u = $of[$i];
            if ($first[$u] < 0) {
                $first[$u] = $i;
            }
            $of[$i] = $first[$u];
        }

        return $of;
    }
}
