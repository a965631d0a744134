<?php

namespace Chorometra\Core\Classify\Models;

use Chorometra\Core\Classify\Cases\Samples;
use Chorometra\Core\Problem;
use Chorometra\Core\Stats\Moments;
use Chorometra\Core\Stats\Standardisation;
use Chorometra\Core\Step\ReadsSettings;
use Chorometra\Core\Work\Context;

/** From samples to a model: a classifier, its settings, and the bands that samples have values of. */
final readonly class Training
{
    use ReadsSettings;

    /** @var array<string, mixed> */
    public array $settings;

    /**
     * @param  class-string<Classifier>  $classifier
     * @param  list<array{string, string|null}>  $bands  names and units
     * @param  array<string, mixed>  $settings  of the method, and the random seed; what is left out is as it is by default
     * @param  bool  $ofSegments  samples are segments
     */
    public function __construct(private string $classifier, public array $bands, array $settings = [], public bool $ofSegments = false)
    {
        foreach ($classifier::method()->settings as $setting) {
            $settings[$setting->name] ??= $setting->default;
        }
        $this->settings = $settings + ['seed' => 1];
    }

    /** @throws Problem where a class can't be learnt, with what is in the way */
    public function taught(Samples $samples, Context $context): Model
    {
        $method = $this->classifier::method();
        $parameters = $this->classifier::learn($samples, $this, $context);
        $limit = $method->limit === null ? NAN : $this->number($method->limit);
        if (! is_nan($limit)) {
            $setting = array_column($method->settings, null, 'name')[$method->limit] ?? null;
            $parameters['reject'] = $setting?->unit === '%' ? $limit / 100 : $limit;
        }

        return new Model($method, $samples->legend, $this->statistics($samples), $parameters, ofSegments: $this->ofSegments);
    }

    /** Whether values are divided by their deviations: bands of several units, or of none, can't be compared by their size. */
    public function standardises(): bool
    {
        $units = array_unique(array_column($this->bands, 1), SORT_REGULAR);

        return match ($this->text('standardise')) {
            'yes' => true,
            'no' => false,
            default => count($units) > 1 || ($units === [null] && count($this->bands) > 1),
        };
    }

    /** As a model remembers it (`Model::standardisation`). */
    public function standardisation(Samples $samples): Standardisation
    {
        return Standardisation::of($samples->columns);
    }

    /** @return list<array{name: string, unit: string|null, mean: float, deviation: float, minimum: float, maximum: float}> by band */
    private function statistics(Samples $samples): array
    {
        return array_map(function (array $band, array $column): array {
            $moments = Moments::of($column);

            return ['name' => $band[0], 'unit' => $band[1], 'mean' => $moments->mean, 'deviation' => sqrt($moments->squares / max(1, $moments->count)),
                'minimum' => $moments->minimum, 'maximum' => $moments->maximum];
        }, $this->bands, $samples->columns);
    }
}
