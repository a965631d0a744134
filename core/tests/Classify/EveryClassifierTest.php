<?php

namespace Chorometra\Core\Tests\Classify;

use Chorometra\Core\Classify\Cases\Samples;
use Chorometra\Core\Classify\Models\Classifier;
use Chorometra\Core\Classify\Models\Classifiers;
use Chorometra\Core\Classify\Models\Model;
use Chorometra\Core\Classify\Models\Training;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;
use PHPUnit\Framework\Attributes\DataProvider;
use Random\Engine\Mt19937;
use Random\Randomizer;

/** What holds for all classifiers. */
final class EveryClassifierTest extends TestCase
{
    private const CENTRES = [[1.0, 1.0, 5.0], [4.0, 2.0, 3.0], [2.0, 6.0, 4.0]];

    private const BANDS = [['red', 'counts'], ['nir', 'counts'], ['swir1', 'counts']];

    /** @return iterable<string, array{class-string<Classifier>}> */
    public static function classifiers(): iterable
    {
        foreach (Classifiers::all() as $name => $class) {
            yield $name => [$class];
        }
    }

    /** @param  class-string<Classifier>  $class */
    #[DataProvider('classifiers')]
    public function test_it_says_what_it_is(string $class): void
    {
        $method = $class::method();
        self::assertMatchesRegularExpression('/^[a-z]+(-[a-z]+)*$/', $method->name);
        self::assertNotSame('', $method->help);
        self::assertMatchesRegularExpression('/\d{4}/', $method->source);
        self::assertContains($method->limit, [null, ...array_column($method->settings, 'name')]);
        self::assertCount(1, array_filter(Classifiers::methods(), fn ($other): bool => $other->order === $method->order));
        foreach (Classifiers::settings() as $setting) {
            self::assertSame(in_array($setting->name, array_column($method->settings, 'name'), true),
                in_array($method->name, $setting->only->values ?? [], true), $setting->name);
        }
        self::assertStringContainsString("| `$method->name` |", (string) file_get_contents(__DIR__.'/../../../docs/training.md'));
    }

    /** @param  class-string<Classifier>  $class */
    #[DataProvider('classifiers')]
    public function test_it_finds_classes_that_lie_apart_the_same_each_time_and_whoever_works(string $class): void
    {
        $samples = self::samples(60);
        $model = self::taught($class, $samples);
        self::assertEquals($model->document(), self::taught($class, $samples, workers: 1)->document());
        $cases = self::samples(40, 5);
        $assigned = $model->classifier(255)->assign($cases->columns, 120, true, $class::method()->hasPosteriors);
        $right = array_filter(array_keys($assigned->codes), fn (int $k): bool => $assigned->codes[$k] === [3, 7, 9][$cases->answers[$k]]);
        self::assertGreaterThanOrEqual(118, count($right));
        self::assertSame($assigned->codes, $model->classifier(255)->assign($cases->columns, 120)->codes, 'the same where nothing else is wanted');
        self::assertCount(120, $assigned->sure);
        self::assertGreaterThanOrEqual(0.0, min($assigned->sure));
        self::assertLessThanOrEqual(1.0, max($assigned->sure));
        self::assertCount($class::method()->distance === null ? 0 : 120, $assigned->near);
        foreach ($class::method()->hasPosteriors ? array_keys($assigned->codes) : [] as $k) {
            self::assertEqualsWithDelta(1.0, array_sum(array_column($assigned->shares, $k)), 1e-9);
        }
        // one case alone comes to the same as among others
        $one = array_map(fn (array $column): array => [$column[17]], $cases->columns);
        self::assertSame([$assigned->codes[17]], $model->classifier(255)->assign($one, 1)->codes);
        self::assertSame([], $model->classifier(255)->assign([[], [], []], 0, true)->codes);
    }

