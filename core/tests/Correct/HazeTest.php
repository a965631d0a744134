<?php

namespace Chorometra\Core\Tests\Correct;

use Chorometra\Core\Correct\Haze;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;

/** Against a least-squares line by numpy.polyfit, the geometry of the transform worked by hand, and haze that is known because it was put on. */
final class HazeTest extends TestCase
{
    private const SIDE = 150;

    public function test_the_line_and_the_distance_from_it(): void
    {
        $x = $y = [];
        for ($i = 0; $i < 40; $i++) {
            $x[] = 0.05 + 0.004 * $i;
            $y[] = 0.8 * $x[$i] + 0.01 + 0.003 * sin(1.7 * $i);
        }
        $fit = Haze::fit($x, $y, array_keys($x));
        self::assertNotNull($fit);
        // numpy.polyfit(x, y, 1)[0] of these numbers, numpy.corrcoef
        self::assertEqualsWithDelta(0.7994762183, $fit['sine'] / $fit['cosine'], 1e-9);
        self::assertEqualsWithDelta(0.9983893710, $fit['correlation'], 1e-9);
        // a line of 45°: a pixel bluer by 0.1 lies 0.1 sin 45° away, one redder by 0.1 on the clear side
        self::assertClose([0.0707106781, 0.0, NAN], Haze::away([0.3, 0.2, NAN], [0.2, 0.3, 0.2], 3, sqrt(0.5), sqrt(0.5), 0.0), 1e-9);
    }

    /** @return array{array<string, list<float>>, array<string, list<float>>} clear and hazy bands */
    private static function scene(): array
    {
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(21));
        $clear = $hazy = ['blue' => [], 'green' => [], 'red' => [], 'nir' => []];
        for ($i = 0; $i < self::SIDE ** 2; $i++) {
            $ground = $random->getInt(0, 1000) / 1000;
            $noise = fn (): float => $random->getInt(-100, 100) / 100_000;
            $pixel = [
                'blue' => 0.03 + 0.12 * $ground + $noise(),
                'green' => 0.04 + 0.14 * $ground + $noise(),
                'red' => 0.02 + 0.18 * $ground + $noise(),
                'nir' => 0.3 - 0.1 * $ground + $noise(),
            ];
            // more and more of it towards the east
            $thick = max(0, $i % self::SIDE - 75) / 75;
            foreach (['blue' => 0.06, 'green' => 0.04, 'red' => 0.025, 'nir' => 0.0] as $band => $adds) {
                $clear[$band][] = $pixel[$band];
                $hazy[$band][] = $pixel[$band] + $adds * $thick;
            }
        }

        return [$clear, $hazy];
    }

    public function test_haze_that_was_put_on_comes_off(): void
    {
        [$clear, $hazy] = self::scene();
        $image = $this->image('h.tif', self::SIDE, self::SIDE, $hazy);
        $corner = fn (float $col, float $row): array => Crs::toGeographic(32632, 431_000.0 + 20 * $col, 6_072_000.0 - 20 * $row) ?? [0, 0];
        Vectors::write("$this->folder/clear.geojson", [
            [
                'type' => 'Feature',
                'properties' => [],
                'geometry' => ['type' => 'Polygon', 'coordinates' => [[$corner(2, 2), $corner(70, 2), $corner(70, 140), $corner(2, 140), $corner(2, 2)]]],
            ],
        ]);
        foreach ([[], ['clear' => "$this->folder/clear.geojson"]] as $area) {
            $figures = $this->compute('correct.haze', ['image' => $image] + $area, [], ['result' => "$this->folder/o.tif", 'haze' => "$this->folder/a.tif"]);
            self::assertEqualsWithDelta(rad2deg(atan(0.18 / 0.12)), $figures['line']['angle'], 1.5);
            foreach (['blue' => 0.06, 'green' => 0.04, 'red' => 0.025] as $band => $adds) {
                $index = array_search($band, array_keys($clear), true);
                $error = fn (array $values): float => array_sum(array_map(fn (float $one, float $truth): float => abs($one - $truth), $values, $clear[$band])) /
                    self::SIDE ** 2;
                self::assertLessThan(0.15 * $error($hazy[$band]), $error(self::pixels("$this->folder/o.tif", (int) $index)), $band);
            }
            self::assertClose(self::pixels($image, 3), self::pixels("$this->folder/o.tif", 3), 0.0, 'haze is not seen in the infrared');
            $away = self::pixels("$this->folder/a.tif");
            self::assertEqualsWithDelta(0.06 * sin(atan(1.5)) - 0.025 * cos(atan(1.5)), $away[self::SIDE - 1], 0.004);
        }
        $hashes = [];
        foreach ([1, 3] as $workers) {
            $this->compute('correct.haze', ['image' => $image], [], ['result' => "$this->folder/w.tif"], new Context($workers, $this->folder));
            $hashes[] = md5_file("$this->folder/w.tif");
        }
        self::assertSame($hashes[0], $hashes[1]);
        // water, bluer than clear ground, is left alone
        self::assertClose([0.2, NAN, 0.3], Haze::overLand([0.2, 0.1, 0.3], [0.1, 0.1, 0.1], [0.3, 0.05, NAN], 3), 0.0);
        // clear ground stays as it is
        $this->compute('correct.haze', ['image' => $this->image('c.tif', self::SIDE, self::SIDE, $clear)], [], ['result' => "$this->folder/o.tif"]);
        self::assertClose($clear['blue'], self::pixels("$this->folder/o.tif"), 0.004);
    }

    public function test_bad_input_is_told_at_once(): void
    {
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(2));
        $some = fn (): array => array_map(fn (): float => $random->getInt(1, 1000) / 1000, range(1, 400));
        $run = fn (array $bands) => fn () => $this->compute(
            'correct.haze',
            ['image' => $this->image('b.tif', 20, 20, $bands)],
            [],
            ['result' => "$this->folder/n.tif"],
        );
        $this->problem(3, 'has no band red, which haze removal needs; it has 1 blue', $run(['blue' => $some()]));
        // clear or even scenes come out as they were, with a warning
        foreach (
            ['constant blue or red' => [array_fill(0, 400, 0.1), array_fill(0, 400, NAN)], 'are hardly correlated' => [$some()]] as $part => $blues
        ) {
            foreach ($blues as $blue) {
                $red = $some();
                $figures = $run(['blue' => $blue, 'red' => $red])();
                self::assertStringContainsString($part, $figures['warning']);
                self::assertStringContainsString('Nothing was removed', $figures['warning']);
                self::assertClose($red, self::pixels("$this->folder/n.tif", 1), 1e-6);
            }
        }
        // another cover off the line, brighter in red than in blue
        $blue = $red = [];
        foreach ($some() as $i => $ground) {
            $share = $i % 3 === 0 ? ($i % 30) / 30 : 0.0;
            $blue[] = 0.05 + 0.1 * $ground + 0.03 * $share;
            $red[] = 0.02 + 0.2 * $ground + 0.05 * $share + $random->getInt(-10, 10) / 1e5;
        }
        $figures = $this->compute(
            'correct.haze',
            [
                'image' => $this->image('b.tif', 100, 20, [
                    'blue' => [...$blue, ...$blue, ...$blue, ...$blue, ...$blue],
                    'red' => [...$red, ...$red, ...$red, ...$red, ...$red],
                ]),
            ],
            [],
            ['result' => "$this->folder/n.tif"],
        );
        self::assertStringContainsString('shows no haze', $figures['warning']);
    }
}
