<?php

namespace Chorometra\Core\Tests\Derive;

use Chorometra\Core\Arithmetic\Formula;
use Chorometra\Core\Arithmetic\Indices;
use Chorometra\Core\Tests\TestCase;
use PHPUnit\Framework\Attributes\TestWith;

/** Indices against numpy's values of five made-up spectra (fixtures/n_indices_tasseled_cap.json). */
final class IndexTest extends TestCase
{
    private const NAMES = [
        'ratio' => 'SR',
        'ndvi' => 'NDVI',
        'ndwi' => 'NDWI_McFeeters',
        'mndwi' => 'MNDWI',
        'evi' => 'EVI',
        'evi2' => 'EVI2',
        'savi' => 'SAVI_L05',
        'msavi' => 'MSAVI2',
        'nbr' => 'NBR',
        'ndbi' => 'NDBI',
        'ndmi' => 'NDWI_Gao_NDMI',
        'gndvi' => 'GNDVI',
    ];

    public function test_values_are_those_of_numpy(): void
    {
        $data = self::fixture('n_indices_tasseled_cap.json');
        $bands = [];
        foreach (['blue' => 'B', 'green' => 'G', 'red' => 'R', 'nir' => 'N', 'swir1' => 'S1', 'swir2' => 'S2'] as $role => $key) {
            $bands[$role] = [...array_column($data['pixels'], $key), NAN];
        }
        $image = $this->image('spectra.tif', 6, 1, $bands);
        foreach (self::NAMES as $index => $key) {
            $figures = $this->compute('derive.index', ['image' => $image], ['index' => $index], ['result' => "$this->folder/$index.tif"]);
            self::assertClose([...array_column($data['indices'], $key), NAN], self::pixels("$this->folder/$index.tif"), 2e-6, $index);
            self::assertSame(5, $figures['result']['bands'][0]['pixels']);
        }
        // bare soil index, by hand: ((S1 + R) - (N + B)) / ((S1 + R) + (N + B)) of the first spectrum
        $this->compute('derive.index', ['image' => $image], ['index' => 'bsi'], ['result' => "$this->folder/bsi.tif"]);
        self::assertEqualsWithDelta(((0.19 + 0.045) - (0.42 + 0.035)) / ((0.19 + 0.045) + (0.42 + 0.035)), self::pixels("$this->folder/bsi.tif")[0], 1e-6);
        self::assertSame([], array_diff(array_keys(Indices::TABLE), array_keys(self::NAMES), ['bsi', ...array_keys(self::BY_HAND)]), 'every index is checked');
    }

    /** Of blue 0.05, green 0.08, red 0.06, red edge 0.15, nir 0.35, swir1 0.2, swir2 0.1, worked out by hand as fractions. */
    private const BY_HAND = [
        'ndre' => 0.2 / 0.5, 'cig' => 3.375, 'cire' => 4 / 3, 'osavi' => 0.29 / 0.57, 'nbr2' => 1 / 3, 'bai' => 1 / 0.0857, 'ndsi' => -3 / 7,
    ];

    public function test_values_by_hand(): void
    {
        $spectrum = ['blue' => [0.05], 'green' => [0.08], 'red' => [0.06], 'rededge' => [0.15], 'nir' => [0.35], 'swir1' => [0.2], 'swir2' => [0.1]];
        $image = $this->image('spectrum.tif', 1, 1, $spectrum);
        foreach (self::BY_HAND as $index => $value) {
            $this->compute('derive.index', ['image' => $image], ['index' => $index], ['result' => "$this->folder/$index.tif"]);
            self::assertClose([$value], self::pixels("$this->folder/$index.tif"), 2e-6 * max(1.0, abs($value)), $index);
        }
    }

    /** docs/indices.md tells every index as it is here. */
    public function test_the_page_of_indices_is_true(): void
    {
        $page = (string) file_get_contents(dirname(__DIR__, 3).'/docs/indices.md');
        foreach (Indices::TABLE as $name => [$title, $formula, $source]) {
            self::assertStringContainsString("| `$name` | $title | `$formula` | $source |", $page);
        }
    }

    public function test_a_band_by_number_takes_the_place_of_a_role(): void
    {
        $image = $this->image('two.tif', 2, 1, ['green' => [0.2, 0.4], 'pan' => [0.6, 0.4]]);
        $this->compute('derive.index', ['image' => $image], ['red' => '1', 'nir' => '2'], ['result' => "$this->folder/v.tif"]);
        self::assertClose([0.5, 0.0], self::pixels("$this->folder/v.tif"), 1e-7);
    }

    public function test_a_missing_band_is_told_with_what_there_is(): void
    {
        $image = $this->image('two.tif', 1, 1, ['green' => [0.2], 'red' => [0.3]]);
        $problem = $this->problem(
            3,
            'two.tif has no band nir; it has 1 green, 2 red.',
            fn () => $this->compute('derive.index', ['image' => $image], [], ['result' => "$this->folder/v.tif"]),
        );
        self::assertSame('nir', $problem->about);
        self::assertFileDoesNotExist("$this->folder/v.tif");
    }

    public function test_a_formula_divides_by_zero_and_takes_roots_of_negatives_as_nodata(): void
    {
        self::assertClose([2.0, NAN, NAN, NAN], (new Formula('a / sqrt(b)'))->compile()([[4.0, 1.0, 1.0, NAN], [4.0, 0.0, -1.0, 1.0]], 4)[0], 0.0);
        self::assertClose([-7.0], (new Formula('-a - 2 * (b - 1.5e1) / -4'))->compile()([[1.5], [4.0]], 1)[0], 1e-12);
        self::assertSame(['nir', 'red'], (new Formula('(nir - red) / (nir + red)'))->names());
    }

    #[TestWith(['system(1)'])]
    #[TestWith(['a + $b'])]
    #[TestWith(['a +'])]
    #[TestWith(['(a'])]
    #[TestWith(['a b'])]
    #[TestWith([''])]
    public function test_what_is_no_formula_is_refused(string $text): void
    {
        $this->problem(2, 'The formula', fn () => new Formula($text));
    }
}
