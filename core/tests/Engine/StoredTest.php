<?php

namespace Chorometra\Core\Tests\Engine;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\GeoTiff\StoredTiles;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Stats\Moments;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;

/** Tiles that are packed already are handed on, and nobody can tell. */
final class StoredTest extends TestCase
{
    /** @return list<int> */
    private function counts(int $seed): array
    {
        return array_map(fn (int $i): int => $i % 997 === 0 ? 0 : 1 + ($i * 7919 + $seed) % 60_000, range(0, 300 * 270 - 1));
    }

    private function scene(bool $deflate = true, SampleType $type = SampleType::UInt16): string
    {
        $spec = new RasterSpec(self::grid(300, 270), [new Band('red', 'red', unit: 'counts'), new Band('nir', 'nir', unit: 'counts')], $type, 0.0);

        return $this->raster('scene.tif', $spec, [$this->counts(1), $this->counts(2)], 1, $deflate);
    }

    public function test_values_overviews_and_figures_are_those_of_packing_anew(): void
    {
        $figures = [];
        $hashes = [];
        foreach ([true, false] as $packed) {
            foreach ([1, 3] as $workers) {
                $path = $this->scene($packed);
                $context = new Context($workers, $this->folder);
                $found = $this->compute('gather.image', ['image' => $path], [], ['result' => "$this->folder/taken.tif"], $context);
                $this->compute('deliver.image', ['image' => $path], ['bands' => 'nir'], ['result' => "$this->folder/nir.tif"], $context);
                foreach ([0, 1] as $level) {
                    $values[$level] = [
                        self::pixels("$this->folder/taken.tif", 0, $level),
                        self::pixels("$this->folder/taken.tif", 1, $level),
                        self::pixels("$this->folder/nir.tif", 0, $level),
                    ];
                }
                self::assertSame($this->counts(2), array_map(fn (float $value): int => is_nan($value) ? 0 : (int) $value, $values[0][1]));
                self::assertSame(serialize($values[0][1]), serialize($values[0][2]));
                $hashes[] = md5(serialize($values));
                $figures[] = $found['result'];
            }
        }
        self::assertCount(1, array_unique($hashes));
        self::assertCount(1, array_unique(array_map(serialize(...), $figures)));
    }

    public function test_the_very_tiles_are_handed_on_where_they_may_be(): void
    {
        $path = $this->scene();
        $this->compute('gather.image', ['image' => $path], [], ['result' => "$this->folder/taken.tif"]);
        $of = StoredTiles::of($path);
        $taken = StoredTiles::of("$this->folder/taken.tif");
        self::assertNotNull($of);
        self::assertNotNull($taken);
        foreach ([[0, 0, 0], [1, 1, 0], [1, 0, 1]] as [$band, $across, $down]) {
            self::assertSame($of->deflated($band, $across, $down, 0), $taken->deflated($band, $across, $down, 0));
        }
        // not from another layout, type or size, nor where packing anew may change samples
        $image = new GeoTiffImage($path);
        $to = $image->spec();
        self::assertNotNull(StoredTiles::passing([[$image, 0], [$image, 1]], $to));
        self::assertNull(StoredTiles::passing([[$image, 0]], new RasterSpec($to->grid, [$to->bands[0]], SampleType::Int16, 0.0)));
        self::assertNull(StoredTiles::passing([[$image, 0]], new RasterSpec(self::grid(300, 271), [$to->bands[0]], SampleType::UInt16, 0.0)));
        $plain = new GeoTiffImage($this->scene(false));
        self::assertNull(StoredTiles::passing([[$plain, 0]], $to));
        $floats = new GeoTiffImage($this->scene(true, SampleType::Float32));
        self::assertNull(StoredTiles::passing([[$floats, 0]], $floats->spec()));
    }

    public function test_sums_of_four_at_a_time_are_those_of_one_by_one(): void
    {
        foreach (
            [
                [],
                [NAN],
                [1.5],
                [1, 2, 3],
                [1.0, NAN, 3.0, INF, 5.0, 6.0, 7.0, 8.0, -9.0],
                array_map(fn (int $i): float => $i % 7 === 3 ? NAN : 1e6 + sin($i), range(0, 1001)),
            ] as $values
        ) {
            $moments = Moments::of($values);
            $valid = array_values(array_filter($values, fn (float|int $value): bool => is_finite($value)));
            $mean = $valid === [] ? 0.0 : array_sum($valid) / count($valid);
            self::assertSame(
                [count($valid), count($values) - count($valid), count(array_filter($values, is_infinite(...)))],
                [$moments->count, $moments->missing, $moments->infinite],
            );
            self::assertSame($valid === [] ? [INF, -INF] : [(float) min($valid), (float) max($valid)], [$moments->minimum, $moments->maximum]);
            self::assertEqualsWithDelta($mean, $moments->mean, 1e-9);
            self::assertEqualsWithDelta(array_sum(array_map(fn (float|int $value): float => ($value - $mean) ** 2, $valid)), $moments->squares, 1e-6);
        }
    }
}
