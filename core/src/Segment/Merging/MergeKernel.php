<?php

namespace Chorometra\Core\Segment\Merging;

use Chorometra\Core\Work\Kernel;

/**
 * Passes in which neighbouring regions join, generated for a number of bands.
 *
 * A region is a record of floats: pixels, perimeter in pixel sides, the box around it (first and last column, first and last row), what it costs as
 * it is, then the mean and the sum of squared deviations of each band. Bands come multiplied by their weight and by the share of colour.
 *
 * In a pass each region looks for the neighbour that it would join at the least cost; all pairs that have chosen each other, below the limit, join
 * at once. Of neighbours that cost the same, the pair with the lesser number drawn from the first pixels of both counts, so that even ground does not
 * join in one direction. Costs count to a quantum, since what costs the same by the formula differs in the last digits by how it came together.
 *
 * Cost: Baatz & Schäpe 2000, Angewandte Geographische Informationsverarbeitung XII:12–23 (from memory).
 */
final class MergeKernel
{
    public const PIXELS = 0;

    public const PERIMETER = 1;

    public const FIRST_COLUMN = 2;

    public const LAST_COLUMN = 3;

    public const FIRST_ROW = 4;

    public const LAST_ROW = 5;

    public const OWN = 6;

    /** Of the list of $u, $k leaves it. */
    private const DROP = <<<'PHP'
        if ($before < 0) {
            $head[$u] = $after;
        } else {
            $next[$before] = $after;
        }
        PHP;

    /** $e instead of $g where its cost $c is less, or the number drawn where they are alike. */
    private const BETTER = <<<'PHP'
        if ($c < $least) {
            $least = $c;
            $g = $e;
        } elseif ($c === $least && $g >= 0) {
            $a = $id[$ends[2 * $e]];
            $b = $id[$ends[2 * $e + 1]];
            $x = $id[$ends[2 * $g]];
            $y = $id[$ends[2 * $g + 1]];
            if ($a > $b) {
                $t = $a;
                $a = $b;
                $b = $t;
            }
            if ($x > $y) {
                $t = $x;
                $x = $y;
                $y = $t;
            }
            $one = ($a * 73856093 ^ $b * 19349663) & 1073741823;
            $two = ($x * 73856093 ^ $y * 19349663) & 1073741823;
            if ($one < $two || ($one === $two && ($a < $x || ($a === $x && $b < $y)))) {
                $g = $e;
            }
        }
        PHP;

    /** The box around the regions at $i and $j, in $i. */
    private const BOX = <<<'PHP'
        if ($r[$j + 2] < $r[$i + 2]) {
            $r[$i + 2] = $r[$j + 2];
        }
        if ($r[$j + 3] > $r[$i + 3]) {
            $r[$i + 3] = $r[$j + 3];
        }
        if ($r[$j + 4] < $r[$i + 4]) {
            $r[$i + 4] = $r[$j + 4];
        }
        if ($r[$j + 5] > $r[$i + 5]) {
            $r[$i + 5] = $r[$j + 5];
        }
        PHP;

    /** The end $w of an edge goes into $u: its edges become those of $u, and one where both have it. */
    private const EDGES = <<<'PHP'
        for ($k = $head[$w]; $k >= 0; $k = $after) {
            $after = $next[$k];
            $g = $k >> 1;
            if ($len[$g] < 0) {
                continue;
            }
            $v = $ends[$k ^ 1];
            // an edge that both have is one; it is looked for where there are fewer
            $same = -1;
            if ($degree[$v] < $degree[$u]) {
                for ($j = $head[$v]; $j >= 0; $j = $next[$j]) {
                    if ($ends[$j ^ 1] === $u && $len[$j >> 1] >= 0) {
                        $same = $j >> 1;
                        break;
                    }
                }
            } else {
                for ($j = $head[$u]; $j >= 0; $j = $next[$j]) {
                    if ($ends[$j ^ 1] === $v && $len[$j >> 1] >= 0) {
                        $same = $j >> 1;
                        break;
                    }
                }
            }
            if ($same >= 0) {
                $len[$same] += $len[$g];
                $len[$g] = -1;
                $degree[$v]--;
            } else {
                $ends[$k] = $u;
                $next[$k] = $head[$u];
                $head[$u] = $k;
                $degree[$u]++;
            }
        }
        $head[$w] = -2;
        PHP;

