<?php

namespace Chorometra\Core\Classify\Models;

use Chorometra\Core\Stats\Learner;
use Chorometra\Core\Stats\RandomForest;
use Chorometra\Core\Stats\Standardisation;

/** The class that most of the nearest examples are of, or most of the trees of a forest say. */
final readonly class Votes implements Assigner
{
    /** @var list<int> roots of the trees in what follows */
    private array $roots;

    /** @var list<int> by node: the band that it asks and the node below, the one above follows it; or -1 less the class in a leaf */
    private array $nodes;

    /** @var list<float> by node: up to which value it leads below */
    private array $limits;

    /**
     * @param  list<int>  $codes  by class
     * @param  float|null  $reject  share of the votes below which a case belongs nowhere
     * @param  Standardisation|null  $standard  what is done to values before they are compared
     */
    public function __construct(
        private array $codes,
        private int $nodata,
        private Learner $learner,
        private ?float $reject,
        private ?Standardisation $standard = null,
    ) {
        $roots = $nodes = $limits = [];
        foreach ($learner instanceof RandomForest ? $learner->trees : [] as [$measure, $limit, $next, $leaves]) {
            $first = count($limits);
            $roots[] = $first;
            foreach ($measure as $node => $asked) {
                $own = $asked < 0 ? array_slice($leaves, $next[$node], count($codes)) : [];
                $nodes[] = $asked < 0 ? -1 - (int) array_search(max($own), $own, true) : $asked | ($first + $next[$node]) << 16;
                $limits[] = $limit[$node];
            }
        }
        [$this->roots, $this->nodes, $this->limits] = [$roots, $nodes, $limits];
    }

    public function assign(array $columns, int $count, bool $tells = false, bool $shares = false): Assigned
    {
        $needed = $this->reject ?? 0.0;
        $codes = $sure = [];
        if ($this->roots !== [] && ! $shares) {
            self::fall($codes, $sure, $columns, $count, $this->roots, $this->nodes, $this->limits, $this->codes, $this->nodata, $needed, count($this->roots),
                count($columns), count($this->codes), $tells || $needed > 0.0);

            return new Assigned($codes, $tells ? $sure : []);
        }
        if ($this->roots !== []) {
            $votes = array_fill(0, count($this->codes), array_fill(0, $count, 0.0));
            self::counted($votes, $columns, $count, $this->roots, $this->nodes, $this->limits, count($this->roots), count($columns), count($this->codes));
        } else {
            $own = $this->standard === null ? $columns : array_map($this->standard->apply(...), array_keys($columns), $columns);
            $votes = $this->learner->shares($own, $count);
        }
        self::most($codes, $sure, $votes, $this->codes, $this->nodata, $needed - 1e-9, count($this->codes), $count);

        return new Assigned($codes, $tells ? $sure : [], shares: $shares ? $votes : []);
    }

    /**
     * @param  list<int>  $codes
     * @param  list<float>  $sure
     * @param  list<list<float>>  $votes
     * @param  list<int>  $names
     */
    private static function most(array &$codes, array &$sure, array $votes, array $names, int $nodata, float $needed, int $classes, int $count): void
    {
        for ($i = 0; $i < $count; $i++) {
            $best = -1.0;
            $at = 0;
            for ($class = 0; $class < $classes; $class++) {
                $share = $votes[$class][$i];
                if ($share > $best) {
                    $best = $share;
                    $at = $class;
                }
            }
            // where a value is missing no share is a number
            $codes[] = $best < 0.0 ? $nodata : ($best >= $needed ? $names[$at] : 0);
            $sure[] = $best < 0.0 ? NAN : $best;
        }
    }

    /**
     * Each case through the trees, until no other class can get as many votes where only the class is wanted.
     *
     * @param  list<int>  $codes
     * @param  list<float>  $sure
     * @param  list<list<float>>  $columns
     * @param  list<int>  $roots
     * @param  list<int>  $nodes
     * @param  list<float>  $limits
     * @param  list<int>  $names
     */
    private static function fall(
        array &$codes,
        array &$sure,
        array $columns,
        int $count,
        array $roots,
        array $nodes,
        array $limits,
        array $names,
        int $nodata,
        float $needed,
        int $trees,
        int $bands,
        int $classes,
        bool $all,
    ): void {
        $x = array_fill(0, $bands, 0.0);
        $none = array_fill(0, $classes, 0);
        $share = 1.0 / $trees;
        $needed = $needed * $trees - 1e-6;
        for ($i = 0; $i < $count; $i++) {
            $sum = 0.0;
            for ($band = 0; $band < $bands; $band++) {
                $value = $columns[$band][$i];
                $x[$band] = $value;
                $sum += $value;
            }
            if ($sum - $sum !== 0.0) {
                $codes[] = $nodata;
                $sure[] = NAN;

                continue;
            }
            $votes = $none;
            $best = 0;
            $at = 0;
            for ($tree = 0; $tree < $trees; $tree++) {
                $node = $roots[$tree];
                $asked = $nodes[$node];
                while ($asked >= 0) {
                    if ($x[$asked & 65535] > $limits[$node]) {
                        $node = ($asked >> 16) + 1;
                    } else {
                        $node = $asked >> 16;
                    }
                    $asked = $nodes[$node];
                }
                $asked = -1 - $asked;
                $votes[$asked]++;
                $some = $votes[$asked];
                // of classes with as many votes the first counts
                if ($some > $best || ($some === $best && $asked < $at)) {
                    $best = $some;
                    $at = $asked;
                    if (! $all && $best + $best > $trees) {
                        break;
                    }
                }
            }
            $codes[] = $best >= $needed ? $names[$at] : 0;
            $sure[] = $best * $share;
        }
    }

    /**
     * @param  list<list<float>>  $votes  shares by class
     * @param  list<list<float>>  $columns
     * @param  list<int>  $roots
     * @param  list<int>  $nodes
     * @param  list<float>  $limits
     */
    private static function counted(
        array &$votes,
        array $columns,
        int $count,
        array $roots,
        array $nodes,
        array $limits,
        int $trees,
        int $bands,
        int $classes,
    ): void {
        $x = array_fill(0, $bands, 0.0);
        $share = 1.0 / $trees;
        for ($i = 0; $i < $count; $i++) {
            $sum = 0.0;
            for ($band = 0; $band < $bands; $band++) {
                $value = $columns[$band][$i];
                $x[$band] = $value;
                $sum += $value;
            }
            if ($sum - $sum !== 0.0) {
                for ($class = 0; $class < $classes; $class++) {
                    $votes[$class][$i] = NAN;
                }

                continue;
            }
            for ($tree = 0; $tree < $trees; $tree++) {
                $node = $roots[$tree];
                $asked = $nodes[$node];
                while ($asked >= 0) {
                    $node = ($asked >> 16) + ($x[$asked & 65535] > $limits[$node] ? 1 : 0);
                    $asked = $nodes[$node];
                }
                /** @var int<0, max> $class */
                $class = -1 - $asked;
                $votes[$class][$i] += $share;
            }
        }
    }
}
