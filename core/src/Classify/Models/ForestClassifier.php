<?php

namespace Chorometra\Core\Classify\Models;

use Chorometra\Core\Stats\RandomForest;

/** The class that most of the trees of a forest vote for. */
final readonly class ForestClassifier implements Assigner
{
    /** Cells between the least and the greatest limit of a band, from which its place among them is looked for. */
    private const CELLS = 4096;

    /** @var list<int> the first node of each tree */
    private array $roots;

    /** @var list<int> by node: the node below, the place of its limit among those of the band, and the band that it asks; or -1 less the class in a leaf */
    private array $nodes;

    /** @var list<list<float>> by band: the limits of all trees, rising */
    private array $limits;

    /** @var list<list<int>> by band and cell: the first limit in it or beyond */
    private array $cells;

    /**
     * @param  list<int>  $codes  by class
     * @param  int  $bands  that cases have values of
     * @param  float|null  $reject  share of the votes below which a case belongs nowhere
     */
    public function __construct(private array $codes, private int $nodata, int $bands, RandomForest $forest, private ?float $reject)
    {
        $limits = array_fill(0, $bands, []);
        foreach ($forest->trees as [$asks, $own]) {
            foreach ($asks as $node => $band) {
                if ($band > -1) {
                    $limits[$band][pack('E', $own[$node])] = $own[$node];
                }
            }
        }
        $places = [];
        foreach ($limits as $band => $some) {
            sort($some);
            $limits[$band] = $some;
            $places[$band] = array_flip(array_map(fn (float $limit): string => pack('E', $limit), $some));
        }
        $roots = $nodes = [];
        foreach ($forest->trees as [$asks, $own, $next, $leaves]) {
            $first = count($nodes);
            $added = [];
            // from the leaves up: what leads to one class whatever it asks is a leaf itself
            for ($node = count($asks) - 1; $node >= 0; $node--) {
                $to = $next[$node];
                if ($asks[$node] < 0) {
                    $shares = array_slice($leaves, $to, count($codes));
                    $added[$node] = -1 - (int) array_search(max($shares), $shares, true);
                } elseif ($added[$to] < 0 && $added[$to] === $added[$to + 1]) {
                    $added[$node] = $added[$to];
                } else {
                    $added[$node] = ($first + $to) << 32 | $places[$asks[$node]][pack('E', $own[$node])] << 8 | $asks[$node];
                }
            }
            ksort($added);
            $roots[] = $added[0];
            array_push($nodes, ...$added);
        }
        [$this->roots, $this->nodes, $this->limits] = [$roots, $nodes, $limits];
        $this->cells = array_map(self::cells(...), $limits);
    }

    public function assign(array $columns, int $count, bool $tells = false, bool $shares = false): Assigned
    {
        $needed = $this->reject ?? 0.0;
        $codes = $sure = $ranks = [];
        foreach ($columns as $band => $column) {
            $ranks[] = $this->limits[$band] === [] ? array_fill(0, $count, 0) : self::ranks($column, $count, $this->limits[$band], $this->cells[$band]);
        }
        $votes = $shares ? array_fill(0, count($this->codes), array_fill(0, $count, 0.0)) : [];
        self::fall(
            $codes,
            $sure,
            $votes,
            $ranks,
            Whole::of($columns, $count),
            $count,
            $this->roots,
            $this->nodes,
            $this->codes,
            $this->nodata,
            $needed * count($this->roots) - 1e-6,
            count($this->roots),
            count($columns),
            count($this->codes),
            $tells || $shares || $needed > 0.0,
            $shares,
        );

        return new Assigned($codes, $tells ? $sure : [], shares: $votes);
    }

    /**
     * @param  list<float>  $limits  rising
     * @return list<int>
     */
    private static function cells(array $limits): array
    {
        $cells = [];
        $count = count($limits);
        $low = $limits[0] ?? 0.0;
        $width = (($limits[$count - 1] ?? 0.0) - $low) / self::CELLS;
        for ($cell = 0, $k = 0; $cell <= self::CELLS; $cell++) {
            while ($k < $count && $limits[$k] < $low + $cell * $width) {
                $k++;
            }
            $cells[] = $k;
        }

        return $cells;
    }

    /**
     * How many limits lie below each value, times 256: from then on whole numbers are compared with those of nodes.
     *
     * @param  list<float>  $values
     * @param  list<float>  $limits  rising
     * @param  list<int>  $cells
     * @return list<int>
     */
    private static function ranks(array $values, int $count, array $limits, array $cells): array
    {
        $number = count($limits);
        $low = $limits[0];
        $high = $limits[$number - 1];
        $factor = $high > $low ? self::CELLS / ($high - $low) : 0.0;
        $limits[] = INF;
        $most = $number << 8;
        $ranks = [];
        for ($i = 0; $i < $count; $i++) {
            $value = $values[$i];
            if ($value > $low && $value <= $high) {
                $rank = $cells[(int) (($value - $low) * $factor)];
                // rounding may have led to the cell beside
                while ($rank > 0 && $limits[$rank - 1] >= $value) {
                    $rank--;
                }
                while ($limits[$rank] < $value) {
                    $rank++;
                }
                $ranks[] = $rank << 8;
            } else {
                $ranks[] = $value > $high ? $most : 0;
            }
        }

        return $ranks;
    }

    /**
     * Each case through the trees, until no other class can get as many votes where only the class is wanted.
     *
     * @param  list<int>  $codes
     * @param  list<float>  $sure
     * @param  list<list<float>>  $shares  by class, where they are wanted
     * @param  list<list<int>>  $ranks  by band
     * @param  list<bool>  $valid
     * @param  list<int>  $roots
     * @param  list<int>  $nodes
     * @param  list<int>  $names
     * @param  float  $needed  votes
     */
    private static function fall(
        array &$codes,
        array &$sure,
        array &$shares,
        array $ranks,
        array $valid,
        int $count,
        array $roots,
        array $nodes,
        array $names,
        int $nodata,
        float $needed,
        int $trees,
        int $bands,
        int $classes,
        bool $all,
        bool $tellsShares,
    ): void {
        $x = array_fill(0, $bands, 0);
        $none = array_fill(0, $classes, 0);
        $share = 1.0 / $trees;
        for ($i = 0; $i < $count; $i++) {
            if (! $valid[$i]) {
                $codes[] = $nodata;
                $sure[] = NAN;
                for ($class = 0; $tellsShares && $class < $classes; $class++) {
                    $shares[$class][$i] = NAN;
                }

                continue;
            }
            for ($band = 0; $band < $bands; $band++) {
                $x[$band] = $ranks[$band][$i];
            }
            $votes = $none;
            $best = 0;
            $at = 0;
            for ($tree = 0; $tree < $trees; $tree++) {
                $node = $roots[$tree];
                while ($node >= 0) {
                    // the place of a limit stands above the number of its band, which makes no difference
                    if ($x[$node & 255] > ($node & 0xFFFFFFFF)) {
                        $node = $nodes[($node >> 32) + 1];
                    } else {
                        $node = $nodes[$node >> 32];
                    }
                }
                $class = -1 - $node;
                $some = ++$votes[$class];
                // of classes with as many votes the first counts
                if ($some > $best || ($some === $best && $class < $at)) {
                    $best = $some;
                    $at = $class;
                    if (! $all && $best + $best > $trees) {
                        break;
                    }
                }
            }
            $codes[] = $best >= $needed ? $names[$at] : 0;
            $sure[] = $best * $share;
            for ($class = 0; $tellsShares && $class < $classes; $class++) {
                $shares[$class][$i] = $share * $votes[$class];
            }
        }
    }
}
