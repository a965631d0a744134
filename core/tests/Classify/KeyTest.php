<?php

namespace Chorometra\Core\Tests\Classify;

use Chorometra\Core\Format\Document;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\Measures;
use Chorometra\Core\Format\MergeTree;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Tests\TestCase;
use Random\Engine\Mt19937;
use Random\Randomizer;

/** Keys against a plain reading of them, pixel by pixel. */
final class KeyTest extends TestCase
{
    private const CLASSES = [
        ['value' => 1, 'name' => 'water', 'colour' => '#26456e'],
        ['value' => 2, 'name' => 'green', 'colour' => '#9cc069'],
        ['value' => 5, 'name' => 'lost', 'colour' => '#9a2b39'],
        ['value' => 9, 'name' => 'other', 'colour' => '#d9c25a'],
    ];

    private const COUPLETS = [
        ['id' => 'water', 'question' => 'is it water?', 'measure' => '(green - nir) / (green + nir)', 'least' => 0.0,
            'yes' => ['class' => 'water'], 'no' => ['couplet' => 'green']],
        ['id' => 'green', 'question' => 'is it green?', 'measure' => 'nir', 'least' => 0.6, 'yes' => ['couplet' => 'lost'], 'no' => null],
        ['id' => 'lost', 'question' => 'is it lost?', 'measure' => 'red - 0.1', 'least' => 0.2, 'below' => 0.5,
            'yes' => ['class' => 'lost'], 'no' => ['class' => 'green']],
    ];

    public function test_pixels_go_where_a_plain_reading_sends_them_and_are_tidied_as_it_reads(): void
    {
        [$width, $height] = [31, 24];
        $bands = $this->noise($width, $height, 3);
        $image = $this->bands('image.tif', $width, $height, $bands);
        $rules = [
            ['rule' => 'absorb', 'below' => 3, 'of' => ['lost', 'water']],
            ['rule' => 'fill', 'with' => 'water', 'share' => 0.75],
            ['rule' => 'give-back', 'of' => ['green'], 'off' => true],
            ['rule' => 'absorb', 'below' => 5],
            ['rule' => 'absorb', 'below' => 9, 'into' => 'unlabelled'],
        ];
        foreach ([[], $rules] as $some) {
            $figures = $this->compute('classify.key', ['images' => $image, 'key' => $this->key(self::COUPLETS, $some, 'other')], [], [
                'classes' => $this->at('classes.tif'), 'segments' => $this->at('segments.tif'), 'confidence' => $this->at('sure.tif'),
            ]);
            $codes = array_map(fn (int $i): int => self::plain($bands[0][$i], $bands[1][$i], $bands[2][$i]), range(0, $width * $height - 1));
            $slow = new SlowTidy($codes, range(0, $width * $height - 1), $width, $height);
            if ($some !== []) {
                $slow->absorb(3, [5, 1]);
                $slow->fill(1, 0.75);
                $slow->absorb(5);
                $slow->absorb(9, [], false);
            }
            self::assertSame(array_values($slow->codes), $this->codes('classes.tif', 255));
            self::assertCount($some === [] ? 0 : 4, $figures['tidied']);
        }
        $water = count(array_filter($codes, fn (int $code): bool => $code === 1));
        self::assertSame(['is it water?', 'yes', 'water', $water], array_slice(array_values($figures['asked'][0]), 0, 4));
        $sure = self::pixels($this->at('sure.tif'));
        $same = array_filter(array_keys($codes), fn (int $i): bool => $slow->codes[$i] === $codes[$i] && $codes[$i] !== 0);
        self::assertNotEmpty($same);
        self::assertContains(1.0, array_map(fn (int $i): float => $sure[$i], $same), 'a limit is sure');
        foreach ($slow->codes as $i => $code) {
            if ($code !== $codes[$i] || $code === 0) {
                self::assertNan($sure[$i], 'what a rule decided has no answer');
            }
        }
    }

