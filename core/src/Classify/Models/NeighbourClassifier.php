<?php

namespace Chorometra\Core\Classify\Models;

use Chorometra\Core\Stats\NearestNeighbours;
use Chorometra\Core\Stats\Standardisation;

/** The class that most of the nearest examples are of. */
final readonly class NeighbourClassifier implements Assigner
{
    /**
     * @param  list<int>  $codes  by class
     * @param  float|null  $reject  share of the votes below which a case belongs nowhere
     * @param  Standardisation|null  $standard  what is done to values before they are compared
     */
    public function __construct(
        private array $codes,
        private int $nodata,
        private NearestNeighbours $neighbours,
        private ?float $reject,
        private ?Standardisation $standard = null,
    ) {}

    public function assign(array $columns, int $count, bool $tells = false, bool $shares = false): Assigned
    {
        $own = $this->standard === null ? $columns : array_map($this->standard->apply(...), array_keys($columns), $columns);
        $votes = $this->neighbours->shares($own, $count);
        $codes = $sure = [];
        self::most($codes, $sure, $votes, $this->codes, $this->nodata, ($this->reject ?? 0.0) - 1e-9, count($this->codes), $count);

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
}
