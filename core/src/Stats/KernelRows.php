<?php

namespace Chorometra\Core\Stats;

use Chorometra\Core\Work\Kernel;

/** A kernel function between samples, row by row: exp(−γ |x − y|²), or the inner product. Rows that were computed are kept, up to a limit. */
final class KernelRows
{
    /** Values that are kept at most: of 16 bytes each. */
    private const MOST_VALUES = 8_000_000;

    /** @var array<int, list<float>> by sample, in the order in which they were asked for last */
    private array $rows = [];

    private readonly int $most;

    private readonly \Closure $loop;

    /**
     * @param  list<list<float>>  $columns  values by band, without NaN
     * @param  float|null  $gamma  of the radial basis function; null for the inner product
     */
    public function __construct(private readonly array $columns, public readonly int $count, private readonly ?float $gamma)
    {
        $this->loop = self::loop(count($columns), $gamma !== null);
        $this->most = max(2, intdiv(self::MOST_VALUES, max(1, $count)));
    }

    /** @return list<float> of a sample with each */
    public function row(int $sample): array
    {
        $row = $this->rows[$sample] ?? $this->with(array_column($this->columns, $sample));
        // the one asked for last is the last to be dropped
        unset($this->rows[$sample]);
        if (count($this->rows) >= $this->most) {
            unset($this->rows[array_key_first($this->rows)]);
        }

        return $this->rows[$sample] = $row;
    }

    /**
     * @param  list<float>  $case  its values by band
     * @return list<float> of a case with each sample
     */
    public function with(array $case): array
    {
        return ($this->loop)($this->columns, $this->count, $case, -($this->gamma ?? 0.0));
    }

    /** @return list<float> of each sample with itself */
    public function diagonal(): array
    {
        if ($this->gamma !== null) {
            return array_fill(0, $this->count, 1.0);
        }
        $squares = array_fill(0, $this->count, 0.0);
        foreach ($this->columns as $column) {
            foreach ($column as $i => $value) {
                $squares[$i] += $value * $value;
            }
        }

        return array_values($squares);
    }

    private static function loop(int $bands, bool $isRadial): \Closure
    {
        return Kernel::of('array $in, int $n, array $x, float $factor')
            ->each($bands, '$b# = $in[#]; $x# = $x[#];')
            ->text('$out = [];')
            ->loop(fn (Kernel $sample): Kernel => $isRadial
                ? $sample->each($bands, '$d# = $b#[$i] - $x#;')->text('$out[] = exp($factor * ('.Kernel::joined($bands, '$d# * $d#').'));')
                : $sample->text('$out[] = '.Kernel::joined($bands, '$b#[$i] * $x#').';'))
            ->text('return $out;')
            ->compile();
    }
}
