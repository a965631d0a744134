<?php

namespace Chorometra\Core\Tests\Derive;

use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Tests\TestCase;

/** Composites by hand: five pixels, three dates. */
final class CompositeTest extends TestCase
{
    /** @var list<string> the newest first */
    private array $dates;

    protected function setUp(): void
    {
        parent::setUp();
        // pixel by pixel: all there; one band missing; a cloud by mask; nothing; a tie
        $this->dates = [
            $this->date('c', '2033-06-01', [0.3, 0.3, 0.9, NAN, 0.2], [0.4, 0.4, 0.9, 0.1, 0.4]),
            $this->date('a', '2031-05-01', [0.1, 0.1, 0.1, NAN, 0.2], [0.5, NAN, 0.5, 0.1, 0.4]),
            $this->date('b', '2032-05-01', [0.2, 0.2, 0.2, NAN, 0.3], [0.3, 0.3, 0.6, 0.1, 0.4]),
        ];
    }

    /**
     * @param  list<float>  $red
     * @param  list<float>  $nir
     */
    private function date(string $name, string $date, array $red, array $nir): string
    {
        $bands = [new Band('red', unit: 'reflectance'), new Band('nir', unit: 'reflectance')];

        return $this->raster("$name.tif", new RasterSpec(self::grid(5, 1), $bands, properties: ['datetime' => "{$date}T10:00:00Z"]), [$red, $nir]);
    }

    /** @return array<string, string> */
    private function inputs(): array
    {
        $inputs = [];
        foreach ($this->dates as $k => $path) {
            $inputs['images:'.($k + 1)] = $path;
        }

        return $inputs;
    }

    private function mask(string $name, ?string $date, string $clear = 'clear'): string
    {
        $legend = new Legend([1 => ['name' => $clear, 'colour' => '#cfc8b0'], 2 => ['name' => 'cloud', 'colour' => '#f4f4f4']]);

        $properties = $date === null ? [] : ['datetime' => "{$date}T10:00:00Z"];

        return $this->raster("$name.tif", RasterSpec::classes(self::grid(5, 1), $legend, $properties), [[1, 1, 2, 1, 1]]);
    }

    public function test_the_median_of_what_each_pixel_has(): void
    {
        $out = ['result' => "$this->folder/m.tif", 'dates' => "$this->folder/n.tif"];
        $figures = $this->compute('derive.composite', $this->inputs(), [], $out);
        self::assertClose([0.2, 0.25, 0.2, NAN, 0.2], self::pixels("$this->folder/m.tif"), 1e-7);
        self::assertClose([0.4, 0.35, 0.6, NAN, 0.4], self::pixels("$this->folder/m.tif", 1), 1e-7);
        self::assertClose([3, 2, 3, 0, 3], self::pixels("$this->folder/n.tif"), 0);
        self::assertSame(['a.tif', 'b.tif', 'c.tif'], array_column($figures['dates-used'], 'image'));
        $spec = (new GeoTiffImage("$this->folder/m.tif"))->spec();
        self::assertSame('nir', $spec->bands[1]->role);
        self::assertSame('2031-05-01T10:00:00Z', $spec->properties['start_datetime']);
        // masks go by date: that of the newest takes its cloud out
        $this->compute('derive.composite', $this->inputs() + ['masks' => $this->mask('cloudy', '2033-06-01')], [], $out);
        self::assertClose([0.2, 0.25, 0.15, NAN, 0.2], self::pixels("$this->folder/m.tif"), 1e-7);
        self::assertClose([3, 2, 2, 0, 3], self::pixels("$this->folder/n.tif"), 0);
    }

