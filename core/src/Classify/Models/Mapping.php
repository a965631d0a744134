<?php

namespace Chorometra\Core\Classify\Models;

use Chorometra\Core\Classify\Cases\FeatureTable;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Scale;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Regions\Numbers\Renumbered;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Work;

/** Maps that a model makes: the classes, how sure they are, what speaks for each, and what lies outside of what was learnt. */
final readonly class Mapping
{
    public const OUTPUTS = ['classes', 'confidence', 'posteriors', 'outside'];

    private RasterSpec $classes;

    public function __construct(private Model $model, private FeatureTable $sorted)
    {
        $this->classes = RasterSpec::classes($sorted->grid, $model->legend, $sorted->properties);
    }

    /**
     * Writes those of the outputs that are wanted.
     *
     * @return array<string, mixed> figures
     *
     * @throws Problem where an output is asked for that the method does not have
     */
    public function write(Call $call, Work $work): array
    {
        if (isset($call->outputs['posteriors']) && ! $this->model->method->hasPosteriors) {
            throw Problem::call("{$this->model->method->name} has no class probabilities: leave posteriors out, or use another method.", 'method');
        }
        $specs = array_intersect_key($this->specs(), $call->outputs);
        $classifier = $this->model->classifier((int) $this->classes->nodata);
        $names = array_keys($specs);
        $compute = $this->sorted->segments === null
            ? fn (Window $window): array => $this->bands($classifier, $this->sorted->columns($window), $window->pixels(), $names)
            : $this->ofSegments($classifier, $names);

        return $work->make($specs, $compute, count($this->model->bands) + 4);
    }

    /** @return array<string, RasterSpec> */
    private function specs(): array
    {
        $sure = [new Band(name: $this->model->method->confidence, scale: Scale::Probability)];
        if ($this->model->method->distance !== null) {
            [$name, $unit] = $this->model->method->distance;
            $sure[] = new Band(name: $name, unit: $unit);
        }

        return [
            'classes' => $this->classes,
            'confidence' => $this->values($sure),
            'posteriors' => $this->values(array_map(
                fn (array $class): Band => new Band(name: $class['name'], scale: Scale::Probability),
                array_values($this->model->legend->classes),
            )),
            'outside' => $this->values([new Band(name: 'outside', unit: 'deviations')]),
        ];
    }

    /** @param  list<Band>  $bands */
    private function values(array $bands): RasterSpec
    {
        return new RasterSpec($this->sorted->grid, $bands, properties: $this->sorted->properties);
    }

    /**
     * @param  list<list<float>>  $columns
     * @param  list<string>  $names
     * @return array<string, list<list<int>|list<float>>>
     */
    private function bands(Classifier $classifier, array $columns, int $count, array $names): array
    {
        $tells = in_array('confidence', $names, true);
        $assigned = $classifier->assign($columns, $count, $tells, in_array('posteriors', $names, true));
        $bands = ['classes' => [$assigned->codes]];
        if ($tells) {
            $bands['confidence'] = $assigned->near === [] ? [$assigned->sure] : [$assigned->sure, $assigned->near];
        }
        if ($assigned->shares !== []) {
            $bands['posteriors'] = $assigned->shares;
        }
        if (in_array('outside', $names, true)) {
            $bands['outside'] = [Outside::of($this->model, $columns, $count)];
        }

        return $bands;
    }

    /**
     * All segments at once, and then painted.
     *
     * @param  list<string>  $names
     * @return \Closure(Window): array<string, list<list<int>|list<float>>>
     */
    private function ofSegments(Classifier $classifier, array $names): \Closure
    {
        [$image, $numbers, , $columns] = $this->sorted->segments ?? throw new \LogicException('There are no segments.');
        $nodata = (int) $this->classes->nodata;
        $tables = [];
        foreach ($this->bands($classifier, $columns, count($numbers), $names) as $name => $bands) {
            foreach ($bands as $band) {
                $tables[$name][] = array_replace(array_fill(0, max($numbers) + 1, $name === 'classes' ? $nodata : NAN), array_combine($numbers, $band));
            }
        }

        return function (Window $window) use ($image, $tables): array {
            $labels = Values::codes($image, $window);

            return array_map(
                fn (array $own): array => array_map(fn (array $table): array => Renumbered::mapped($labels, $table, count($labels)), $own),
                $tables,
            );
        };
    }
}
