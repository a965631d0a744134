<?php

namespace Chorometra\Core\Tests\Stats;

use Chorometra\Core\Stats\ChiSquare;
use Chorometra\Core\Stats\Normal;
use Chorometra\Core\Stats\Separability;
use Chorometra\Core\Tests\TestCase;

/** Against scipy (fixtures/classification.py), and the Statlog pixels of c_lda_qda.json. */
final class NormalTest extends TestCase
{
    public function test_tails_and_limits_of_chi_square_are_those_of_scipy(): void
    {
        $told = self::fixture('classification.json');
        foreach ($told['chi'] as [$x, $freedom, $above]) {
            self::assertEqualsWithDelta(1.0, ChiSquare::above($x, $freedom) / $above, 1e-10, "$x of $freedom");
        }
        foreach ($told['limits'] as [$probability, $freedom, $limit]) {
            self::assertEqualsWithDelta(1.0, ChiSquare::limit($probability, $freedom) / $limit, 1e-10, "$probability of $freedom");
        }
        self::assertSame([1.0, 1.0, INF, 0.0], [ChiSquare::above(0.0, 3), ChiSquare::above(-1.0, 3), ChiSquare::limit(0.0, 3), ChiSquare::limit(1.0, 3)]);
        self::assertNan(ChiSquare::above(NAN, 2));
    }

    public function test_separability_is_what_its_integral_gives(): void
    {
        foreach (self::fixture('classification.json')['pairs'] as $k => $pair) {
            [$one, $other] = array_map(self::normal(...), $pair['means'], $pair['covariances']);
            self::assertEqualsWithDelta($pair['jeffriesMatusita'], Separability::jeffriesMatusita($one, $other), 1e-8, "pair $k");
            self::assertEqualsWithDelta(2.0 * (1.0 - exp(-$pair['divergence'] / 8)), Separability::transformedDivergence($one, $other), 1e-8, "pair $k");
            self::assertEqualsWithDelta(Separability::jeffriesMatusita($one, $other), Separability::jeffriesMatusita($other, $one), 1e-12);
            self::assertEqualsWithDelta(0.0, Separability::jeffriesMatusita($one, $one) + Separability::transformedDivergence($one, $one), 1e-12);
        }
        // so far apart that there is nothing between
        self::assertEqualsWithDelta(2.0, Separability::jeffriesMatusita(self::normal([0.0], [[1.0]]), self::normal([90.0], [[1.0]])), 1e-12);
    }

    public function test_distances_and_determinants_are_those_of_scikit_learn(): void
    {
        $told = self::fixture('c_lda_qda.json');
        $normals = array_map(self::normal(...), $told['class_means'], $told['class_covariances']);
        foreach ($told['test'] as $case => $pixel) {
            foreach ($normals as $class => $normal) {
                $squares = $normal->squaredDistance(array_map(floatval(...), $pixel));
                self::assertEqualsWithDelta(1.0, $squares / $told['mahalanobis_squared'][$case][$class], 1e-8);
                $prior = $told['cases']['training_share']['priors'][$class];
                self::assertEqualsWithDelta(
                    $told['cases']['training_share']['qda_log_discriminants'][$case][$class],
                    log($prior) - 0.5 * $normal->logDeterminant - 0.5 * $squares,
                    1e-8 * abs($squares) + 1e-7,
                );
            }
        }
        $inverse = $normals[0]->precision();
        foreach ($inverse as $i => $row) {
            foreach (array_keys($row) as $j) {
                $sum = array_sum(array_map(fn (int $k): float => $inverse[$i][$k] * $told['class_covariances'][0][$k][$j], array_keys($row)));
                self::assertEqualsWithDelta($i === $j ? 1.0 : 0.0, $sum, 1e-9);
            }
        }
    }

    public function test_variables_that_follow_from_others_are_named(): void
    {
        self::assertSame([1], Normal::of([0.0, 5.0], [[1.0, 0.0], [0.0, 0.0]]), 'one that does not vary');
        self::assertSame([0, 2], Normal::of([0.0, 0.0, 0.0], [[4.0, 0.5, 2.0], [0.5, 1.0, 0.25], [2.0, 0.25, 1.0]]), 'half of another');
    }

    /**
     * @param  list<float>  $means
     * @param  list<list<float>>  $covariances
     */
    private static function normal(array $means, array $covariances): Normal
    {
        $normal = Normal::of(array_map(floatval(...), $means), array_map(fn (array $row): array => array_map(floatval(...), $row), $covariances));
        self::assertInstanceOf(Normal::class, $normal);

        return $normal;
    }
}
