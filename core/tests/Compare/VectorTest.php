<?php

namespace Chorometra\Core\Tests\Compare;

use Chorometra\Core\Compare\Change\Directions;
use Chorometra\Core\Compare\Vector;
use Chorometra\Core\Engine\Runner;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Tests\Samples;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;

final class VectorTest extends TestCase
{
    use Samples;

    /**
     * @param  list<string>  $roles
     * @param  list<list<float>>  $before  by band
     * @param  list<list<float>>  $after
     * @param  array<string, mixed>  $settings
     * @return array{array<string, mixed>, GeoTiffImage, GeoTiffImage|null}
     */
    private function vector(array $roles, array $before, array $after, array $settings = []): array
    {
        $spec = new RasterSpec(self::grid(count($before[0]), 1), array_map(fn (string $role): Band => new Band($role), $roles));
        $inputs = ['before' => $this->raster('before.tif', $spec, $before), 'after' => $this->raster('after.tif', $spec, $after)];
        $outputs = ['vector' => "$this->folder/vector.tif"] + (isset($settings['limits']) ? ['changes' => "$this->folder/changes.tif"] : []);
        $kind = new Vector;
        $figures = Runner::run($kind, CallOpener::call($kind, $inputs, $settings, $outputs, new Context(2)));

        return [$figures, new GeoTiffImage($outputs['vector']), isset($outputs['changes']) ? new GeoTiffImage($outputs['changes']) : null];
    }

    public function test_length_and_direction_are_those_of_the_worked_vector(): void
    {
        // fixtures/p_change.json
        $cva = self::fixture('p_change.json')['cva'];
        $bands = fn (array $values): array => array_map(fn (float $value): array => [$value], $values);
        [, $vector] = $this->vector(['red', 'nir', 'swir1'], $bands($cva['before']), $bands($cva['after']));
        $all = new Window(0, 0, 1, 1);
        self::assertEqualsWithDelta($cva['magnitude'], Values::of($vector, 0, $all)[0], 1e-7);
        // red and swir1 rose, nir fell
        self::assertSame(1.0 + 2 * 3.0 + 9.0, Values::of($vector, 1, $all)[0]);
        [, $vector] = $this->vector(['red', 'nir'], array_slice($bands($cva['before']), 0, 2), array_slice($bands($cva['after']), 0, 2));
        self::assertEqualsWithDelta($cva['angle_2d_red_nir_deg'], Values::of($vector, 1, $all)[0], 1e-4);
    }

    public function test_directions_go_around_and_what_did_not_move_has_none(): void
    {
        $before = [[0.0, 0.0, 0.0, 0.0, 0.0, NAN], [0.0, 0.0, 0.0, 0.0, 0.0, 0.0]];
        $after = [[1.0, 0.0, -1.0, 0.0, 0.0, 1.0], [0.0, 1.0, 0.0, -1.0, 0.0, 1.0]];
        [$figures, $vector] = $this->vector(['red', 'nir'], $before, $after);
        [$lengths, $ways] = [Values::of($vector, 0, new Window(0, 0, 6, 1)), Values::of($vector, 1, new Window(0, 0, 6, 1))];
        self::assertSame([0.0, 90.0, 180.0, 270.0], array_slice($ways, 0, 4));
        self::assertSame([1.0, 1.0, 1.0, 1.0, 0.0], array_slice($lengths, 0, 5));
        self::assertNan($ways[4]);
        self::assertNan($lengths[5]);
        self::assertSame([0 => 1, 9 => 1, 18 => 1, 27 => 1], array_filter($figures['rose']['counts']));
    }

    public function test_beyond_the_limit_signs_are_classes_with_names(): void
    {
        $before = array_fill(0, 3, [0.0, 0.0, 0.0, 0.0]);
        $after = [[0.3, -0.3, 0.1, NAN], [-0.2, 0.3, 0.0, 0.0], [0.3, 0.3, 0.0, 0.0]];
        [$figures, , $changes] = $this->vector(['red', 'nir', 'swir1'], $before, $after, ['limits' => 'values', 'above' => 0.2]);
        self::assertNotNull($changes);
        $names = array_map(fn (float $code): string => is_nan($code) ? '' : (string) $changes->spec()->legend?->name((int) $code),
            Values::of($changes, 0, new Window(0, 0, 4, 1)));
        self::assertSame(['red up and nir down and swir1 up', 'red down and nir up and swir1 up', 'unchanged', ''], $names);
        self::assertSame(2, array_sum(array_column($figures['signs'], 'pixels')));
    }

    public function test_a_band_that_stays_is_unchanged_and_so_is_one_within_the_tolerance(): void
    {
        $before = array_fill(0, 3, [0.0, 0.0, 0.0]);
        $after = [[0.5, 0.5, -0.5], [0.0, 0.01, 0.0], [0.0, -0.01, 0.5]];
        foreach (['0' => 'red up and nir up and swir1 down', '0.02' => 'red up and nir unchanged and swir1 unchanged'] as $tolerance => $second) {
            [, $vector, $changes] = $this->vector(['red', 'nir', 'swir1'], $before, $after,
                ['limits' => 'values', 'above' => 0.2, 'tolerance' => (string) $tolerance]);
            $name = fn (int $col): ?string => $changes?->spec()->legend?->name((int) Values::of($changes, 0, new Window($col, 0, 1, 1))[0]);
            self::assertSame(['red up and nir unchanged and swir1 unchanged', $second, 'red down and nir unchanged and swir1 up'],
                [$name(0), $name(1), $name(2)]);
            self::assertSame(1.0, Values::of($vector, 1, new Window(0, 0, 1, 1))[0]);
        }
        // of eight bands only the signs that there are have a class
        [$figures, , $changes] = $this->vector(['blue', 'green', 'red', 'rededge', 'nir', 'swir1', 'swir2', 'pan'], array_fill(0, 8, [0.0, 0.0]),
            [...array_fill(0, 7, [0.1, -0.1]), [0.1, 0.0]], ['limits' => 'values', 'above' => 0.2]);
        self::assertCount(3, $changes?->spec()->legend->classes ?? []);
        self::assertSame([1, 1], array_column($figures['signs'], 'pixels'));
    }

    public function test_opposite_directions_have_opposite_colours(): void
    {
        $colours = array_column(Directions::legend(['red', 'nir', 'swir1'], range(1, 26))->classes, 'colour');
        self::assertCount(27, array_unique($colours));
    }

    public function test_one_band_has_no_direction(): void
    {
        $this->expectExceptionMessage('at least 2 bands');
        $this->vector(['red'], [[1.0]], [[2.0]]);
    }
}