    /** Pairs of regions that have chosen each other below the limit, or, forced, each of those that are looked at with its best. */
    private const PAIRS = <<<'PHP'
        $pairs = $taken = [];
        foreach ($isForced ? [$dirty] : [$joined, $dirty] as $looked) {
            foreach ($looked as $u) {
                $e = $best[$u];
                if ($e >= 0 && $cost[$e] < $limit) {
                    $v = $ends[2 * $e];
                    if ($v === $u) {
                        $v = $ends[2 * $e + 1];
                    }
                    if ($isForced ? ! isset($taken[$u]) && ! isset($taken[$v]) : $best[$v] === $e) {
                        $pairs[] = $e;
                        $best[$u] = $best[$v] = -1;
                        if ($isForced) {
                            $taken[$u] = $taken[$v] = true;
                        }
                    }
                }
            }
        }
        PHP;

    /** The pair of the edge $e, the one with more neighbours as $u and the other as $w; who joined is noted. */
    private const PAIR = <<<'PHP'
        $u = $ends[2 * $e];
        $w = $ends[2 * $e + 1];
        if ($degree[$u] < $degree[$w]) {
            $t = $u;
            $u = $w;
            $w = $t;
        }
        $a = $id[$u];
        $b = $id[$w];
        if ($a > $b) {
            $t = $a;
            $a = $b;
            $b = $t;
        }
        $first[] = $a;
        $second[] = $b;
        $paid[] = $cost[$e];
        $id[$u] = $a;
        $joined[] = $u;
        $sides = $len[$e];
        $len[$e] = -1;
        $degree[$u]--;
        PHP;

    /** Whether the best of the neighbour at $q may be another now that the edge $e costs $c instead of $old. */
    private const NEIGHBOUR = <<<'PHP'
        if ($seen[$q] !== $round) {
            $b = $best[$q];
            if ($b < 0 || $len[$b] < 0 || ($e === $b ? $c >= $old : $c === $cost[$b])) {
                $seen[$q] = $round;
                $dirty[] = $q;
            } elseif ($c < $cost[$b]) {
                $best[$q] = $e;
            }
        }
        PHP;

    /** Where the bands begin. */
    public const BANDS = 7;

    public static function stride(int $bands): int
    {
        return self::BANDS + 2 * $bands;
    }

    private function __construct(private readonly int $bands, private readonly bool $hasForm) {}

    /**
     * Records as bytes, to be kept in a file.
     *
     * @param  list<float>  $records
     */
    public static function packed(array $records): string
    {
        return implode('', array_map(fn (array $some): string => pack('e*', ...$some), array_chunk($records, 1 << 14)));
    }

    /**
     * The cost of joining along edges, into `cost`.
     *
     * @return \Closure(array<string, mixed>, list<int>): void with the state of a graph, and which edges
     */
    public static function costs(int $bands, float $compact, float $smooth, float $quantum): \Closure
    {
        $part = new self($bands, $compact !== 0.0 || $smooth !== 0.0);
        $parameters = 'array &$state, array $which, float $compact, float $smooth, float $quantum';
        $loop = self::over(['r', 'ends', 'len', 'cost'], $parameters, fn (Kernel $kernel): Kernel => $kernel
            ->block('foreach ($which as $e)', fn (Kernel $edge): Kernel => $edge
                ->text('$p = $ends[2 * $e]; $q = $ends[2 * $e + 1];')
                ->text($part->taken())
                ->text($part->cost())
                ->text('$cost[$e] = $f;')));
        $round = self::round($quantum);

        return function (array &$state, array $which) use ($loop, $compact, $smooth, $round): void {
            $loop($state, $which, $compact, $smooth, $round);
        };
    }