    public function test_what_differs_between_the_dates_is_not_told_of_all_of_them(): void
    {
        $told = fn (string $date, float $sun): array => ['datetime' => $date, 'platform' => 'velisande-1', 'view:sun_elevation' => $sun,
            'view:sun_azimuth' => 150.0];
        $inputs = [
            'images:1' => $this->image('one.tif', 2, 1, ['red' => [0.1, 0.2], 'nir' => [0.3, 0.4]], $told('2031-05-01T10:00:00Z', 55.0)),
            'images:2' => $this->image('two.tif', 2, 1, ['red' => [0.1, 0.2], 'nir' => [0.3, 0.4]], $told('2031-08-01T10:00:00Z', 41.0)),
        ];
        $between = ['start_datetime' => '2031-05-01T10:00:00Z', 'end_datetime' => '2031-08-01T10:00:00Z', 'platform' => 'velisande-1',
            'view:sun_azimuth' => 150.0];
        $heights = $this->image('dem.tif', 2, 1, ['band' => [10.0, 20.0]]);
        $runs = [
            'derive.composite' => [$inputs, []],
            'derive.formula' => [$inputs, ['formula' => 'd = a.nir - b.nir', 'names' => 'a,b']],
            'compare.difference' => [['before' => $inputs['images:1'], 'after' => $inputs['images:2']], []],
        ];
        foreach ($runs as $kind => [$given, $settings]) {
            $output = $kind === 'compare.difference' ? 'difference' : 'result';
            $this->compute($kind, $given, $settings, [$output => "$this->folder/r.tif"]);
            $properties = (new GeoTiffImage("$this->folder/r.tif"))->spec()->properties;
            ksort($between);
            ksort($properties);
            self::assertSame($between, $properties, $kind);
        }
        $this->compute('derive.composite', $inputs, [], ['result' => "$this->folder/r.tif"]);
        $this->problem(3, 'has no sun elevation', fn () => $this->compute(
            'correct.terrain', ['image' => "$this->folder/r.tif", 'elevation' => $heights], [], ['result' => "$this->folder/t.tif"],
        ));
    }

    public function test_the_newest_and_the_best(): void
    {
        $out = ['result' => "$this->folder/m.tif", 'dates' => "$this->folder/n.tif"];
        $this->compute('derive.composite', $this->inputs(), ['take' => 'newest'], $out);
        self::assertClose([0.3, 0.3, 0.9, NAN, 0.2], self::pixels("$this->folder/m.tif"), 1e-7);
        self::assertClose([3, 3, 3, 0, 3], self::pixels("$this->folder/n.tif", 1), 0);
        // greatest ndvi: 0.667 on the oldest, 0.2 of two, 0.667 on the oldest, none, 1/3 of oldest and newest alike
        $this->compute('derive.composite', $this->inputs(), ['take' => 'best'], $out);
        self::assertClose([1, 2, 1, 0, 3], self::pixels("$this->folder/n.tif", 1), 0);
        self::assertClose([0.1, 0.2, 0.1, NAN, 0.2], self::pixels("$this->folder/m.tif"), 1e-7);
        $this->compute('derive.composite', $this->inputs(), ['take' => 'best', 'best' => 'least'], $out);
        self::assertClose([3, 3, 3, 0, 2], self::pixels("$this->folder/n.tif", 1), 0);
        // a mask for each, in the order of the images as they were given, by the class that is left out
        $masks = ['masks:1' => $this->mask('m1', null), 'masks:2' => $this->mask('m2', null), 'masks:3' => $this->mask('m3', null)];
        $this->compute('derive.composite', $this->inputs() + $masks, ['take' => 'newest', 'leave-out' => 'cloud'], $out);
        self::assertClose([3, 2, 0, 0, 3], self::pixels("$this->folder/n.tif"), 0);
    }

    public function test_what_makes_no_composite_is_told(): void
    {
        $out = ['result' => "$this->folder/x.tif"];
        $run = fn (array $inputs, array $settings = []): \Closure => fn (): array => $this->compute('derive.composite', $inputs, $settings, $out);
        self::assertSame('images', $this->problem(2, 'needs two or more dates', $run(['images' => $this->dates[0]]))->about);
        $other = $this->image('other.tif', 5, 1, ['red' => [1.0, 1.0, 1.0, 1.0, 1.0]]);
        self::assertSame('images', $this->problem(3, 'has other bands than', $run(['images:1' => $this->dates[0], 'images:2' => $other]))->about);
        $undated = $this->image('undated.tif', 5, 1, ['red' => [1.0, 1.0, 1.0, 1.0, 1.0], 'nir' => [1.0, 1.0, 1.0, 1.0, 1.0]]);
        $pair = ['images:1' => $this->dates[0], 'images:2' => $undated];
        self::assertSame('images', $this->problem(3, 'has no date', $run($pair, ['take' => 'newest']))->about);
        self::assertSame('index', $this->problem(3, 'has no band blue', $run($this->inputs(), ['take' => 'best', 'index' => 'evi']))->about);
        $masked = fn (string $mask): array => $this->inputs() + ['masks' => $mask];
        self::assertSame('masks', $this->problem(3, 'has no date of these images', $run($masked($this->mask('m', '1999-01-01'))))->about);
        self::assertSame('leave-out', $this->problem(2, 'Choose the classes', $run($masked($this->mask('m', '2033-06-01', 'ground'))))->about);
        $fog = $run($masked($this->mask('m', '2033-06-01')), ['leave-out' => 'fog']);
        self::assertSame('leave-out', $this->problem(2, 'has no class “fog”', $fog)->about);
    }
}
