<?php

namespace Chorometra\Core\Tests\Classify;

use Chorometra\Core\Classify\Keys\Examples;
use Chorometra\Core\Classify\Keys\KeyDocument;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Tests\TestCase;

/** Places that were given an answer, on a grid. */
final class ExamplesTest extends TestCase
{
    public function test_points_and_polygons_become_runs_of_pixels_of_the_question_that_they_name(): void
    {
        $path = $this->examples([
            [['answer' => 'yes', 'couplet' => 'one'], 'Point', [2.5, 1.5]],
            [['answer' => 'no', 'couplet' => 'two'], 'Polygon', [[[0, 0], [3, 0], [3, 2], [0, 2], [0, 0]]]],
            [['answer' => 'no', 'couplet' => 'one'], 'Point', [400.0, 1.0]],
        ]);
        $examples = Examples::read($path, self::key(), self::grid(6, 4));
        $all = new Window(0, 0, 6, 4);
        self::assertSame([[1, 1, 2, 3, true]], $examples->runs('one', $all));
        self::assertSame([[0, 0, 0, 3, false], [0, 1, 0, 3, false]], $examples->runs('two', $all));
        self::assertSame([], $examples->runs('one', new Window(0, 2, 6, 2)));
        self::assertSame([true, 1], [$examples->has('two'), $examples->outside]);
    }

    public function test_what_is_no_example_is_told_by_its_number(): void
    {
        foreach ([
            'example 1 has no “answer” that is yes or no' => [['couplet' => 'one'], 'Point', [1, 1]],
            'example 1 is for no question “three” with examples; “couplet” must be one of one, two' => [
                ['answer' => 'yes', 'couplet' => 'three'], 'Point', [1, 1],
            ],
            'example 1 is for no question with examples' => [['answer' => 'yes'], 'Point', [1, 1]],
            'example 1 is neither a point nor a polygon' => [['answer' => 'yes', 'couplet' => 'one'], 'LineString', [[1, 1], [2, 2]]],
        ] as $sentence => $feature) {
            $path = $this->examples([$feature]);
            $this->problem(3, $sentence, fn () => Examples::read($path, self::key(), self::grid(6, 4)));
        }
        $limits = KeyDocument::of(['classes' => [], 'couplets' => [['id' => 'a', 'measure' => 'nir', 'least' => 0.1, 'yes' => null, 'no' => null]]]);
        $this->problem(2, 'no question of the key uses examples', fn () => Examples::read($path, $limits, self::grid(6, 4)));
    }

    private static function key(): KeyDocument
    {
        $learns = ['examples' => ['measures' => ['nir']], 'yes' => null];

        $couplets = [['id' => 'one', 'no' => ['couplet' => 'two']] + $learns, ['id' => 'two', 'no' => null] + $learns];

        return KeyDocument::of(['classes' => [], 'couplets' => $couplets]);
    }

    /** @param  list<array{array<string, string>, string, array<mixed>}>  $features  properties, type, and places in columns and rows */
    private function examples(array $features): string
    {
        $toMap = function (array $place) use (&$toMap): array {
            return is_array($place[0]) ? array_map($toMap, $place) : self::grid(6, 4)->toMap((float) $place[0], (float) $place[1]);
        };
        file_put_contents("$this->folder/examples.geojson", json_encode([
            'type' => 'FeatureCollection',
            'crs' => ['type' => 'name', 'properties' => ['name' => 'urn:ogc:def:crs:EPSG::32632']],
            'features' => array_map(fn (array $one): array => [
                'type' => 'Feature', 'properties' => $one[0], 'geometry' => ['type' => $one[1], 'coordinates' => $toMap($one[2])],
            ], $features),
        ]));

        return "$this->folder/examples.geojson";
    }
}
