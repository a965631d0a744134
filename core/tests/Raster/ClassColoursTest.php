<?php

namespace Chorometra\Core\Tests\Raster;

use Chorometra\Core\Raster\ClassColours;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Tests\TestCase;

final class ClassColoursTest extends TestCase
{
    public function test_a_name_suggests_a_colour_in_several_languages(): void
    {
        $water = ClassColours::suggested('water');
        foreach (['Water', 'open water', 'Wasser', 'eau', 'río', 'Gewässer'] as $name) {
            self::assertSame($water, ClassColours::suggested($name), $name);
        }
        self::assertSame(ClassColours::suggested('wood'), ClassColours::suggested('Wald, dicht'));
        self::assertNotSame($water, ClassColours::suggested('salt marsh'));
        foreach (['below 0.1', 'class 7', 'undersea', ''] as $name) {
            self::assertNull(ClassColours::suggested($name), $name);
        }
    }

    public function test_blue_is_for_water_and_what_was_chosen_stays(): void
    {
        [$plain, $water, $other, $chosen] = array_column(Legend::of(['first', 'water', 'second', 'third'], [3 => '#123456'])->classes, 'colour');
        self::assertSame([ClassColours::suggested('water'), '#123456'], [$water, $chosen]);
        foreach ([$plain, $other] as $colour) {
            [$red, , $blue] = array_map(hexdec(...), str_split(substr($colour, 1), 2));
            self::assertTrue($blue < 200 || $blue <= $red, "$colour is no blue");
        }
        self::assertCount(
            20,
            array_filter(ClassColours::of(array_fill(0, 20, 'x')), fn (string $colour): bool => preg_match('/^#[0-9a-f]{6}$/', $colour) === 1),
        );
    }
}
