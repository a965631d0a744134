<?php

namespace Chorometra\Core\Tests\Format;

use Chorometra\Core\Format\Vector\FeatureIndex;
use Chorometra\Core\Format\Vector\Geometry;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Tests\TestCase;

class FeatureIndexTest extends TestCase
{
    /** @var list<array{float, float, float}> middle and half side of squares, in map coordinates */
    private array $squares = [];

    private function index(): FeatureIndex
    {
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(4));
        $earth = Crs::need(32632, 'the test', 'crs');
        $features = [];
        for ($i = 0; $i < 3000; $i++) {
            [$x, $y] = [430_000 + $random->getInt(0, 20_000), 6_060_000 + $random->getInt(0, 20_000)];
            $half = $i % 10 === 0 ? 0.0 : (float) $random->getInt(1, 200);
            $this->squares[] = [$x, $y, $half];
            $ring = array_map(fn (array $by): array => $earth->inverse($x + $by[0] * $half, $y + $by[1] * $half), [
                [-1, -1],
                [1, -1],
                [1, 1],
                [-1, 1],
                [-1, -1],
            ]);
            $features[] = [
                'type' => 'Feature',
                'geometry' => $half === 0.0 ? ['type' => 'Point', 'coordinates' => $ring[0]] : ['type' => 'Polygon', 'coordinates' => [$ring]],
                'properties' => ['name' => "square $i", 'half' => $half],
            ];
        }
        // a feature without a place is not drawn, and one that the CRS can't show
        $features[] = ['type' => 'Feature', 'geometry' => null, 'properties' => ['name' => 'nowhere']];
        $path = "$this->folder/squares.geojson";
        Vectors::write($path, $features);
        FeatureIndex::build(Vectors::read($path), $earth, "$this->folder/squares.features");

        self::assertTrue(FeatureIndex::isMade("$this->folder/squares.features"));
        file_put_contents("$this->folder/older.features", 'CFI0');
        self::assertFalse(FeatureIndex::isMade("$this->folder/older.features"));

        return new FeatureIndex("$this->folder/squares.features");
    }

    public function test_a_window_holds_what_reaches_into_it(): void
    {
        $index = $this->index();
        foreach (
            [[430_000, 6_060_000, 450_000, 6_080_000], [435_000, 6_065_000, 436_500, 6_068_000], [440_010, 6_070_010, 440_020, 6_070_020],
                [0, 0, 10, 10]] as $box
        ) {
            $wanted = array_keys(
                array_filter(
                    $this->squares,
                    fn (array $one): bool => $one[0] + $one[2] >= $box[0] &&
                        $one[0] - $one[2] <= $box[2] &&
                        $one[1] + $one[2] >= $box[1] &&
                        $one[1] - $one[2] <= $box[3],
                ),
            );
            $found = $index->window(array_map(floatval(...), $box), 1.5, 10_000);
            self::assertSame(array_map(fn (int $i): int => $i + 1, $wanted), array_column($found['features'], 'id'));
            self::assertSame(count($wanted), $found['inside']);
        }
        $first = $index->window([430_000.0, 6_060_000.0, 450_000.0, 6_080_000.0], 1.5, 10_000)['features'][1];
        self::assertEquals(['name' => 'square 1', 'half' => $this->squares[1][2]], (array) $first['properties']);
        [$x, $y, $half] = $this->squares[1];
        self::assertEqualsWithDelta([$x - $half, $y - $half], $first['geometry']['coordinates'][0][0], 1e-3);
    }

    public function test_what_can_t_be_seen_is_left_out_and_of_too_many_the_largest_stay(): void
    {
        $index = $this->index();
        $all = [430_000.0, 6_060_000.0, 450_000.0, 6_080_000.0];
        $coarse = $index->window($all, 300.0, 10_000);
        self::assertSame(3000, $coarse['inside']);
        self::assertCount(count(array_filter($this->squares, fn (array $one): bool => $one[2] === 0.0 || 2 * $one[2] >= 300 - 1e-3)), $coarse['features']);
        $few = $index->window($all, 1.0, 100)['features'];
        self::assertCount(100, $few);
        $halves = array_column($this->squares, 2);
        rsort($halves);
        self::assertGreaterThanOrEqual($halves[99], min(array_map(fn (array $feature): float => $this->squares[$feature['id'] - 1][2], $few)));
    }

    public function test_geometries_are_moved_and_thinned_whatever_they_are(): void
    {
        $line = [[0.0, 0.0], [0.4, 0.0], [0.8, 0.1], [2.0, 0.0], [2.1, 0.1], [5.0, 5.0]];
        $all = [
            'type' => 'GeometryCollection',
            'geometries' => [
                ['type' => 'Point', 'coordinates' => [1.0, 2.0]],
                ['type' => 'MultiLineString', 'coordinates' => [$line, []]],
                ['type' => 'MultiPolygon', 'coordinates' => []],
            ],
        ];
        self::assertSame(
            [[2.0, 4.0], ...array_map(fn (array $place): array => [2 * $place[0], 2 * $place[1]], $line)],
            Geometry::all(Geometry::moved($all, fn (float $x, float $y): array => [2 * $x, 2 * $y])),
        );
        self::assertSame(
            [[0.0, 0.0], [0.8, 0.1], [2.0, 0.0], [5.0, 5.0]],
            Geometry::thinned(['type' => 'LineString', 'coordinates' => $line], 0.5)['coordinates'],
        );
        // a ring stays a ring
        $ring = [[0.0, 0.0], [0.1, 0.0], [0.1, 0.1], [0.0, 0.0]];
        self::assertSame([[$ring]], Geometry::thinned(['type' => 'MultiPolygon', 'coordinates' => [[$ring]]], 5.0)['coordinates']);
        self::assertSame($all['geometries'][0], Geometry::thinned($all, 1.0)['geometries'][0]);
    }
}
