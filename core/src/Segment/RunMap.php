<?php

namespace Chorometra\Core\Segment;

use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\SampleType;

/**
 * A class map as runs: stretches of one code along a row. Connected parts are found by union-find over the runs, so memory goes
 * with the number of runs, not of pixels. Code 0 is nodata and belongs to no part.
 *
 * Source: He, Chao & Suzuki 2008, A run-based two-scan labeling algorithm, IEEE Transactions on Image Processing 17:749–756.
 */
final class RunMap
{
    /** @var list<int> first run of each row, and one more at the end */
    public array $rowStart = [0];

    /** @var list<int> one past the last column of each run */
    public array $ends = [];

    /** @var list<int> */
    public array $codes = [];

    /** @param  (\Closure(): void)|null  $pulse  called now and then in long work; what it throws ends it */
    public function __construct(public readonly int $width, private readonly ?\Closure $pulse = null) {}

    /** @param  list<int>  $codes whole rows */
    public function append(array $codes, int $rows): void
    {
        self::cut($codes, $this->width, $rows, $this->ends, $this->codes, $this->rowStart);
    }

    /** The runs as bytes, to be handed from one process to another. */
    public function toBytes(): string
    {
        return pack('V2', $this->rows(), $this->count()).Codec::encodeCodes($this->rowStart, SampleType::UInt32).Codec::encodeCodes($this->ends, SampleType::UInt32).Codec::encodeCodes($this->codes, SampleType::UInt16);
    }

    /** Rows that another process has cut. */
    public function appendBytes(string $bytes): void
    {
        [, $rows, $runs] = (array) unpack('V2', $bytes);
        $before = $this->count();
        $starts = Codec::codes(substr($bytes, 8, 4 * ($rows + 1)), SampleType::UInt32);
        for ($row = 1; $row <= $rows; $row++) {
            $this->rowStart[] = $before + $starts[$row];
        }
        foreach (Codec::codes(substr($bytes, 12 + 4 * $rows, 4 * $runs), SampleType::UInt32) as $end) {
            $this->ends[] = $end;
        }
        foreach (Codec::codes(substr($bytes, 12 + 4 * $rows + 4 * $runs), SampleType::UInt16) as $code) {
            $this->codes[] = $code;
        }
    }

    public function rows(): int
    {
        return count($this->rowStart) - 1;
    }

    public function count(): int
    {
        return count($this->ends);
    }

    /**
     * Connected parts, numbered from 1 in scan order of their first pixel; 0 for nodata.
     *
     * @param  int  $neighbours  4 or 8
     * @return array{list<int>, int} part of each run, number of parts
     */
    public function parts(int $neighbours): array
    {
        return self::label($this->rowStart, $this->ends, $this->codes, $neighbours === 8 ? 1 : 0, $this->pulse);
    }

    /**
     * Parts smaller than $minimum take the code of the neighbour with the longest shared edge: the smallest first, then by number;
     * of equal edges the larger neighbour, then the lower number. What borders on nothing stays.
     *
     * @return int how many parts were joined
     */
    public function absorb(int $minimum, int $neighbours): int
    {
        [$part, $count] = $this->parts($neighbours);
        $size = array_fill(0, $count + 1, 0);
        $code = array_fill(0, $count + 1, 0);
        $start = 0;
        for ($run = 0, $runs = count($part); $run < $runs; $run++) {
            $size[$part[$run]] += $this->ends[$run] - $start;
            $code[$part[$run]] = $this->codes[$run];
            $start = $this->ends[$run] === $this->width ? 0 : $this->ends[$run];
        }
        $edges = $this->edges($part, $size, $minimum);
        $into = range(0, $count);
        $queue = new \SplMinHeap;
        for ($p = 1; $p <= $count; $p++) {
            if ($size[$p] < $minimum) {
                $queue->insert([$size[$p], $p]);
            }
        }
        $joined = 0;
        while (! $queue->isEmpty()) {
            [$told, $p] = $queue->extract();
            if ($this->pulse !== null && ($joined & 4095) === 0) {
                ($this->pulse)();
            }
            if ($into[$p] !== $p || $size[$p] !== $told || $size[$p] >= $minimum) {
                continue;
            }
            $shared = [];
            foreach ($edges[$p] ?? [] as $other => $length) {
                $root = self::root($into, $other);
                if ($root !== $p) {
                    $shared[$root] = ($shared[$root] ?? 0) + $length;
                }
            }
            if ($shared === []) {
                continue;
            }
            $best = 0;
            foreach ($shared as $other => $length) {
                if ($best === 0 || $length > $shared[$best] || ($length === $shared[$best] && ($size[$other] > $size[$best] || ($size[$other] === $size[$best] && $other < $best)))) {
                    $best = $other;
                }
            }
            $into[$p] = $best;
            $size[$best] += $size[$p];
            $joined++;
            if (isset($edges[$best])) {
                foreach ($shared as $other => $length) {
                    $edges[$best][$other] = ($edges[$best][$other] ?? 0) + $length;
                }
                if ($size[$best] < $minimum) {
                    $queue->insert([$size[$best], $best]);
                }
            }
        }
        if ($joined > 0) {
            for ($run = 0; $run < $runs; $run++) {
                if ($part[$run] !== 0) {
                    $this->codes[$run] = $code[self::root($into, $part[$run])];
                }
            }
            $this->join();
        }

        return $joined;
    }