    /**
     * Regions that come together without being asked: records of those that others went into become those of all.
     *
     * @return \Closure(list<float>, list<int>, list<int>, list<int>, int): void with the records, the place that each region went into, the ends and
     *   lengths of edges, and how many regions there are
     */
    public static function together(int $bands, float $compact, float $smooth): \Closure
    {
        $part = new self($bands, $compact !== 0.0 || $smooth !== 0.0);
        $stride = [self::stride($bands)];
        $loop = Kernel::of('array &$r, array $into, array $ends, array $len, int $count, float $compact, float $smooth', 'void')
            ->block('for ($w = 0; $w < $count; $w++)', fn (Kernel $each): Kernel => $each
                ->block('if ($into[$w] !== $w)', fn (Kernel $gone): Kernel => $gone
                    ->each($stride, '$i = $into[$w] * #; $j = $w * #;')
                    ->text('$n = $r[$i] + $r[$j]; $h = $r[$i] * $r[$j] / $n;')
                    ->text($part->join())
                    ->text('$r[$i] = $n; $r[$i + 1] = $r[$i + 1] + $r[$j + 1];')
                    ->text(self::BOX)))
            ->block('for ($e = 0, $edges = count($len); $e < $edges; $e++)', fn (Kernel $edge): Kernel => $edge
                ->text('$u = $into[$ends[2 * $e]];')
                ->block('if ($u === $into[$ends[2 * $e + 1]])', fn (Kernel $inner): Kernel => $inner
                    ->each($stride, '$r[$u * # + 1] = $r[$u * # + 1] - 2.0 * $len[$e];')))
            ->block('for ($w = 0; $w < $count; $w++)', fn (Kernel $each): Kernel => $each
                ->block('if ($into[$w] === $w)', fn (Kernel $kept): Kernel => $kept->each($stride, '$i = $w * #;')->text($part->worth())))
            ->compile();

        return function (array &$r, array $into, array $ends, array $len, int $count) use ($loop, $compact, $smooth): void {
            $loop($r, $into, $ends, $len, $count, $compact, $smooth);
        };
    }

    /**
     * Passes until nothing joins any more, or one.
     *
     * The ends of an edge are places of records; each end is a link in the list of edges of its region. Edges that are gone have a length below 0.
     *
     * @return \Closure(array<string, mixed>, float, bool): void with the state of a graph, the limit of the cost, and whether those that are looked at
     *   join their best in their order, whatever that would rather join, in one pass
     */
    public static function passes(int $bands, float $compact, float $smooth, float $quantum): \Closure
    {
        $part = new self($bands, $compact !== 0.0 || $smooth !== 0.0);
        $names = ['r', 'id', 'ends', 'next', 'head', 'degree', 'len', 'cost', 'best', 'seen', 'round', 'dirty', 'first', 'second', 'paid'];
        $parameters = 'array &$state, float $limit, bool $isForced, float $compact, float $smooth, float $quantum';
        $loop = self::over($names, $parameters, fn (Kernel $kernel): Kernel => $kernel
            ->text('$joined = [];')
            ->block('do', fn (Kernel $pass): Kernel => $pass
                // the best of those whose best is another now
                ->block('foreach ($dirty as $u)', fn (Kernel $region): Kernel => $part->best($region, '$c = $cost[$e];'))
                ->text(self::PAIRS)
                ->text('$dirty = []; if ($pairs === []) break; $joined = [];')
                ->block('foreach ($pairs as $e)', fn (Kernel $pair): Kernel => $pair
                    ->text(self::PAIR)
                    ->text(self::EDGES)
                    ->each([self::stride($bands)], '$i = $u * #; $j = $w * #;')
                    ->text('$n = $r[$i] + $r[$j]; $h = $r[$i] * $r[$j] / $n;')
                    ->text($part->join())
                    ->text('$r[$i] = $n; $r[$i + 1] = $r[$i + 1] + $r[$j + 1] - 2.0 * $sides;')
                    ->text(self::BOX)
                    ->text($part->worth()))
                // what they cost with those around them now; the best of these may be another
                ->text('$round++; foreach ($joined as $p) $seen[$p] = $round;')
                ->block('foreach ($joined as $u)', fn (Kernel $region): Kernel => $part->best(
                    $region->text('$p = $u;')->text($part->taken()),
                    "\$q = \$ends[\$k ^ 1];\n{$part->cost()}\n\$c = \$f; \$old = \$cost[\$e]; \$cost[\$e] = \$c;\n".self::NEIGHBOUR,
                )))
            ->text('while (! $isForced);'));
        $round = self::round($quantum);

        return function (array &$state, float $limit, bool $isForced) use ($loop, $compact, $smooth, $round): void {
            $loop($state, $limit, $isForced, $compact, $smooth, $round);
        };
    }

