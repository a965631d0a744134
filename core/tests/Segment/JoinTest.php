<?php

namespace Chorometra\Core\Tests\Segment;

use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Tests\TestCase;

final class JoinTest extends TestCase
{
    public function test_the_first_count_where_they_are_and_the_others_elsewhere(): void
    {
        $spec = RasterSpec::segments(self::grid(4, 3));
        $one = $this->raster('one.tif', $spec, [[7, 7, 0, 0, 7, 2, 0, 0, 0, 0, 0, 0]]);
        $other = $this->raster('other.tif', $spec, [[5, 5, 5, 9, 1, 1, 9, 9, 3, 3, 0, 9]]);
        $figures = $this->compute('segment.join', ['segments' => $one, 'others' => $other], [], ['segments' => "$this->folder/both.tif"]);
        // 1 of the others is covered wholly, and takes no number
        self::assertSame([2, 2, 4, 5, 2, 1, 5, 5, 3, 3, 0, 5], self::pixels("$this->folder/both.tif"));
        self::assertSame([5, 2, 3], [$figures['segments'], $figures['first'], $figures['others']]);
        $small = $this->raster('small.tif', RasterSpec::segments(self::grid(4, 2)), [[1, 1, 1, 1, 1, 1, 1, 1]]);
        $this->problem(3, 'are not on one grid', fn () => $this->compute(
            'segment.join',
            ['segments' => $one, 'others' => $small],
            [],
            ['segments' => "$this->folder/none.tif"],
        ));
    }
}
