<?php

namespace Chorometra\Core\Tests\Compare;

use Chorometra\Core\Compare\Classes;
use Chorometra\Core\Engine\Runner;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Tests\Samples;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;

final class ClassesTest extends TestCase
{
    use Samples;

    /**
     * @param  list<list<int>>  $maps  codes
     * @param  array<string, mixed>  $settings
     * @param  list<Legend>|null  $legends
     * @return array<string, mixed> figures
     */
    private function compare(array $maps, int $width, array $settings = [], ?array $legends = null, ?Grid $grid = null, int $workers = 2): array
    {
        $grid ??= self::grid($width, intdiv(count($maps[0]), $width));
        $inputs = [];
        foreach ($maps as $k => $codes) {
            $spec = RasterSpec::classes($grid, $legends[$k] ?? Legend::of(['pasture', 'marsh', 'wood']), ['datetime' => (2031 + $k).'-05-01T00:00:00Z']);
            $inputs['maps:'.($k + 1)] = $this->raster("map$k.tif", $spec, [$codes]);
        }
        $outputs = ['changes' => "$this->folder/changes.tif", 'history' => "$this->folder/history.tif", 'matrix' => "$this->folder/matrix.csv"];
        $kind = new Classes;

        return Runner::run($kind, CallOpener::call($kind, $inputs, $settings, $outputs, new Context($workers)));
    }

    /** @return list<float> */
    private function made(string $name, int $band, int $count): array
    {
        $image = new GeoTiffImage("$this->folder/$name.tif");

        return Values::of($image, $band, new Window(0, 0, $image->spec()->grid->width, intdiv($count, $image->spec()->grid->width)));
    }

    public function test_only_codes_that_occur_are_classes(): void
    {
        // as a palette of 256 colours reads, of which the map uses three
        $palette = new Legend(array_map(fn (int $code): array => ['name' => "class $code", 'colour' => sprintf('#%06x', $code)],
            array_combine(range(1, 254), range(1, 254))));
        $figures = $this->compare([[7, 7, 9, 9], [7, 9, 9, 30]], 2, [], [$palette, $palette]);
        self::assertSame(['class 7', 'class 9', 'class 30'], array_column($figures['balance'], 'class'));
        $header = explode("\n", (string) file_get_contents("$this->folder/matrix.csv"))[0];
        self::assertSame(4, substr_count($header, 'class') + substr_count($header, ',all'));
    }

    public function test_gains_losses_swap_and_net_change_by_hand(): void
    {
        // 1 pasture, 2 marsh, 3 wood; 0 unlabelled and 255 nodata are left out
        $before = [1, 1, 1, 1, 2, 2, 3, 3, 0, 255];
        $after = [1, 2, 2, 3, 1, 2, 3, 0, 1, 1];
        $figures = $this->compare([$before, $after], 5);
        self::assertSame(0.7, $figures['compared']);
        self::assertEqualsWithDelta(3 / 7, $figures['stayed'], 1e-12);
        $pixel = Ground::of(self::grid(5, 2))?->pixelArea(0, 0) / 1e4;
        $balance = array_column($figures['balance'], null, 'class');
        $wanted = ['pasture' => [4, 2, 1, 3, 2, -2], 'marsh' => [2, 3, 2, 1, 2, 1], 'wood' => [1, 2, 1, 0, 0, 1]];
        foreach ($wanted as $class => $numbers) {
            self::assertEqualsWithDelta(array_map(fn (int $n): float => $n * $pixel, $numbers), array_values(array_slice($balance[$class], 1)), 1e-9, $class);
        }
        self::assertSame(['pasture', 'marsh', 2], array_slice(array_values(array_values(array_filter($figures['flows']['whole'],
            fn (array $row): bool => $row['from'] !== $row['to']))[0]), 0, 3));
        self::assertSame(['2031-05-01', '2032-05-01'], $figures['flows']['dates']);
        $legend = (new GeoTiffImage("$this->folder/changes.tif"))->spec()->legend;
        $names = array_map(fn (float $code): string => is_nan($code) ? '' : (string) $legend?->name((int) $code), $this->made('changes', 0, 10));
        self::assertSame(['pasture', 'pasture to marsh', 'pasture to marsh', 'pasture to wood', 'marsh to pasture', 'marsh', 'wood', '', '', ''], $names);
        $csv = array_map(fn (string $line): array => str_getcsv($line), file("$this->folder/matrix.csv") ?: []);
        self::assertSame(['pixels, 2031-05-01 to 2032-05-01', 'pasture', 'marsh', 'wood', 'all'], $csv[0]);
        self::assertSame(['pasture', '1', '2', '1', '4'], $csv[1]);
        self::assertSame(['all', '2', '3', '2', '7'], $csv[4]);
        self::assertEqualsWithDelta(2 / 7, (float) $csv[11][2], 1e-15);
    }

