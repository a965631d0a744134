<?php

namespace Chorometra\Core\Classify;

use Chorometra\Core\Classify\Cases\FeatureTable;
use Chorometra\Core\Classify\Models\Mapping;
use Chorometra\Core\Classify\Models\Model;
use Chorometra\Core\Classify\Models\Outside;
use Chorometra\Core\Geo\Pass;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Condition;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Wants;
use Chorometra\Core\Step\Work;

/** A model that was taught before, on other images. */
final class Apply implements Kind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'classify.apply',
            'Apply a model',
            'Classifies other images with a model trained before.',
            [
                new Port(
                    'images',
                    PortType::Image,
                    'Images on one grid with the bands of the model, matched by role.',
                    many: true, wants: Wants::Scene,
                ),
                new Port('model', PortType::Model, 'The trained model (classify.teach).'),
                new Port('segments', PortType::Segments, 'Segments, for a model trained on segments.', required: false),
                new Port('mask', PortType::Classes, 'Cloud mask; its pixels are left unclassified.', required: false),
            ],
            [
                Setting::texts('names', 'Short names of the images as in the model. Empty: a, b, c …; a single image needs none.'),
                Setting::texts('leave-out', 'Mask classes to exclude, by name or by code as #1. Empty: all but clear, water and snow.'),
                Setting::yes('posteriors', false, 'Also output the probability of each class, one band each.'),
            ],
            [
                new Port('classes', PortType::Classes, 'The classes.'),
                new Port('confidence', PortType::Image, 'Confidence in the class, 0 to 1, and for some methods the distance to it.', required: false),
                new Port('posteriors', PortType::Image, 'Probability of each class, one band each.', required: false, only: Condition::of('posteriors=yes')),
                new Port('outside', PortType::Image, 'Distance of the values from the range of the training data, in standard deviations; 0 '
                    .'inside.', required: false),
            ],
            'As classify.teach. The range of the training data is common practice, no source.',
            synonyms: ['predict', 'classify another image'],
            figures: [
                Figure::text('method', 'method'),
                Figure::share('outside-share', 'outside the training data'),
                Figure::table(
                    'outside-bands',
                    'outside the training data, by band',
                    ['band' => null, 'from' => null, 'to' => null, 'below' => '%', 'above' => '%'],
                ),
                Figure::named('taught-on', 'trained on'),
            ],
            desk: new Desk(4, evidence: [new Evidence('named-bands', ['names'])]),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $model = Model::read($call->path('model'));
        if ($model->ofSegments !== $call->hasInput('segments')) {
            throw Problem::call(
                $model->ofSegments ? 'The model was trained on segments: give segments.' : 'The model was trained on pixels: leave the segments out.',
                'segments',
            );
        }
        $there = FeatureTable::of($call->with($call->context->part(0.0, 0.1)), $model->names(), 'model');
        self::fits($model, $there);
        $figures = [
            'method' => $model->method->name,
            'taught-on' => array_filter($model->taughtOn, fn (mixed $one): bool => is_scalar($one) || (is_array($one) && array_is_list($one))),
        ];
        $figures += $this->outside($call->with($call->context->part(0.1, 0.4)), $model, $there);

        return $figures + (new Mapping($model, $there))->write($call, $work->part(0.4, 1.0));
    }

    /** @throws Problem where a band is in another unit than what was learnt */
    private static function fits(Model $model, FeatureTable $there): void
    {
        foreach ($model->bands as $place => $band) {
            if ($band['unit'] !== $there->units[$place]) {
                $words = fn (?string $unit): string => $unit ?? 'no unit';
                throw Problem::input(
                    "The model was trained on {$band['name']} in {$words($band['unit'])}, and here it is in {$words($there->units[$place])}: "
                        .'convert the image to that unit (calibrate it), or train a new model.',
                    'images',
                );
            }
        }
    }

    /** @return array<string, mixed> how many lie outside of what was learnt */
    private function outside(Call $call, Model $model, FeatureTable $there): array
    {
        $bands = array_map(fn (array $band): array => [$band['minimum'], $band['maximum']], $model->bands);
        if ($there->segments !== null) {
            [, $numbers, , $columns] = $there->segments;
            $sums = self::counted($model, $columns, count($numbers), $bands);
        } else {
            $look = fn (Window $window): array => self::counted($model, $there->columns($window), $window->pixels(), $bands);
            $parts = (new Pass($there->grid, count($bands) + 2))->all($call->context, 'looking at values', $look);
            $sums = array_map(fn (int ...$counts): int => array_sum($counts), ...$parts);
        }
        $all = max(1, $sums[0]);

        return [
            'outside-share' => $sums[1] / $all,
            'outside-bands' => array_map(fn (array $band, int $place): array => [
                'band' => $band['name'], 'from' => $band['minimum'], 'to' => $band['maximum'],
                'below' => $sums[2 + 2 * $place] / $all, 'above' => $sums[3 + 2 * $place] / $all,
            ], $model->bands, array_keys($model->bands)),
        ];
    }

    /**
     * @param  list<list<float>>  $columns
     * @param  list<array{float, float}>  $bands
     * @return list<int> with a value, outside, and below and above by band
     */
    private static function counted(Model $model, array $columns, int $count, array $bands): array
    {
        $outside = Outside::of($model, $columns, $count);
        $counts = self::beyond($outside, $count, -1.0, 0.0);
        $told = [$count - $counts[2], $counts[1]];
        foreach ($bands as $place => [$minimum, $maximum]) {
            [$below, $above] = self::beyond($columns[$place], $count, $minimum, $maximum);
            array_push($told, $below, $above);
        }

        return $told;
    }

    /**
     * @param  list<float>  $values
     * @return array{int, int, int} below, above, and nodata
     */
    private static function beyond(array $values, int $count, float $minimum, float $maximum): array
    {
        $below = $above = $none = 0;
        for ($i = 0; $i < $count; $i++) {
            $value = $values[$i];
            if ($value < $minimum) {
                $below++;
            } elseif ($value > $maximum) {
                $above++;
            } elseif ($value !== $value) {
                $none++;
            }
        }

        return [$below, $above, $none];
    }
}
