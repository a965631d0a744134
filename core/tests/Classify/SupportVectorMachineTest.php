<?php

namespace Chorometra\Core\Tests\Classify;

use Chorometra\Core\Classify\Cases\Samples;
use Chorometra\Core\Classify\Models\Classifiers;
use Chorometra\Core\Classify\Models\Training;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Stats\KernelRows;
use Chorometra\Core\Stats\PairedMargins;
use Chorometra\Core\Stats\PairwiseCoupling;
use Chorometra\Core\Stats\Sigmoid;
use Chorometra\Core\Stats\SupportVectors;
use Chorometra\Core\Tests\TestCase;
use Chorometra\Core\Work\Context;

/** Against SVC of scikit-learn 1.2.1 on the Statlog data (fixtures/support_vectors.json), and by hand. */
final class SupportVectorMachineTest extends TestCase
{
    private const NAMES = ['a17', 'a18', 'a19', 'a20', 'a1', 'a36'];

    public function test_decisions_vectors_and_probabilities_are_those_of_scikit_learn(): void
    {
        [$train, $test] = self::statlog();
        foreach (self::fixture('support_vectors.json')['cases'] as $case) {
            [$kernel, $cost] = [$case['kernel'], $case['cost']];
            $isRadial = $kernel === 'rbf';
            $settings = ['kernel' => $isRadial ? 'radial' : 'linear', 'cost' => $cost, 'most' => 100_000];
            // the gamma of scikit-learn's “scale” is what ours is by default
            $settings += $cost === 1.0 ? [] : ['gamma' => $case['gamma']];
            $model = self::training($settings)->taught($train, new Context(2));
            if ($isRadial) {
                self::assertEqualsWithDelta($case['gamma'], $model->parameters['gamma'], 1e-12);
            }
            self::assertEqualsWithDelta($case['vectors'], count($model->parameters['vectors']), 1);
            $assigned = $model->classifier(255)->assign($test, count($test[0]), true, true);
            $same = count(array_filter(array_keys($case['labels']), fn (int $k): bool => $case['labels'][$k] + 1 === $assigned->codes[$k]));
            self::assertGreaterThanOrEqual(0.999 * count($case['labels']), $same, $kernel);
            // its folds are drawn otherwise
            $off = [];
            foreach ($case['probabilities'] as $k => $shares) {
                foreach ($shares as $class => $share) {
                    $off[] = abs($share - $assigned->shares[$class][$k]);
                }
                self::assertEqualsWithDelta(1.0, array_sum(array_column($assigned->shares, $k)), 1e-9);
                self::assertSame($assigned->shares[$assigned->codes[$k] - 1][$k], $assigned->sure[$k]);
            }
            self::assertLessThan(0.01, array_sum($off) / count($off), $kernel);
            $some = array_map(fn (array $column): array => array_slice($column, 0, 20), $test);
            $decisions = self::decisions($train, $cost, $isRadial ? $case['gamma'] : null, $some);
            foreach ($case['decisions'] as $k => $expected) {
                self::assertEqualsWithDelta($expected, array_column($decisions, $k), 0.004, $kernel);
            }
        }
    }

    public function test_the_border_of_four_points_is_the_one_by_hand(): void
    {
        // two pairs facing each other: the border is at 0, and its margins are at −1 and 1
        $columns = [[-1.0, -1.0, 1.0, 1.0], [0.0, 1.0, 0.0, 1.0]];
        $machine = SupportVectors::between(new KernelRows($columns, 4, null), [-1.0, -1.0, 1.0, 1.0], 1000.0);
        self::assertEqualsWithDelta([-1.0, -1.0, 1.0, 1.0], $machine->decisions, 1e-3);
        self::assertEqualsWithDelta(0.0, $machine->offset, 1e-3);
        self::assertEqualsWithDelta(0.0, array_sum($machine->weights), 1e-9);
        // |w|² is the sum of alpha where nothing crosses the margin
        self::assertEqualsWithDelta(1.0, array_sum(array_map(abs(...), $machine->weights)), 2e-3);
        // left out, a point is told as the others see it
        $without = SupportVectors::between(new KernelRows($columns, 4, null), [-1.0, -1.0, 1.0, 1.0], 1000.0, [3 => true]);
        self::assertSame(0.0, $without->weights[3]);
        self::assertGreaterThan(0.0, $without->decisions[3]);
    }

    public function test_probabilities_of_pairs_that_agree_are_told_again(): void
    {
        $shares = [0.5, 0.3, 0.15, 0.05];
        $pairs = [];
        foreach ($shares as $a => $one) {
            foreach (array_slice($shares, $a + 1) as $other) {
                $pairs[] = $one / ($one + $other);
            }
        }
        self::assertEqualsWithDelta($shares, PairwiseCoupling::shares($pairs, 4), 1e-3);
        self::assertSame([0.8, 1.0 - 0.8], PairwiseCoupling::shares([0.8], 2));
        // a slope of −2 is found again from decisions that follow it
        $decisions = $signs = [];
        foreach (range(-30, 30) as $step) {
            $decision = $step / 10;
            for ($k = 0; $k < 100; $k++) {
                $decisions[] = $decision;
                $signs[] = $k < round(100 / (1 + exp(-2 * $decision + 0.5))) ? 1.0 : -1.0;
            }
        }
        self::assertEqualsWithDelta([-2.0, 0.5], Sigmoid::fitted($decisions, $signs), 0.03);
    }