    public function test_classes_are_those_of_one_name_whatever_their_codes(): void
    {
        $legends = [Legend::of(['pasture', 'marsh']), Legend::of(['marsh', 'pasture', 'mud'])];
        $figures = $this->compare([[1, 1, 2, 2], [2, 1, 1, 3]], 2, legends: $legends);
        self::assertSame(0.5, $figures['stayed']);
        self::assertStringContainsString('2031-05-01 has no mud', $figures['against'][0]);
    }

    public function test_how_often_first_and_last_a_class_was_seen(): void
    {
        $maps = [[2, 1, 1, 2, 0], [2, 1, 2, 1, 2], [2, 3, 1, 2, 2]];
        $figures = $this->compare($maps, 5, ['of' => ['marsh']]);
        self::assertSame([3.0, 0.0, 1.0, 2.0], array_slice($this->made('history', 0, 5), 0, 4));
        self::assertNan($this->made('history', 0, 5)[4]);
        [$first, $last] = [$this->made('history', 1, 5), $this->made('history', 2, 5)];
        self::assertSame([1.0, 3.0, 2.0, 2.0, 1.0, 3.0], [$first[0], $last[0], $first[2], $last[2], $first[3], $last[3]]);
        self::assertNan($first[1]);
        self::assertCount(2, $figures['flows']['steps']);
        self::assertSame('marsh times', (new GeoTiffImage("$this->folder/history.tif"))->spec()->bands[0]->name);
    }

    public function test_hectares_in_degrees_are_those_of_their_rows(): void
    {
        $grid = new Grid(2, 40, [7.0, 0.5, 0.0, 60.0, 0.0, -0.5], 4326);
        $before = array_fill(0, 80, 1);
        $after = array_map(fn (int $i): int => $i < 4 ? 2 : 1, range(0, 79));
        $figures = $this->compare([$before, $after], 2, grid: $grid);
        $ground = Ground::of($grid);
        self::assertNotNull($ground);
        $wanted = 2 * ($ground->pixelArea(0, 0) + $ground->pixelArea(0, 1)) / 1e4;
        self::assertEqualsWithDelta(1.0, array_column($figures['balance'], null, 'class')['marsh']['after'] / $wanted, 1e-6);
    }

    public function test_many_pixels_are_counted_the_same_however_many_work(): void
    {
        mt_srand(3);
        $draw = fn (): array => array_map(fn (): int => [0, 1, 1, 2, 3, 255][mt_rand(0, 5)], range(1, 600 * 500));
        [$before, $after] = [$draw(), $draw()];
        $one = $this->compare([$before, $after], 600, workers: 1);
        $bytes = md5_file("$this->folder/changes.tif");
        $two = $this->compare([$before, $after], 600);
        self::assertSame($bytes, md5_file("$this->folder/changes.tif"));
        self::assertSame($one['flows'], $two['flows']);
        $counts = array_count_values(array_map(fn (int $a, int $b): string => "$a $b", $before, $after));
        foreach ($one['flows']['whole'] as ['from' => $from, 'to' => $to, 'pixels' => $pixels]) {
            $code = ['pasture' => 1, 'marsh' => 2, 'wood' => 3];
            self::assertSame($counts["$code[$from] $code[$to]"], $pixels);
        }
    }

    public function test_more_classes_than_fit_into_bytes_are_compared_the_same(): void
    {
        mt_srand(8);
        $names = array_map(fn (int $k): string => "class $k", range(1, 20));
        foreach ([2, 3] as $dates) {
            // the same codes among few classes, in bytes, and among many, one by one
            $maps = array_map(fn (): array => array_map(fn (): int => [0, 1, 2, 3, 255][mt_rand(0, 4)], range(1, 3000)), range(1, $dates));
            $few = $this->compare($maps, 60, legends: array_fill(0, $dates, Legend::of(array_slice($names, 0, 3))));
            $codes = $this->made('changes', 0, 3000);
            $many = $this->compare($maps, 60, legends: array_fill(0, $dates, Legend::of($names)));
            self::assertSame($few['flows']['steps'], $many['flows']['steps']);
            self::assertSame($few['flows']['whole'], $many['flows']['whole']);
            self::assertSame(array_map(strval(...), $codes), array_map(strval(...), $this->made('changes', 0, 3000)));
        }
    }

    public function test_what_can_t_be_compared_is_told(): void
    {
        $told = [
            'cannot be compared' => [[[1, 1]], [], null],
            'have no class in common' => [[[1, 1], [1, 1]], [], [Legend::of(['a']), Legend::of(['b'])]],
            'is classified in all maps' => [[[0, 1], [1, 0]], [], null],
            '3 names are given for 2 maps' => [[[1, 1], [1, 1]], ['names' => ['a', 'b', 'c']], null],
            'No map has a class “mud”' => [[[1, 1], [1, 1]], ['of' => ['mud']], null],
        ];
        foreach ($told as $sentence => [$maps, $settings, $legends]) {
            try {
                $this->compare($maps, 2, $settings, $legends);
                self::fail($sentence);
            } catch (Problem $problem) {
                self::assertStringContainsString($sentence, $problem->getMessage());
            }
        }
    }
}
