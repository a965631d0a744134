<?php

namespace Chorometra\Core\Tests\Derive;

use Chorometra\Core\Arithmetic\Formula;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Tests\TestCase;
use PHPUnit\Framework\Attributes\DataProvider;

/** What formulas mean, against PHP's own arithmetic and by hand; what is none is told where. */
final class FormulaTest extends TestCase
{
    /** @return array<string, array{string, float}> of x = 2, y = -3, z = 0.5 and m, which is missing */
    public static function values(): array
    {
        return [
            'products before sums' => ['1 + 2 * 3', 7.0],
            'from the left' => ['x - 1 - 1', 0.0],
            'a power binds before a minus' => ['-x ^ 2', -4.0],
            'and to the right' => ['2 ^ 3 ^ 2', 512.0],
            'with a negative exponent' => ['x ^ -1', 0.5],
            'root of a negative' => ['sqrt(y)', NAN],
            'power of a negative' => ['y ^ z', NAN],
            'nodata to the power of nothing' => ['nodata ^ 0', NAN],
            'one to the power of nodata' => ['1 ^ nodata', NAN],
            'nothing to a negative power' => ['(x - 2) ^ -1', NAN],
            'division by zero' => ['1 / (x - 2)', NAN],
            'logarithm of nothing' => ['ln(x - 2)', NAN],
            'logarithm' => ['ln(x)', M_LN2],
            'of ten' => ['log10(100 * x / 2)', 2.0],
            'per cent' => ['5% * 100', 5.0],
            'numbers' => ['1.5e2 + .5 + 1E-1', 150.6],
            'comparison' => ['(x > y) + (x >= 2) + (x < y) + (x <= 2) + (x == 2) + (x != 2)', 4.0],
            'comparison with nothing' => ['m > 1', NAN],
            'not' => ['not (x > y)', 0.0],
            'not nothing' => ['not m', NAN],
            'and before or' => ['1 or 0 and 0', 1.0],
            'false and nothing' => ['y > 0 and m', 0.0],
            'nothing and false' => ['m and y > 0', 0.0],
            'true and nothing' => ['x > 0 and m', NAN],
            'true or nothing' => ['x > 0 or m', 1.0],
            'nothing or true' => ['m or x > 0', 1.0],
            'nothing or false' => ['m or y > 0', NAN],
            'where is lazy' => ['where(y > 0, log10(y), 0)', 0.0],
            'where it is nodata' => ['where(x > 0, nodata, 1)', NAN],
            'where the condition is' => ['where(m > 0, 1, 2)', NAN],
            'where inside where' => ['where(x > 3, 1, where(y < 0, 2, 3))', 2.0],
            'valid' => ['valid(m) + 10 * valid(x)', 10.0],
            'valid of a computation' => ['valid(sqrt(y))', 0.0],
            'half away from zero' => ['round(x + 0.5) + 10 * round(y - 0.5)', -37.0],
            'floor' => ['floor(y - 0.2)', -4.0],
            'min of three' => ['min(x, y, z)', -3.0],
            'max with nothing' => ['max(x, m)', NAN],
            'clip' => ['clip(y, 0, 1) + clip(x, 0, 1) + clip(z, 0, 1)', 1.5],
            'angles' => ['sin(pi / 2) + cos(0) + tan(0) + atan2(1, 1) * 4 / pi', 3.0],
            'arc beyond one' => ['asin(x)', NAN],
            'arc' => ['acos(-1) - asin(1) * 2 + atan(0)', 0.0],
            'beyond all numbers' => ['exp(x * 1000)', NAN],
            'abs and exp' => ['abs(y) * exp(0)', 3.0],
            'lines' => ["a = x + 1\n\nb = a * a ; c = b - a", 3.0],
        ];
    }

    #[DataProvider('values')]
    public function test_what_it_gives(string $text, float $value): void
    {
        $formula = new Formula($text);
        $given = ['x' => 2.0, 'y' => -3.0, 'z' => 0.5, 'm' => NAN];
        $made = $formula->compile()(array_map(fn (string $name): array => [$given[$name]], $formula->names()), 1);
        self::assertClose([$value], $made[0], 1e-12);
    }

    public function test_every_line_is_a_band_and_a_later_one_uses_an_earlier(): void
    {
        $formula = new Formula("one = x + 1\ntwo = one * 2\nthree = where(two > 5, one, x)");
        self::assertSame(['one', 'two', 'three'], $formula->made());
        self::assertSame(['x'], $formula->names());
        self::assertSame([[2.0, 3.0], [4.0, 6.0], [1.0, 3.0]], $formula->compile()([[1.0, 2.0]], 2));
    }

    /** @return array<string, array{string, string}> */
    public static function wrong(): array
    {
        return [
            'an unknown sign' => ['x + $y', 'line 1 at character 4: “$” is not allowed there'],
            'nothing after' => ['x +', 'line 1 at character 4: it is incomplete'],
            'an open bracket' => ["a = 1\nb = (x + 1", 'line 2 at character 11: a “)” is missing'],
            'two names' => ['x y', 'at character 3: “y” is not allowed there'],
            'an unknown function' => ['2 * sine(x)', 'at character 5: there is no function “sine”'],
            'too many' => ['sqrt(x, y)', 'at character 1: “sqrt” needs 1, not 2'],
            'too few' => ['min(x)', '“min” needs 2 to 20, not 1'],
            'a function without brackets' => ['sqrt + 1', '“sqrt” needs parentheses after it'],
            'a line before it is' => ["a = b + 1\na = 2", 'line 2 at character 1: a line is named “a” already'],
            'a name that is taken' => ['ndvi = x', '“ndvi” has another meaning already'],
            'a chain' => ['0 < x < 1', 'one comparison at a time'],
            'two without a name' => ["x\ny", 'only one line may be without a name'],
            'nothing' => ["  \n ", 'The formula is empty'],
            'too deep' => [str_repeat('(', 100).'x'.str_repeat(')', 100), 'nested too deeply'],
            'many signs' => [str_repeat('-', 100).'x', 'nested too deeply'],
        ];
    }