    public function test_three_samples_are_likely_of_their_own_class(): void
    {
        $samples = new Samples(Legend::of(['no', 'yes']), [[1.0, 2.0, 9.0], [1.0, 1.0, 8.0]], [0, 0, 1], [1, 2, 3], [0, 1, 2]);
        $model = (new Training(Classifiers::all()['support-vectors'], [['x', null], ['y', null]]))->taught($samples, new Context(1));
        $assigned = $model->classifier(255)->assign([[1.5, 9.0, 8.0], [1.0, 8.0, 9.0]], 3, true, true);
        self::assertSame([1, 2, 2], $assigned->codes);
        self::assertGreaterThan(0.5, min($assigned->sure));
    }

    public function test_cost_and_gamma_are_chosen_by_cross_validation_of_whole_areas(): void
    {
        // a ring around a disc: no straight border parts them, and a wide kernel does worse than a narrow one
        $columns = [[], []];
        $answers = $areas = [];
        for ($k = 0; $k < 240; $k++) {
            $isRing = $k % 2 === 1;
            $turn = 2.399963 * $k;
            $far = ($isRing ? 1.0 : 0.55) + 0.25 * (($k * 7 % 11) / 10 - 0.5);
            [$columns[0][], $columns[1][]] = [$far * cos($turn), $far * sin($turn)];
            $answers[] = $isRing ? 1 : 0;
            $areas[] = intdiv($k, 8);
        }
        $samples = new Samples(Legend::of(['disc', 'ring']), $columns, $answers, $areas, range(0, 239));
        $bands = [['x', 'm'], ['y', 'm']];
        $learn = fn (array $settings, int $workers = 2): array => (new Training(Classifiers::all()['support-vectors'], $bands, $settings))
            ->taught($samples, new Context($workers))->parameters;
        $tuned = $learn(['tune' => true]);
        self::assertStringContainsString('agreement in cross-validation', $tuned['remarks'][0]);
        self::assertEquals($tuned, $learn(['tune' => true], 1), 'the same whoever works');
        $right = function (array $parameters) use ($samples, $bands, $columns, $answers): int {
            $codes = (new Training(Classifiers::all()['support-vectors'], $bands, array_intersect_key($parameters, ['kernel' => 1, 'cost' => 1, 'gamma' => 1])))
                ->taught($samples, new Context(1))->classifier(255)->assign($columns, 240)->codes;

            return count(array_filter(array_keys($codes), fn (int $k): bool => $codes[$k] === $answers[$k] + 1));
        };
        self::assertGreaterThan(235, $right($tuned));
        self::assertLessThan(200, $right(['kernel' => 'linear']));
        $folds = PairedMargins::folds($samples->byClass(), $areas, 5, 1);
        foreach (array_unique($areas) as $area) {
            foreach ([0, 1] as $class) {
                $own = array_filter(array_keys($areas), fn (int $k): bool => $areas[$k] === $area && $answers[$k] === $class);
                self::assertCount(1, array_unique(array_map(fn (int $k): int => $folds[$k], $own)));
            }
        }
    }

    /**
     * @param  list<list<float>>  $cases
     * @return list<list<float>> by pair
     */
    private static function decisions(Samples $train, float $cost, ?float $gamma, array $cases): array
    {
        $learnt = PairedMargins::learnt($train->columns, $train->byClass(), $cost, $gamma, 1, new Context(2));
        $kernel = new KernelRows($train->columns, $train->count(), $gamma);
        $decisions = [];
        foreach (array_keys($cases[0]) as $k) {
            $row = $kernel->with(array_column($cases, $k));
            foreach ($learnt['weights'] as $pair => $weights) {
                $sum = array_sum(array_map(fn (float $weight, float $value): float => $weight * $value, $weights, $row));
                $decisions[$pair][] = $sum - $learnt['offsets'][$pair];
            }
        }

        return array_values($decisions);
    }

    /** @param  array<string, mixed>  $settings */
    private static function training(array $settings): Training
    {
        return new Training(Classifiers::all()['support-vectors'], array_map(fn (string $name): array => [$name, 'counts'], self::NAMES), $settings);
    }

    /** @return array{Samples, list<list<float>>} every seventh of those to train on, and all to test on */
    private static function statlog(): array
    {
        $lines = explode("\n", trim((string) gzdecode((string) file_get_contents(__DIR__.'/../fixtures/statlog/landsat_satimage.csv.gz'))));
        $head = array_flip(explode(',', trim(array_shift($lines))));
        $rows = array_map(fn (string $line): array => explode(',', trim($line)), $lines);
        $columns = fn (array $some): array => array_map(
            fn (string $name): array => array_map(fn (array $row): float => (float) $row[$head[$name]], $some),
            self::NAMES,
        );
        $classes = array_values(array_unique(array_column($rows, $head['class'])));
        sort($classes);
        $train = array_map(fn (int $k): array => $rows[$k], range(0, 4434, 7));
        $answers = array_map(fn (array $row): int => (int) array_search($row[$head['class']], $classes, true), $train);
        $places = array_keys($train);

        return [new Samples(Legend::of(array_map(fn (string $class): string => "class $class", $classes)), $columns($train), $answers, $places, $places),
            $columns(array_slice($rows, 4435))];
    }
}
