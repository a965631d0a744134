<?php

namespace Chorometra\Core\Tests\Segment;

use Chorometra\Core\Format\Measures;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Regions\Measures\MeasureFormula;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;

/** Measures of segments against scipy.ndimage and scikit-image (fixtures/segments.json, j_polygons_regions.json); dissolving by hand. */
final class MeasureTest extends TestCase
{
    private string $segments;

    private string $image;

    /** @var array<string, mixed> */
    private array $data;

    protected function setUp(): void
    {
        parent::setUp();
        $this->data = self::fixture('segments.json');
        $this->segments = $this->raster('s.tif', RasterSpec::segments(self::grid(24, 20)), [array_merge(...self::fixture('e_labels.json')['four']['labels'])]);
        $this->image = $this->image('v.tif', 24, 20, [
            'nir' => array_map(fn (?float $value): float => $value ?? NAN, array_merge(...$this->data['values'])),
            'red' => array_map(floatval(...), array_merge(...$this->data['whole'])),
        ]);
    }

    /**
     * @param  array<string, string>  $inputs
     * @param  array<string, mixed>  $settings
     * @return array<string, list<float|null>> by measure
     */
    private function measured(array $inputs, array $settings): array
    {
        $this->compute('segment.measure', $inputs, $settings, ['measures' => "$this->folder/m.npz"]);
        $file = new Measures("$this->folder/m.npz");
        $names = array_column($file->columns(), 'name');
        $rows = $file->rows(0, $file->count());

        return array_combine($names, array_map(fn (int $k): array => array_column($rows, $k), array_keys($names)));
    }

    public function test_values_are_those_of_scipy(): void
    {
        $wanted = ['mean', 'deviation', 'minimum', 'maximum', 'median'];
        $settings = ['measures' => implode(',', [...array_map(fn (string $one): string => "$one(nir)", $wanted), 'share("two")', 'range(nir)'])];
        $legend = new Legend([1 => ['name' => 'one', 'colour' => '#111111'], 2 => ['name' => 'two', 'colour' => '#222222']]);
        $map = $this->raster('c.tif', RasterSpec::classes(self::grid(24, 20), $legend), [array_merge(...$this->data['classes'])]);
        $found = $this->measured(['segments' => $this->segments, 'images' => $this->image, 'classes' => $map], $settings);
        self::assertSame(range(1, 21), array_map(intval(...), $found['segment']));
        $told = fn (array $values): array => array_map(fn (int|float|null $value): float => (float) ($value ?? NAN), $values);
        foreach ($wanted as $one) {
            self::assertClose($told($this->data[$one]), $told($found["$one(nir)"]), 1e-12, $one);
        }
        self::assertClose($told($this->shares()), $told($found['share("two")']), 1e-12);
        $range = array_map(fn (?float $to, ?float $from): float => ($to ?? NAN) - ($from ?? NAN), $this->data['maximum'], $this->data['minimum']);
        self::assertClose($range, $told($found['range(nir)']), 1e-12);
        $blocks = $this->raster('b.tif', RasterSpec::segments(self::grid(24, 20)), [array_merge(...$this->data['blocks'])]);
        $found = $this->measured(['segments' => $blocks, 'images' => $this->image], ['measures' => 'contrast(red)']);
        self::assertClose($this->data['contrast'], $found['contrast(red)'], 1e-12);
    }

    /**
     * The fixture's shares are of the sides that face another pixel; the end of the image is edge as well.
     *
     * @return list<float>
     */
    private function shares(): array
    {
        $labels = self::fixture('e_labels.json')['four']['labels'];
        $inside = $ends = array_fill(1, 21, 0);
        foreach ($labels as $row => $line) {
            foreach ($line as $col => $label) {
                foreach ($label === 0 ? [] : [[0, 1], [0, -1], [1, 0], [-1, 0]] as [$down, $right]) {
                    $beside = $labels[$row + $down][$col + $right] ?? null;
                    $inside[$label] += $beside !== null && $beside !== $label ? 1 : 0;
                    $ends[$label] += $beside === null ? 1 : 0;
                }
            }
        }

        return array_map(
            fn (?float $share, int $number): float => ($share ?? 0.0) * $inside[$number] / ($inside[$number] + $ends[$number]),
            $this->data['share'],
            range(1, 21),
        );
    }

