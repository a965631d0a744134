<?php

namespace Chorometra\Core\Tests\Format;

use Chorometra\Core\Format\Vector\Overlay;
use Chorometra\Core\Format\Vector\PolygonRings;
use Chorometra\Core\Tests\TestCase;

/** Areas and rings of overlaid polygons: by hand, by what sets must do, and against counting places. */
final class OverlayTest extends TestCase
{
    /** @return list<list<array{float, float}>> */
    private static function square(float $x, float $y, float $side): array
    {
        return [[[$x, $y], [$x + $side, $y], [$x + $side, $y + $side], [$x, $y + $side], [$x, $y]]];
    }

    /** @return array<string, \Closure(bool, bool): bool> */
    private static function wanted(): array
    {
        return [
            'first' => fn (bool $a, bool $b): bool => $a,
            'second' => fn (bool $a, bool $b): bool => $b,
            'both' => fn (bool $a, bool $b): bool => $a && $b,
            'either' => fn (bool $a, bool $b): bool => $a || $b,
            'first only' => fn (bool $a, bool $b): bool => $a && ! $b,
            'one only' => fn (bool $a, bool $b): bool => $a !== $b,
        ];
    }

    public function test_two_squares_by_hand(): void
    {
        $overlay = new Overlay([self::square(0, 0, 10)], [self::square(5, 5, 10)]);
        $areas = array_map(fn (\Closure $wanted): float => $overlay->area($wanted), self::wanted());
        self::assertEqualsWithDelta(['first' => 100, 'second' => 100, 'both' => 25, 'either' => 175, 'first only' => 75, 'one only' => 150], $areas, 1e-9);
        self::assertEqualsWithDelta([[[[5, 10], [5, 5], [10, 5], [10, 10], [5, 10]]]], $overlay->polygons(self::wanted()['both']), 1e-9);
        // touching at two corners only: what is in one only is two polygons
        self::assertCount(2, $overlay->polygons(self::wanted()['one only']));
    }

    public function test_holes_shared_sides_and_polygons_of_one_set_that_overlap(): void
    {
        $frame = [self::square(0, 0, 10)[0], self::square(3, 3, 4)[0]];
        $overlay = new Overlay([$frame], [self::square(3, 3, 4)]);
        self::assertEqualsWithDelta(0.0, $overlay->area(self::wanted()['both']), 1e-9, 'the second fills the hole of the first');
        self::assertEqualsWithDelta([[[[0, 10], [0, 0], [10, 0], [10, 10], [0, 10]]]], $overlay->polygons(self::wanted()['either']), 1e-9);
        $holed = $overlay->polygons(self::wanted()['first']);
        self::assertCount(2, $holed[0]);
        self::assertEqualsWithDelta(84.0, array_sum(array_map(PolygonRings::area(...), $holed[0])), 1e-9);
        // written the other way round, and twice over
        $turned = [array_reverse($frame[0]), $frame[1]];
        self::assertEqualsWithDelta(84.0, (new Overlay([$turned, $frame, $frame], []))->area(self::wanted()['first']), 1e-9);
        // neighbours with one side in common are one
        self::assertCount(1, (new Overlay([self::square(0, 0, 5), self::square(5, 0, 5)], []))->polygons(self::wanted()['first']));
    }

    public function test_many_shapes_against_what_sets_must_do_and_counted_places(): void
    {
        mt_srand(5);
        $blob = function (): array {
            [$x, $y, $r, $n] = [mt_rand(0, 100), mt_rand(0, 100), mt_rand(5, 40), mt_rand(5, 40)];
            $ring = [];
            for ($i = 0; $i < $n; $i++) {
                $far = $r * (0.5 + mt_rand() / mt_getrandmax());
                $ring[] = [$x + $far * cos(2 * M_PI * $i / $n), $y + $far * sin(2 * M_PI * $i / $n)];
            }

            return [[...$ring, $ring[0]]];
        };
        for ($turn = 0; $turn < 60; $turn++) {
            $first = array_map($blob, range(1, 5));
            $second = array_map($blob, range(1, 5));
            $overlay = new Overlay($first, $second);
            $areas = array_map(fn (\Closure $wanted): float => $overlay->area($wanted), self::wanted());
            self::assertEqualsWithDelta($areas['first'] + $areas['second'], $areas['both'] + $areas['either'], 1e-6);
            foreach (self::wanted() as $name => $wanted) {
                $rings = array_sum(array_map(PolygonRings::area(...), array_merge([], ...$overlay->polygons($wanted))));
                self::assertEqualsWithDelta($areas[$name], $rings, 1e-6, $name);
            }
            if ($turn < 3) {
                $holds = fn (array $polygons, float $x, float $y): bool => array_filter($polygons,
                    fn (array $rings): bool => PolygonRings::holds($rings[0], $x, $y)) !== [];
                $inside = 0;
                for ($k = 0; $k < 40_000; $k++) {
                    [$x, $y] = [-60 + 1.1 * ($k % 200), -60 + 1.1 * intdiv($k, 200)];
                    $inside += $holds($first, $x, $y) && $holds($second, $x, $y) ? 1 : 0;
                }
                self::assertEqualsWithDelta(1.0, $inside * 1.21 / $areas['both'], 0.02);
            }
        }
    }
}
