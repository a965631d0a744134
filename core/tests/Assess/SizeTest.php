<?php

namespace Chorometra\Core\Tests\Assess;

use Chorometra\Core\Assess\Check\SampleSize;
use Chorometra\Core\Tests\TestCase;

/** Worked numbers of Olofsson et al. 2014, Cochran 1977 and Tortora 1978 (recalled and recomputed: fixtures/o_accuracy_worked.json). */
final class SizeTest extends TestCase
{
    public function test_strata_as_olofsson_computes_them(): void
    {
        $example = self::fixture('o_accuracy_worked.json');
        [$weights, $expected] = [$example['olofsson']['W'], [0.70, 0.60, 0.90, 0.95]];
        $size = SampleSize::stratified($weights, $expected);
        // a standard error of one per cent
        self::assertEqualsWithDelta($example['olofsson_n'], $size->points(1.96 * 0.01), 1e-6);
        self::assertEqualsWithDelta(1.96 * 0.01, $size->width($example['olofsson_n']), 1e-12);
        $finite = SampleSize::stratified($weights, $expected, 1e7);
        self::assertEqualsWithDelta($example['olofsson_n_finite'], $finite->points(1.96 * 0.01), 1e-6);
        self::assertEqualsWithDelta(1.96 * 0.01, $finite->width($example['olofsson_n_finite']), 1e-12);
    }

    public function test_one_proportion_as_cochran_computes_it(): void
    {
        $known = self::fixture('o_accuracy_worked.json')['cochran'];
        self::assertEqualsWithDelta($known['p=.85 d=.05'], SampleSize::proportion(0.85)->points(0.05), 1e-9);
        self::assertEqualsWithDelta($known['p=.5 d=.05'], SampleSize::proportion(0.5)->points(0.05), 1e-9);
        self::assertEqualsWithDelta($known['p=.8 d=.03'], SampleSize::proportion(0.8)->points(0.03), 1e-9);
        $few = SampleSize::proportion(0.5, 1000.0);
        self::assertEqualsWithDelta($known['p=.5 d=.05 N=1000'], $few->points(0.05), 1e-9);
        self::assertEqualsWithDelta(0.05, $few->width($known['p=.5 d=.05 N=1000']), 1e-12);
        self::assertEqualsWithDelta(0.0, $few->width(1000.0), 1e-9, 'all of them are no sample');
    }

    public function test_shares_of_all_classes_as_tortora_computes_them(): void
    {
        $known = self::fixture('o_accuracy_worked.json')['multinomial_tortora'];
        self::assertEqualsWithDelta($known['4 classes, 5%, 95%'], SampleSize::multinomial([0.5, 0.3, 0.1, 0.1])->points(0.05), 1e-6);
        $eight = [0.3, ...array_fill(0, 7, 0.1)];
        self::assertEqualsWithDelta($known['8 classes share .3'], SampleSize::multinomial($eight)->points(0.05), 1e-6);
    }

    public function test_a_map_and_a_trial_sample(): void
    {
        // nine tenths land
        $map = $this->classes('map.tif', 40, 50, [...array_fill(0, 1800, 1), ...array_fill(0, 200, 2)], ['land', 'water']);
        $results = ['result' => "$this->folder/n.csv"];
        $run = fn (array $settings, array $more = []): array => $this->compute('assess.size', ['map' => $map, ...$more], $settings, $results);
        $figures = $run(['expected' => [95, 70], 'width' => 4]);
        $sum = 0.9 * sqrt(0.95 * 0.05) + 0.1 * sqrt(0.7 * 0.3);
        $exact = $sum ** 2 / ((0.04 / 1.96) ** 2 + (0.9 * 0.95 * 0.05 + 0.1 * 0.7 * 0.3) / 2000);
        self::assertSame((int) ceil($exact), $figures['points']);
        foreach (['equal', 'by area', 'Neyman'] as $how) {
            self::assertSame($figures['points'], array_sum(array_column($figures['classes'], $how)));
        }
        $widths = array_column($figures['curve'], 'width', 'points');
        self::assertLessThanOrEqual(0.04, $widths[$figures['points']]);
        self::assertGreaterThan(0.04, max($widths));
        self::assertCount(count($figures['curve']) + 1, file("$this->folder/n.csv") ?: []);
        // a trial sample of four, one of them wrong: two of three and one of one are right
        $features = array_map(fn (array $point): array => [
            'type' => 'Feature',
            'geometry' => ['type' => 'Point', 'coordinates' => self::grid(40, 50)->toMap($point[0], $point[1])],
            'properties' => ['label' => $point[2]],
        ], [[1.5, 1.5, 'land'], [5.5, 20.5, 'land'], [9.5, 30.5, 'water'], [3.5, 48.5, 'water']]);
        $crs = ['type' => 'name', 'properties' => ['name' => 'urn:ogc:def:crs:EPSG::32632']];
        file_put_contents("$this->folder/trial.geojson", json_encode(['type' => 'FeatureCollection', 'crs' => $crs, 'features' => $features]));
        $trial = $run([], ['points' => "$this->folder/trial.geojson"]);
        self::assertSame(4, $trial['trial']);
        self::assertEqualsWithDelta([3 / 5, 2 / 3], array_column($trial['classes'], 'expected'), 1e-12);
        self::assertGreaterThan($run(['estimate' => 'random'])['points'], $run(['estimate' => 'areas', 'width' => 2])['points']);
        $this->problem(2, 'of each of the 2 classes', fn () => $run(['expected' => [95, 70, 60]]));
        $this->problem(2, 'of each of the 2 classes', fn () => $run(['expected' => [195]]));
    }
}