    /**
     * A function over some of a state, which is taken out of it while it works: there is one copy only.
     *
     * @param  list<string>  $names
     * @param  literal-string  $parameters
     * @param  \Closure(Kernel): Kernel  $body
     */
    private static function over(array $names, string $parameters, \Closure $body): \Closure
    {
        $each = fn (string $line): string => implode("\n", array_map(fn (string $name): string => str_replace('#', $name, $line), $names));

        return $body(Kernel::of($parameters, 'void')->text($each('$# = $state[\'#\']; $state[\'#\'] = null;')))->text($each('$state[\'#\'] = $#;'))->compile();
    }

    /** The edge of the region $u that costs least, as $g and its best; edges that are gone leave its list. What $cost tells is what the edge $e costs, $c. */
    private function best(Kernel $region, string $cost): Kernel
    {
        return $region
            ->text('$least = INF; $g = $before = -1;')
            ->block('for ($k = $head[$u]; $k >= 0; $k = $after)', fn (Kernel $end): Kernel => $end
                ->text('$after = $next[$k]; $e = $k >> 1;')
                ->block('if ($len[$e] < 0)', fn (Kernel $gone): Kernel => $gone->text(self::DROP)->text('continue;'))
                ->text('$before = $k;')
                ->text($cost)
                ->text(self::BETTER))
            ->text('$best[$u] = $g;');
    }

    /** The region at place $p taken out of its record, for what is asked of it often. */
    private function taken(): string
    {
        $stride = self::stride($this->bands);

        return "\$i = \$p * $stride; ".Kernel::joined($stride, '$p# = $r[$i + #];', ' ');
    }

    /** What the region that was taken out and that at place $q cost more together than apart, as $f. The same whichever is which. */
    private function cost(): string
    {
        $code = '$j = $q * '.self::stride($this->bands).'; $n = $p0 + $r[$j]; $h = $p0 * $r[$j] / $n; $f = 0.0; ';
        for ($b = 0; $b < $this->bands; $b++) {
            [$m, $v] = [self::BANDS + 2 * $b, self::BANDS + 2 * $b + 1];
            $code .= "\$d = \$p$m - \$r[\$j + $m]; \$f += sqrt(\$n * (\$p$v + \$r[\$j + $v] + \$d * \$d * \$h)); ";
        }
        if ($this->hasForm) {
            $code .= '$l = $p1 + $r[$j + 1] - 2.0 * $len[$e]; '
                .'$x = ($p3 > $r[$j + 3] ? $p3 : $r[$j + 3]) - ($p2 < $r[$j + 2] ? $p2 : $r[$j + 2]); '
                .'$y = ($p5 > $r[$j + 5] ? $p5 : $r[$j + 5]) - ($p4 < $r[$j + 4] ? $p4 : $r[$j + 4]); '
                .'$f += $compact * $l * sqrt($n) + $smooth * $n * $l / (2.0 * ($x + $y + 2.0)); ';
        }

        return "$code\$f = (\$f - (\$p6 + \$r[\$j + 6]) + \$quantum) - \$quantum;";
    }

    /** Added to a cost and taken off again, it leaves a multiple of the quantum. */
    private static function round(float $quantum): float
    {
        return 1.5 * 2.0 ** 52 * $quantum;
    }

    /** What the region at $i costs as it is. */
    private function worth(): string
    {
        $code = '$n = $r[$i]; $f = 0.0; ';
        for ($b = 0; $b < $this->bands; $b++) {
            $code .= '$f += sqrt($n * $r[$i + '.(self::BANDS + 2 * $b + 1).']); ';
        }
        if ($this->hasForm) {
            $code .= '$l = $r[$i + 1]; $f += $compact * $l * sqrt($n) + '
                .'$smooth * $n * $l / (2.0 * ($r[$i + 3] - $r[$i + 2] + $r[$i + 5] - $r[$i + 4] + 2.0)); ';
        }

        return "$code\$r[\$i + 6] = \$f;";
    }

    /** Means and squared deviations of the regions at $i and $j, put together in $i. */
    private function join(): string
    {
        $code = '';
        for ($b = 0; $b < $this->bands; $b++) {
            [$m, $v] = [self::BANDS + 2 * $b, self::BANDS + 2 * $b + 1];
            $code .= "\$d = \$r[\$i + $m] - \$r[\$j + $m]; \$r[\$i + $v] = \$r[\$i + $v] + \$r[\$j + $v] + \$d * \$d * \$h; "
                ."\$r[\$i + $m] = (\$r[\$i] * \$r[\$i + $m] + \$r[\$j] * \$r[\$j + $m]) / \$n; ";
        }

        return $code;
    }
}
