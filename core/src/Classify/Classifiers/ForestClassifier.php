<?php

namespace Chorometra\Core\Classify\Classifiers;

use Chorometra\Core\Classify\Cases\Samples;
use Chorometra\Core\Classify\Models\Assigned;
use Chorometra\Core\Classify\Models\Classifier;
use Chorometra\Core\Classify\Models\Method;
use Chorometra\Core\Classify\Models\Model;
use Chorometra\Core\Classify\Models\Training;
use Chorometra\Core\Classify\Models\Whole;
use Chorometra\Core\Problem;
use Chorometra\Core\Stats\RandomForest;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Workers;

/** The class that most of the trees of a forest vote for. */
final readonly class ForestClassifier implements Classifier
{
    /** Cells between the least and the greatest limit of a band, from which its place among them is looked for. */
    private const CELLS = 4096;

    /** The number of a band has 8 bits in a node. */
    private const MOST_BANDS = 256;

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

    public static function method(): Method
    {
        return new Method(
            'random-forest',
            6,
            'majority vote of decision trees, each trained on a random sample',
            'Breiman 2001, Machine Learning 45:5–32 (forests, permutation)',
            [
                Method::leastVotes(),
                Setting::whole('trees', 100, 'Number of trees.', null, 1, 1000),
                Setting::whole('depth', null, 'Largest depth of a tree. Empty: unlimited.', null, 1, 100),
                Method::most(),
            ],
            'least-votes',
            'share of votes',
            hasPosteriors: true,
        );
    }

    public static function learn(Samples $samples, Training $training, Context $context): array
    {
        if (count($training->bands) > self::MOST_BANDS) {
            throw Problem::call('A random forest uses at most '.self::MOST_BANDS.' bands: choose some.', 'bands');
        }
        $some = $samples->atMost($training->whole('most'));
        $classes = count($samples->legend->classes);
        [$trees, $seed, $depth] = [$training->whole('trees'), $training->whole('seed'), $training->whole('depth') ?: PHP_INT_MAX];
        $each = max(1, (int) ceil($trees / max(1, 4 * $context->workers)));
        $parts = Workers::all((int) ceil($trees / $each), $context, 'growing trees', fn (int $part): array => self::nodes(
            RandomForest::grown($some->columns, $some->answers, $classes, min($each, $trees - $part * $each), $seed, depth: $depth, from: $part * $each),
            $classes,
        ));

        return ['trees' => array_merge(...$parts)];
    }

    public static function restore(Model $model, int $nodata): self
    {
        [$bands, $classes] = [count($model->bands), count($model->codes())];
        if ($bands > self::MOST_BANDS) {
            throw Problem::input('a forest takes '.self::MOST_BANDS.' bands at most.');
        }

        return new self($model->codes(), $nodata, $bands, RandomForest::of(self::trees($model, $bands, $classes), $classes), $model->limit());
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

    /** @return list<array{bands: list<int>, limits: list<float>, next: list<int>}> a leaf has band -1, and its class as next */
    private static function nodes(RandomForest $forest, int $classes): array
    {
        $told = [];
        foreach ($forest->trees as [$bands, $limits, $next, $leaves]) {
            foreach ($bands as $node => $band) {
                if ($band < 0) {
                    $own = array_slice($leaves, $next[$node], $classes);
                    $next[$node] = (int) array_search(max($own), $own, true);
                }
            }
            $told[] = ['bands' => $bands, 'limits' => $limits, 'next' => $next];
        }

        return $told;
    }

    /** @return list<array{list<int>, list<float>, list<int>, list<float>}> */
    private static function trees(Model $model, int $bands, int $classes): array
    {
        $trees = [];
        foreach (array_values((array) ($model->parameters['trees'] ?? [])) as $number => $tree) {
            $asks = array_values(array_map(intval(...), (array) ($tree['bands'] ?? [])));
            $limits = array_values(array_map(floatval(...), (array) ($tree['limits'] ?? [])));
            $next = array_values(array_map(intval(...), (array) ($tree['next'] ?? [])));
            $leaves = [];
            foreach ($asks as $node => $band) {
                $isLeaf = $band < 0;
                $to = $next[$node] ?? -1;
                // a node leads to later ones only: no tree runs in circles
                if ($isLeaf ? $to < 0 || $to >= $classes : $band >= $bands || $to <= $node || $to + 1 >= count($asks)) {
                    throw Problem::input('tree '.($number + 1).' leads nowhere at node '.($node + 1).'.');
                }
                if ($isLeaf) {
                    $shares = array_fill(0, $classes, 0.0);
                    $shares[$to] = 1.0;
                    $next[$node] = count($leaves);
                    array_push($leaves, ...$shares);
                }
            }
            if ($asks === [] || count($limits) !== count($asks) || count($next) !== count($asks)) {
                throw Problem::input('tree '.($number + 1).' does not fit together.');
            }
            $trees[] = [$asks, $limits, $next, $leaves];
        }

        return $trees !== [] ? $trees : throw Problem::input('it has no trees.');
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
