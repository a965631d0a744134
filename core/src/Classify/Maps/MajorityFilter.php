<?php

namespace Chorometra\Core\Classify\Maps;

/** The most frequent code in a window that moves along rows; nodata stays, and has no say. Beyond the end of the image lies nothing. */
final class MajorityFilter
{
    /**
     * @param  list<int>  $codes  $above, $rows and $below rows of $width
     * @return list<int> of $rows
     */
    public static function of(array $codes, int $width, int $above, int $rows, int $below, int $reach, int $nodata): array
    {
        // a few codes, from 0: counting is by place
        $places = [];
        $known = [];
        $before = -2;
        $place = 0;
        foreach ($codes as $i => $code) {
            if ($code !== $before) {
                $before = $code;
                $place = $places[$code] ??= count($places);
            }
            $known[$i] = $place;
        }
        // in the order of the codes, so that the lower one comes first
        $order = array_keys($places);
        sort($order);
        $rank = [];
        foreach ($order as $k => $code) {
            $rank[$places[$code]] = $k;
        }
        ksort($rank);
        $none = $nodata > -1 && isset($places[$nodata]) ? $rank[$places[$nodata]] : -1;

        return self::filter($known, array_values($rank), $order, $width, $above, $rows, $below, $reach, $none);
    }

    /**
     * @param  list<int>  $known  places in the order of their first pixels
     * @param  list<int>  $rank  of each place in the order of the codes
     * @param  list<int>  $order  codes by rank
     * @param  int  $none  rank of nodata; −1 where there is none
     * @return list<int>
     */
    private static function filter(
        array $known,
        array $rank,
        array $order,
        int $width,
        int $above,
        int $rows,
        int $below,
        int $reach,
        int $none,
    ): array {
        $classes = count($order);
        $out = array_fill(0, $rows * $width, 0);
        $all = $above + $rows + $below;
        $total = count($known);
        for ($i = 0; $i < $total; $i++) {
            $known[$i] = $rank[$known[$i]];
        }
        // how many pixels up to here in each column are of one code
        $alike = array_fill(0, $width, 0);
        $done = -1;
        for ($row = 0; $row < $rows; $row++) {
            $top = max(0, $above + $row - $reach);
            $bottom = min($all - 1, $above + $row + $reach);
            for (; $done < $bottom; $done++) {
                $at = ($done + 1) * $width;
                for ($col = 0; $col < $width; $col++) {
                    $alike[$col] = $done > -1 && $known[$at + $col] === $known[$at + $col - $width] ? $alike[$col] + 1 : 1;
                }
            }
            $high = $bottom - $top + 1;
            $middle = ($above + $row) * $width;
            $last = $bottom * $width;
            $counts = array_fill(0, $classes, 0);
            // whether the counts are those of the window left of this one
            $isCounted = false;
            $streak = $seen = 0;
            for ($col = 0; $col < $width; $col++) {
                $from = max(0, $col - $reach);
                $to = min($width - 1, $col + $reach);
                // columns up to the right end of the window that are of one code all along it
                for (; $seen <= $to; $seen++) {
                    if ($alike[$seen] < $high) {
                        $streak = 0;
                    } elseif ($streak > 0 && $known[$last + $seen] === $known[$last + $seen - 1]) {
                        $streak++;
                    } else {
                        $streak = 1;
                    }
                }
                $own = $known[$middle + $col];
                if ($streak > $to - $from) {
                    $out[$row * $width + $col] = $order[$own];
                    $isCounted = false;

                    continue;
                }
                if ($isCounted) {
                    if ($col - $reach > 0) {
                        for ($i = $top * $width + $from - 1; $i <= $last + $from - 1; $i += $width) {
                            $counts[$known[$i]]--;
                        }
                    }
                    if ($col + $reach < $width) {
                        for ($i = $top * $width + $to; $i <= $last + $to; $i += $width) {
                            $counts[$known[$i]]++;
                        }
                    }
                } else {
                    for ($class = 0; $class < $classes; $class++) {
                        $counts[$class] = 0;
                    }
                    for ($x = $from; $x <= $to; $x++) {
                        for ($i = $top * $width + $x; $i <= $last + $x; $i += $width) {
                            $counts[$known[$i]]++;
                        }
                    }
                    $isCounted = true;
                }
                if ($own !== $none) {
                    $best = $own;
                    $most = $counts[$own];
                    for ($class = 0; $class < $classes; $class++) {
                        if ($class !== $none && $counts[$class] > $most) {
                            $most = $counts[$class];
                            $best = $class;
                        }
                    }
                    $own = $best;
                }
                $out[$row * $width + $col] = $order[$own];
            }
        }

        return $out;
    }
}
