<?php

namespace Chorometra\Core\Segment\Merging;

/** A graph whose regions are pixels, or given parts. */
final class PixelGraph
{
    /**
     * Every valid pixel a region.
     *
     * @param  list<list<float>>  $bands  as MergeKernel wants them; NaN in the first where a pixel is none
     * @param  float  $own  what a pixel costs by itself
     * @return array{list<float>, list<int>, list<int>, list<int>} records, numbers of pixels, ends and lengths of edges
     */
    public static function ofPixels(array $bands, int $width, int $height, float $own): array
    {
        $place = array_fill(0, $width * $height, -1);
        $ids = self::places($place, $bands[0], $width * $height);
        $records = [];
        self::records($records, $ids, $bands, count($bands), count($ids), $width, $own);
        [$ends, $lengths] = self::edges($place, $width, $height);

        return [$records, $ids, $ends, $lengths];
    }

    /**
     * @param  list<int>  $place
     * @param  list<float>  $values
     * @return list<int>
     */
    private static function places(array &$place, array $values, int $count): array
    {
        $ids = [];
        for ($i = 0, $number = 0; $i < $count; $i++) {
            if ($values[$i] === $values[$i]) {
                $place[$i] = $number++;
                $ids[] = $i;
            }
        }

        return $ids;
    }

    /**
     * @param  list<float>  $records
     * @param  list<int>  $ids
     * @param  list<list<float>>  $bands
     */
    private static function records(array &$records, array $ids, array $bands, int $number, int $count, int $width, float $own): void
    {
        for ($i = 0; $i < $count; $i++) {
            $id = $ids[$i];
            $col = 1.0 * ($id % $width);
            $row = 1.0 * intdiv($id, $width);
            $records[] = 1.0;
            $records[] = 4.0;
            $records[] = $col;
            $records[] = $col;
            $records[] = $row;
            $records[] = $row;
            $records[] = $own;
            for ($b = 0; $b < $number; $b++) {
                $records[] = $bands[$b][$id];
                $records[] = 0.0;
            }
        }
    }

    /**
     * Of all pairs beside and below each other.
     *
     * @param  list<int>  $place
     * @return array{list<int>, list<int>}
     */
    private static function edges(array $place, int $width, int $height): array
    {
        $ends = [];
        for ($row = 0, $i = 0; $row < $height; $row++) {
            for ($col = 0; $col < $width; $col++, $i++) {
                $one = $place[$i];
                if ($one < 0) {
                    continue;
                }
                if ($col + 1 < $width && $place[$i + 1] >= 0) {
                    $ends[] = $one;
                    $ends[] = $place[$i + 1];
                }
                if ($row + 1 < $height && $place[$i + $width] >= 0) {
                    $ends[] = $one;
                    $ends[] = $place[$i + $width];
                }
            }
        }

        return [$ends, array_fill(0, intdiv(count($ends), 2), 1)];
    }
}
