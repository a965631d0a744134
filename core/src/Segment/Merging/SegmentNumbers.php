<?php

namespace Chorometra\Core\Segment\Merging;

/** Numbers of segments for the pieces that they are made of, in the order of the image. */
final class SegmentNumbers
{
    /**
     * What each piece has become.
     *
     * @param  list<int>  $ids  first pixels of pieces
     * @param  list<int>  $first  first pixels of what joined, at each join the lesser, which stays
     * @param  list<int>  $second
     * @return array{list<int>, array<int, int>} by number of the piece, 0 for none; and by the first pixel of each segment, rising
     */
    public static function of(array $ids, array $first, array $second): array
    {
        $into = array_combine($second, $first);
        $numbers = $leaves = [];
        $rising = $ids;
        sort($rising);
        foreach ($rising as $id) {
            // what it went into comes before it, and is settled
            $numbers[$id] = isset($into[$id]) ? $numbers[$into[$id]] : $leaves[$id] = count($leaves) + 1;
        }

        return [[0, ...array_map(fn (int $id): int => $numbers[$id], $ids)], $leaves];
    }
}