    public function test_segments_go_by_their_means_and_rules_see_their_patches(): void
    {
        [$width, $height] = [40, 30];
        foreach ([1, 2, 3] as $seed) {
            $labels = $this->cells($width, $height, 60, $seed);
            $bands = $this->noise($width, $height, 3, $seed, 0.25);
            // segments differ, and pixels within them less
            foreach ($bands as $k => $band) {
                $bands[$k] = array_map(fn (float $value, int $label): float => 0.5 * $value + 0.5 * fmod($label * (0.37 + 0.21 * $k), 1.0), $band, $labels);
            }
            $image = $this->bands('image.tif', $width, $height, $bands);
            $segments = $this->raster('labels.tif', RasterSpec::segments(self::grid($width, $height)), [$labels]);
            $rules = [
                ['rule' => 'give-back', 'of' => ['water']],
                ['rule' => 'absorb', 'below' => 30, 'of' => ['lost']],
                ['rule' => 'fill', 'with' => 'green', 'share' => 0.6],
                ['rule' => 'absorb', 'below' => 45],
                ['rule' => 'dissolve'],
            ];
            $figures = $this->compute('classify.key', ['images' => $image, 'segments' => $segments, 'key' => $this->key(self::COUPLETS, $rules, 'other')], [], [
                'classes' => $this->at('classes.tif'), 'segments' => $this->at('after.tif'), 'measures' => $this->at('after.npz'),
            ]);
            $codes = $this->bySegment($labels, $bands);
            $slow = new SlowTidy($codes, $labels, $width, $height);
            $slow->giveBack([1]);
            $slow->absorb(30, [5]);
            $slow->fill(2, 0.6);
            $slow->absorb(45);
            self::assertSame(array_values($slow->codes), $this->codes('classes.tif', 255), "seed $seed");
            $after = $this->codes('after.tif', 0);
            $this->assertDissolved($slow->codes, $labels, $after, $width);
            $measures = new Measures($this->at('after.npz'));
            self::assertSame(count(array_unique(array_filter($after))), $measures->count());
            $class = array_combine($measures->values('segment'), $measures->values('class'));
            foreach ($after as $i => $segment) {
                if ($segment !== 0) {
                    self::assertEqualsWithDelta($slow->codes[$i], $class[$segment], 0.0);
                }
            }
            self::assertSame($figures['tidied'][0]['pixels'], count(array_filter($codes, fn (int $code): bool => $code === 1)));
        }
    }

    public function test_rules_by_hand(): void
    {
        // a lake of 2 wholly inside 1, a bay of 3 at the end of the image against 1 to three quarters, and 4 beside nodata
        $map = [
            [1, 1, 1, 1, 0],
            [1, 2, 1, 4, 0],
            [1, 1, 1, 1, 1],
            [3, 1, 1, 1, 1],
        ];
        $filled = fn (float $share): array => $this->tidied($map, [['rule' => 'fill', 'with' => 'a', 'share' => $share]]);
        self::assertSame([[1, 1, 1, 1, 0], [1, 1, 1, 4, 0], [1, 1, 1, 1, 1], [3, 1, 1, 1, 1]], $filled(1.0));
        self::assertSame([[1, 1, 1, 1, 0], [1, 1, 1, 1, 0], [1, 1, 1, 1, 1], [3, 1, 1, 1, 1]], $filled(0.75));
        self::assertSame([[1, 1, 1, 1, 0], [1, 1, 1, 1, 0], [1, 1, 1, 1, 1], [1, 1, 1, 1, 1]], $filled(0.5));
        self::assertSame(
            [[1, 1, 1, 1, 0], [1, 1, 1, 4, 0], [1, 1, 1, 1, 1], [0, 1, 1, 1, 1]],
            $this->tidied($map, [['rule' => 'fill', 'with' => 'a', 'of' => ['b']], ['rule' => 'give-back', 'of' => ['c']]]),
        );
        // two small ones of one class become large together where the one between them joins either
        self::assertSame(
            [[2, 2, 2, 2, 2, 3, 3, 3, 3, 3]],
            $this->tidied([[2, 2, 1, 2, 2, 3, 3, 3, 3, 3]], [['rule' => 'absorb', 'below' => 4, 'of' => ['a', 'b']]]),
        );
    }