    public function test_edges_are_lengths_on_the_ground_and_the_end_of_the_image_is_edge(): void
    {
        $legend = Legend::of(['one', 'two', 'three']);
        foreach ([1 => [0.25, -15.0], 3 => [0.375, -12.5]] as $tall => [$share, $contrast]) {
            $grid = new Grid(2, 2, [431_000.0, 20.0, 0.0, 6_072_000.0, 0.0, -20.0 * $tall], 25832);
            $found = $this->measured([
                'segments' => $this->raster('d.tif', RasterSpec::segments($grid), [[1, 2, 3, 3]]),
                'classes' => $this->raster('c.tif', RasterSpec::classes($grid, $legend), [[1, 2, 3, 3]]),
                'images' => $this->raster('i.tif', new RasterSpec($grid, [new Band('red')]), [[0.0, 10.0, 20.0, 20.0]]),
            ], ['measures' => 'share("two"),contrast(red)']);
            // of pixels three times as high as wide a side between columns is three times as long as one between rows
            self::assertEqualsWithDelta($share, $found['share("two")'][0], 1e-3);
            self::assertEqualsWithDelta($contrast, $found['contrast(red)'][0], 1e-2);
        }
    }

    public function test_a_line_may_be_called_as_measures_are_called_inside(): void
    {
        $lines = "measure_0 = 3\nmade = mean(red) + measure_0";
        $found = $this->measured(['segments' => $this->segments, 'images' => $this->image], ['measures' => 'mean(red)', 'formulas' => $lines]);
        self::assertEqualsWithDelta($found['mean(red)'][0] + 3, $found['made'][0], 1e-9);
    }

    public function test_the_same_bytes_however_many_work(): void
    {
        $random = new \Random\Randomizer(new \Random\Engine\Mt19937(5));
        [$width, $height] = [60, 900];
        $labels = $values = [];
        for ($i = 0; $i < $width * $height; $i++) {
            $labels[] = 1 + intdiv($i, 7 * $width) * 9 + intdiv($i % $width, 7);
            $values[] = $random->getInt(0, 1_000_000) / 7e5;
        }
        $inputs = [
            'segments' => $this->raster('many.tif', RasterSpec::segments(self::grid($width, $height)), [$labels]),
            'images' => $this->image('noise.tif', $width, $height, ['nir' => $values]),
        ];
        $sums = [];
        foreach ([1, 2, 3, 2, 3, 2, 3] as $workers) {
            $this->compute('segment.measure', $inputs, ['measures' => 'contrast(nir),mean(nir),deviation(nir),median(nir)'],
                ['measures' => "$this->folder/m.npz"], new Context($workers, $this->folder));
            $sums[hash_file('sha256', "$this->folder/m.npz")] = true;
        }
        self::assertCount(1, $sums);
    }

