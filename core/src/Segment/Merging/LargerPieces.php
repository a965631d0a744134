<?php

namespace Chorometra\Core\Segment\Merging;

/**
 * Small pieces to larger ones, as pixels were joined to small ones: pairs of neighbours one after another, those first that cost least, as long as
 * what comes together stays small. What they cost is asked once: as pieces grow, it is taken to grow as n m / (n + m) does.
 *
 * Source: as for SmallPieces.
 */
final class LargerPieces
{
    /** Pixels of a piece at most. */
    public const MOST = 32;

    private const STEPS = 256;

    private const DRAWN = 64;

    /**
     * @param  list<float>  $records
     * @param  list<int>  $ids  first pixels in the image
     * @param  list<int>  $ends  places of records, two for each pair
     * @param  list<float>  $costs  by pair
     * @return list<int> the place of the first piece that each has joined
     */
    public static function of(array $records, int $stride, array $ids, array $ends, array $costs, float $limit): array
    {
        $pairs = count($costs);
        $turns = self::turns($ids, $ends, $costs, $pairs, $limit);
        [$order, $count] = Turns::order($turns, $pairs, self::STEPS * self::DRAWN);
        $sizes = [];
        for ($k = 0, $all = count($ids); $k < $all; $k++) {
            $sizes[] = (int) $records[$k * $stride];
        }

        return self::join($order, $count, $sizes, $ends, $costs, count($ids), $limit);
    }

    /**
     * @param  list<int>  $ids
     * @param  list<int>  $ends
     * @param  list<float>  $costs
     * @return list<int>
     */
    private static function turns(array $ids, array $ends, array $costs, int $pairs, float $limit): array
    {
        $turns = [];
        $factor = (self::STEPS - 0.001) / $limit;
        for ($k = 0; $k < $pairs; $k++) {
            $cost = $costs[$k];
            if ($cost < $limit) {
                $a = $ids[$ends[2 * $k]];
                $b = $ids[$ends[2 * $k + 1]];
                $drawn = $a < $b ? $a * 73856093 ^ $b * 19349663 : $b * 73856093 ^ $a * 19349663;
                $turns[] = ($cost > 0.0 ? (int) ($cost * $factor) * self::DRAWN : 0) + ($drawn >> 5 & self::DRAWN - 1);
            } else {
                $turns[] = -1;
            }
        }

        return $turns;
    }

    /**
     * @param  list<int>  $order
     * @param  list<int>  $sizes
     * @param  list<int>  $ends
     * @param  list<float>  $costs
     * @return list<int>
     */
    private static function join(array $order, int $count, array $sizes, array $ends, array $costs, int $all, float $limit): array
    {
        $into = $all === 0 ? [] : range(0, $all - 1);
        $now = $sizes;
        for ($k = 0; $k < $count; $k++) {
            $e = $order[$k];
            $p = $u = $ends[2 * $e];
            $q = $v = $ends[2 * $e + 1];
            while ($into[$u] !== $u) {
                $into[$u] = $into[$into[$u]];
                $u = $into[$u];
            }
            while ($into[$v] !== $v) {
                $into[$v] = $into[$into[$v]];
                $v = $into[$v];
            }
            if ($u === $v) {
                continue;
            }
            $most = $now[$u] + $now[$v];
            $grown = 1.0 * $now[$u] * $now[$v] * ($sizes[$p] + $sizes[$q]) / (1.0 * $most * $sizes[$p] * $sizes[$q]);
            if ($most > self::MOST || $costs[$e] * $grown >= $limit) {
                continue;
            }
            if ($u < $v) {
                $into[$v] = $u;
                $now[$u] = $most;
            } else {
                $into[$u] = $v;
                $now[$v] = $most;
            }
        }
        for ($k = 0; $k < $all; $k++) {
            $into[$k] = $into[$into[$k]];
        }

        return $into;
    }
}