    /**
     * Rows of pixels out of what is known of the runs.
     *
     * @param  list<int>  $values  by run
     * @return list<int>
     */
    public function paint(array $values, int $firstRow, int $rows): array
    {
        return self::fill($this->rowStart, $this->ends, $values, $this->width, $firstRow, $rows);
    }

    /**
     * The same as raw little-endian samples, which is faster where runs are long.
     *
     * @param  list<int>  $values  by run
     */
    public function paintBytes(array $values, SampleType $type, int $firstRow, int $rows): string
    {
        $out = '';
        $last = $this->rowStart[$firstRow + $rows];
        $run = $this->rowStart[$firstRow];
        $samples = str_split(Codec::encodeCodes(array_slice($values, $run, $last - $run), $type), max(1, $type->bytes()));
        $start = 0;
        foreach ($samples as $sample) {
            $end = $this->ends[$run++];
            $out .= str_repeat($sample, $end - $start);
            $start = $end === $this->width ? 0 : $end;
        }

        return $out;
    }

    /**
     * Lengths of the edges that small parts share with others.
     *
     * @param  list<int>  $part
     * @param  array<int, int>  $size
     * @return array<int, array<int, int>>
     */
    private function edges(array $part, array $size, int $minimum): array
    {
        $edges = [];
        $note = function (int $a, int $b, int $length) use (&$edges, $size, $minimum): void {
            if ($a !== $b && $a !== 0 && $b !== 0) {
                if ($size[$a] < $minimum) {
                    $edges[$a][$b] = ($edges[$a][$b] ?? 0) + $length;
                }
                if ($size[$b] < $minimum) {
                    $edges[$b][$a] = ($edges[$b][$a] ?? 0) + $length;
                }
            }
        };
        for ($row = 0, $rows = $this->rows(); $row < $rows; $row++) {
            if ($this->pulse !== null && ($row & 255) === 0) {
                ($this->pulse)();
            }
            $first = $this->rowStart[$row];
            $last = $this->rowStart[$row + 1];
            for ($run = $first + 1; $run < $last; $run++) {
                $note($part[$run - 1], $part[$run], 1);
            }
            if ($row === 0) {
                continue;
            }
            $above = $this->rowStart[$row - 1];
            $start = 0;
            for ($run = $first; $run < $last;) {
                $end = min($this->ends[$above], $this->ends[$run]);
                $note($part[$above], $part[$run], $end - $start);
                $start = $end;
                $aboveDone = $this->ends[$above] === $end;
                if ($this->ends[$run] === $end) {
                    $run++;
                }
                if ($aboveDone) {
                    $above++;
                }
            }
        }

        return $edges;
    }