    /** @param  class-string<Classifier>  $class */
    #[DataProvider('classifiers')]
    public function test_what_was_learnt_survives_json_and_stands_by_itself(string $class): void
    {
        $model = self::taught($class, self::samples(30));
        $again = Model::of((array) json_decode((string) json_encode($model->document(), JSON_PRESERVE_ZERO_FRACTION), true), 'model.json');
        $cases = self::samples(30, 8);
        self::assertEquals($model->classifier(255)->assign($cases->columns, 90, true), $again->classifier(255)->assign($cases->columns, 90, true));
        // what is lacking is told, not guessed
        foreach (array_keys($model->parameters) as $name) {
            $broken = new Model($model->method, $model->legend, $model->bands, array_diff_key($model->parameters, [$name => 1]));
            try {
                $broken->classifier(255)->assign($cases->columns, 90);
                self::assertContains($name, ['standardised', 'neighbours', 'cost', 'remarks', 'kernel'], "$name is needed");
            } catch (Problem $problem) {
                self::assertNotSame('', $problem->getMessage());
            }
        }
    }

    /** @param  class-string<Classifier>  $class */
    #[DataProvider('classifiers')]
    public function test_the_order_of_samples_does_not_matter(string $class): void
    {
        // a forest draws its samples by place
        $isDrawn = in_array($class::method()->name, ['random-forest'], true);
        $samples = self::samples(50);
        $turned = $samples->only(array_reverse(range(0, 149)));
        $cases = self::samples(60, 11);
        $codes = self::taught($class, $samples)->classifier(255)->assign($cases->columns, 180)->codes;
        $other = self::taught($class, $turned)->classifier(255)->assign($cases->columns, 180)->codes;
        self::assertLessThanOrEqual($isDrawn ? 4 : 0, count(array_diff_assoc($codes, $other)));
    }

    /** @param  class-string<Classifier>  $class */
    #[DataProvider('classifiers')]
    public function test_values_that_are_missing_or_infinite_have_no_class(string $class): void
    {
        $model = self::taught($class, self::samples(30));
        $columns = [[1.0, NAN, 1.0, INF, -1e30], [1.0, 1.0, 1.0, 1.0, 1e30], [5.0, 5.0, NAN, 5.0, 0.0]];
        $assigned = $model->classifier(255)->assign($columns, 5, true, $class::method()->hasPosteriors);
        self::assertSame([3, 255, 255, 255], array_slice($assigned->codes, 0, 4));
        self::assertContains($assigned->codes[4], [0, 3, 7, 9], 'what is far is somewhere');
        foreach ([1, 2, 3] as $k) {
            self::assertNan($assigned->sure[$k]);
            self::assertSame([], array_filter(array_column($assigned->shares, $k), is_finite(...)));
        }
        self::assertSame($assigned->codes, $model->classifier(255)->assign($columns, 5)->codes);
    }

    /** @param  class-string<Classifier>  $class */
    #[DataProvider('classifiers')]
    public function test_few_samples_ties_and_bands_that_are_constant_teach_or_say_why_not(string $class): void
    {
        $all = self::samples(20);
        foreach ([
            'one sample of a class' => $all->only([0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 20]),
            'one sample each' => $all->only([0, 20]),
            'a band that is constant' => self::of(array_fill(0, 60, 2.0), $all),
            'samples that are all alike' => $all->only(array_fill(0, 9, 4))->only([0, 1, 2]),
        ] as $what => $samples) {
            // one class of three may have no sample left: legends name those that have
            $samples = self::named($samples);
            try {
                $model = self::taught($class, $samples);
                $codes = $model->classifier(255)->assign($samples->columns, $samples->count(), true)->codes;
                self::assertSame([], array_diff($codes, [0, ...$model->codes()]), $what);
            } catch (Problem $problem) {
                self::assertMatchesRegularExpression('/^Class “|^In class “/', $problem->getMessage(), $what);
            }
        }
        // the same values in two classes: one of them, and always the same
        $tied = self::named(new Samples(Legend::of(['a', 'b']), [[1.0, 2.0, 3.0, 1.0, 2.0, 3.0], [3.0, 1.0, 2.5, 3.0, 1.0, 2.5]], [0, 0, 0, 1, 1, 1],
            [1, 1, 1, 2, 2, 2], range(0, 5)));
        $model = (new Training($class, [['red', 'counts'], ['nir', 'counts']]))->taught($tied, new Context(2));
        $codes = $model->classifier(255)->assign([[2.0], [1.5]], 1)->codes;
        self::assertSame($codes, $model->classifier(255)->assign([[2.0], [1.5]], 1)->codes);
        self::assertContains($codes[0], $model->codes());
    }

