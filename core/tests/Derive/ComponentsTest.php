<?php

namespace Chorometra\Core\Tests\Derive;

use Chorometra\Core\Derive\TasselledCap;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Stats\Comoments;
use Chorometra\Core\Stats\Eigen;
use Chorometra\Core\Tests\TestCase;

/** Components against numpy (fixtures/b_pca.json), tasselled cap against worked examples (fixtures/n_indices_tasseled_cap.json). */
final class ComponentsTest extends TestCase
{
    private const ROLES = ['blue', 'green', 'red', 'nir', 'swir1', 'swir2'];

    public function test_values_and_loadings_are_those_of_numpy(): void
    {
        $data = self::fixture('b_pca.json');
        $image = $this->pixels90($data['pixels']);
        foreach (['covariance' => '', 'correlation' => 'correlation_'] as $of => $key) {
            $values = $data["{$key}eigenvalues"];
            $vectors = $data["{$key}eigenvectors"];
            $figures = $this->compute('derive.components', ['image' => $image], ['of' => $of], [
                'result' => "$this->folder/c.tif",
                'table' => "$this->folder/c.csv",
            ]);
            self::assertSame(90, $figures['pixels']);
            self::assertClose($values, array_column($figures['scree'], 'variance'), 1e-11 * $values[0], $of);
            self::assertClose(array_map(fn (float $value): float => $value / array_sum($values), $values), array_column($figures['scree'], 'share'), 1e-11);
            self::assertEqualsWithDelta(1.0, $figures['scree'][5]['together'], 1e-12);
            $loadings = array_column($figures['loadings'], 'components');
            self::assertClose(array_merge(...$vectors), array_merge(...$loadings), 1e-9, $of);
            $file = new GeoTiffImage("$this->folder/c.tif");
            self::assertSame('component 1', $file->spec()->bands[0]->name);
            foreach (range(0, 5) as $k) {
                // kept in floats of 32 bits
                $scores = array_column($data["{$key}scores_first_5"], $k);
                self::assertClose($scores, array_slice(self::pixels("$this->folder/c.tif", $k), 0, 5), 1e-7 * max(array_map(abs(...), $scores)), "$of $k");
            }
            $lines = array_map(fn (string $line): array => str_getcsv($line, escape: ''), file("$this->folder/c.csv", FILE_IGNORE_NEW_LINES) ?: []);
            self::assertSame(['band', 'wavelength', 'mean', 'divisor', 'component-1'], array_slice($lines[0], 0, 5));
            self::assertSame('blue', $lines[1][0]);
            self::assertEqualsWithDelta($vectors[0][0], (float) $lines[1][4], 1e-8);
        }
    }

    public function test_loadings_of_one_date_are_applied_to_another(): void
    {
        $data = self::fixture('b_pca.json');
        $one = $this->pixels90($data['pixels']);
        $this->compute('derive.components', ['image' => $one], ['of' => 'correlation'], ['result' => "$this->folder/c.tif", 'table' => "$this->folder/c.csv"]);
        $first = self::pixels("$this->folder/c.tif");
        // the other date is the first but for one pixel: all others must come out as they did
        $changed = $data['pixels'];
        $changed[5] = [100, 200, 300, 400, 500, 600];
        $other = $this->pixels90($changed, 'other.tif');
        $inputs = ['image' => $other, 'loadings' => "$this->folder/c.csv"];
        $figures = $this->compute('derive.components', $inputs, ['keep' => 2], ['result' => "$this->folder/d.tif"]);
        $second = self::pixels("$this->folder/d.tif");
        unset($first[5], $second[5]);
        self::assertClose(array_values($first), array_values($second), 1e-4);
        self::assertCount(2, (new GeoTiffImage("$this->folder/d.tif"))->spec()->bands);
        self::assertArrayNotHasKey('scree', $figures);
        self::assertCount(2, $figures['loadings'][0]['components']);
        $out = ['result' => "$this->folder/x.tif"];
        $run = fn (array $inputs, array $settings): \Closure => fn (): array => $this->compute('derive.components', $inputs, $settings, $out);
        self::assertSame('bands', $this->problem(3, 'was computed from 6 bands', $run($inputs, ['bands' => 'red,nir']))->about);
        file_put_contents("$this->folder/e.csv", "band,mean\nblue,2\n");
        self::assertSame('loadings', $this->problem(3, 'contains no loadings', $run(['loadings' => "$this->folder/e.csv"] + $inputs, []))->about);
        file_put_contents("$this->folder/f.csv", "band,wavelength,mean,divisor,component-1\nblue,,2,0,1\n");
        $this->problem(3, 'a divisor in row 2 that is not above 0', $run(['loadings' => "$this->folder/f.csv"] + $inputs, ['bands' => '1']));
        file_put_contents("$this->folder/g.csv", "band,wavelength,mean,divisor,component-1\nblue,,two,1,1\n");
        $this->problem(3, 'something else than a number in row 2', $run(['loadings' => "$this->folder/g.csv"] + $inputs, ['bands' => '1']));
    }

