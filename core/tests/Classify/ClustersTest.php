<?php

namespace Chorometra\Core\Tests\Classify;

use Chorometra\Core\Classify\Cases\FeatureTable;
use Chorometra\Core\Classify\Clustering\PixelSample;
use Chorometra\Core\Format\Document;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Step\Registry;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;
use Random\Engine\Mt19937;
use Random\Randomizer;

/** Clusters of images; the groups themselves are checked in Stats\ClustersTest. */
final class ClustersTest extends TestCase
{
    private const CENTRES = [[0.05, 0.02], [0.08, 0.4], [0.3, 0.35], [0.15, 0.2]];

    public function test_groups_that_are_there_are_found_by_either_method_and_from_the_whole(): void
    {
        [$image, $truth] = $this->fourGroups(80, 70);
        foreach ([
            ['method' => 'k-means', 'classes' => 4],
            ['method' => 'k-means', 'classes' => 4, 'sample' => 1000],
            ['method' => 'k-means', 'classes' => 4, 'sample' => 0],
            ['method' => 'isodata', 'classes' => 4],
            ['method' => 'k-means', 'classes' => 4, 'standardise' => 'yes'],
        ] as $settings) {
            $figures = $this->compute('classify.clusters', ['images' => $image], $settings, [
                'classes' => "$this->folder/c.tif", 'confidence' => "$this->folder/s.tif", 'model' => "$this->folder/m.json",
            ]);
            self::assertSame(4, $figures['found']);
            // codes go from the darkest in the first band
            $names = [0 => 1, 1 => 2, 3 => 3, 2 => 4];
            $found = self::pixels("$this->folder/c.tif");
            $wrong = count(array_filter(array_keys($truth), fn (int $i): bool => $found[$i] !== ($truth[$i] === null ? 255 : $names[$truth[$i]])));
            self::assertLessThan(0.002 * count($truth), $wrong, json_encode($settings));
            self::assertEqualsWithDelta(0.05, $figures['centres']['rows'][0][0], 0.004);
            self::assertSame(['red', 'nir'], $figures['centres']['bands']);
            // the elbow: four are enough
            $left = array_column($figures['curve'], 'variance left', 'clusters');
            self::assertSame(1.0, round($left[1], 9));
            self::assertLessThan(0.05, $left[4]);
            self::assertGreaterThan(3 * $left[4], $left[3]);
            $figures = $this->compute('classify.apply', ['images' => $image, 'model' => "$this->folder/m.json"], [], ['classes' => "$this->folder/again.tif"]);
            self::assertSame($found, self::pixels("$this->folder/again.tif"));
        }
        self::assertSame('cluster 1', (new GeoTiffImage("$this->folder/c.tif"))->spec()->legend?->name(1));
        self::assertGreaterThan(0.3, array_sum(array_filter(self::pixels("$this->folder/s.tif"), is_finite(...))) / count($truth));
    }

    public function test_clusters_start_in_the_mean_colour_of_their_pixels(): void
    {
        // three bands stretched from 2 to 98 %: the darkest and the brightest quarter of each lie on its ends
        $image = $this->raster('rgb.tif', $this->bands('nir', 'green', 'red'), [
            [...array_fill(0, 4, 0.125), ...array_fill(0, 4, 0.5), ...array_fill(0, 8, 0.25)],
            [...array_fill(0, 4, 0.2), ...array_fill(0, 4, 0.2), ...array_fill(0, 8, 0.6)],
            [...array_fill(0, 8, 0.4), ...array_fill(0, 8, 0.0)],
        ]);
        $this->compute('classify.clusters', ['images' => $image], ['classes' => 3], ['classes' => "$this->folder/c.tif"]);
        // shown as near infrared, red, green; numbered by near infrared
        self::assertSame(
            ['#00ff00', '#5500ff', '#ffff00'],
            array_column((new GeoTiffImage("$this->folder/c.tif"))->spec()->legend->classes ?? [], 'colour'),
        );
        // of bands that make no colour together, hues of their own
        $image = $this->raster('two.tif', $this->bands('nir', 'swir1'), [[...array_fill(0, 8, 1.0), ...array_fill(0, 8, 2.0)], array_fill(0, 16, 3.0)]);
        $this->compute('classify.clusters', ['images' => $image], ['classes' => 2], ['classes' => "$this->folder/c.tif"]);
        self::assertCount(2, array_unique(array_column((new GeoTiffImage("$this->folder/c.tif"))->spec()->legend->classes ?? [], 'colour')));
    }

