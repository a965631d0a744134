<?php

namespace Chorometra\Core\Derive\Components;

use Chorometra\Core\Format\Csv;
use Chorometra\Core\Format\CsvRows;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Stats\Comoments;
use Chorometra\Core\Stats\Eigen;

/** How components are made of bands: what is taken from each band, what it is divided by, and how much of it goes into each component. */
final readonly class Loadings
{
    private const MOST_COMPONENTS = 1000;

    /**
     * @param  list<string>  $bands
     * @param  list<float>  $means
     * @param  list<float>  $divisors  1, or the deviation of the band
     * @param  list<list<float>>  $vectors  by component, its share of each band
     * @param  list<float>  $values  variance of each component; empty where that is not known
     * @param  list<float|null>  $wavelengths  µm
     */
    public function __construct(
        public array $bands,
        public array $means,
        public array $divisors,
        public array $vectors,
        public array $values = [],
        public array $wavelengths = [],
    ) {}

    /** Whether components are sums of values as they are, and not of scores. */
    public function areOfValues(): bool
    {
        return array_filter($this->divisors, fn (float $divisor): bool => $divisor !== 1.0) === [];
    }

    /** @param  list<Band>  $bands */
    public static function learnt(Comoments $moments, array $bands, bool $isCorrelation): self
    {
        $divisors = array_map(fn (int $band): float => $isCorrelation ? $moments->deviation($band) : 1.0, array_keys($bands));
        $matrix = array_map(
            fn (array $row, float $own): array => array_map(fn (float $value, float $other): float => $value / ($own * $other), $row, $divisors),
            $moments->covariances(),
            $divisors,
        );
        [$values, $vectors] = Eigen::symmetric($matrix);

        return new self(
            array_map(fn (Band $band, int $index): string => $band->label($index + 1), $bands, array_keys($bands)),
            $moments->means,
            $divisors,
            $vectors,
            // rounding may leave a little less than nothing
            array_map(fn (float $value): float => max(0.0, $value), $values),
            array_map(fn (Band $band): ?float => $band->wavelength, $bands),
        );
    }

    /** @throws Problem where the file holds none */
    public static function read(string $path): self
    {
        $name = basename($path);
        $rows = new CsvRows($path);
        $names = array_column($rows->columns(), 'name');
        $components = count($names) - 4;
        if (array_slice($names, 0, 4) !== ['band', 'wavelength', 'mean', 'divisor'] || $components < 1 || $components > self::MOST_COMPONENTS) {
            throw Problem::input("$name contains no loadings: expected are the columns band, wavelength, mean, divisor and the components.", 'loadings');
        }
        $bands = $means = $divisors = $wavelengths = [];
        $vectors = array_fill(0, $components, []);
        foreach ($rows->rows(0, $rows->count()) as $number => $row) {
            foreach (array_slice($row, 2) as $cell) {
                if (! is_int($cell) && ! is_float($cell)) {
                    throw Problem::input("$name has something else than a number in row ".($number + 2).'.', 'loadings');
                }
            }
            if (! ($row[3] > 0)) {
                throw Problem::input("$name has a divisor in row ".($number + 2).' that is not above 0.', 'loadings');
            }
            $bands[] = (string) $row[0];
            $wavelengths[] = is_numeric($row[1]) ? (float) $row[1] : null;
            $means[] = (float) $row[2];
            $divisors[] = (float) $row[3];
            for ($k = 0; $k < $components; $k++) {
                $vectors[$k][] = (float) $row[4 + $k];
            }
        }

        return new self($bands, $means, $divisors, $vectors, wavelengths: $wavelengths);
    }

    /** The first $count components. */
    public function kept(int $count): self
    {
        return new self($this->bands, $this->means, $this->divisors, array_slice($this->vectors, 0, $count), $this->values, $this->wavelengths);
    }

    /** @return array{list<list<float>>, list<float>} weights of each component by band, and what is added */
    public function forms(): array
    {
        $weights = array_map(fn (array $vector): array => array_map(fn (float $share, float $by): float => $share / $by, $vector, $this->divisors),
            $this->vectors);

        $taken = fn (array $row): float => -array_sum(array_map(fn (float $weight, float $mean): float => $weight * $mean, $row, $this->means));

        return [$weights, array_map($taken, $weights)];
    }

    public function csv(): string
    {
        $head = ['band', 'wavelength', 'mean', 'divisor', ...array_map(fn (int $k): string => 'component-'.($k + 1), array_keys($this->vectors))];

        return Csv::of([
            $head,
            ...array_map(
                fn (int $b): array => [$this->bands[$b], $this->wavelengths[$b], $this->means[$b], $this->divisors[$b], ...array_column($this->vectors, $b)],
                array_keys($this->bands),
            ),
        ]);
    }

    /** @return array<string, mixed> */
    public function figures(): array
    {
        $sum = array_sum($this->values);
        $together = 0.0;
        $scree = [];
        foreach ($this->values as $k => $value) {
            $together += $value;
            $scree[] = ['component' => $k + 1, 'variance' => $value, 'share' => $value / $sum, 'together' => $together / $sum];
        }

        return array_filter([
            'scree' => $scree,
            'loadings' => array_map(
                fn (int $b): array => [
                    'band' => $this->bands[$b],
                    'wavelength' => $this->wavelengths[$b],
                    'components' => array_column($this->vectors, $b),
                ],
                array_keys($this->bands),
            ),
        ]);
    }
}
