<?php

namespace Chorometra\Core\Tests\Classify;

use Chorometra\Core\Classify\Cases\Samples;
use Chorometra\Core\Classify\Classifiers\MaximumLikelihood;
use Chorometra\Core\Classify\Training\HeldBack;
use Chorometra\Core\Engine\Runner;
use Chorometra\Core\Format\Document;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Crop;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Stats\Normal;
use Chorometra\Core\Stats\RandomForest;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Step\Registry;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;
use Random\Engine\Mt19937;
use Random\Randomizer;

/**
 * Against error rates of scikit-learn 1.2.1 on the Statlog (Landsat Satellite) data, UCI Machine Learning Repository, CC BY 4.0,
 * doi:10.24432/C55887 (fixtures/statlog), and its values in fixtures/c_lda_qda.json.
 */
final class TeachTest extends TestCase
{
    /** The data as an image of 65 x 99 pixels: rows 1 to 4435 are areas, the rest is counted. */
    private const TRAIN = 4435;

    /** @var array{list<list<float>>, list<int>}|null */
    private static ?array $statlog = null;

    public function test_error_rates_are_those_of_scikit_learn_to_a_pixel(): void
    {
        $rates = self::fixture('statlog/rates.json')['rates'];
        foreach (['all36' => range(0, 35), 'centre4' => range(16, 19)] as $which => $bands) {
            [$image, $areas] = $this->statlog($bands);
            foreach ([
                ['minimum_distance', ['method' => 'nearest-mean', 'standardise' => 'no']],
                ['qda_equal_priors', ['method' => 'maximum-likelihood']],
                ['qda_empirical_priors', ['method' => 'maximum-likelihood', 'priors' => 'as-taught']],
                ['spectral_angle_to_class_mean', ['method' => 'spectral-angle']],
                ['knn_1', ['method' => 'nearest-neighbours', 'neighbours' => 1, 'standardise' => 'no', 'most' => 100_000]],
            ] as [$rate, $settings]) {
                $this->compute(
                    'classify.teach',
                    ['images' => $image, 'areas' => $areas],
                    ['test' => 'none'] + $settings,
                    ['classes' => "$this->folder/map.tif"],
                );
                self::assertEqualsWithDelta($rates[$which][$rate], $this->errors("$this->folder/map.tif"), 1e-9, "$rate of $which");
            }
            // of several equally far the earlier votes here, another there
            foreach (['knn_3' => 3, 'knn_5' => 5] as $rate => $neighbours) {
                $settings = ['method' => 'nearest-neighbours', 'neighbours' => $neighbours, 'standardise' => 'no', 'most' => 100_000, 'test' => 'none'];
                $this->compute('classify.teach', ['images' => $image, 'areas' => $areas], $settings, ['classes' => "$this->folder/map.tif"]);
                self::assertEqualsWithDelta($rates[$which][$rate], $this->errors("$this->folder/map.tif"), 0.003, "$rate of $which");
            }
            $settings = ['method' => 'random-forest', 'trees' => 100, 'most' => 100_000, 'test' => 'none'];
            $this->compute('classify.teach', ['images' => $image, 'areas' => $areas], $settings, ['classes' => "$this->folder/map.tif"]);
            // forests of other seeds and sizes scatter by half a per cent
            self::assertEqualsWithDelta($rates[$which]['random_forest_500_trees'], $this->errors("$this->folder/map.tif"), 0.012, "forest of $which");
        }
    }

