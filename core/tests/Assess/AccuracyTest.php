<?php

namespace Chorometra\Core\Tests\Assess;

use Chorometra\Core\Assess\Check\Accuracy;
use Chorometra\Core\Tests\TestCase;

/** Congalton 1991 (recalled and recomputed: fixtures/o_accuracy_worked.json), and scikit-learn. */
final class AccuracyTest extends TestCase
{
    public function test_the_worked_example_of_congalton(): void
    {
        foreach (['congalton1991', 'second_analyst'] as $name) {
            $example = self::fixture('o_accuracy_worked.json')[$name];
            $accuracy = new Accuracy($example['matrix']);
            self::assertEqualsWithDelta($example['overall'], $accuracy->overall(), 1e-10);
            self::assertEqualsWithDelta($example['kappa'], $accuracy->kappa()['kappa'] ?? null, 1e-10);
            self::assertEqualsWithDelta($example['variance'], $accuracy->kappa()['variance'] ?? null, 1e-12);
            self::assertEqualsWithDelta($example['users'], $accuracy->users(), 1e-10);
            self::assertEqualsWithDelta($example['producers'], $accuracy->producers(), 1e-10);
            self::assertEqualsWithDelta(['quantity' => $example['quantity'], 'allocation' => $example['allocation']], $accuracy->disagreement(), 1e-10);
        }
    }

    public function test_five_classes_against_scikit_learn(): void
    {
        $data = self::fixture('k_accuracy.json');
        // there rows are the reference
        $accuracy = new Accuracy(array_map(null, ...$data['confusion']));
        self::assertEqualsWithDelta($data['overall'], $accuracy->overall(), 1e-10);
        self::assertEqualsWithDelta($data['kappa'], $accuracy->kappa()['kappa'] ?? null, 1e-10);
        self::assertEqualsWithDelta($data['kappa_delta_variance'], $accuracy->kappa()['variance'] ?? null, 1e-10);
        self::assertEqualsWithDelta($data['users_accuracy_precision'], $accuracy->users(), 1e-10);
        self::assertEqualsWithDelta($data['producers_accuracy_recall'], $accuracy->producers(), 1e-10);
        self::assertEqualsWithDelta($data['f1'], $accuracy->f1(), 1e-10);
    }

    public function test_matrices_with_nothing_in_them(): void
    {
        $empty = new Accuracy([[0, 0], [0, 0]]);
        self::assertNull($empty->overall());
        self::assertNull($empty->kappa());
        self::assertNull($empty->disagreement());
        // all of one class: chance agrees fully
        self::assertNull((new Accuracy([[5, 0], [0, 0]]))->kappa());
        self::assertSame([1.0, null], array_map(fn (?float $one): ?float => $one === null ? null : (float) $one, (new Accuracy([[5, 0], [0, 0]]))->users()));
    }
}