    /** Runs side by side that have come to the same code become one. */
    private function join(): void
    {
        $ends = [];
        $codes = [];
        $rowStart = [0];
        for ($row = 0, $rows = $this->rows(); $row < $rows; $row++) {
            $first = count($ends);
            for ($run = $this->rowStart[$row]; $run < $this->rowStart[$row + 1]; $run++) {
                if (count($ends) > $first && $codes[count($codes) - 1] === $this->codes[$run]) {
                    $ends[count($ends) - 1] = $this->ends[$run];
                } else {
                    $ends[] = $this->ends[$run];
                    $codes[] = $this->codes[$run];
                }
            }
            $rowStart[] = count($ends);
        }
        [$this->ends, $this->codes, $this->rowStart] = [$ends, $codes, $rowStart];
    }

    /** @param  array<int, int>  $into */
    private static function root(array &$into, int $part): int
    {
        while ($into[$part] !== $part) {
            $into[$part] = $into[$into[$part]];
            $part = $into[$part];
        }

        return $part;
    }

    /**
     * @param  list<int>  $values
     * @param  list<int>  $ends
     * @param  list<int>  $codes
     * @param  list<int>  $rowStart
     */
    private static function cut(array $values, int $width, int $rows, array &$ends, array &$codes, array &$rowStart): void
    {
        for ($row = 0; $row < $rows; $row++) {
            $base = $row * $width;
            for ($x = 0; $x < $width;) {
                $code = $values[$base + $x];
                do {
                    $x++;
                } while ($x < $width && $values[$base + $x] === $code);
                $ends[] = $x;
                $codes[] = $code;
            }
            $rowStart[] = count($ends);
        }
    }

    /**
     * @param  list<int>  $rowStart
     * @param  list<int>  $ends
     * @param  list<int>  $codes
     * @return array{list<int>, int}
     */
    private static function label(array $rowStart, array $ends, array $codes, int $reach, ?\Closure $pulse): array
    {
        $runs = count($ends);
        $parent = range(0, max(0, $runs - 1));
        for ($row = 1, $rows = count($rowStart) - 1; $row < $rows; $row++) {
            if ($pulse !== null && ($row & 255) === 0) {
                $pulse();
            }
            $above = $rowStart[$row - 1];
            $limit = $rowStart[$row];
            $start = 0;
            for ($run = $limit, $last = $rowStart[$row + 1]; $run < $last; $run++) {
                $end = $ends[$run];
                $code = $codes[$run];
                if ($code !== 0) {
                    while ($above < $limit && $ends[$above] + $reach <= $start) {
                        $above++;
                    }
                    for ($t = $above; $t < $limit; $t++) {
                        $left = $t === $rowStart[$row - 1] ? 0 : $ends[$t - 1];
                        if ($left >= $end + $reach) {
                            break;
                        }
                        if ($codes[$t] === $code) {
                            $a = $t;
                            while ($parent[$a] !== $a) {
                                $parent[$a] = $parent[$parent[$a]];
                                $a = $parent[$a];
                            }
                            $b = $run;
                            while ($parent[$b] !== $b) {
                                $parent[$b] = $parent[$parent[$b]];
                                $b = $parent[$b];
                            }
                            if ($a < $b) {
                                $parent[$b] = $a;
                            } elseif ($b < $a) {
                                $parent[$a] = $b;
                            }
                        }
                    }
                }
                $start = $end;
            }
        }
        $part = array_fill(0, $runs, 0);
        $count = 0;
        for ($run = 0; $run < $runs; $run++) {
            if ($codes[$run] !== 0) {
                $root = $parent[$run];
                if ($root === $run) {
                    $part[$run] = ++$count;
                } else {
                    while ($parent[$root] !== $root) {
                        $root = $parent[$root];
                    }
                    $part[$run] = $part[$root];
                }
            }
        }

        return [$part, $count];
    }

    /**
     * @param  list<int>  $rowStart
     * @param  list<int>  $ends
     * @param  list<int>  $values
     * @return list<int>
     */
    private static function fill(array $rowStart, array $ends, array $values, int $width, int $firstRow, int $rows): array
    {
        $out = array_fill(0, $width * $rows, 0);
        for ($row = 0; $row < $rows; $row++) {
            $base = $row * $width;
            $x = 0;
            for ($run = $rowStart[$firstRow + $row], $last = $rowStart[$firstRow + $row + 1]; $run < $last; $run++) {
                $value = $values[$run];
                for ($end = $ends[$run]; $x < $end; $x++) {
                    $out[$base + $x] = $value;
                }
            }
        }

        return $out;
    }
}