    public function test_posteriors_distances_and_angles_are_those_of_scikit_learn_and_numpy(): void
    {
        $told = self::fixture('c_lda_qda.json');
        $near = self::fixture('classification.json')['near'];
        [$image, $areas] = $this->pixelsOf($told);
        $first = count($told['train']);
        $count = count($told['test']);
        $run = function (array $settings) use ($image, $areas, $first, $count): array {
            $isLikely = $settings['method'] === 'maximum-likelihood';
            $outputs = ['classes' => "$this->folder/c.tif", 'confidence' => "$this->folder/s.tif", 'model' => "$this->folder/m.json"];
            $this->compute('classify.teach', ['images' => $image, 'areas' => $areas], ['test' => 'none', 'posteriors' => $isLikely] + $settings,
                $outputs + ($isLikely ? ['posteriors' => "$this->folder/p.tif"] : []));
            $of = fn (string $file, int $band): array => array_slice(self::pixels("$this->folder/$file", $band), $first, $count);

            return [$of('c.tif', 0), $of('s.tif', 0), $of('s.tif', 1), $isLikely ? array_map(fn (int $band): array => $of('p.tif', $band), range(0, 3)) : []];
        };
        foreach (['equal' => '', 'training_share' => 'as-taught'] as $case => $priors) {
            [$codes, $sure, $chance, $posteriors] = $run(['method' => 'maximum-likelihood', 'priors' => $priors]);
            self::assertSame($told['cases'][$case]['qda_labels'], array_map(fn (int $code): int => $told['classes'][$code - 1], $codes));
            foreach ($told['cases'][$case]['qda_posteriors'] as $k => $expected) {
                self::assertEqualsWithDelta(max($expected), $sure[$k], 1e-6);
                foreach ($expected as $class => $share) {
                    self::assertEqualsWithDelta($share, $posteriors[$class][$k], 1e-6);
                }
                // the probability of the distance, of four bands in closed form
                $squares = $told['mahalanobis_squared'][$k][$codes[$k] - 1];
                self::assertEqualsWithDelta(exp(-0.5 * $squares) * (1.0 + 0.5 * $squares), $chance[$k], 2e-6);
            }
        }
        foreach (['scaled-distance' => 'scaled', 'spectral-angle' => 'angle'] as $method => $name) {
            [$codes, $margin, $found] = $run(['method' => $method]);
            foreach ($near[$name] as $k => $all) {
                $order = $all;
                sort($order);
                self::assertSame(array_search($order[0], $all, true) + 1, $codes[$k], $method);
                self::assertEqualsWithDelta($order[0], $found[$k], 1e-5 * $order[0] + 1e-6, $method);
                self::assertEqualsWithDelta(1.0 - $order[0] / $order[1], $margin[$k], 1e-5, $method);
            }
        }
        [$codes, $margin, $found] = $run(['method' => 'nearest-mean', 'standardise' => 'no']);
        self::assertSame($told['minimum_distance_labels'], array_map(fn (int $code): int => $told['classes'][$code - 1], $codes));
        $spreads = Document::read("$this->folder/m.json")['parameters']['spreads'];
        self::assertEqualsWithDelta(min($near['plain'][0]) / $spreads[$codes[0] - 1], $found[0], 1e-5);
    }

    public function test_a_limit_leaves_unlabelled_what_is_far_and_only_that(): void
    {
        $told = self::fixture('c_lda_qda.json');
        [$image, $areas] = $this->pixelsOf($told);
        foreach ([
            ['maximum-likelihood', ['least-probability' => '5%'], fn (float $near): bool => $near >= 0.05],
            ['scaled-distance', ['most-deviations' => 1.5], fn (float $near): bool => $near <= 1.5],
            ['nearest-mean', ['most-deviations' => 1.2], fn (float $near): bool => $near <= 1.2],
            ['spectral-angle', ['most-degrees' => 2], fn (float $near): bool => $near <= 2],
            ['nearest-neighbours', ['least-votes' => '70%'], fn (float $sure): bool => $sure >= 0.7],
            ['random-forest', ['least-votes' => '70%'], fn (float $sure): bool => $sure >= 0.7],
        ] as [$method, $limit, $stays]) {
            $outputs = ['classes' => "$this->folder/c.tif", 'confidence' => "$this->folder/s.tif"];
            $this->compute(
                'classify.teach',
                ['images' => $image, 'areas' => $areas],
                ['test' => 'none', 'method' => $method],
                ['classes' => "$this->folder/all.tif"],
            );
            $this->compute('classify.teach', ['images' => $image, 'areas' => $areas], ['test' => 'none', 'method' => $method] + $limit, $outputs);
            // what was not asked how sure it is comes to the same
            $this->compute(
                'classify.teach',
                ['images' => $image, 'areas' => $areas],
                ['test' => 'none', 'method' => $method] + $limit,
                ['classes' => "$this->folder/only.tif"],
            );
            [$all, $codes, $only] = array_map(fn (string $name): array => self::pixels("$this->folder/$name.tif"), ['all', 'c', 'only']);
            $near = self::pixels("$this->folder/s.tif", str_contains($method, 'neighbours') || $method === 'random-forest' ? 0 : 1);
            self::assertSame($codes, $only, $method);
            $left = 0;
            foreach ($codes as $k => $code) {
                self::assertSame($stays($near[$k] + 1e-7) || $stays($near[$k] - 1e-7) ? $all[$k] : 0, $code, "$method, pixel $k");
                $left += $code === 0 ? 1 : 0;
            }
            self::assertGreaterThan(0, $left, $method);
        }
    }

