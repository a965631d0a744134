<?php

namespace Chorometra\Core\Regions\Runs;

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
        $type = $this->codes !== [] && max($this->codes) > 0xFFFF ? SampleType::UInt32 : SampleType::UInt16;

        return pack('V3', $this->rows(), $this->count(), $type->bytes()).
            Codec::encodeCodes($this->rowStart, SampleType::UInt32).
            Codec::encodeCodes($this->ends, SampleType::UInt32).
            Codec::encodeCodes($this->codes, $type);
    }

    /** Rows that another process has cut. */
    public function appendBytes(string $bytes): void
    {
        [, $rows, $runs, $wide] = (array) unpack('V3', $bytes);
        $before = $this->count();
        $starts = Codec::codes(substr($bytes, 12, 4 * ($rows + 1)), SampleType::UInt32);
        for ($row = 1; $row <= $rows; $row++) {
            $this->rowStart[] = $before + $starts[$row];
        }
        foreach (Codec::codes(substr($bytes, 16 + 4 * $rows, 4 * $runs), SampleType::UInt32) as $end) {
            $this->ends[] = $end;
        }
        foreach (Codec::codes(substr($bytes, 16 + 4 * $rows + 4 * $runs), $wide === 4 ? SampleType::UInt32 : SampleType::UInt16) as $code) {
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
     * The same map with other codes; runs side by side that come to the same code become one.
     *
     * @param  list<int>  $codes  by run
     */
    public function recoded(array $codes): self
    {
        $map = new self($this->width, $this->pulse);
        for ($row = 0, $rows = $this->rows(); $row < $rows; $row++) {
            $first = count($map->ends);
            for ($run = $this->rowStart[$row]; $run < $this->rowStart[$row + 1]; $run++) {
                if (count($map->ends) > $first && $map->codes[count($map->codes) - 1] === $codes[$run]) {
                    $map->ends[count($map->ends) - 1] = $this->ends[$run];
                } else {
                    $map->ends[] = $this->ends[$run];
                    $map->codes[] = $codes[$run];
                }
            }
            $map->rowStart[] = count($map->ends);
        }

        return $map;
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
     * $rows of $width pixels.
     *
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
     * $rows of $width pixels from $firstRow of the block on.
     *
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