    #[DataProvider('wrong')]
    public function test_a_mistake_is_told_where_it_is(string $text, string $part): void
    {
        self::assertSame('formula', $this->problem(2, $part, fn () => new Formula($text))->about);
    }

    public function test_several_images_by_their_names_and_indices_of_them(): void
    {
        $before = $this->image('before.tif', 3, 1, ['red' => [0.1, 0.2, 0.1], 'nir' => [0.5, 0.4, NAN]]);
        $after = $this->image('after.tif', 3, 1, ['red' => [0.2, 0.2, 0.2], 'nir' => [0.3, 0.4, 0.5]]);
        $images = ['images:1' => $before, 'images:2' => $after];
        $set = ['names' => 'before,after', 'formula' => "change = ndvi(after) - ndvi(before)\nboth = min(before.nir, after.band2)"];
        $this->compute('derive.formula', $images, $set, ['result' => "$this->folder/f.tif"]);
        self::assertClose([0.2 - 4 / 6, 0.0, NAN], self::pixels("$this->folder/f.tif"), 1e-6);
        self::assertClose([0.3, 0.4, NAN], self::pixels("$this->folder/f.tif", 1), 1e-6);
        self::assertSame(['change', 'both'], array_map(fn ($band) => $band->name, (new GeoTiffImage("$this->folder/f.tif"))->spec()->bands));
        // the same as the index by itself
        $this->compute('derive.formula', ['images:1' => $before], ['formula' => 'ndvi()'], ['result' => "$this->folder/g.tif"]);
        $this->compute('derive.index', ['image' => $before], ['index' => 'ndvi'], ['result' => "$this->folder/h.tif"]);
        self::assertClose(self::pixels("$this->folder/h.tif"), self::pixels("$this->folder/g.tif"), 0.0);

        $call = fn (array $inputs, array $set): \Closure => fn () => $this->compute('derive.formula', $inputs, $set, ['result' => "$this->folder/x.tif"]);
        self::assertSame('formula', $this->problem(2, '“nir” needs the name of its image, such as a.nir.', $call($images, ['formula' => 'nir']))->about);
        self::assertSame('formula', $this->problem(2, 'There is no image “c”; there is a, b.', $call($images, ['formula' => 'c.nir']))->about);
        self::assertSame('formula', $this->problem(2, 'There is no “swir1” in', $call($images, ['formula' => 'a.swir1']))->about);
        self::assertSame('formula', $this->problem(2, 'reads no band', $call($images, ['formula' => '1 + 1']))->about);
        self::assertSame('names', $this->problem(2, 'each needs a name of its own', $call($images, ['formula' => 'a.nir', 'names' => 'one']))->about);
        self::assertSame('names', $this->problem(2, "“nir” can't be the name", $call($images, ['formula' => 'a.nir', 'names' => 'nir,two']))->about);
        $other = $this->image('other.tif', 2, 1, ['red' => [0.1, 0.2]]);
        $apart = ['images:1' => $before, 'images:2' => $other];
        self::assertSame('images', $this->problem(3, 'are not on one grid', $call($apart, ['formula' => 'a.nir']))->about);
    }

    public function test_counts_beside_reflectance_are_told(): void
    {
        $made = fn (string $unit, float $value): string => $this->raster(
            "$unit.tif",
            new RasterSpec(self::grid(1, 1), [new Band('nir', unit: $unit)]),
            [[$value]],
        );
        [$counts, $shares] = [$made('counts', 100.0), $made('reflectance', 0.2)];
        $figures = $this->compute(
            'derive.formula',
            ['images:1' => $counts, 'images:2' => $shares],
            ['formula' => 'a - b'],
            ['result' => "$this->folder/f.tif"],
        );
        self::assertStringContainsString('mixes counts (a) and reflectance (b)', $figures['warning']);
    }

    public function test_a_class_map_is_a_condition(): void
    {
        $legend = new Legend([1 => ['name' => 'wood', 'colour' => '#224400'], 3 => ['name' => 'water', 'colour' => '#2255aa']]);
        $map = $this->raster('cover.tif', RasterSpec::classes(self::grid(4, 1), $legend), [[1, 3, 255, 3]]);
        $image = $this->image('image.tif', 4, 1, ['nir' => [0.1, 0.2, 0.3, NAN]]);
        $this->compute(
            'derive.formula',
            ['images:1' => $image, 'images:2' => $map],
            ['names' => 'image,cover', 'formula' => 'water = where(cover == 3, image.nir, nodata)'],
            ['result' => "$this->folder/f.tif"],
        );
        self::assertClose([NAN, 0.2, NAN, NAN], self::pixels("$this->folder/f.tif"), 1e-7);
    }
}