    /** @param  class-string<Classifier>  $class */
    #[DataProvider('classifiers')]
    public function test_a_limit_leaves_unlabelled_and_none_does_not(string $class): void
    {
        $limit = $class::method()->limit;
        self::assertNotNull($limit);
        $samples = self::samples(40);
        // half way between two classes, where the third is far
        $cases = [[2.5, 1.0], [1.5, 1.0], [4.0, 5.0]];
        $strict = ['least-probability' => 50, 'most-deviations' => 0.5, 'most-degrees' => 1, 'least-votes' => 100, 'least-posterior' => 99][$limit];
        $free = self::taught($class, $samples)->classifier(255)->assign($cases, 2);
        self::assertNotContains(0, $free->codes);
        $classifier = self::taught($class, $samples, [$limit => $strict, 'trees' => 200, 'neighbours' => 40])->classifier(255);
        self::assertSame(0, $classifier->assign($cases, 2)->codes[0]);
        self::assertSame($classifier->assign($cases, 2)->codes, $classifier->assign($cases, 2, true)->codes);
    }

    /**
     * @param  class-string<Classifier>  $class
     * @param  array<string, mixed>  $settings
     */
    private static function taught(string $class, Samples $samples, array $settings = [], int $workers = 2): Model
    {
        return (new Training($class, self::BANDS, $settings + ['trees' => 20]))->taught($samples, new Context($workers));
    }

    /** So many around each of three centres. */
    private static function samples(int $each, int $seed = 3): Samples
    {
        $random = new Randomizer(new Mt19937($seed));
        $columns = [[], [], []];
        $answers = [];
        foreach (self::CENTRES as $class => $centre) {
            for ($k = 0; $k < $each; $k++) {
                foreach ($centre as $band => $value) {
                    $columns[$band][] = $value + 0.4 * ($random->getInt(0, 1000) + $random->getInt(0, 1000) + $random->getInt(0, 1000) - 1500) / 500;
                }
                $answers[] = $class;
            }
        }
        $legend = new Legend([3 => ['name' => 'water', 'colour' => '#112233'], 7 => ['name' => 'soil', 'colour' => '#334455'],
            9 => ['name' => 'wood', 'colour' => '#556677']]);

        return new Samples($legend, $columns, $answers, array_map(fn (int $k): int => intdiv($k, 5), array_keys($answers)), array_keys($answers));
    }

    /** @param  list<float>  $column  in place of the second band */
    private static function of(array $column, Samples $samples): Samples
    {
        return new Samples($samples->legend, [$samples->columns[0], $column, $samples->columns[2]], $samples->answers, $samples->areas, $samples->places);
    }

    /** With a legend of those classes that there are; where it is one, half of the samples are of another. */
    private static function named(Samples $samples): Samples
    {
        $answers = $samples->answers;
        if (count(array_unique($answers)) < 2) {
            $answers = array_map(fn (int $k): int => $k % 2, array_keys($answers));
        }
        $kept = array_values(array_unique($answers));
        sort($kept);
        $places = array_flip($kept);

        return new Samples(Legend::of(array_map(fn (int $class): string => "class $class", $kept)), $samples->columns,
            array_map(fn (int $answer): int => $places[$answer], $answers), $samples->areas, $samples->places);
    }
}
