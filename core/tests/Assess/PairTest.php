<?php

namespace Chorometra\Core\Tests\Assess;

use Chorometra\Core\Assess\Check\McNemar;
use Chorometra\Core\Tests\TestCase;

/** R's mcnemar.test and binom.test (fixtures/o_accuracy_worked.json), and a pair of maps by hand. */
final class PairTest extends TestCase
{
    public function test_mcnemar_as_r_computes_it(): void
    {
        $known = self::fixture('o_accuracy_worked.json')['mcnemar'];
        $test = new McNemar($known['f12'], $known['f21']);
        self::assertEqualsWithDelta($known['chi2'], $test->square(), 1e-12);
        self::assertEqualsWithDelta($known['chi2_continuity'], $test->square(true), 1e-12);
        self::assertEqualsWithDelta($known['p_chi2'], $test->probability(), 1e-9);
        self::assertEqualsWithDelta($known['p_exact'], $test->exact(), 1e-9);
        self::assertEqualsWithDelta($known['p_exact'], (new McNemar($known['f21'], $known['f12']))->exact(), 1e-12, 'either way around');
        // nothing tells them apart
        foreach ([[0, 0], [5, 5]] as [$first, $second]) {
            $even = new McNemar($first, $second);
            self::assertEqualsWithDelta([0.0, 0.0, 1.0, 1.0], [$even->square(), $even->square(true), $even->probability(), $even->exact()], 1e-12);
        }
        self::assertEqualsWithDelta(2 / 2 ** 6, (new McNemar(6, 0))->exact(), 1e-12, 'as a coin that falls one way six times');
        self::assertEqualsWithDelta((new McNemar(50_600, 49_400))->probability(true), (new McNemar(50_600, 49_400))->exact(), 1e-5);
    }

    public function test_two_maps(): void
    {
        $map = $this->classes('map.tif', 4, 1, [1, 1, 2, 2], ['land', 'water']);
        // the same names under other codes
        $other = $this->classes('other.tif', 4, 1, [2, 1, 1, 255], ['water', 'land']);
        $run = function (array $labels) use ($map, $other): array {
            $features = [];
            foreach ($labels as $i => $label) {
                $at = ['type' => 'Point', 'coordinates' => self::grid(4, 4)->toMap($i + 0.5, 0.5)];
                $features[] = ['type' => 'Feature', 'geometry' => $at, 'properties' => ['label' => $label]];
            }
            $crs = ['type' => 'name', 'properties' => ['name' => 'urn:ogc:def:crs:EPSG::32632']];
            file_put_contents("$this->folder/p.geojson", json_encode(['type' => 'FeatureCollection', 'crs' => $crs, 'features' => $features]));

            $inputs = ['map' => $map, 'other' => $other, 'points' => "$this->folder/p.geojson"];

            return $this->compute('assess.pair', $inputs, [], ['result' => "$this->folder/p.csv"]);
        };
        $figures = $run(['land', 'land', 'water', 'water']);
        self::assertSame([2, 1, 0, 0, 1], array_map(fn (string $name): int => $figures[$name], ['both', 'first', 'second', 'neither', 'left-out']));
        // half of the ground is land on the map: both right on half of it, the other wrong on half
        self::assertEqualsWithDelta([1.0, 0.75, 0.25], [$figures['accuracy'], $figures['other'], $figures['difference']], 1e-12);
        self::assertNull($figures['differenceHalf']);
        self::assertStringContainsString('Only one labelled point in: water', implode(' ', $figures['notes']));
        self::assertStringContainsString("both,2\n", (string) file_get_contents("$this->folder/p.csv"));
        $this->problem(3, 'None of the labels (“ice”) is a class of map.tif', fn () => $run(['ice']));
        $this->problem(3, 'None of the 4 points', fn () => $run([null, null, null, 'water']));
    }
}