    public function test_a_model_is_kept_and_used_on_other_images(): void
    {
        $told = self::fixture('c_lda_qda.json');
        [$image, $areas] = $this->pixelsOf($told);
        $segments = $this->raster('segments.tif', RasterSpec::segments(self::grid(10, 17)), [range(1, 170)]);
        foreach (['nearest-mean', 'scaled-distance', 'maximum-likelihood', 'spectral-angle', 'nearest-neighbours', 'random-forest'] as $method) {
            foreach ([[], ['segments' => $segments]] as $on) {
                $this->compute('classify.teach', ['images' => $image, 'areas' => $areas] + $on, ['method' => $method, 'test' => 'none', 'trees' => 20], [
                    'classes' => "$this->folder/c.tif", 'confidence' => "$this->folder/s.tif", 'model' => "$this->folder/model.json",
                ]);
                $model = Document::read("$this->folder/model.json", 'model');
                self::assertSame($on === [] ? 'pixels' : 'segments', $model['cases']);
                self::assertSame(['blue', 'green', 'red', 'nir'], array_column($model['bands'], 'name'));
                $figures = $this->compute('classify.apply', ['images' => $image, 'model' => "$this->folder/model.json"] + $on, [], [
                    'classes' => "$this->folder/again.tif", 'confidence' => "$this->folder/sure.tif", 'outside' => "$this->folder/outside.tif",
                ]);
                self::assertSame(self::pixels("$this->folder/c.tif"), self::pixels("$this->folder/again.tif"), $method);
                self::assertClose(self::pixels("$this->folder/s.tif"), self::pixels("$this->folder/sure.tif"), 1e-9, $method);
                $outside = array_filter(self::pixels("$this->folder/outside.tif"), fn (float $far): bool => $far > 0.0);
                self::assertEqualsWithDelta(count($outside) / 170, $figures['outside-share'], 1e-12);
                self::assertGreaterThan(0, count($outside), 'test pixels reach farther than those learnt');
            }
        }
        // pixels are segments of one pixel: both say the same
        $this->compute('classify.teach', ['images' => $image, 'areas' => $areas], ['test' => 'none'], ['classes' => "$this->folder/c.tif"]);
        $this->compute(
            'classify.teach',
            ['images' => $image, 'areas' => $areas, 'segments' => $segments],
            ['test' => 'none'],
            ['classes' => "$this->folder/d.tif"],
        );
        self::assertSame(self::pixels("$this->folder/c.tif"), self::pixels("$this->folder/d.tif"));
    }

