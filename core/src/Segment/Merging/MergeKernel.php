<?php

namespace Chorometra\Core\Segment\Merging;

use Chorometra\Core\Work\GeneratedCode;

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

    /** Where the bands begin. */
    public const BANDS = 7;

    public static function stride(int $bands): int
    {
        return self::BANDS + 2 * $bands;
    }

    /**
     * The cost of joining along edges, into `cost`.
     *
     * @return \Closure(array<string, mixed>, list<int>): void with the state of a graph, and which edges
     */
    public static function costs(int $bands, float $compact, float $smooth, float $quantum): \Closure
    {
        return self::load('array &$state, array $which', ['r', 'ends', 'len', 'cost'], <<<'PHP'
                foreach ($which as $e) {
                    $p = $ends[2 * $e];
                    $q = $ends[2 * $e + 1];
                    TAKEN
                    EVAL
                    $cost[$e] = $f;
                }
            PHP, $bands, $compact, $smooth, $quantum);
    }

    /**
     * Regions that come together without being asked: records of those that others went into become those of all.
     *
     * @return \Closure(list<float>, list<int>, list<int>, list<int>, int): void with the records, the place that each region went into, the ends and
     *   lengths of edges, and how many regions there are
     */
    public static function together(int $bands, float $compact, float $smooth): \Closure
    {
        return GeneratedCode::load("return static function (array &\$r, array \$into, array \$ends, array \$len, int \$count): void {\n".strtr(<<<'PHP'
                for ($w = 0; $w < $count; $w++) {
                    if ($into[$w] === $w) {
                        continue;
                    }
                    $i = $into[$w] * STRIDE;
                    $j = $w * STRIDE;
                    $n = $r[$i] + $r[$j];
                    $h = $r[$i] * $r[$j] / $n;
                    JOIN
                    $r[$i] = $n;
                    $r[$i + 1] = $r[$i + 1] + $r[$j + 1];
                    BOX
                }
                for ($e = 0, $edges = count($len); $e < $edges; $e++) {
                    $u = $into[$ends[2 * $e]];
                    if ($u === $into[$ends[2 * $e + 1]]) {
                        $r[$u * STRIDE + 1] = $r[$u * STRIDE + 1] - 2.0 * $len[$e];
                    }
                }
                for ($w = 0; $w < $count; $w++) {
                    if ($into[$w] === $w) {
                        $i = $w * STRIDE;
                        WORTH
                    }
                }
            PHP, [
            'JOIN' => self::join($bands),
            'BOX' => self::BOX,
            'WORTH' => self::worth($bands, $compact, $smooth),
            'STRIDE' => (string) self::stride($bands),
        ])."\n};\n");
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
        $names = ['r', 'id', 'ends', 'next', 'head', 'degree', 'len', 'cost', 'best', 'seen', 'round', 'dirty', 'first', 'second', 'paid'];

        return self::load('array &$state, float $limit, bool $isForced', $names, <<<'PHP'
                $joined = [];
                do {
                    // the best of those whose best is another now; edges that are gone leave their lists
                    foreach ($dirty as $u) {
                        $least = INF;
                        $g = $before = -1;
                        for ($k = $head[$u]; $k >= 0; $k = $after) {
                            $after = $next[$k];
                            $e = $k >> 1;
                            if ($len[$e] < 0) {
                                DROP
                                continue;
                            }
                            $before = $k;
                            $c = $cost[$e];
                            BETTER
                        }
                        $best[$u] = $g;
                    }
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
                    $dirty = [];
                    if ($pairs === []) {
                        break;
                    }
                    $joined = [];
                    foreach ($pairs as $e) {
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
                        $i = $u * STRIDE;
                        $j = $w * STRIDE;
                        $n = $r[$i] + $r[$j];
                        $h = $r[$i] * $r[$j] / $n;
                        JOIN
                        $r[$i] = $n;
                        $r[$i + 1] = $r[$i + 1] + $r[$j + 1] - 2.0 * $sides;
                        BOX
                        WORTH
                    }
                    // what they cost with those around them now; the best of these may be another
                    $round++;
                    foreach ($joined as $p) {
                        $seen[$p] = $round;
                    }
                    foreach ($joined as $u) {
                        $p = $u;
                        TAKEN
                        $least = INF;
                        $g = $before = -1;
                        for ($k = $head[$u]; $k >= 0; $k = $after) {
                            $after = $next[$k];
                            $e = $k >> 1;
                            if ($len[$e] < 0) {
                                DROP
                                continue;
                            }
                            $before = $k;
                            $q = $ends[$k ^ 1];
                            EVAL
                            $c = $f;
                            $old = $cost[$e];
                            $cost[$e] = $c;
                            if ($seen[$q] !== $round) {
                                $b = $best[$q];
                                if ($b < 0 || $len[$b] < 0 || ($e === $b ? $c >= $old : $c === $cost[$b])) {
                                    $seen[$q] = $round;
                                    $dirty[] = $q;
                                } elseif ($c < $cost[$b]) {
                                    $best[$q] = $e;
                                }
                            }
                            BETTER
                        }
                        $best[$u] = $g;
                    }
                } while (! $isForced);
            PHP, $bands, $compact, $smooth, $quantum);
    }

    /**
     * A function over some of a state, which is taken out of it while it works: there is one copy only.
     *
     * @param  list<string>  $names
     */
    private static function load(string $takes, array $names, string $body, int $bands, float $compact, float $smooth, float $quantum): \Closure
    {
        $body = strtr($body, ['DROP' => self::DROP, 'BETTER' => self::BETTER]);
        $body = strtr($body, [
            'TAKEN' => self::taken($bands),
            'EVAL' => self::cost($bands, $compact, $smooth, $quantum),
            'JOIN' => self::join($bands),
            'BOX' => self::BOX,
            'WORTH' => self::worth($bands, $compact, $smooth),
            'STRIDE' => (string) self::stride($bands),
        ]);
        $out = implode('', array_map(fn (string $name): string => "    \${$name} = \$state['$name'];\n", $names));
        $back = implode('', array_map(fn (string $name): string => "    \$state['$name'] = \${$name};\n", $names));
        $empty = implode('', array_map(fn (string $name): string => "    \$state['$name'] = null;\n", $names));

        return GeneratedCode::load("return static function ($takes): void {\n$out$empty$body\n$back};\n");
    }

    /** The region at place $p taken out of its record, for what is asked of it often. */
    private static function taken(int $bands): string
    {
        $code = '$i = $p * '.self::stride($bands).'; ';
        for ($k = 0, $stride = self::stride($bands); $k < $stride; $k++) {
            $code .= "\$p$k = \$r[\$i + $k]; ";
        }

        return $code;
    }

    /**
     * What the region that was taken out and that at place $q cost more together than apart, as $f. The same whichever is which.
     */
    private static function cost(int $bands, float $compact, float $smooth, float $quantum): string
    {
        $code = '$j = $q * '.self::stride($bands).'; $n = $p0 + $r[$j]; $h = $p0 * $r[$j] / $n; $f = 0.0; ';
        for ($b = 0; $b < $bands; $b++) {
            [$m, $v] = [self::BANDS + 2 * $b, self::BANDS + 2 * $b + 1];
            $code .= "\$d = \$p$m - \$r[\$j + $m]; \$f += sqrt(\$n * (\$p$v + \$r[\$j + $v] + \$d * \$d * \$h)); ";
        }
        if ($compact !== 0.0 || $smooth !== 0.0) {
            $code .= '$l = $p1 + $r[$j + 1] - 2.0 * $len[$e]; '
                .'$x = ($p3 > $r[$j + 3] ? $p3 : $r[$j + 3]) - ($p2 < $r[$j + 2] ? $p2 : $r[$j + 2]); '
                .'$y = ($p5 > $r[$j + 5] ? $p5 : $r[$j + 5]) - ($p4 < $r[$j + 4] ? $p4 : $r[$j + 4]); '
                .'$f += '.var_export($compact, true).' * $l * sqrt($n) + '.var_export($smooth, true).' * $n * $l / (2.0 * ($x + $y + 2.0)); ';
        }

        // added to this and taken off again, a number keeps what is a multiple of the quantum
        $round = var_export(1.5 * 2.0 ** 52 * $quantum, true);

        return "$code\$f = (\$f - (\$p6 + \$r[\$j + 6]) + $round) - $round;";
    }

    /** What the region at $i costs as it is. */
    private static function worth(int $bands, float $compact, float $smooth): string
    {
        $code = '$n = $r[$i]; $f = 0.0; ';
        for ($b = 0; $b < $bands; $b++) {
            $code .= '$f += sqrt($n * $r[$i + '.(self::BANDS + 2 * $b + 1).']); ';
        }
        if ($compact !== 0.0 || $smooth !== 0.0) {
            $code .= '$l = $r[$i + 1]; $f += '.var_export($compact, true).' * $l * sqrt($n) + '
                .var_export($smooth, true).' * $n * $l / (2.0 * ($r[$i + 3] - $r[$i + 2] + $r[$i + 5] - $r[$i + 4] + 2.0)); ';
        }

        return "$code\$r[\$i + 6] = \$f;";
    }

    /** Means and squared deviations of the regions at $i and $j, put together in $i. */
    private static function join(int $bands): string
    {
        $code = '';
        for ($b = 0; $b < $bands; $b++) {
            [$m, $v] = [self::BANDS + 2 * $b, self::BANDS + 2 * $b + 1];
            $code .= "\$d = \$r[\$i + $m] - \$r[\$j + $m]; \$r[\$i + $v] = \$r[\$i + $v] + \$r[\$j + $v] + \$d * \$d * \$h; "
                ."\$r[\$i + $m] = (\$r[\$i] * \$r[\$i + $m] + \$r[\$j] * \$r[\$j + $m]) / \$n; ";
        }

        return $code;
    }
}