    public function test_shapes_are_those_of_scikit_image(): void
    {
        $measures = 'pixels,area,perimeter,length,width,compactness,elongation,x,y';
        $found = $this->measured(['segments' => $this->segments], ['measures' => $measures]);
        $grid = self::grid(24, 20);
        $pixel = $grid->transform[1];
        foreach (self::fixture('j_polygons_regions.json')['regions'] as $i => $region) {
            self::assertSame($region['area'], (int) $found['pixels'][$i]);
            self::assertEqualsWithDelta($region['area'] * $pixel ** 2, $found['area'][$i], 1e-6);
            self::assertEqualsWithDelta($region['perimeter_pixel_edges'] * $pixel, $found['perimeter'][$i], 1e-9);
            // there pixels are points; a square has a second moment of its own
            [$length, $width] = array_map(fn (string $axis): float => 4 * sqrt($region[$axis] ** 2 / 16 + 1 / 12), ['major_axis', 'minor_axis']);
            self::assertEqualsWithDelta($length * $pixel, $found['length'][$i], 1e-7);
            self::assertEqualsWithDelta($width * $pixel, $found['width'][$i], 1e-7);
            self::assertEqualsWithDelta($length / $width, $found['elongation'][$i], 1e-8);
            [$x, $y] = $grid->toMap($region['centroid'][1] + 0.5, $region['centroid'][0] + 0.5);
            self::assertEqualsWithDelta([$x, $y], [$found['x'][$i], $found['y'][$i]], 1e-6);
            self::assertEqualsWithDelta(4 * M_PI * $region['area'] / $region['perimeter_pixel_edges'] ** 2, $found['compactness'][$i], 1e-9);
        }
    }

    public function test_distances_are_those_of_scipy(): void
    {
        $codes = array_fill(0, 480, 1);
        foreach ($this->data['sparse'] as [$row, $col]) {
            $codes[24 * $row + $col] = 2;
        }
        $legend = new Legend([1 => ['name' => 'land', 'colour' => '#111111'], 2 => ['name' => 'water', 'colour' => '#222222'],
            3 => ['name' => 'marsh', 'colour' => '#333333']]);
        $told = fn (Grid $grid, string $class): array => $this->measured([
            'segments' => $this->raster('d.tif', RasterSpec::segments($grid), [array_merge(...self::fixture('e_labels.json')['four']['labels'])]),
            'classes' => $this->raster('c.tif', RasterSpec::classes($grid, $legend), [$codes]),
        ], ['measures' => "distance(\"$class\")"])["distance(\"$class\")"];
        $square = self::grid(24, 20);
        self::assertClose(array_map(fn (float|int $pixels): float => $pixels * $square->transform[1], $this->data['distance']), $told($square, 'water'), 1e-9);
        $oblong = new Grid(24, 20, [431_000.0, 2.0, 0.0, 6_072_000.0, 0.0, -3.0], 25832);
        self::assertClose(array_map(floatval(...), $this->data['distance_oblong']), $told($oblong, 'water'), 1e-9);
        // nowhere is no distance
        self::assertSame([null], array_unique($told($square, 'marsh')));
    }

    public function test_formulas_over_measures_of_two_dates(): void
    {
        $later = $this->image('later.tif', 24, 20, ['nir' => array_fill(0, 480, 30.0), 'red' => array_fill(0, 480, 10.0)]);
        $settings = [
            'names' => 'before,after',
            'measures' => 'mean(before.red)',
            'formulas' => "change = ndvi(after) - ndvi(before)\nspread = deviation(before.red) / before.red; dense = pixels / area",
        ];
        $found = $this->measured(['segments' => $this->segments, 'images:1' => $this->image, 'images:2' => $later], $settings);
        self::assertSame(['segment', 'mean(before.red)', 'change', 'spread', 'dense'], array_keys($found));
        // of the file again: by name, by a formula, and what is not there
        $file = new Measures("$this->folder/m.npz");
        $twice = MeasureFormula::column($file, '2 * change + before.red');
        foreach ($file->values('change') as $i => $change) {
            self::assertEqualsWithDelta(2 * $change + $file->values('mean(before.red)')[$i], $twice[$i], 1e-12);
        }
        self::assertSame($file->values('change'), MeasureFormula::column($file, 'change'));
        $this->problem(2, 'mean(after.red) is not among the measures', fn (): array => MeasureFormula::column($file, 'after.red'));
        $means = $this->measured(['segments' => $this->segments, 'images' => $this->image], ['measures' => 'mean(nir),mean(red),deviation(red)']);
        foreach ($found['change'] as $i => $change) {
            [$nir, $red] = [$means['mean(nir)'][$i], $means['mean(red)'][$i]];
            if ($nir === null) {
                self::assertNull($change);

                continue;
            }
            self::assertEqualsWithDelta(0.5 - ($nir - $red) / ($nir + $red), $change, 1e-12);
            self::assertEqualsWithDelta($means['deviation(red)'][$i] / $red, $found['spread'][$i], 1e-12);
            self::assertEqualsWithDelta(1 / self::grid(1, 1)->pixelArea(), $found['dense'][$i], 1e-12);
        }
        // as a table
        $this->compute('segment.measure', ['segments' => $this->segments], ['measures' => 'pixels'], ['measures' => "$this->folder/m.csv"]);
        self::assertStringStartsWith("segment,pixels\n1,6\n2,2\n", (string) file_get_contents("$this->folder/m.csv"));
    }