    public function test_unlabelled_is_what_no_answer_reaches_unless_a_class_is_named_for_it(): void
    {
        $image = $this->bands('image.tif', 4, 1, [[0.1, NAN, 0.9, 0.5], [0.5, NAN, 0.1, NAN], [0.9, 0.3, 0.9, 0.9]]);
        foreach ([null => [0, 255, 0, 0], 'other' => [9, 255, 9, 9]] as $rest => $expected) {
            $couplets = [['id' => 'one', 'measure' => 'green', 'least' => 2.0, 'yes' => ['class' => 'water'], 'no' => null]];
            $key = $this->key($couplets, [], $rest === '' ? null : $rest);
            $this->compute('classify.key', ['images' => $image, 'key' => $key], [], ['classes' => $this->at('c.tif')]);
            // a pixel that has a value in none of the bands that are asked for is nodata
            self::assertSame($expected, self::stored(new GeoTiffImage($this->at('c.tif'))));
        }
    }

    public function test_a_branch_is_cut_coarser_and_finer_along_the_tree(): void
    {
        // segments 1 and 2 join at 10, they and 3 at 20, 4 joins at 30; 2 is bright by itself, with 1 it is not
        $labels = [1, 1, 2, 3, 3, 4];
        $image = $this->bands('image.tif', 6, 1, [[0.1, 0.1, 0.8, 0.3, 0.3, 0.9]]);
        $segments = $this->raster('labels.tif', RasterSpec::segments(self::grid(6, 1)), [$labels]);
        (new MergeTree(4, [1, 5, 6], [2, 3, 4], [10.0, 20.0, 30.0], [0, 0, 1]))->write($this->at('tree.npz'));
        $run = function (array $couplets, ?float $cut = null) use ($image, $segments): array {
            $this->compute(
                'classify.key',
                ['images' => $image, 'segments' => $segments, 'key' => $this->key($couplets, [], 'other', $cut), 'tree' => $this->at('tree.npz')],
                [],
                ['classes' => $this->at('c.tif'), 'segments' => $this->at('s.tif')],
            );

            return [self::stored(new GeoTiffImage($this->at('c.tif'))), self::stored(new GeoTiffImage($this->at('s.tif')))];
        };
        $bright = ['id' => 'bright', 'measure' => 'green', 'least' => 0.6, 'yes' => ['class' => 'water'], 'no' => ['class' => 'green']];
        self::assertSame([2, 2, 1, 2, 2, 1], $run([$bright])[0]);
        self::assertSame([[2, 2, 2, 2, 2, 1], [1, 1, 1, 2, 2, 3]], $run([$bright], 10.0));
        // coarse first, then finer in the branch that is asked on: 1 + 2 + 3 come apart into 1 + 2 and 3 at 10
        $first = ['id' => 'first', 'measure' => 'green', 'below' => 0.5, 'yes' => ['couplet' => 'bright', 'cut' => 10.0], 'no' => null];
        $finer = [$first, ['id' => 'bright', 'measure' => 'green', 'least' => 0.31, 'yes' => ['class' => 'water'], 'no' => ['class' => 'green']]];
        self::assertSame([[1, 1, 1, 2, 2, 9], [1, 1, 1, 2, 2, 3]], $run($finer, 20.0));
        // coarser within a branch: what the branch left out stays apart, though the tree would join it
        $coarser = [
            ['id' => 'dim', 'measure' => 'green', 'below' => 0.5, 'yes' => ['couplet' => 'all', 'cut' => 20.0], 'no' => null],
            ['id' => 'all', 'measure' => 'pixels', 'least' => 3.0, 'yes' => ['class' => 'water'], 'no' => ['class' => 'green']],
        ];
        self::assertSame([[2, 2, 9, 2, 2, 9], [1, 1, 2, 3, 3, 4]], $run($coarser));
    }