    public function test_a_model_refuses_what_it_does_not_know(): void
    {
        $told = self::fixture('c_lda_qda.json');
        [$image, $areas] = $this->pixelsOf($told);
        $this->compute(
            'classify.teach',
            ['images' => $image, 'areas' => $areas],
            ['test' => 'none'],
            ['classes' => "$this->folder/c.tif", 'model' => "$this->folder/model.json"],
        );
        $apply = fn (string $image, ?string $model = null): \Closure => fn () => $this->compute('classify.apply', [
            'images' => $image, 'model' => $model ?? "$this->folder/model.json",
        ], [], ['classes' => "$this->folder/again.tif"]);
        $grid = self::grid(3, 2);
        $plane = array_fill(0, 6, 50.0);
        $bands = fn (string $unit): array => array_map(fn (string $role): Band => new Band($role, $role, unit: $unit), ['nir', 'red', 'green', 'blue']);
        $counts = $this->raster('counts.tif', new RasterSpec($grid, $bands('counts')), array_fill(0, 4, $plane));
        $this->problem(3, 'trained on blue in no unit, and here it is in counts', $apply($counts));
        $this->problem(
            2,
            'There is no “green” in lacking.tif',
            $apply($this->image('lacking.tif', 3, 2, ['red' => $plane, 'blue' => $plane, 'nir' => $plane])),
        );
        // the order of bands does not matter: roles do
        $planes = [];
        foreach (['blue', 'green', 'red', 'nir'] as $k => $role) {
            $planes[$role] = array_map(
                fn (array $row): float => $row[$k],
                array_map(null, ...array_map(fn (int $b): array => self::pixels($image, $b), range(0, 3))),
            );
        }
        $apply($this->image('turned.tif', 10, 17, array_reverse($planes)))();
        self::assertSame(self::pixels("$this->folder/c.tif"), self::pixels("$this->folder/again.tif"));

        $model = Document::read("$this->folder/model.json");
        foreach ([
            ['is broken', fn (array $m): array => array_replace($m, ['classes' => []])],
            ['parameters / means are not 4 rows', fn (array $m): array => array_replace($m, ['parameters' => ['means' => [[1, 2]]] + $m['parameters']])],
            [
                'can\'t be inverted',
                fn (array $m): array => array_replace(
                    $m,
                    ['parameters' => ['covariances' => array_fill(0, 4, array_fill(0, 4, array_fill(0, 4, 1)))] + $m['parameters']],
                ),
            ],
            ['priors must be positive', fn (array $m): array => array_replace($m, ['parameters' => ['priors' => [0, 0, 0.5, 0.5]] + $m['parameters']])],
            ['a method that is not supported', fn (array $m): array => array_replace($m, ['method' => 'guess'])],
            ['it has no trees', fn (array $m): array => array_replace($m, ['method' => 'random-forest'])],
            ['tree 1 leads nowhere at node 1', fn (array $m): array => array_replace($m, [
                'method' => 'random-forest', 'parameters' => ['trees' => [['bands' => [0], 'limits' => [1.0], 'next' => [0]]]],
            ])],
        ] as [$part, $break]) {
            file_put_contents("$this->folder/broken.json", json_encode($break($model)));
            $this->problem(3, $part, $apply($image, "$this->folder/broken.json"));
        }
        file_put_contents("$this->folder/broken.json", substr((string) file_get_contents("$this->folder/model.json"), 0, 400));
        $this->problem(3, 'is no JSON', $apply($image, "$this->folder/broken.json"));
    }

    public function test_what_can_not_be_learnt_is_said_in_one_sentence(): void
    {
        $random = new Randomizer(new Mt19937(4));
        $noise = fn (): array => array_map(fn (): float => $random->getInt(0, 1000) / 1000, range(1, 400));
        [$red, $nir] = [$noise(), $noise()];
        $image = $this->image('noise.tif', 20, 20, ['red' => $red, 'nir' => $nir, 'twice' => array_map(fn (float $v): float => 2 * $v + 1, $red)]);
        $teach = fn (array $boxes, array $settings = [], string $on = ''): \Closure => fn () => $this->compute('classify.teach', [
            'images' => $on ?: $image, 'areas' => $this->boxes($boxes),
        ], $settings, ['classes' => "$this->folder/c.tif"]);
        $two = [['a', 0, 0, 8, 8], ['b', 10, 10, 8, 8]];
        $this->problem(3, 'All areas are “a”', $teach([['a', 0, 0, 8, 8]]));
        $this->problem(3, 'Class “b” has one pixel', $teach([['a', 0, 0, 8, 8], ['b', 10, 10, 1, 1]]));
        $this->problem(3, 'Class “b” has no pixel with a value', $teach([['a', 0, 0, 8, 8], ['b', 30, 30, 4, 4]]));
        $this->problem(
            3,
            'Class “b” has 2 pixels, and with 2 bands more than 2 are needed',
            $teach([['a', 0, 0, 8, 8], ['b', 9, 9, 2, 1]], ['bands' => 'red,nir']),
        );
        $this->problem(3, 'In class “a” twice is a linear function of red', $teach($two));
        $this->problem(
            3,
            'constant in nir',
            $teach($two, ['bands' => 'red,nir'], $this->image('flat.tif', 20, 20, ['red' => $red, 'nir' => array_fill(0, 400, 2.0)])),
        );
        $this->problem(
            3,
            'Class “a” is constant in nir',
            $teach($two, ['method' => 'scaled-distance'], $this->image('flat.tif', 20, 20, ['red' => $red, 'nir' => array_fill(0, 400, 2.0)])),
        );
        $this->problem(
            3,
            'is 0 in all bands',
            $teach($two, ['method' => 'spectral-angle'], $this->image('dark.tif', 20, 20, ['red' => array_fill(0, 400, 0.0)])),
        );
        $this->problem(2, 'A band is named twice: red', $teach($two, ['bands' => 'red,red']));
        $this->problem(2, 'There is no “blue”', $teach($two, ['bands' => 'blue']));
        $this->problem(2, 'is not a prior', $teach($two, ['bands' => 'red,nir', 'priors' => 'c: 0.5']));
        $this->problem(2, 'The priors add up to 1.2', $teach($two, ['bands' => 'red,nir', 'priors' => 'a: 0.7,b: 50%']));
        $this->problem(3, 'area 1 has no “kind”', $teach($two, ['class-field' => 'kind']));
        file_put_contents("$this->folder/empty.geojson", '{"type":"FeatureCollection","features":[]}');
        $this->problem(
            3,
            'contains no areas',
            fn () => $this->compute('classify.teach', ['images' => $image, 'areas' => "$this->folder/empty.geojson"], [], ['classes' => "$this->folder/c.tif"]),
        );
        Document::write("$this->folder/legend.json", ['type' => 'legend', 'version' => 1, 'classes' => [
            ['value' => 300, 'name' => 'b', 'colour' => '#112233'], ['value' => 7, 'name' => 'a', 'colour' => '#445566'],
        ]]);
        $this->problem(3, 'Class “b” has the code 300', fn () => $this->compute('classify.teach', [
            'images' => $image, 'areas' => $this->boxes($two), 'legend' => "$this->folder/legend.json",
        ], ['bands' => 'red,nir'], ['classes' => "$this->folder/c.tif"]));
        $this->problem(3, 'is “b”, and the legend has no such class', function () use ($image, $two): void {
            Document::write(
                "$this->folder/legend.json",
                ['type' => 'legend', 'version' => 1, 'classes' => [['value' => 7, 'name' => 'a', 'colour' => '#445566']]],
            );
            $this->compute(
                'classify.teach',
                ['images' => $image, 'areas' => $this->boxes($two), 'legend' => "$this->folder/legend.json"],
                [],
                ['classes' => "$this->folder/c.tif"],
            );
        });
    }

