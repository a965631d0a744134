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

    /**
     * In a part of an image, what may be otherwise for what lies beyond its edge: whom a region joins follows from its own neighbours and from those of
     * the one that it chooses, so doubt comes two regions nearer with each pass.
     */
    private const SPREAD = <<<'PHP'
        for ($ring = 0; $ring < 2; $ring++) {
            $more = [];
            foreach ($doubts as $u) {
                if ($head[$u] < -1) {
                    continue;
                }
                for ($k = $head[$u]; $k >= 0; $k = $next[$k]) {
                    $v = $ends[$k ^ 1];
                    if ($len[$k >> 1] >= 0 && $doubted[$v] === 0) {
                        $doubted[$v] = 1;
                        $more[] = $v;
                    }
                }
            }
            foreach ($more as $v) {
                $doubts[] = $v;
            }
        }
        PHP;

    /** Doubt comes nearer where nothing joins, too. */
    private const END = <<<'PHP'
        if ($more === []) {
            break;
        }
        continue;
        PHP;

    private const PASS_ON = <<<'PHP'
        if ($doubted[$w] === 1 && $doubted[$u] === 0) {
            $doubted[$u] = 1;
            $doubts[] = $u;
        }
        PHP;

    /** Where the bands begin. */
    public const BANDS = 7;

    public static function stride(int $bands): int
    {
        return self::BANDS + 2 * $bands;
    }

    /**
     * The cost of joining along edges, into `cost`; INF where more pixels than allowed would come together.
     *
     * @return \Closure(array<string, mixed>, list<int>, float): void with the state of a graph, which edges, and the most pixels
     */
    public static function costs(int $bands, float $compact, float $smooth, float $quantum): \Closure
    {
        return self::load('array &$state, array $which, float $cap', ['r', 'ends', 'len', 'cost'], <<<'PHP'
                foreach ($which as $e) {
                    $p = $ends[2 * $e];
                    $q = $ends[2 * $e + 1];
                    EVAL
                    $cost[$e] = $n > $cap ? INF : $f;
                }
            PHP, $bands, $compact, $smooth, $quantum);
    }

    /**
     * Passes until nothing joins any more, or as many as asked for.
     *
     * The ends of an edge are places of records; each end is a link in the list of edges of its region. Edges that are gone have a length below 0.
     *
     * @return \Closure(array<string, mixed>, float, float, int, bool): void with the state of a graph, the limit of the cost, the most pixels that may
     *   come together, how many passes, and whether those that changed join their best in their order, whatever that would rather join; in a part of
     *   an image also what is in doubt for what lies beyond
     */
    public static function passes(int $bands, float $compact, float $smooth, float $quantum, bool $isPart = false): \Closure
    {
        $names = ['r', 'id', 'ends', 'next', 'head', 'degree', 'len', 'cost', 'best', 'seen', 'round', 'dirty', 'first', 'second', 'paid'];
        $names = $isPart ? [...$names, 'doubted', 'doubts'] : $names;
        $body = <<<'PHP'
                while ($passes-- > 0) {
                    SPREAD
                    // the best of those around which something changed; edges that are gone leave their lists
                    foreach ($dirty as $u) {
                        $least = INF;
                        $e = $before = -1;
                        for ($k = $head[$u]; $k >= 0; $k = $after) {
                            $after = $next[$k];
                            $g = $k >> 1;
                            if ($len[$g] < 0) {
                                if ($before < 0) {
                                    $head[$u] = $after;
                                } else {
                                    $next[$before] = $after;
                                }
                                continue;
                            }
                            $before = $k;
                            $c = $cost[$g];
                            if ($c < $least) {
                                $least = $c;
                                $e = $g;
                            } elseif ($c === $least && $e >= 0) {
                                $a = $id[$ends[2 * $g]];
                                $b = $id[$ends[2 * $g + 1]];
                                $x = $id[$ends[2 * $e]];
                                $y = $id[$ends[2 * $e + 1]];
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
                                    $e = $g;
                                }
                            }
                        }
                        $best[$u] = $least < INF ? $e : -1;
                    }
                    $pairs = $taken = [];
                    foreach ($dirty as $u) {
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
                    $dirty = [];
                    if ($pairs === []) {
                        END
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
                        PASS_ON
                        $i = $u * STRIDE;
                        $j = $w * STRIDE;
                        $n = $r[$i] + $r[$j];
                        $h = $r[$i] * $r[$j] / $n;
                        JOIN
                        $r[$i] = $n;
                        $r[$i + 1] = $r[$i + 1] + $r[$j + 1] - 2.0 * $sides;
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
                        WORTH
                    }
                    // what they cost with those around them now, and whose best may be another
                    $round++;
                    foreach ($joined as $p) {
                        if ($seen[$p] !== $round) {
                            $seen[$p] = $round;
                            $dirty[] = $p;
                        }
                        for ($k = $head[$p]; $k >= 0; $k = $next[$k]) {
                            $e = $k >> 1;
                            if ($len[$e] < 0) {
                                continue;
                            }
                            $q = $ends[$k ^ 1];
                            if ($seen[$q] !== $round) {
                                $seen[$q] = $round;
                                $dirty[] = $q;
                            }
                            EVAL
                            $cost[$e] = $n > $cap ? INF : $f;
                        }
                    }
                }
            PHP;

        return self::load(
            'array &$state, float $limit, float $cap, int $passes, bool $isForced',
            $names,
            strtr($body, $isPart
                ? ['SPREAD' => self::SPREAD, 'END' => self::END, 'PASS_ON' => self::PASS_ON]
                : ['SPREAD' => '', 'END' => 'break;', 'PASS_ON' => '']),
            $bands,
            $compact,
            $smooth,
            $quantum,
        );
    }

    /**
     * A function over some of a state, which is taken out of it while it works: there is one copy only.
     *
     * @param  list<string>  $names
     */
    private static function load(string $takes, array $names, string $body, int $bands, float $compact, float $smooth, float $quantum): \Closure
    {
        $body = strtr($body, [
            'EVAL' => self::cost($bands, $compact, $smooth, $quantum),
            'JOIN' => self::join($bands),
            'WORTH' => self::worth($bands, $compact, $smooth),
            'STRIDE' => (string) self::stride($bands),
        ]);
        $out = implode('', array_map(fn (string $name): string => "    \${$name} = \$state['$name'];\n", $names));
        $back = implode('', array_map(fn (string $name): string => "    \$state['$name'] = \${$name};\n", $names));
        $empty = implode('', array_map(fn (string $name): string => "    \$state['$name'] = null;\n", $names));

        return GeneratedCode::load("return static function ($takes): void {\n$out$empty$body\n$back};\n");
    }

    /** What the regions at places $p and $q cost more together than apart, as $f, and their pixels, as $n. The same whichever is which. */
    private static function cost(int $bands, float $compact, float $smooth, float $quantum): string
    {
        $code = '$i = $p * STRIDE; $j = $q * STRIDE; $n = $r[$i] + $r[$j]; $h = $r[$i] * $r[$j] / $n; $f = 0.0; ';
        for ($b = 0; $b < $bands; $b++) {
            [$m, $v] = [self::BANDS + 2 * $b, self::BANDS + 2 * $b + 1];
            $code .= "\$d = \$r[\$i + $m] - \$r[\$j + $m]; \$f += sqrt(\$n * (\$r[\$i + $v] + \$r[\$j + $v] + \$d * \$d * \$h)); ";
        }
        if ($compact !== 0.0 || $smooth !== 0.0) {
            $code .= '$l = $r[$i + 1] + $r[$j + 1] - 2.0 * $len[$e]; '
                .'$x = ($r[$i + 3] > $r[$j + 3] ? $r[$i + 3] : $r[$j + 3]) - ($r[$i + 2] < $r[$j + 2] ? $r[$i + 2] : $r[$j + 2]); '
                .'$y = ($r[$i + 5] > $r[$j + 5] ? $r[$i + 5] : $r[$j + 5]) - ($r[$i + 4] < $r[$j + 4] ? $r[$i + 4] : $r[$j + 4]); '
                .'$f += '.var_export($compact, true).' * $l * sqrt($n) + '.var_export($smooth, true).' * $n * $l / (2.0 * ($x + $y + 2.0)); ';
        }

        // added to this and taken off again, a number keeps what is a multiple of the quantum
        $round = var_export(1.5 * 2.0 ** 52 * $quantum, true);

        return str_replace('STRIDE', (string) self::stride($bands), $code)."\$f = (\$f - (\$r[\$i + 6] + \$r[\$j + 6]) + $round) - $round;";
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