    public function test_what_is_wrong_with_a_key_is_told_where_it_is(): void
    {
        $image = $this->bands('image.tif', 6, 1, [[0.1, 0.2, 0.3, 0.4, 0.5, 0.6]]);
        $segments = $this->raster('labels.tif', RasterSpec::segments(self::grid(6, 1)), [[1, 1, 2, 2, 3, 3]]);
        $yes = ['yes' => ['class' => 'water'], 'no' => null];
        foreach ([
            '“is it swir?” of the key: there is no “swir2”' => [['id' => 'x', 'question' => 'is it swir?', 'measure' => 'swir2', 'least' => 0.1] + $yes],
            '“x” of the key: its limits are out of order' => [['id' => 'x', 'measure' => 'green', 'least' => 0.2, 'below' => 0.1] + $yes],
            '“x” of the key: it has no limit' => [['id' => 'x', 'measure' => 'green'] + $yes],
            'may be reached from one answer only' => [['id' => 'x', 'measure' => 'green', 'least' => 0.2, 'yes' => ['couplet' => 'x'], 'no' => null]],
            'which is not in the key' => [['id' => 'x', 'measure' => 'green', 'least' => 0.2, 'yes' => ['class' => 'ice'], 'no' => null]],
            'there are no examples' => [['id' => 'x', 'examples' => ['measures' => ['green']]] + $yes],
            'there are no examples for no' => [['id' => 'x', 'examples' => ['measures' => ['green'], 'given' => [self::example(0, 'yes')]]] + $yes],
            'examples contradict each other: segment 2 has both answers' => [
                ['id' => 'x', 'examples' => ['measures' => ['green'], 'given' => [self::example(2, 'yes'), self::example(3, 'no')]]] + $yes,
            ],
            'the formula' => [['id' => 'x', 'measure' => 'green +', 'least' => 0.1] + $yes],
        ] as $sentence => $couplets) {
            $this->problem(3, $sentence, fn () => $this->compute(
                'classify.key',
                ['images' => $image, 'segments' => $segments, 'key' => $this->key($couplets)],
                [],
                ['classes' => $this->at('c.tif')],
            ));
        }
        self::assertFileDoesNotExist($this->at('c.tif'));
        $shape = [['id' => 'x', 'question' => 'is it large?', 'measure' => 'area', 'least' => 0.1] + $yes];
        $this->problem(3, 'is a measure of segments, but pixels are classified', fn () => $this->compute(
            'classify.key',
            ['images' => $image, 'key' => $this->key($shape)],
            [],
            ['classes' => $this->at('c.tif')],
        ));
        $other = $this->raster('other.tif', RasterSpec::segments(self::grid(7, 1)), [[1, 1, 2, 2, 3, 3, 3]]);
        $this->problem(3, 'are not on one grid', fn () => $this->compute(
            'classify.key',
            ['images' => $image, 'segments' => $other, 'key' => $this->key(self::COUPLETS)],
            [],
            ['classes' => $this->at('c.tif')],
        ));
        $figures = $this->compute('classify.key', ['images' => $image, 'key' => $this->key([
            ['id' => 'x', 'measure' => 'green', 'least' => 2.0, 'yes' => ['couplet' => 'y'], 'no' => null],
            ['id' => 'y', 'measure' => 'green', 'least' => 0.1] + $yes,
        ])], [], ['classes' => $this->at('c.tif')]);
        self::assertSame('“x”: all answers are no. “y”: no case reaches this question.', $figures['warning']);
    }

    public function test_the_key_keeps_what_its_limits_were_chosen_on_and_says_when_they_no_longer_stand(): void
    {
        $count = 2000;
        $random = new Randomizer(new Mt19937(4));
        $two = fn (float $shift): array => array_map(
            fn (int $i): float => ($i % 4 === 0 ? 0.7 : 0.3) + $shift + 0.1 * ($random->getInt(0, 1000) / 1000 - 0.5),
            range(0, $count - 1),
        );
        $couplets = [['id' => 'bright', 'measure' => 'green', 'least' => 0.5, 'yes' => ['class' => 'water'], 'no' => null]];
        $run = fn (string $image, string $key): array => $this->compute(
            'classify.key',
            ['images' => $image, 'key' => $key],
            [],
            ['classes' => $this->at('c.tif'), 'key' => $this->at('kept.json')],
        );
        self::assertSame([], $run($this->bands('then.tif', 50, 40, [$two(0.0)]), $this->key($couplets))['limits'], 'nothing was kept before');
        copy($this->at('kept.json'), $this->at('once.json'));
        $kept = Document::read($this->at('once.json'), 'key')['couplets'][0]['histogram'];
        self::assertEqualsWithDelta([0.25, $count], [$kept['yes'], array_sum($kept['counts'])], 1e-9);

        [$same] = $run($this->bands('same.tif', 50, 40, [$two(0.01)]), $this->at('once.json'))['limits'];
        self::assertSame(['', null], [$same['to think about'], $same['proposed']]);
        [$moved] = $run($this->bands('moved.tif', 50, 40, [$two(0.25)]), $this->at('once.json'))['limits'];
        self::assertStringContainsString('values as a whole are 0.25', $moved['to think about']);
        self::assertStringContainsString('“yes” is now the answer for 100 %, before for 25 %', $moved['to think about']);
        self::assertStringContainsString('no longer in a valley', $moved['to think about']);
        self::assertEqualsWithDelta(0.75, $moved['proposed'], 0.03);
        self::assertSame(0.5, $moved['limit'], 'nothing is taken silently');
    }