    public function test_nodata_the_mask_and_areas_that_contradict_each_other_are_kept_out(): void
    {
        $random = new Randomizer(new Mt19937(4));
        $red = array_map(fn (int $i): float => ($i % 20 < 10 ? 1.0 : 5.0) + $random->getInt(0, 100) / 100, range(0, 399));
        $red[0] = NAN;
        $red[21] = INF;
        $image = $this->image('red.tif', 20, 20, ['red' => $red]);
        $codes = array_fill(0, 400, 1);
        foreach ([2, 3, 22, 399] as $pixel) {
            $codes[$pixel] = 2;
        }
        $mask = $this->classes('mask.tif', 20, 20, $codes, ['clear', 'cloud']);
        $figures = $this->compute('classify.teach', [
            'images' => $image, 'mask' => $mask, 'areas' => $this->boxes(
                [['low', 0, 0, 5, 5], ['high', 12, 2, 6, 6], ['low', 12, 2, 2, 2], ['high', -9, -9, 3, 3]],
            ),
        ], ['test' => 'none', 'method' => 'nearest-mean'], ['classes' => "$this->folder/c.tif", 'model' => "$this->folder/m.json"]);
        self::assertSame(
            ['1 areas outside the image', '2 pixels without a value', '3 pixels under the mask', '4 pixels in areas of two classes'],
            $figures['left-out'],
        );
        self::assertSame([['low', 20], ['high', 32]], array_map(fn (array $row): array => [$row['class'], $row['pixels']], $figures['taught']));
        $made = self::pixels("$this->folder/c.tif");
        foreach ($made as $i => $code) {
            self::assertSame(in_array($i, [0, 21, 2, 3, 22, 399], true) ? 255 : ($i % 20 < 10 ? 1 : 2), $code, "pixel $i");
        }
        $kept = array_filter(range(0, 399), fn (int $i): bool => $i % 20 < 5 && $i < 100 && ! in_array($i, [0, 21, 2, 3, 22], true));
        $mean = array_sum(array_map(fn (int $i): float => $red[$i], $kept)) / 20;
        self::assertEqualsWithDelta($mean, Document::read("$this->folder/m.json")['parameters']['means'][0][0], 1e-6);
    }