    public function test_what_is_constant_is_left_out_and_told(): void
    {
        $image = $this->image('k.tif', 2, 2, ['red' => [1.0, 2.0, 3.0, NAN], 'green' => [5.0, 5.0, 5.0, 5.0], 'nir' => [2.0, 1.0, 4.0, 7.0]]);
        $figures = $this->compute('derive.components', ['image' => $image], [], ['result' => "$this->folder/c.tif"]);
        self::assertSame(['green'], $figures['leftOut']);
        self::assertSame(3, $figures['pixels']);
        self::assertCount(2, $figures['scree']);
        self::assertNan(self::pixels("$this->folder/c.tif")[3]);
        $out = ['result' => "$this->folder/x.tif"];
        $run = fn (array $settings): \Closure => fn (): array => $this->compute('derive.components', ['image' => $image], $settings, $out);
        self::assertSame('bands', $this->problem(3, 'are constant', $run(['bands' => 'green']))->about);
        self::assertSame('bands', $this->problem(2, 'named twice', $run(['bands' => 'red,1']))->about);
        self::assertSame('keep', $this->problem(2, 'There are only 2 components', $run(['keep' => 3]))->about);
    }

    public function test_sums_do_not_depend_on_where_they_are_cut_nor_on_the_level(): void
    {
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(3));
        $bands = array_map(fn (): array => array_map(fn (): float => 1e6 + $random->getInt(0, 1000) / 1000, range(1, 240)), range(1, 4));
        $bands[2][17] = NAN;
        $whole = Comoments::of($bands, 240);
        self::assertSame(239, $whole->count);
        $part = new Comoments;
        foreach ([[0, 100], [100, 1], [101, 139]] as [$from, $count]) {
            $part = $part->merge(Comoments::of(array_map(fn (array $band): array => array_slice($band, $from, $count), $bands), $count));
        }
        // slowly, from values that lie near 0
        foreach ([0, 1, 2, 3] as $i) {
            foreach ([0, 1, 2, 3] as $j) {
                $sum = $a = $b = 0.0;
                foreach ($bands[0] as $k => $_) {
                    if ($k !== 17) {
                        [$x, $y] = [$bands[$i][$k] - 1e6, $bands[$j][$k] - 1e6];
                        $sum += $x * $y;
                        $a += $x;
                        $b += $y;
                    }
                }
                $expected = ($sum - $a * $b / 239) / 238;
                self::assertEqualsWithDelta($expected, $whole->covariances()[$i][$j], 1e-9);
                self::assertEqualsWithDelta($expected, $part->covariances()[$i][$j], 1e-9);
            }
        }
        // a matrix of known values: 2 − 2 cos(kπ/6), of second differences
        [$values] = Eigen::symmetric([[2, -1, 0, 0, 0], [-1, 2, -1, 0, 0], [0, -1, 2, -1, 0], [0, 0, -1, 2, -1], [0, 0, 0, -1, 2]]);
        self::assertClose(array_map(fn (int $k): float => 2 - 2 * cos($k * M_PI / 6), [5, 4, 3, 2, 1]), $values, 1e-14);
    }

    public function test_tasselled_cap_by_published_coefficients(): void
    {
        $data = self::fixture('n_indices_tasseled_cap.json');
        $names = ['oli' => 'OLI Baig 2014', 'etm' => 'ETM+ Huang 2002', 'tm' => 'TM reflectance Crist 1985'];
        $image = $this->image(
            'five.tif',
            5,
            1,
            array_combine(self::ROLES, array_map(fn (string $key): array => array_column($data['pixels'], $key), ['B', 'G', 'R', 'N', 'S1', 'S2'])),
        );
        foreach ($names as $set => $name) {
            $figures = $this->compute('derive.tasselled-cap', ['image' => $image], ['coefficients' => $set], ['result' => "$this->folder/t.tif"]);
            self::assertSame(TasselledCap::SETS[$set][0], $figures['coefficients']);
            foreach (['brightness', 'greenness', 'wetness'] as $k => $made) {
                $examples = array_values($data['tasseled_cap'][$name]['examples']);
                self::assertClose(array_column($examples, $k), self::pixels("$this->folder/t.tif", $k), 1e-6, "$set $made");
            }
        }
        // every row has length 1, and no two have anything in common, as far as the published digits go
        foreach (TasselledCap::SETS as $set => [, , , $rows]) {
            foreach ($rows as $i => $row) {
                foreach ($rows as $j => $other) {
                    $product = array_sum(array_map(fn (float $a, float $b): float => $a * $b, $row, $other));
                    self::assertEqualsWithDelta($i === $j ? 1.0 : 0.0, $product, $set === 'tm-counts' ? 2e-3 : 3e-4, $set);
                }
            }
        }
    }

    public function test_sums_of_one_unit_keep_it(): void
    {
        $bands = array_map(fn (string $role): Band => new Band($role, unit: 'reflectance'), self::ROLES);
        $path = $this->raster('six.tif', new RasterSpec(self::grid(2, 1), $bands), array_fill(0, 6, [0.2, 0.3]));
        $unit = function (string $kind, array $settings) use ($path): ?string {
            $this->compute($kind, ['image' => $path], $settings, ['result' => "$this->folder/r.tif"]);

            return (new GeoTiffImage("$this->folder/r.tif"))->spec()->bands[0]->unit;
        };
        self::assertSame('reflectance', $unit('derive.tasselled-cap', ['coefficients' => 'oli']));
        self::assertSame('reflectance', $unit('derive.components', []));
        self::assertNull($unit('derive.components', ['of' => 'correlation']));
    }

    public function test_coefficients_are_proposed_by_what_the_image_says(): void
    {
        $spec = fn (array $properties): RasterSpec => new RasterSpec(self::grid(1, 1), [new Band], properties: $properties);
        self::assertSame('oli', TasselledCap::proposed($spec(['platform' => 'landsat-8', 'instruments' => ['oli', 'tirs']]), false));
        self::assertSame('etm', TasselledCap::proposed($spec(['platform' => 'landsat-7', 'instruments' => ['etm+']]), false));
        self::assertSame('tm', TasselledCap::proposed($spec(['platform' => 'landsat-5']), false));
        self::assertSame('tm-counts', TasselledCap::proposed($spec(['instruments' => ['tm']]), true));
        self::assertNull(TasselledCap::proposed($spec(['platform' => 'velisande-1']), false));
        $image = $this->image('six.tif', 1, 1, array_fill_keys(self::ROLES, [0.2]));
        $out = ['result' => "$this->folder/x.tif"];
        $run = fn (array $settings): \Closure => fn (): array => $this->compute('derive.tasselled-cap', ['image' => $image], $settings, $out);
        self::assertSame('coefficients', $this->problem(2, 'names no sensor', $run([]))->about);
        self::assertSame('swir2', $this->problem(3, 'has no band cirrus', $run(['coefficients' => 'tm', 'swir2' => 'cirrus']))->about);
    }

    /** @param  list<list<int>>  $pixels */
    private function pixels90(array $pixels, string $name = 'ninety.tif'): string
    {
        $bands = array_map(fn (int $k): array => array_map(floatval(...), array_column($pixels, $k)), range(0, 5));

        return $this->image($name, 10, 9, array_combine(self::ROLES, $bands));
    }
}
