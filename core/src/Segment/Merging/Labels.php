<?php

namespace Chorometra\Core\Segment\Merging;

/** Numbers of segments for the pixels of an image, in the order in which they come. */
final class Labels
{
    /**
     * What each pixel has become.
     *
     * @param  list<int>  $first  pixels by which regions go, at each join the lesser, which stays
     * @param  list<int>  $second
     * @param  list<float>  $values  NaN where a pixel is none
     * @return array{list<int>, array<int, int>} by pixel, 0 for none; and numbers by the first pixel of each
     */
    public static function of(array $first, array $second, array $values): array
    {
        $count = count($values);
        $into = range(0, max(0, $count - 1));
        self::join($into, $first, $second, count($first));
        $labels = array_fill(0, $count, 0);
        $roots = self::number($labels, $into, $values, $count);

        return [$labels, array_combine($roots, $roots === [] ? [] : range(1, count($roots)))];
    }

    /**
     * @param  list<int>  $into
     * @param  list<int>  $first
     * @param  list<int>  $second
     */
    private static function join(array &$into, array $first, array $second, int $count): void
    {
        for ($i = 0; $i < $count; $i++) {
            $into[$second[$i]] = $first[$i];
        }
    }

    /**
     * @param  list<int>  $labels
     * @param  list<int>  $into  the lesser that each pixel went into, itself where it stayed
     * @param  list<float>  $values
     * @return list<int> first pixels, rising
     */
    private static function number(array &$labels, array &$into, array $values, int $count): array
    {
        $roots = [];
        for ($i = 0, $number = 0; $i < $count; $i++) {
            if ($values[$i] !== $values[$i]) {
                continue;
            }
            $root = $into[$i];
            if ($root === $i) {
                $labels[$i] = ++$number;
                $roots[] = $i;
            } else {
                // what it went into comes before it, and is settled
                $root = $into[$root];
                $into[$i] = $root;
                $labels[$i] = $labels[$root];
            }
        }

        return $roots;
    }
}
