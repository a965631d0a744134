<?php

namespace Chorometra\Core\Classify;

use Chorometra\Core\Classify\Cases\Areas;
use Chorometra\Core\Classify\Cases\FeatureTable;
use Chorometra\Core\Classify\Cases\Samples;
use Chorometra\Core\Classify\Models\Classifiers;
use Chorometra\Core\Classify\Models\Mapping;
use Chorometra\Core\Classify\Models\Model;
use Chorometra\Core\Classify\Models\Training;
use Chorometra\Core\Classify\Training\HeldBack;
use Chorometra\Core\Format\Document;
use Chorometra\Core\Problem;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Caution;
use Chorometra\Core\Step\Condition;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Learning;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Wants;
use Chorometra\Core\Step\Work;
use Chorometra\Core\Work\Context;

/** Classes learnt from training areas, and given to every pixel or segment. */
final class Teach implements Kind
{
    public function declaration(): Declaration
    {
        $methods = Classifiers::methods();

        return new Declaration(
            'classify.teach',
            'Supervised classification',
            'Trains a classifier on training areas, and classifies every pixel or segment.',
            [
                new Port('images', PortType::Image, 'Images on one grid: dates, indices, textures, heights.', many: true, wants: Wants::Scene),
                new Port('areas', PortType::Features, 'Training areas: polygons or points with the name of a class.', sample: 'training',
                    called: 'training areas'),
                new Port('segments', PortType::Segments, 'Segments to classify by their means or other measures; without them, pixels are '
                    .'classified.', required: false),
                new Port('mask', PortType::Classes, 'Cloud mask; its pixels are excluded from training and from the map.', required: false),
                new Port('legend', PortType::Legend, 'Classes with their codes and colours; without it, codes follow the training areas.', required: false),
            ],
            [
                Setting::choice('method', array_column($methods, 'name'), 'maximum-likelihood', 'Classification method.',
                    array_column($methods, 'help', 'name')),
                Setting::texts('bands', 'Features to classify by: bands, such as before.nir; for segments any measure. Empty: all bands.'),
                Setting::texts('names', 'Short names of the images in order, such as before, after. Empty: a, b, c …; a single image needs none.'),
                Setting::text('class-field', 'class', 'Property of the training areas that holds the class.'),
                ...Classifiers::settings(),
                Setting::yes('posteriors', false, 'Also output the probability of each class, one band each.')
                    ->onlyFor('method='.implode('|', Classifiers::withPosteriors())),
                Setting::choice('test', HeldBack::WAYS, 'as-fits', 'Validation on areas not used in training.', [
                    'as-fits' => 'cross-validation; hold-out once every class has ten areas',
                    'hold-back' => 'a share of the areas is held out of training',
                    'folds' => 'cross-validation over all areas; the model is trained on all',
                    'none' => 'no validation',
                ]),
                Setting::number('hold-back', 30, 'Share of the areas of each class that is held out.', '%', 1, 90)->onlyFor('test=as-fits|hold-back'),
                Setting::whole('folds', 5, 'Number of folds.', null, 2, 20)->onlyFor('test=as-fits|folds'),
                Setting::texts('leave-out', 'Mask classes to exclude, by name or by code as #1. Empty: all but clear, water and snow.'),
                Setting::whole('seed', 1, 'Random seed.', null, 0),
            ],
            [
                new Port('classes', PortType::Classes, 'The classes.'),
                new Port('confidence', PortType::Image, 'Confidence in the class, 0 to 1, and for some methods the distance to it.', required: false),
                new Port('posteriors', PortType::Image, 'Probability of each class, one band each.', required: false, only: Condition::of('posteriors=yes')),
                new Port('model', PortType::Model, 'The trained model, to apply to other images.', required: false, endings: ['.json']),
            ],
            implode('; ', array_unique(array_column($methods, 'source'))).'. From memory, checked against scikit-learn and scipy.',
            synonyms: ['training areas', 'maximum likelihood', 'random forest', 'nearest neighbour', 'spectral angle'],
            learns: Learning::Whole,
            example: new Example(['method' => 'nearest-mean', 'test' => 'none']),
            figures: [
                Figure::share('agreement', 'agreement on held-out areas'),
                Figure::text('interval', '95 % confidence interval'),
                Figure::text('tested', 'validation'),
                Figure::table('taught', 'areas', ['class' => null, 'areas' => null, 'pixels' => null, 'held back' => null, 'found' => '%', 'right' => '%']),
                Figure::table('matrix', 'error matrix of held-out areas: map in rows, areas in columns', []),
                Figure::table('importance', 'permutation importance: loss of agreement', ['band' => null, 'lost' => '%']),
                Figure::list('remarks', 'classifier'),
                Figure::list('left-out', 'left out'),
                Figure::text('areas-from', 'areas'),
            ],
            desk: new Desk(2, ['{method}'], cautions: [
                Caution::counts('This image is in counts: a model trained on it is valid for this scene only. Calibrate first to apply it to others.'),
            ], evidence: [
                new Evidence('training', ['areas', 'class-field', 'legend']),
                new Evidence('named-bands', ['names', 'bands']),
            ]),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $whole = $call->learning()->with($call->context->part(0.0, 0.1));
        $there = FeatureTable::of($whole, $call->texts('bands'));
        [$areas, $samples] = self::samples($whole, $there);
        $bands = array_map(fn (string $name, ?string $unit): array => [$name, $unit], $there->names, $there->units);
        $training = new Training(Classifiers::all()[$call->text('method')], $bands, $call->settings, $there->isOfSegments());
        $seed = $call->whole('seed');
        [$way, $turns] = HeldBack::turns($samples, $call->text('test'), $call->share('hold-back'), $call->whole('folds'), $seed);
        $held = new HeldBack($samples->names());
        // of a part that is tried nothing is tested
        foreach ($call->context->trial ? [] : $turns as $turn => $out) {
            $context = $call->context->part(0.1 + 0.3 * $turn / count($turns), 0.1 + 0.3 * ($turn + 1) / count($turns));
            [$in, $back] = self::parted($samples, $out);
            $model = self::taught($training, $in, $context);
            $held->ask($model, $back);
        }
        if ($way !== 'hold-back' || ! isset($model)) {
            $model = self::taught($training, $way === 'hold-back' ? self::parted($samples, $turns[0])[0] : $samples, $call->context->part(0.4, 0.5));
        }
        $figures = self::figures($areas, $samples, $held, $way, $turns, $there, $seed);
        if (isset($model->parameters['remarks'])) {
            $figures['remarks'] = $model->parameters['remarks'];
        }
        if (isset($call->outputs['model'])) {
            Document::write($call->outputs['model'], self::documented($model, $figures, $call)->document());
        }
        $on = $call->context->trial ? FeatureTable::of($call->with($call->context->part(0.4, 0.5)), $call->texts('bands')) : $there;

        return $figures + (new Mapping($model, $on))->write($call, $work->part(0.5, 1.0));
    }

    /** @return array{Areas, Samples} */
    public static function samples(Call $whole, FeatureTable $there): array
    {
        $legend = $whole->hasInput('legend') ? $whole->path('legend') : null;
        $areas = Areas::read($whole->path('areas'), $there->grid, $whole->text('class-field'), $legend);

        return [$areas, $there->segments === null ? Samples::ofPixels($areas, $there->bands, $there->mask) : Samples::ofSegments($areas, ...$there->segments)];
    }

    /** @throws Problem where nothing can be learnt from the samples */
    private static function taught(Training $training, Samples $samples, Context $context): Model
    {
        $samples->check($training->ofSegments ? 'segment' : 'pixel');

        return $training->taught($samples, $context);
    }

    /**
     * @param  list<int>  $out  areas that are held back
     * @return array{Samples, Samples} what is learnt from, and what is held back
     */
    private static function parted(Samples $samples, array $out): array
    {
        $isOut = array_fill_keys($out, true);
        $sides = [[], []];
        foreach ($samples->areas as $case => $area) {
            $sides[isset($isOut[$area]) ? 1 : 0][] = $case;
        }

        return [$samples->only($sides[0]), $samples->only($sides[1])];
    }

    /**
     * @param  list<list<int>>  $turns
     * @return array<string, mixed>
     */
    private static function figures(
        Areas $areas,
        Samples $samples,
        HeldBack $held,
        string $way,
        array $turns,
        FeatureTable $there,
        int $seed,
    ): array {
        $overall = $held->overall();
        $tested = array_column($held->byClass(), null, 'class');
        $taught = [];
        foreach ($samples->byClass() as $class => $cases) {
            $name = $samples->names()[$class];
            $row = $tested[$name] ?? null;
            $taught[] = [
                'class' => $name,
                'areas' => count(array_unique(array_map(fn (int $case): int => $samples->areas[$case], $cases))),
                'pixels' => count($cases),
                'held back' => $overall === null ? null : ($row['areas'] ?? 0),
                'found' => $row['found'] ?? null,
                'right' => $row['right'] ?? null,
            ];
        }
        $said = match ($way) {
            'hold-back' => sprintf('on %d of %d areas that were not used in training', $overall['areas'] ?? 0, count($areas->areas)),
            'folds' => sprintf(
                'cross-validation on %d of %d areas in %d folds; the model is trained on all',
                $overall['areas'] ?? 0,
                count($areas->areas),
                count($turns),
            ),
            default => 'no validation'.($turns === [] ? ': no class has two areas' : ''),
        };
        $figures = ['taught' => $taught, 'tested' => $overall === null ? 'no validation' : $said];
        if ($overall !== null) {
            $figures += [
                'agreement' => $overall['agreement'],
                'interval' => sprintf('%.1f to %.1f %%', 100 * $overall['interval'][0], 100 * $overall['interval'][1]),
                'matrix' => $held->matrix(),
                'importance' => $held->importance($there->names, $seed),
            ];
        }

        return $figures + self::leftOut($areas, $samples) + ($areas->from === null ? [] : ['areas-from' => "reprojected to the image from $areas->from"]);
    }

    /** @return array<string, mixed> */
    private static function leftOut(Areas $areas, Samples $samples): array
    {
        $left = array_filter([
            'areas outside the image' => $areas->outside,
            'pixels without a value' => $samples->left['nodata'],
            'pixels under the mask' => $samples->left['masked'],
            'pixels in areas of two classes' => $samples->left['between'],
        ]);
        $said = array_map(fn (string $what, int $number): string => number_format($number)." $what", array_keys($left), $left);
        if ($samples->left['every'] > 1) {
            $said[] = "all pixels but every {$samples->left['every']}th";
        }

        return $said === [] ? [] : ['left-out' => $said];
    }

    /** @param  array<string, mixed>  $figures */
    private static function documented(Model $model, array $figures, Call $call): Model
    {
        $on = [
            'images' => array_map(fn ($image): string => $image->name(), $call->images('images')),
            'dates' => array_values(
                array_filter(array_map(fn ($image): mixed => $image->spec()->properties['datetime'] ?? null, $call->images('images')), is_string(...)),
            ),
            'areas' => basename($call->path('areas')),
            'classes' => array_map(fn (array $row): array => array_intersect_key($row, ['class' => 1, 'areas' => 1, 'pixels' => 1]), $figures['taught']),
            'tested' => $figures['tested'],
        ] + array_intersect_key($figures, ['agreement' => 1, 'interval' => 1]);

        return new Model($model->method, $model->legend, $model->bands, $model->parameters, $on, $model->ofSegments);
    }
}