    public function test_centres_of_the_whole_are_the_means_of_their_pixels(): void
    {
        [$image] = $this->fourGroups(80, 70);
        $settings = ['classes' => 3, 'sample' => 0, 'tolerance' => 0, 'iterations' => 200];
        $this->compute('classify.clusters', ['images' => $image], $settings, ['classes' => "$this->folder/c.tif", 'model' => "$this->folder/m.json"]);
        $codes = self::pixels("$this->folder/c.tif");
        foreach ([0, 1] as $band) {
            $values = self::pixels($image, $band);
            foreach (array_column(Document::read("$this->folder/m.json")['parameters']['means'], $band) as $cluster => $mean) {
                $own = array_keys($codes, $cluster + 1, true);
                self::assertEqualsWithDelta(array_sum(array_map(fn (int $i): float => $values[$i], $own)) / count($own), $mean, 1e-9);
            }
        }
    }

    public function test_a_sample_has_about_as_many_pixels_as_wanted(): void
    {
        $image = $this->image('hundred.tif', 100, 100, ['red' => array_map(floatval(...), range(0, 9_999))]);
        $kind = Registry::get('classify.clusters');
        $call = CallOpener::call($kind, ['images:1' => $image], [], ['classes' => "$this->folder/c.tif"], new Context(2));
        foreach ([20_000 => 10_000, 10_000 => 10_000, 7_000 => 7_000, 5_000 => 5_000, 2_500 => 2_500, 100 => 100] as $wanted => $expected) {
            $sample = PixelSample::of(FeatureTable::of($call, []), $wanted, 1, new Context(2));
            self::assertEqualsWithDelta($expected, count($sample[0]), 0.02 * $expected);
            self::assertSame($sample[0], array_values(array_unique($sample[0])));
        }
    }

    public function test_a_seed_gives_one_map_and_what_has_no_groups_is_said(): void
    {
        [$image] = $this->fourGroups(50, 40);
        $run = function (array $settings) use ($image): string {
            $this->compute('classify.clusters', ['images' => $image], $settings, ['classes' => "$this->folder/c.tif"]);

            return (string) md5_file("$this->folder/c.tif");
        };
        self::assertSame($run(['sample' => 500, 'seed' => 3]), $run(['sample' => 500, 'seed' => 3]));
        self::assertNotSame($run(['sample' => 500, 'seed' => 3, 'classes' => 12]), $run(['sample' => 500, 'seed' => 4, 'classes' => 12]));
        $none = $this->image('none.tif', 5, 5, ['red' => array_fill(0, 25, NAN)]);
        $this->problem(
            3,
            'there is nothing to cluster',
            fn () => $this->compute('classify.clusters', ['images' => $none], [], ['classes' => "$this->folder/c.tif"]),
        );
        $flat = $this->image('flat.tif', 5, 5, ['red' => array_fill(0, 25, 2.0)]);
        $figures = $this->compute('classify.clusters', ['images' => $flat], [], ['classes' => "$this->folder/c.tif"]);
        self::assertSame(1, $figures['found'], 'what is the same everywhere is one');
    }

    public function test_what_lies_under_a_mask_is_neither_looked_at_nor_mapped(): void
    {
        [$image, $truth] = $this->fourGroups(40, 30);
        $mask = $this->classes('mask.tif', 40, 30, array_map(fn (?int $group): int => $group === 2 ? 2 : 1, $truth), ['clear', 'cloud']);
        $figures = $this->compute('classify.clusters', ['images' => $image, 'mask' => $mask], ['classes' => 3], ['classes' => "$this->folder/c.tif"]);
        self::assertSame(3, $figures['found']);
        foreach (self::pixels("$this->folder/c.tif") as $i => $code) {
            self::assertSame($truth[$i] === 2 || $truth[$i] === null ? 255 : [0 => 1, 1 => 2, 3 => 3][$truth[$i]], $code);
        }
    }

    /** @return array{string, list<int|null>} an image of four groups, and the group of each pixel */
    private function fourGroups(int $width, int $height): array
    {
        $random = new Randomizer(new Mt19937(21));
        $truth = $planes = [];
        for ($i = 0; $i < $width * $height; $i++) {
            $truth[] = $i % 53 === 0 ? null : (intdiv($i % $width, 9) + intdiv(intdiv($i, $width), 7)) % 4;
            foreach ([0, 1] as $band) {
                $planes[$band][] = $truth[$i] === null ? NAN : self::CENTRES[$truth[$i]][$band] + $random->getInt(-100, 100) / 4000;
            }
        }
        $bands = [new Band('red', 'red', unit: 'reflectance'), new Band('nir', 'nir', unit: 'reflectance')];

        return [$this->raster('groups.tif', new RasterSpec(self::grid($width, $height), $bands), $planes), $truth];
    }

    private function bands(string ...$roles): RasterSpec
    {
        return new RasterSpec(self::grid(4, 4), array_map(fn (string $role): Band => new Band($role, $role, unit: 'reflectance'), $roles));
    }
}
