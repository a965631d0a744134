<?php

namespace Chorometra\Core\Segment\Merging;

/** Places in the order of their turn, by counting: whole numbers from 0, -1 for those that have none. */
final class Turns
{
    /**
     * @param  list<int>  $turns
     * @return array{list<int>, int} the places, of those alike the first first, and how many there are
     */
    public static function order(array $turns, int $count, int $most): array
    {
        $order = array_fill(0, $count, 0);
        $starts = array_fill(0, $most + 1, 0);
        self::count($starts, $turns, $count, $most);

        $all = self::place($order, $starts, $turns, $count);

        return [$order, $all];
    }

    /**
     * @param  list<int>  $starts
     * @param  list<int>  $turns
     */
    private static function count(array &$starts, array $turns, int $count, int $most): void
    {
        for ($k = 0; $k < $count; $k++) {
            if ($turns[$k] > -1) {
                $starts[$turns[$k] + 1]++;
            }
        }
        for ($turn = 0; $turn < $most; $turn++) {
            $starts[$turn + 1] += $starts[$turn];
        }
    }

    /**
     * @param  list<int>  $order
     * @param  list<int>  $starts
     * @param  list<int>  $turns
     */
    private static function place(array &$order, array $starts, array $turns, int $count): int
    {
        $all = 0;
        for ($k = 0; $k < $count; $k++) {
            $turn = $turns[$k];
            if ($turn > -1) {
                $order[$starts[$turn]] = $k;
                $starts[$turn]++;
                $all++;
            }
        }

        return $all;
    }
}
