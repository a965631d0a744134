<?php

namespace Chorometra\Core\Tests\Segment;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Segment\Merging\Labels;
use Chorometra\Core\Segment\Merging\Ladder;
use Chorometra\Core\Segment\Merging\MergedBands;
use Chorometra\Core\Segment\Merging\Pieces;
use Chorometra\Core\Segment\Merging\PixelGraph;
use Chorometra\Core\Segment\Merging\RegionGraph;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;

/** Pieces made part by part against the same graph made as a whole. */
final class PiecesTest extends TestCase
{
    private const WIDTH = 110;

    private const HEIGHT = 90;

    public function test_pieces_are_those_of_the_whole_however_it_is_parted(): void
    {
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(11));
        $noise = fn (int $most): array => array_map(fn (): float => $random->getInt(0, $most) + 0.0, range(1, self::WIDTH * self::HEIGHT));
        $slope = array_map(fn (int $i): float => $i % self::WIDTH * 0.01 + intdiv($i, self::WIDTH * 20), range(0, self::WIDTH * self::HEIGHT - 1));
        $holes = $noise(3);
        for ($i = 0; $i < 900; $i++) {
            $holes[$random->getInt(0, count($holes) - 1)] = NAN;
        }
        foreach (['grain' => $noise(5), 'slope' => $slope, 'holes' => $holes, 'flat' => array_fill(0, count($slope), 7.0)] as $name => $values) {
            $image = new GeoTiffImage($this->image("$name.tif", self::WIDTH, self::HEIGHT, ['red' => $values, 'nir' => $noise(1)]));
            $bands = [[$image, 0], [$image, 1]];
            $ladder = Ladder::to(4.0, 2.0);
            $read = MergedBands::window($bands, null, new Window(0, 0, self::WIDTH, self::HEIGHT));
            [$records, $ids, $ends, $lengths] = PixelGraph::ofPixels($read, self::WIDTH, self::HEIGHT, 4.0 * 0.1 + 0.05);
            $whole = new RegionGraph($records, $ids, $ends, $lengths, 2, 0.1, 0.05, $ladder->quantum());
            $ladder->start($whole);
            $expected = [];
            foreach ($whole->regions() as $id => [$record]) {
                $expected[$id] = $record;
            }
            ksort($expected);
            $ladder->climb($whole);
            [, $segments] = Labels::of($ids, ...array_slice($whole->joins(), 0, 2));
            // what lies around is too little at first, and doubled
            foreach ([[37, 2, 1], [64, 8, 2], [110, 3, 2]] as [$side, $around, $workers]) {
                $context = new Context($workers, $this->folder);
                $pieces = Pieces::of($bands, null, [1.0, 1.0], $ladder, 0.1, 0.05, $context, $side, $around);
                self::assertSame(array_keys($expected), $pieces->ids, "$name, parts of $side");
                self::assertSame(count($ids), $pieces->pixels);
                $records = $pieces->records();
                self::assertSame(array_merge(...array_values($expected)), $records);
                $parted = new RegionGraph($records, $pieces->ids, ...[...$pieces->edges(), 2, 0.1, 0.05, $ladder->quantum()]);
                $ladder->climb($parted);
                [$numbers, $same] = Labels::of($pieces->ids, ...array_slice($parted->joins(), 0, 2));
                self::assertSame($segments, $same, "$name, segments");
                // numbers lead each pixel to its piece
                $places = $pieces->numbers(0, self::HEIGHT);
                self::assertSame(count($ids), count(array_filter($places, fn (int $place): bool => $place > 0)));
                self::assertSame(range(1, count($same)), array_values(array_unique(array_map(
                    fn (int $place): int => $numbers[$place],
                    array_filter($places, fn (int $place): bool => $place > 0),
                ))));
            }
        }
    }
}