    public function test_examples_teach_and_what_was_learnt_is_carried(): void
    {
        [$width, $height] = [30, 20];
        $random = new Randomizer(new Mt19937(8));
        $labels = array_map(fn (int $i): int => 1 + intdiv($i % $width, 3) + 10 * intdiv(intdiv($i, $width), 2), range(0, $width * $height - 1));
        // two kinds of ground, mixed over the image: the answer is a ring in two measures, which no limit could cut
        $of = [];
        for ($label = 1; $label <= 100; $label++) {
            $isYes = $label % 3 === 0;
            $turn = 2 * M_PI * $random->getInt(0, 1000) / 1000;
            $far = ($isYes ? 0.1 : 0.4) + 0.02 * $random->getInt(0, 1000) / 1000;
            $of[$label] = [$isYes, 0.5 + $far * cos($turn), 10 * (0.5 + $far * sin($turn))];
        }
        $bands = array_map(fn (int $k): array => array_map(fn (int $label): float => $of[$label][$k], $labels), [1, 2]);
        $image = $this->bands('image.tif', $width, $height, $bands);
        $segments = $this->raster('labels.tif', RasterSpec::segments(self::grid($width, $height)), [$labels]);
        $truth = array_map(fn (int $label): int => $of[$label][0] ? 1 : 2, $labels);
        $given = [];
        for ($label = 1; $label <= 60; $label++) {
            $pixel = (int) array_search($label, $labels, true);
            $given[] = self::example($pixel % $width, $of[$label][0] ? 'yes' : 'no', intdiv($pixel, $width));
        }
        foreach (['nearest-neighbours', 'random-forest', 'support-vectors'] as $method) {
            $examples = ['measures' => ['green', 'nir'], 'method' => $method, 'neighbours' => 3, 'trees' => 50, 'seed' => 3, 'given' => $given];
            $couplets = [['id' => 'ring', 'examples' => $examples, 'yes' => ['class' => 'water'], 'no' => ['class' => 'green']]];
            $outputs = ['classes' => $this->at('c.tif'), 'confidence' => $this->at('sure.tif'), 'key' => $this->at('taught.json')];
            foreach ([['segments' => $segments], []] as $of2) {
                $figures = $this->compute('classify.key', ['images' => $image, 'key' => $this->key($couplets)] + $of2, [], $outputs);
                $codes = self::stored(new GeoTiffImage($this->at('c.tif')));
                $right = count(array_filter(array_keys($codes), fn (int $i): bool => $codes[$i] === $truth[$i]));
                self::assertGreaterThan(0.97 * count($codes), $right, $method);
                self::assertSame([['question' => 'ring', 'yes' => 20, 'no' => 40]], $figures['examples']);
                $sure = self::pixels($this->at('sure.tif'));
                self::assertGreaterThanOrEqual(0.5, min($sure));
                if ($method !== 'nearest-neighbours') {
                    self::assertLessThan(1.0, min($sure), 'nothing is certain everywhere');
                }
                // run again with what the key carries, and no example
                $told = Document::read($this->at('taught.json'), 'key');
                self::assertCount(60, $told['couplets'][0]['examples']['values']);
                unset($told['couplets'][0]['examples']['given']);
                Document::write($this->at('carried.json'), $told);
                $this->compute('classify.key', ['images' => $image, 'key' => $this->at('carried.json')] + $of2, [], ['classes' => $this->at('d.tif')]);
                self::assertSame($codes, self::stored(new GeoTiffImage($this->at('d.tif'))));
            }
        }
        $guess = ['measures' => ['green', 'nir'], 'method' => 'nearest-mean', 'given' => $given];
        $couplets = [['id' => 'ring', 'examples' => $guess, 'yes' => ['class' => 'water'], 'no' => ['class' => 'green']]];
        $this->problem(3, 'it can\'t learn by “nearest-mean”; it can by maximum-likelihood, nearest-neighbours', fn () => $this->compute(
            'classify.key',
            ['images' => $image, 'key' => $this->key($couplets)],
            [],
            ['classes' => $this->at('d.tif')],
        ));
        // given anew they teach anew: here the other way round, by polygons around whole segments
        $features = [];
        foreach ([3 => 'no', 6 => 'no', 9 => 'no', 1 => 'yes', 2 => 'yes', 4 => 'yes', 5 => 'yes', 7 => 'yes'] as $label => $answer) {
            [$col, $row] = [3 * (($label - 1) % 10), 2 * intdiv($label - 1, 10)];
            $corners = [[$col, $row], [$col + 3, $row], [$col + 3, $row + 2], [$col, $row + 2], [$col, $row]];
            $features[] = ['type' => 'Feature', 'properties' => ['answer' => $answer], 'geometry' => [
                'type' => 'Polygon', 'coordinates' => [array_map(fn (array $at): array => self::grid(30, 20)->toMap(...$at), $corners)],
            ]];
        }
        file_put_contents($this->at('anew.geojson'), json_encode(['type' => 'FeatureCollection', 'features' => $features,
            'crs' => ['type' => 'name', 'properties' => ['name' => 'urn:ogc:def:crs:EPSG::32632']]]));
        $figures = $this->compute(
            'classify.key',
            ['images' => $image, 'segments' => $segments, 'key' => $this->at('carried.json'), 'examples' => $this->at('anew.geojson')],
            [],
            ['classes' => $this->at('d.tif')],
        );
        self::assertSame([['question' => 'ring', 'yes' => 5, 'no' => 3]], $figures['examples']);
    }

