<?php

namespace Chorometra\Core\Tests\Assess;

use Chorometra\Core\Assess\Draw;
use Chorometra\Core\Assess\Matrix;
use Chorometra\Core\Engine\Context;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Tests\TestCase;

final class DrawTest extends TestCase
{
    private function map(): string
    {
        // 0 and nodata are never drawn
        $codes = array_map(fn (int $i): int => [1, 1, 1, 2, 0, 255, 1, 3, 2, 1][($i * 7 + intdiv($i, 50)) % 10], range(0, 2499));

        return $this->classes('map.tif', 50, 50, $codes, ['sand', 'reed', 'mud']);
    }

    /** @return list<array<string, mixed>> */
    private function draw(array $settings, string $name = 'p', int $workers = 2): array
    {
        $this->compute('assess.draw', ['map' => $this->map()], $settings, ['result' => "$this->folder/$name.geojson"], new Context($workers, $this->folder));

        return json_decode((string) file_get_contents("$this->folder/$name.geojson"), true)['features'];
    }

    public function test_each_point_is_the_centre_of_a_pixel_of_its_stratum(): void
    {
        $features = $this->draw(['points' => 60, 'seed' => 4]);
        self::assertSame(['sand' => 20, 'reed' => 20, 'mud' => 20], array_replace(['sand' => 0, 'reed' => 0, 'mud' => 0], array_count_values(array_column(array_column($features, 'properties'), 'stratum'))));
        $map = new GeoTiffImage($this->map());
        $places = Matrix::points("$this->folder/p.geojson", $map);
        self::assertCount(60, array_unique(array_map(fn (array $place): string => round($place['x'], 3).' '.round($place['y'], 3), $places)));
        foreach ($features as $i => $feature) {
            $code = Matrix::codeAt($map, $places[$i]['x'], $places[$i]['y']);
            self::assertSame($feature['properties']['stratum'], $map->spec()->legend?->name((int) $code));
            [$col, $row] = $map->spec()->grid->toPixel($places[$i]['x'], $places[$i]['y']);
            self::assertEqualsWithDelta([0.5, 0.5], [fmod($col, 1.0), fmod($row, 1.0)], 1e-5);
            self::assertNull($feature['properties']['label']);
        }
    }

    public function test_a_seed_draws_the_same_points_however_many_work(): void
    {
        self::assertSame($this->draw(['points' => 40, 'seed' => 9], 'a', 1), $this->draw(['points' => 40, 'seed' => 9], 'b', 3));
        self::assertNotSame($this->draw(['points' => 40, 'seed' => 9], 'a'), $this->draw(['points' => 40, 'seed' => 10], 'b'));
    }

    public function test_where_all_are_wanted_every_labelled_pixel_is_drawn_once(): void
    {
        foreach (['random', 'stratified'] as $design) {
            $features = $this->draw(['points' => 9000, 'design' => $design]);
            $map = new GeoTiffImage($this->map());
            $pixels = [];
            foreach (Matrix::points("$this->folder/p.geojson", $map) as $i => $place) {
                [$col, $row] = $map->spec()->grid->toPixel($place['x'], $place['y']);
                $pixels[50 * (int) $row + (int) $col] = $features[$i]['properties']['stratum'];
            }
            ksort($pixels);
            $names = [1 => 'sand', 2 => 'reed', 3 => 'mud'];
            $expected = array_filter(array_map(fn (int $code): ?string => $names[$code] ?? null, self::pixels($map)));
            self::assertCount(count($expected), $features);
            self::assertSame($expected, $pixels);
        }
    }

    public function test_designs_and_distance(): void
    {
        self::assertCount(50, $this->draw(['points' => 50, 'design' => 'random']));
        $systematic = $this->draw(['points' => 100, 'design' => 'systematic']);
        // a tenth of the pixels is unlabelled, a tenth nodata
        self::assertEqualsWithDelta(80, count($systematic), 31);
        $this->draw(['points' => 30, 'distance' => 100, 'design' => 'random'], 'far');
        $places = Matrix::points("$this->folder/far.geojson", new GeoTiffImage($this->map()));
        foreach ($places as $i => $one) {
            foreach (array_slice($places, $i + 1) as $other) {
                self::assertGreaterThanOrEqual(100 - 1e-3, hypot($one['x'] - $other['x'], $one['y'] - $other['y']));
            }
        }
    }

    public function test_neyman_and_proportional_allocation_against_a_worked_example(): void
    {
        $example = self::fixture('o_accuracy_worked.json');
        $pixels = array_map(fn (float $weight): int => (int) round(1e7 * $weight), $example['olofsson']['W']);
        self::assertEqualsWithDelta($example['olofsson_proportional'], Draw::allocate($pixels, 641, 'proportional'), 1.0);
        // expected user's accuracies of Olofsson et al. 2014: 0.7, 0.6, 0.9, 0.95
        self::assertEqualsWithDelta($example['neyman'], Draw::allocate($pixels, 641, 'neyman', [0.7, 0.6, 0.9, 0.95]), 1.0);
        self::assertSame([1 => 4, 2 => 3, 3 => 3], Draw::allocate([1 => 100, 2 => 100, 3 => 100], 10, 'equal'));
        self::assertSame([1 => 2, 2 => 5], Draw::allocate([1 => 2, 2 => 100], 10, 'equal'));
    }

    public function test_bad_calls(): void
    {
        $this->problem(2, 'Neyman allocation needs the expected accuracy', fn () => $this->draw(['allocation' => 'neyman', 'expected' => '0.5']));
        $this->problem(2, 'points is 0', fn () => $this->draw(['points' => 0]));
        $this->problem(3, 'no labelled pixels', fn () => $this->compute('assess.draw', ['map' => $this->classes('e.tif', 2, 1, [0, 255], ['a'])], [], ['result' => "$this->folder/p.geojson"]));
    }
}