    public function test_whole_areas_are_held_back_and_what_they_say_comes_with_its_interval(): void
    {
        $areas = $answers = [];
        // ten areas of a, four of b, one of c, five cases each
        foreach ([[10, 0], [4, 1], [1, 2]] as [$number, $class]) {
            for ($k = 0; $k < $number; $k++) {
                array_push($areas, ...array_fill(0, 5, 100 * $class + $k));
                array_push($answers, ...array_fill(0, 5, $class));
            }
        }
        $samples = new Samples(Legend::of(['a', 'b', 'c']), [array_fill(0, 75, 0.0)], $answers, $areas, range(0, 74));
        [$way, $turns] = HeldBack::turns($samples, 'as-fits', 0.3, 5, 1);
        self::assertSame('folds', $way);
        self::assertCount(5, $turns);
        $all = array_merge(...$turns);
        sort($all);
        self::assertSame([...range(0, 9), ...range(100, 103)], $all, 'each once, and the only one of a class never');
        self::assertSame([$way, $turns], HeldBack::turns($samples, 'as-fits', 0.3, 5, 1));
        self::assertNotSame([$way, $turns], HeldBack::turns($samples, 'as-fits', 0.3, 5, 2));
        [$way, $turns] = HeldBack::turns($samples, 'hold-back', 0.3, 5, 1);
        self::assertSame(['hold-back', 1, 4], [$way, count($turns), count($turns[0])]);
        self::assertSame(['none', []], HeldBack::turns($samples, 'none', 0.3, 5, 1));

        // Wilson's interval, as in Agresti & Coull 1998: 15 of 20
        self::assertEqualsWithDelta([0.5313, 0.8881], HeldBack::wilson(0.75, 20), 5e-5);
        self::assertEqualsWithDelta([0.7225, 1.0], HeldBack::wilson(1.0, 10), 5e-5);
    }

    public function test_the_report_tells_agreement_on_what_was_held_back_and_which_bands_mattered(): void
    {
        $random = new Randomizer(new Mt19937(8));
        $red = array_map(fn (int $i): float => ($i % 40 < 20 ? 0.1 : 0.4) + $random->getInt(-100, 100) / 2000, range(0, 1599));
        $noise = array_map(fn (int $i): float => $random->getInt(0, 1000) / 1000, range(0, 1599));
        $image = $this->image('two.tif', 40, 40, ['nir' => $noise, 'red' => $red]);
        $boxes = [];
        foreach (range(0, 4) as $k) {
            array_push($boxes, ['dark', 2 + $k, 8 * $k, 5, 5], ['bright', 24 + $k, 8 * $k, 5, 5]);
        }
        $figures = $this->compute('classify.teach', ['images' => $image, 'areas' => $this->boxes($boxes)], [], ['classes' => "$this->folder/c.tif"]);
        self::assertSame(1.0, $figures['agreement']);
        self::assertSame('72.2 to 100.0 %', $figures['interval'], 'as many cases as areas where all agree');
        self::assertSame('cross-validation on 10 of 10 areas in 5 folds; the model is trained on all', $figures['tested']);
        self::assertSame([['map' => 'dark', 'dark' => 125, 'bright' => 0], ['map' => 'bright', 'dark' => 0, 'bright' => 125]], $figures['matrix']);
        self::assertSame(['red', 'nir'], array_column($figures['importance'], 'band'));
        self::assertEqualsWithDelta(0.5, $figures['importance'][0]['lost'], 0.08, 'dealt out anew it is as good as a coin');
        self::assertEqualsWithDelta(0.0, $figures['importance'][1]['lost'], 0.02);
        // areas that are wrong bring the agreement down, and the interval follows the areas
        $boxes[1][0] = 'dark';
        $figures = $this->compute(
            'classify.teach',
            ['images' => $image, 'areas' => $this->boxes($boxes)],
            ['method' => 'random-forest', 'trees' => 30],
            ['classes' => "$this->folder/c.tif"],
        );
        self::assertLessThan(0.95, $figures['agreement']);
        self::assertMatchesRegularExpression('/^[3-7]\d\.\d to 9\d\.\d %$/', $figures['interval']);
    }

