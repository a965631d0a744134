<?php

namespace Tests\Feature;

use Chorometra\Core\Assess\Check\Estimates;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Values;
use Chorometra\Demo\Simulator;
use PHPUnit\Framework\TestCase;
use Random\Engine\Xoshiro256StarStar;
use Random\Randomizer;

/** What a sample says of its own error holds over many draws from the made-up ground, of which the truth is known. */
class SimulationTest extends TestCase
{
    private const DRAWS = 2000;

    /** Points of a class outside it on the map, that must be expected for its interval to be long enough. */
    private const LEAST_OMITTED = 15.0;

    public function test_errors_and_intervals_over_two_thousand_draws(): void
    {
        [$population, $truth] = $this->ground();
        $classes = count($population);
        $total = array_sum(array_map(array_sum(...), $population));
        $weights = array_map(fn (array $row): float => array_sum($row) / $total, $population);
        // as many points of each class of the map
        $points = array_fill(0, $classes, 90);
        $omitted = array_map(fn (int $j): float => array_sum(array_map(
            fn (int $h): float => $h === $j ? 0.0 : $points[$h] * $population[$h][$j] / array_sum($population[$h]),
            range(0, $classes - 1),
        )), range(0, $classes - 1));
        $random = new Randomizer(new Xoshiro256StarStar(hash('sha256', 'simulation', true)));
        $values = $halves = $inside = [];
        for ($draw = 0; $draw < self::DRAWS; $draw++) {
            $strata = [];
            foreach ($population as $h => $row) {
                $strata[$h] = array_fill(0, $classes, array_fill(0, $classes, 0));
                $strata[$h][$h] = self::draw($row, $points[$h], $random);
            }
            $estimates = new Estimates($strata, $weights, $classes);
            $told = ['overall' => $estimates->overall()];
            for ($j = 0; $j < $classes; $j++) {
                $told["area $j"] = $estimates->area($j);
            }
            foreach ($told as $name => ['value' => $value, 'half' => $half]) {
                $values[$name][] = (float) $value;
                $halves[$name][] = (float) $half;
                $inside[$name] = ($inside[$name] ?? 0) + (abs($value - $truth[$name]) <= $half ? 1 : 0);
            }
        }
        $checked = 0;
        foreach ($values as $name => $all) {
            if ($name !== 'overall' && $omitted[(int) substr($name, 5)] < self::LEAST_OMITTED) {
                continue;
            }
            $mean = array_sum($all) / self::DRAWS;
            $scatter = sqrt(array_sum(array_map(fn (float $one): float => ($one - $mean) ** 2, $all)) / (self::DRAWS - 1));
            self::assertEqualsWithDelta(1.0, array_sum($halves[$name]) / self::DRAWS / 1.96 / $scatter, 0.05, "$name: the error told against the scatter");
            self::assertGreaterThanOrEqual(0.92, $inside[$name] / self::DRAWS, "$name: intervals that hold the truth");
            self::assertLessThanOrEqual(0.97, $inside[$name] / self::DRAWS, "$name: intervals that hold the truth");
            self::assertEqualsWithDelta($truth[$name], $mean, 4 * $scatter / sqrt(self::DRAWS), "$name: no bias");
            $checked++;
        }
        self::assertGreaterThanOrEqual(4, $checked, 'there are classes with enough to be omitted');
    }

    /**
     * The truth of one date as the ground, and that of the other, moved by a few pixels, as the map of it: wrong along edges and where something changed.
     *
     * @return array{list<list<int>>, array<string, float>} pixels by class of the map and of the ground; what is true of the whole
     */
    private function ground(): array
    {
        $folder = dirname(__DIR__, 2).'/storage/demo';
        is_file(Simulator::truth($folder, 'orvane-2033')) || Simulator::make($folder);
        $codes = function (string $year) use ($folder): array {
            $image = new GeoTiffImage(Simulator::truth($folder, "orvane-$year"));
            $grid = $image->spec()->grid;

            return [Values::codes($image, new Window(0, 0, $grid->width, $grid->height)), $grid->width];
        };
        [$before, $width] = $codes('2031');
        [$after] = $codes('2033');
        $counts = [];
        foreach ($after as $i => $code) {
            $moved = $i - 4 * $width - 5;
            if (isset($before[$moved])) {
                $counts[$before[$moved]][$code] = ($counts[$before[$moved]][$code] ?? 0) + 1;
            }
        }
        $classes = array_keys($counts);
        $population = array_map(fn (int $row): array => array_map(fn (int $column): int => $counts[$row][$column] ?? 0, $classes), $classes);
        $total = array_sum(array_map(array_sum(...), $population));
        $truth = ['overall' => array_sum(array_map(fn (int $k): int => $population[$k][$k], array_keys($classes))) / $total];
        foreach (array_keys($classes) as $j) {
            $truth["area $j"] = array_sum(array_column($population, $j)) / $total;
        }

        return [$population, $truth];
    }

    /**
     * Some of a row without replacement.
     *
     * @param  list<int>  $row
     * @return list<int> how many of each class
     */
    private static function draw(array $row, int $points, Randomizer $random): array
    {
        $drawn = array_fill(0, count($row), 0);
        for ($k = 0; $k < $points; $k++) {
            $at = $random->getInt(0, array_sum($row) - 1);
            for ($class = 0; $at >= $row[$class]; $class++) {
                $at -= $row[$class];
            }
            $drawn[$class]++;
            $row[$class]--;
        }

        return $drawn;
    }
}
