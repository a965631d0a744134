<?php

namespace Chorometra\Core\Classify\Classifiers;

use Chorometra\Core\Classify\Cases\Samples;
use Chorometra\Core\Classify\Models\Assigned;
use Chorometra\Core\Classify\Models\Classifier;
use Chorometra\Core\Classify\Models\Method;
use Chorometra\Core\Classify\Models\Model;
use Chorometra\Core\Classify\Models\Training;
use Chorometra\Core\Stats\NearestNeighbours;
use Chorometra\Core\Stats\Standardisation;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Work\Context;

/** The class that most of the nearest examples are of. */
final readonly class NeighbourClassifier implements Classifier
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

    public static function method(): Method
    {
        return new Method(
            'nearest-neighbours',
            5,
            'majority of the nearest training samples',
            'Cover & Hart 1967, IEEE Transactions on Information Theory 13:21–27 (neighbours)',
            [
                Method::leastVotes(),
                Setting::whole('neighbours', 5, 'Number of nearest training samples that vote.', null, 1, 100),
                Method::most(),
                Method::standardise(),
            ],
            'least-votes',
            'share of votes',
            hasPosteriors: true,
        );
    }

    public static function learn(Samples $samples, Training $training, Context $context): array
    {
        $some = $samples->atMost($training->whole('most'));

        return [
            'neighbours' => $training->whole('neighbours'),
            'standardised' => $training->standardises(),
            'values' => $some->columns === [] ? [] : array_map(fn (float ...$row): array => $row, ...$some->columns),
            'answers' => $some->answers,
        ];
    }

    public static function restore(Model $model, int $nodata): self
    {
        $answers = $model->answers();
        $bands = count($model->bands);
        $values = $model->table('values', count($answers), $bands);
        $standard = $model->standardisation();
        $columns = array_map(fn (int $band): array => array_column($values, $band), range(0, $bands - 1));
        $own = $standard?->columns($columns) ?? $columns;
        $neighbours = max(1, (int) ($model->parameters['neighbours'] ?? 5));
        $codes = $model->codes();

        return new self($codes, $nodata, new NearestNeighbours($own, $answers, count($codes), $neighbours), $model->limit(), $standard);
    }

    public function assign(array $columns, int $count, bool $tells = false, bool $shares = false): Assigned
    {
        $own = $this->standard?->columns($columns) ?? $columns;
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