    public function test_a_trial_has_learnt_from_all_areas_and_shows_what_the_run_does(): void
    {
        [$image, $areas] = $this->statlog(range(16, 19));
        $this->compute('classify.teach', ['images' => $image, 'areas' => $areas], ['test' => 'none'], ['classes' => "$this->folder/map.tif"]);
        $window = new Window(10, 70, 30, 20);
        $kind = Registry::get('classify.teach');
        $call = CallOpener::call($kind, ['images' => new Crop(new GeoTiffImage($image), $window), 'areas' => $areas], ['test' => 'none'],
            ['classes' => "$this->folder/trial.tif"], new Context(2, $this->folder, trial: true));
        $figures = Runner::run($kind, $call);
        self::assertArrayNotHasKey('agreement', $figures, 'nothing is tested');
        $all = self::pixels("$this->folder/map.tif");
        $expected = array_map(fn (int $i): int => $all[(70 + intdiv($i, 30)) * 65 + 10 + $i % 30], range(0, 599));
        self::assertSame($expected, self::pixels("$this->folder/trial.tif"));
    }

    public function test_loops_that_are_written_out_give_what_the_plain_one_does(): void
    {
        $random = new Randomizer(new Mt19937(12));
        $number = 70;
        $columns = array_map(fn (): array => array_map(fn (): float => $random->getInt(-500, 500) / 100, range(1, 60)), range(1, $number));
        $columns[3][7] = NAN;
        $normals = [];
        for ($class = 0; $class < 20; $class++) {
            $means = array_map(fn (): float => $random->getInt(-300, 300) / 100, range(1, $number));
            $covariances = array_map(
                fn (int $i): array => array_map(fn (int $j): float => $i === $j ? 1.0 + 0.01 * $i : 0.3 / (1 + abs($i - $j)), range(1, $number)),
                range(1, $number),
            );
            $normal = Normal::of($means, $covariances);
            self::assertInstanceOf(Normal::class, $normal);
            $normals[] = $normal;
        }
        // 20 classes of 70 bands have too many products, 4 have not
        $few = array_slice($normals, 0, 4);
        $large = (new MaximumLikelihood(range(1, 20), 255, $normals, array_fill(0, 20, 0.05), 0.5))->assign($columns, 60, true);
        $small = new MaximumLikelihood(range(1, 4), 255, $few, array_fill(0, 4, 0.25), null);
        self::assertSame($small->assign($columns, 60)->codes, $small->assign($columns, 60, true)->codes);
        self::assertSame(255, $large->codes[7]);
        foreach ($large->codes as $k => $code) {
            if ($k === 7) {
                continue;
            }
            $x = array_map(fn (array $column): float => $column[$k], $columns);
            $scores = array_map(fn (Normal $normal): float => $normal->logDeterminant + $normal->squaredDistance($x), $normals);
            $best = (int) array_search(min($scores), $scores, true);
            self::assertContains($code, [0, $best + 1]);
            $few = array_slice($scores, 0, 4);
            self::assertSame((int) array_search(min($few), $few, true) + 1, $small->assign($columns, 60)->codes[$k]);
        }
    }

    public function test_many_values_are_told_apart_by_quantiles_and_a_forest_is_as_good(): void
    {
        [$columns, $classes] = self::data();
        $cut = fn (array $column, int $from, int $count): array => array_slice($column, $from, $count);
        $train = array_map(
            fn (int $band): array => array_map(
                fn (float $v, int $i): float => $v + ($i % 97) / 1000,
                $cut($columns[$band], 0, self::TRAIN),
                range(0, self::TRAIN - 1),
            ),
            [16, 17, 18, 19],
        );
        $forest = RandomForest::grown($train, array_slice($classes, 0, self::TRAIN), 6, 60, 3, depth: 12);
        $shares = $forest->shares(array_map(fn (int $band): array => $cut($columns[$band], self::TRAIN, 2000), [16, 17, 18, 19]), 2000);
        $wrong = 0;
        for ($i = 0; $i < 2000; $i++) {
            $own = array_column($shares, $i);
            $wrong += (int) array_search(max($own), $own, true) === $classes[self::TRAIN + $i] ? 0 : 1;
        }
        self::assertEqualsWithDelta(self::fixture('statlog/rates.json')['rates']['centre4']['random_forest_500_trees'], $wrong / 2000, 0.02);
        self::assertSame(RandomForest::grown($train, array_slice($classes, 0, self::TRAIN), 6, 2, 3, from: 1)->trees[0],
            RandomForest::grown($train, array_slice($classes, 0, self::TRAIN), 6, 2, 3)->trees[1], 'a tree is the same whoever grows it');
        self::assertLessThanOrEqual(2 ** 4 - 1, count(RandomForest::grown($train, array_slice($classes, 0, self::TRAIN), 6, 1, 3, depth: 3)->trees[0][0]));
    }

