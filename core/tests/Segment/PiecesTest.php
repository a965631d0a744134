<?php

namespace Chorometra\Core\Tests\Segment;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Segment\Merging\Ladder;
use Chorometra\Core\Segment\Merging\MergedBands;
use Chorometra\Core\Segment\Merging\MergeKernel;
use Chorometra\Core\Segment\Merging\Pieces;
use Chorometra\Core\Segment\Merging\RegionGraph;
use Chorometra\Core\Segment\Merging\SegmentNumbers;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;

/** Pieces made tile by tile, and what they join to, against a slow, plain implementation. */
final class PiecesTest extends TestCase
{
    private const WIDTH = 60;

    private const HEIGHT = 44;

    /** @return array<string, list<float>> */
    private static function scenes(): array
    {
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(11));
        $grain = array_map(fn (): float => $random->getInt(0, 5) + 0.0, range(1, self::WIDTH * self::HEIGHT));
        $slope = array_map(fn (int $i): float => $i % self::WIDTH * 0.01 + intdiv($i, self::WIDTH * 20), range(0, self::WIDTH * self::HEIGHT - 1));
        $holes = $grain;
        for ($i = 0; $i < 300; $i++) {
            $holes[$random->getInt(0, count($holes) - 1)] = NAN;
        }

        return ['grain' => $grain, 'slope' => $slope, 'holes' => $holes, 'flat' => array_fill(0, count($slope), 7.0)];
    }

    public function test_pieces_and_segments_are_those_of_a_slow_plain_implementation(): void
    {
        [$compact, $smooth] = [0.1, 0.05];
        foreach (self::scenes() as $name => $values) {
            $second = array_map(fn (float $value, int $i): float => $i % 7 < 3 ? 1.0 : 0.0, $values, array_keys($values));
            $image = new GeoTiffImage($this->image("$name.tif", self::WIDTH, self::HEIGHT, ['red' => $values, 'nir' => $second]));
            $bands = [[$image, 0], [$image, 1]];
            $ladder = Ladder::to(4.0, 2.0);
            $read = MergedBands::window($bands, null, new Window(0, 0, self::WIDTH, self::HEIGHT));
            $slow = new SlowPieces($read, self::WIDTH, self::HEIGHT, $compact, $smooth, $ladder->quantum(), $ladder->lowest() ** 2);
            foreach ([[20, 3, 2], [33, 8, 1], [64, 8, 2]] as [$side, $around, $workers]) {
                $context = new Context($workers, $this->folder);
                $pieces = Pieces::of($bands, null, [1.0, 1.0], $ladder, $compact, $smooth, $context, $side, $around);
                $firsts = $slow->firsts($side, $around);
                $found = array_map(fn (int $number): int => $number === 0 ? -1 : $pieces->ids[$number - 1], $pieces->numbers(0, self::HEIGHT));
                self::assertSame($firsts, $found, "$name, tiles of $side");
                self::assertSame(count(array_filter($firsts, fn (int $first): bool => $first >= 0)), $pieces->pixels);
                $records = $pieces->records();
                $this->checkRecords($records, $pieces->ids, $firsts, $read, $compact, $smooth);
                $graph = new RegionGraph($records, $pieces->ids, ...[...$pieces->edges(), 2, $compact, $smooth, $ladder->quantum()]);
                $merging = new SlowMerging($read, self::WIDTH, self::HEIGHT, $compact, $smooth, $ladder->quantum(), $firsts);
                $ladder->climb($graph);
                foreach ($ladder->up() as $rung) {
                    $merging->climb($rung);
                }
                [$numbers] = SegmentNumbers::of($pieces->ids, ...array_slice($graph->joins(), 0, 2));
                $labels = array_map(fn (int $piece): int => $numbers[$piece], $pieces->numbers(0, self::HEIGHT));
                self::assertSame($merging->labels(), $labels, "$name, segments");
                self::assertGreaterThanOrEqual(16.0, $merging->least(), 'no two neighbours could still join');
            }
        }
    }

    public function test_pieces_are_the_same_however_many_work(): void
    {
        $image = new GeoTiffImage($this->image('grain.tif', self::WIDTH, self::HEIGHT, ['red' => self::scenes()['grain']]));
        $made = array_map(function (int $workers) use ($image): array {
            $pieces = Pieces::of([[$image, 0]], null, [1.0], Ladder::to(4.0, 2.0), 0.1, 0.05, new Context($workers, $this->folder), 16, 4);

            return [$pieces->ids, $pieces->numbers(0, self::HEIGHT), $pieces->records(), $pieces->edges()];
        }, [1, 2, 3]);
        self::assertSame($made[0], $made[1]);
        self::assertSame($made[0], $made[2]);
    }

    /**
     * On noise the edges of segments lie on lines of tiles as often as elsewhere: by two standard errors of the run without lines, either way.
     */
    public function test_no_line_of_tiles_can_be_seen(): void
    {
        [$width, $height, $side] = [512, 384, 32];
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(3));
        $values = array_map(function (int $i) use ($width, $random): float {
            [$x, $y] = [$i % $width, intdiv($i, $width)];

            return sin($x / 9.0) * cos($y / 7.0) * 8.0 + $random->getInt(-1000, 1000) / 250.0;
        }, range(0, $width * $height - 1));
        $image = new GeoTiffImage($this->image('noise.tif', $width, $height, ['red' => $values]));
        $shares = [];
        foreach ([$side, 1024] as $tile) {
            $ladder = Ladder::to(16.0, 10.0);
            $pieces = Pieces::of([[$image, 0]], null, [1.0], $ladder, 0.05, 0.05, new Context(2, $this->folder), $tile);
            $graph = new RegionGraph($pieces->records(), $pieces->ids, ...[...$pieces->edges(), 1, 0.05, 0.05, $ladder->quantum()]);
            $ladder->climb($graph);
            [$numbers] = SegmentNumbers::of($pieces->ids, ...array_slice($graph->joins(), 0, 2));
            $labels = array_map(fn (int $piece): int => $numbers[$piece], $pieces->numbers(0, $height));
            foreach (range($side, $width - 1, $side) as $col) {
                $edges = array_filter(range(0, $height - 1), fn (int $row): bool => $labels[$row * $width + $col] !== $labels[$row * $width + $col - 1]);
                $shares[$tile][] = count($edges) / $height;
            }
            foreach (range($side, $height - 1, $side) as $row) {
                $edges = array_filter(range(0, $width - 1), fn (int $col): bool => $labels[$row * $width + $col] !== $labels[($row - 1) * $width + $col]);
                $shares[$tile][] = count($edges) / $width;
            }
        }
        [$tiled, $plain] = array_map(fn (array $of): float => array_sum($of) / count($of), array_values($shares));
        $apart = sqrt(array_sum(array_map(fn (float $one): float => ($one - $plain) ** 2, $shares[1024])) / (count($shares[1024]) - 1) / count($shares[1024]));
        self::assertGreaterThan(0.03, $plain);
        self::assertLessThan(2.0 * $apart, abs($tiled - $plain), "$tiled on lines, $plain without, $apart apart");
    }

    /**
     * @param  list<float>  $records
     * @param  list<int>  $ids
     * @param  list<int>  $firsts
     * @param  list<list<float>>  $bands
     */
    private function checkRecords(array $records, array $ids, array $firsts, array $bands, float $compact, float $smooth): void
    {
        $of = [];
        foreach ($firsts as $pixel => $first) {
            if ($first >= 0) {
                $of[$first][] = $pixel;
            }
        }
        $stride = MergeKernel::stride(count($bands));
        self::assertCount(count($ids) * $stride, $records);
        foreach ($ids as $place => $id) {
            $pixels = $of[$id];
            $record = array_slice($records, $place * $stride, $stride);
            [$columns, $rows] = [
                array_map(fn (int $i): int => $i % self::WIDTH, $pixels),
                array_map(fn (int $i): int => intdiv($i, self::WIDTH), $pixels),
            ];
            $box = [min($columns), max($columns), min($rows), max($rows)];
            self::assertEquals([count($pixels), ...$box], [$record[0], ...array_slice($record, 2, 4)]);
            $own = $compact * $record[1] * sqrt($record[0])
                + $smooth * $record[0] * $record[1] / (2.0 * ($box[1] - $box[0] + $box[3] - $box[2] + 2));
            foreach ($bands as $k => $values) {
                $mean = array_sum(array_map(fn (int $i): float => $values[$i], $pixels)) / count($pixels);
                $squares = array_sum(array_map(fn (int $i): float => ($values[$i] - $mean) ** 2, $pixels));
                self::assertEqualsWithDelta([$mean, $squares], array_slice($record, MergeKernel::BANDS + 2 * $k, 2), 1e-9);
                $own += sqrt(count($pixels) * $squares);
            }
            self::assertEqualsWithDelta($own, $record[MergeKernel::OWN], 1e-6);
        }
    }
}