    public function test_what_cannot_be_measured_is_told(): void
    {
        $run = fn (array $settings, array $more = []): \Closure => fn (): array => $this->measured(['segments' => $this->segments] + $more, $settings);
        $image = ['images' => $this->image];
        self::assertSame('measures', $this->problem(2, '“meen(nir)” is not a measure', $run(['measures' => 'meen(nir)'], $image))->about);
        self::assertSame('measures', $this->problem(2, 'There is no “swir1”', $run(['measures' => 'mean(swir1)'], $image))->about);
        self::assertSame('measures', $this->problem(2, 'needs an image', $run(['measures' => 'mean(nir)']))->about);
        self::assertSame('measures', $this->problem(2, 'needs a class map', $run(['measures' => 'share("marsh")'], $image))->about);
        self::assertSame('formulas', $this->problem(2, 'There is no “swir1”', $run(['formulas' => 'made = swir1 + 1'], $image))->about);
        self::assertSame('formulas', $this->problem(2, 'is missing', $run(['formulas' => 'made = (deviation(nir) + 1'], $image))->about);
        $none = $this->raster('none.tif', RasterSpec::segments(self::grid(24, 20)), [array_fill(0, 480, 0)]);
        $this->problem(3, 'contains no segments', fn (): array => $this->measured(['segments' => $none], []));
    }

    public function test_neighbours_of_one_class_dissolve(): void
    {
        // six blocks in a row of two, the third of no class
        $labels = [1, 1, 2, 2, 3, 3, 4, 4, 5, 5, 6, 6];
        $codes = [1, 1, 1, 2, 255, 255, 2, 2, 2, 2, 1, 1];
        $segments = $this->raster('six.tif', RasterSpec::segments(self::grid(12, 1)), [$labels]);
        $legend = new Legend([1 => ['name' => 'one', 'colour' => '#111111'], 2 => ['name' => 'two', 'colour' => '#222222']]);
        $map = $this->raster('six-map.tif', RasterSpec::classes(self::grid(12, 1), $legend), [$codes]);
        $figures = $this->compute('segment.dissolve', ['segments' => $segments, 'classes' => $map], [], ['segments' => "$this->folder/d.tif"]);
        self::assertSame([1, 1, 1, 1, 2, 2, 3, 3, 3, 3, 4, 4], array_map(intval(...), self::pixels("$this->folder/d.tif")));
        self::assertSame([4, 6, 1], [$figures['segments'], $figures['before'], $figures['unclassed']]);
        // segments of unlabelled ground have no class either, and stay
        $map = $this->raster('six-map.tif', RasterSpec::classes(self::grid(12, 1), $legend), [[1, 1, 0, 0, 0, 0, 2, 2, 2, 2, 1, 1]]);
        $figures = $this->compute('segment.dissolve', ['segments' => $segments, 'classes' => $map], [], ['segments' => "$this->folder/d.tif"]);
        self::assertSame([5, 6, 2], [$figures['segments'], $figures['before'], $figures['unclassed']]);
    }
}