    /** Of those that were not learnt. */
    private function errors(string $map): float
    {
        $codes = self::pixels($map);
        [, $classes] = self::data();
        $wrong = 0;
        for ($i = self::TRAIN; $i < 6435; $i++) {
            $wrong += $codes[$i] === $this->codeOf($classes[$i]) ? 0 : 1;
        }

        return $wrong / (6435 - self::TRAIN);
    }

    /** Codes follow the order in which classes come up. */
    private function codeOf(int $class): int
    {
        $order = array_values(array_unique(array_slice(self::data()[1], 0, self::TRAIN)));

        return (int) array_search($class, $order, true) + 1;
    }

    /**
     * @param  list<int>  $bands
     * @return array{string, string} image and areas
     */
    private function statlog(array $bands): array
    {
        [$columns, $classes] = self::data();
        $grid = self::grid(65, 99);
        $spec = new RasterSpec($grid, array_map(fn (int $band): Band => new Band(name: 'a'.($band + 1)), $bands));
        $features = [];
        foreach (array_slice($classes, 0, self::TRAIN) as $i => $class) {
            $features[] = ["c$class", ['type' => 'Point', 'coordinates' => $grid->toMap($i % 65 + 0.5, intdiv($i, 65) + 0.5)]];
        }

        return [$this->raster('statlog.tif', $spec, array_map(fn (int $band): array => $columns[$band], $bands)), $this->areas($features)];
    }

    /** @return array{list<list<float>>, list<int>} columns, and classes from 0 */
    private static function data(): array
    {
        if (self::$statlog === null) {
            $rows = array_map(
                str_getcsv(...),
                array_slice(explode("\n", trim((string) gzdecode((string) file_get_contents(__DIR__.'/../fixtures/statlog/landsat_satimage.csv.gz')))), 1),
            );
            $names = array_values(array_unique(array_column($rows, 36)));
            sort($names);
            self::$statlog = [
                array_map(fn (int $band): array => array_map(floatval(...), array_column($rows, $band)), range(0, 35)),
                array_map(fn (string $name): int => (int) array_search($name, $names, true), array_column($rows, 36)),
            ];
        }

        return self::$statlog;
    }

    /**
     * Pixels to learn from, and after them those to be sorted.
     *
     * @param  array<string, mixed>  $told
     * @return array{string, string}
     */
    private function pixelsOf(array $told): array
    {
        $rows = array_pad([...$told['train'], ...$told['test']], 170, [60, 60, 60, 60]);
        $planes = [];
        foreach (['blue', 'green', 'red', 'nir'] as $k => $role) {
            $planes[$role] = array_map(fn (array $row): float => (float) $row[$k], $rows);
        }
        $grid = self::grid(10, 17);
        $features = [];
        // in the order of the classes, so that the first has code 1
        foreach ($told['classes'] as $class) {
            foreach (array_keys($told['train_labels'], $class, true) as $i) {
                $features[] = ["c$class", ['type' => 'Point', 'coordinates' => $grid->toMap($i % 10 + 0.5, intdiv($i, 10) + 0.5)]];
            }
        }

        return [$this->image('pixels.tif', 10, 17, $planes), $this->areas($features)];
    }

    /** @param  list<array{string, int, int, int, int}>  $boxes  class, column, row, width, height */
    private function boxes(array $boxes): string
    {
        $grid = self::grid(20, 20);

        return $this->areas(array_map(function (array $box) use ($grid): array {
            [$class, $col, $row, $width, $height] = $box;
            $corners = [[$col, $row], [$col + $width, $row], [$col + $width, $row + $height], [$col, $row + $height], [$col, $row]];

            return [$class, ['type' => 'Polygon', 'coordinates' => [array_map(fn (array $corner): array => $grid->toMap(...$corner), $corners)]]];
        }, $boxes));
    }

    /** @param  list<array{string, array<string, mixed>}>  $features  class and geometry */
    private function areas(array $features): string
    {
        file_put_contents("$this->folder/areas.geojson", json_encode([
            'type' => 'FeatureCollection',
            'crs' => ['type' => 'name', 'properties' => ['name' => 'urn:ogc:def:crs:EPSG::32632']],
            'features' => array_map(fn (array $one): array => ['type' => 'Feature', 'properties' => ['class' => $one[0]], 'geometry' => $one[1]], $features),
        ]));

        return "$this->folder/areas.geojson";
    }
}