    /** @return array<string, mixed> */
    private static function example(int $col, string $answer, int $row = 0): array
    {
        $crs = \Chorometra\Core\Geo\Crs::ofGrid(self::grid(30, 20));
        assert($crs !== null);

        return ['at' => $crs->inverse(...self::grid(30, 20)->toMap($col + 0.5, $row + 0.5)), 'answer' => $answer];
    }

    /**
     * @param  list<array<string, mixed>>  $couplets
     * @param  list<array<string, mixed>>  $rules
     */
    private function key(array $couplets, array $rules = [], ?string $rest = null, ?float $cut = null): string
    {
        $told = ['type' => 'key', 'version' => 1, 'classes' => self::CLASSES, 'couplets' => $couplets, 'rules' => $rules];
        file_put_contents($this->at('key.json'), json_encode($told + array_filter(['rest' => $rest, 'cut' => $cut])));

        return $this->at('key.json');
    }

    /**
     * @param  list<list<int>>  $map  of codes 1 to 4, 0 for nodata
     * @param  list<array<string, mixed>>  $rules  over the classes a to d
     * @return list<list<int>>
     */
    private function tidied(array $map, array $rules): array
    {
        $width = count($map[0]);
        $values = array_map(fn (int $code): float => $code === 0 ? NAN : $code / 10, array_merge(...$map));
        $image = $this->bands('map.tif', $width, count($map), [$values]);
        $couplets = [];
        foreach (['a', 'b', 'c'] as $k => $name) {
            $couplets[] = ['id' => $name, 'measure' => 'green', 'below' => 0.15 + 0.1 * $k, 'yes' => ['class' => $name],
                'no' => $k < 2 ? ['couplet' => ['b', 'c'][$k]] : ['class' => 'd']];
        }
        $classes = [];
        foreach (['a', 'b', 'c', 'd'] as $k => $name) {
            $classes[] = ['value' => $k + 1, 'name' => $name, 'colour' => '#112233'];
        }
        file_put_contents($this->at('key.json'), json_encode(
            ['type' => 'key', 'version' => 1, 'classes' => $classes, 'couplets' => $couplets, 'rules' => $rules],
        ));
        $this->compute('classify.key', ['images' => $image, 'key' => $this->at('key.json')], [], ['classes' => $this->at('c.tif')]);

        return array_chunk(array_map(fn (int $code): int => $code === 255 ? 0 : $code, self::stored(new GeoTiffImage($this->at('c.tif')))), $width);
    }

    private static function plain(float $green, float $red, float $nir): int
    {
        return match (true) {
            is_nan($green) && is_nan($red) && is_nan($nir) => -1,
            is_nan($green) || is_nan($nir) => 9,
            $green >= $nir => 1,
            $nir < 0.6 => 9,
            is_nan($red) => 9,
            $red - 0.1 >= 0.2 && $red - 0.1 < 0.5 => 5,
            default => 2,
        };
    }

    /**
     * @param  list<int>  $labels
     * @param  list<list<float>>  $bands
     * @return list<int>
     */
    private function bySegment(array $labels, array $bands): array
    {
        $means = [];
        foreach (array_unique($labels) as $label) {
            $pixels = array_keys($labels, $label, true);
            foreach ($bands as $k => $band) {
                $values = array_filter(array_map(fn (int $i): float => $band[$i], $pixels), fn (float $value): bool => ! is_nan($value));
                $means[$label][$k] = $values === [] ? NAN : array_sum($values) / count($values);
            }
        }

        return array_map(fn (int $label): int => $label === 0 ? -1 : self::plain(...$means[$label]), $labels);
    }

    /**
     * Neighbouring pixels of one class are of one segment; those without a class are as they were.
     *
     * @param  array<int, int>  $codes
     * @param  list<int>  $before
     * @param  list<int>  $after
     */
    private function assertDissolved(array $codes, array $before, array $after, int $width): void
    {
        foreach ($codes as $i => $code) {
            foreach (($i + 1) % $width === 0 ? [$i + $width] : [$i + 1, $i + $width] as $j) {
                if (isset($codes[$j]) && $code >= 0 && $codes[$j] >= 0) {
                    $isOne = $code === $codes[$j] && ($code !== 0 || $before[$i] === $before[$j]);
                    if ($code !== $codes[$j] || $isOne) {
                        self::assertSame($isOne, $after[$i] === $after[$j], "pixels $i and $j");
                    }
                }
            }
        }
    }

    /** @return list<list<float>> with some nodata */
    private function noise(int $width, int $height, int $bands, int $seed = 5, float $missing = 0.02): array
    {
        $random = new Randomizer(new Mt19937($seed));

        return array_map(fn (): array => array_map(
            fn (): float => $random->getInt(0, 10_000) < 10_000 * $missing ? NAN : $random->getInt(0, 10_000) / 10_000,
            range(1, $width * $height),
        ), range(1, $bands));
    }

    /** @return list<int> each pixel by the nearest of some places, a corner without any */
    private function cells(int $width, int $height, int $count, int $seed): array
    {
        $random = new Randomizer(new Mt19937($seed));
        $places = array_map(fn (): array => [$random->getInt(0, $width - 1), $random->getInt(0, $height - 1)], range(1, $count));

        return array_map(function (int $i) use ($width, $places): int {
            [$col, $row] = [$i % $width, intdiv($i, $width)];
            $far = array_map(fn (array $place): int => ($place[0] - $col) ** 2 + ($place[1] - $row) ** 2, $places);

            return $col + $row < 8 ? 0 : 1 + (int) array_search(min($far), $far, true);
        }, range(0, $width * $height - 1));
    }

    /** @param  list<list<float>>  $bands  green, red, nir; of two green and nir */
    private function bands(string $name, int $width, int $height, array $bands): string
    {
        $roles = count($bands) === 2 ? ['green', 'nir'] : ['green', 'red', 'nir'];
        $spec = new RasterSpec(self::grid($width, $height), array_map(fn (int $k): Band => new Band($roles[$k]), array_keys($bands)), SampleType::Float64);

        return $this->raster($name, $spec, $bands);
    }

    private function at(string $name): string
    {
        return "$this->folder/$name";
    }

    /** @return list<int> −1 for nodata */
    private function codes(string $name, int $nodata): array
    {
        $codes = self::stored(new GeoTiffImage($this->at($name)));

        return $nodata === 0 ? $codes : array_map(fn (int $code): int => $code === $nodata ? -1 : $code, $codes);
    }

    /** @return list<int> */
    private static function stored(GeoTiffImage $image): array
    {
        $grid = $image->spec()->grid;

        return Values::codes($image, new Window(0, 0, $grid->width, $grid->height));
    }
}
