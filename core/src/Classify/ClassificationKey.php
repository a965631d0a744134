<?php

namespace Chorometra\Core\Classify;

use Chorometra\Core\Classify\Cases\SegmentCases;
use Chorometra\Core\Classify\Keys\Examples;
use Chorometra\Core\Classify\Keys\KeyDocument as Questions;
use Chorometra\Core\Classify\Keys\KeyRun;
use Chorometra\Core\Classify\Keys\Learnt;
use Chorometra\Core\Classify\Keys\MeasureHistogram;
use Chorometra\Core\Classify\Keys\PixelMap;
use Chorometra\Core\Classify\Keys\PixelQuestions;
use Chorometra\Core\Classify\Keys\SortedSegments;
use Chorometra\Core\Classify\Keys\Standing;
use Chorometra\Core\Classify\Keys\Teaching;
use Chorometra\Core\Classify\Keys\Tidy;
use Chorometra\Core\Format\Document;
use Chorometra\Core\Format\Measures;
use Chorometra\Core\Format\MergeTree;
use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\OneGrid;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Scale;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Regions\Numbers\Graph;
use Chorometra\Core\Regions\Numbers\Relabelled;
use Chorometra\Core\Regions\Numbers\Renumbered;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Condition;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Learning;
use Chorometra\Core\Step\NamedImages;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Wants;
use Chorometra\Core\Step\Work;
use Chorometra\Core\Work\Memory;

/** Segments or pixels sorted into classes by the questions of a key, and tidied. */
final class ClassificationKey implements Kind
{
    public function declaration(): Declaration
    {
        return new Declaration(
            'classify.key',
            'Classification key',
            'Classifies segments or pixels by an ordered set of questions, then tidies the result.',
            [
                new Port('images', PortType::Image, 'Images for the questions, on one grid.', required: false, many: true, wants: Wants::Reflectance),
                new Port('segments', PortType::Segments, 'The segments to classify; without them, pixels are classified.', required: false),
                new Port('key', PortType::Key, 'The questions, where each answer leads, and the tidy rules.'),
                new Port('examples', PortType::Features, 'Points or polygons with the answer yes or no, from which the key is trained again.', required: false),
                new Port('tree', PortType::Tree, 'Merge tree of the segments, for keys that change their merge limit.', required: false),
                new Port('classes', PortType::Classes, 'A class map, for questions about edge shares or distances.', required: false),
            ],
            [Setting::texts('names', 'Short names of the images in order, such as before, after. Empty: a, b, c …; a single image needs none.')],
            [
                new Port('classes', PortType::Classes, 'The classes.'),
                new Port('segments', PortType::Segments, 'The segments after tidying.', required: false),
                new Port('confidence', PortType::Image, 'Confidence of the answer, 0 to 1; nodata where there is none or a tidy rule '
                    .'decided.', required: false),
                new Port(
                    'measures',
                    PortType::Measures,
                    'Class and measures of the segments after tidying.',
                    required: false,
                    endings: ['.npz'],
                    only: Condition::of('segments'),
                ),
                new Port('key', PortType::Key, 'The key as run, with its trained couplets and the histograms of its '
                    .'limits.', required: false, endings: ['.json']),
            ],
            'A tree of decisions. Nearest neighbours: Cover & Hart 1967, IEEE Transactions on Information Theory 13:21–27. Random forest: Breiman 2001, '
                .'Machine Learning 45:5–32. Remarks on limits: common practice, no source.',
            synonyms: ['decision tree', 'rules', 'thresholds'],
            learns: Learning::Overview,
            example: new Example(with: ['images', 'segments']),
            figures: [
                Figure::number('cases', 'classified'),
                Figure::table('asked', 'answers', ['question' => null, 'answer' => null, 'leads to' => null, 'number' => null, 'share' => '%', 'area' => 'ha']),
                Figure::table('tidied', 'rules', ['rule' => null, 'changed' => null, 'pixels' => null, 'area' => 'ha']),
                Figure::table('examples', 'examples', ['question' => null, 'yes' => null, 'no' => null]),
                Figure::table('limits', 'histograms of the limits', [
                    'question' => null, 'limit' => null, 'yes' => '%', 'yes when chosen' => '%', 'to think about' => null, 'proposed' => null,
                ]),
            ],
            desk: new Desk(1, evidence: [new Evidence('key', ['key'], choices: Learnt::methods()), new Evidence('named-bands', ['names'])]),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $key = Questions::read($call->path('key'));
        if ($key->first() === null) {
            throw Problem::call('The key has no questions yet: add one.', 'key');
        }
        $images = $this->images($call);
        $ground = $call->hasInput('segments') ? $call->image('segments') : $images?->first();
        if ($ground === null) {
            throw Problem::call('Give images, segments or both for the questions.', 'images');
        }
        foreach ([...($images === null ? [] : array_values($images->images)), ...($call->hasInput('classes') ? [$call->image('classes')] : [])] as $image) {
            OneGrid::check([$ground, $image]);
        }
        $whole = $call->learning();
        // a part that is tried has learnt from all that was given, not from what is visible
        $teaching = $whole !== $call && $key->learns() ? $this->taught($whole, $key)->on($ground) : $this->teaching($call, $key);

        return $call->hasInput('segments')
            ? $this->segments($call, $work, $key, $teaching, $images)
            : $this->pixels($call, $work, $key, $teaching, $images ?? throw Problem::call('The input images is missing.', 'images'));
    }

    private function teaching(Call $call, Questions $key): Teaching
    {
        $on = $call->hasInput('segments') ? $call->image('segments') : $this->images($call)?->first();
        $on ?? throw Problem::call('The input images is missing.', 'images');
        $examples = $call->hasInput('examples') ? Examples::read($call->path('examples'), $key, $on->spec()->grid) : null;

        return new Teaching($key, $examples, $on);
    }

    /** What is learnt from an overview of the whole. */
    private function taught(Call $whole, Questions $key): Teaching
    {
        $teaching = $this->teaching($whole, $key);
        $images = $this->images($whole);
        if (! $whole->hasInput('segments')) {
            $teaching->ofPixels(new PixelQuestions($key, $images ?? throw Problem::call('The input images is missing.', 'images')));

            return $teaching;
        }
        $pieces = new SegmentCases($whole->image('segments'), $images, $whole->hasInput('classes') ? $whole->image('classes') : null, $whole->context);
        $key->check($pieces);
        $teaching->ofSegments($pieces->numbers(), $pieces->pixels());
        foreach ($key->order() as $couplet) {
            $couplet->measure === null && $teaching->learn($couplet, $pieces);
        }

        return $teaching;
    }

    private function images(Call $call): ?NamedImages
    {
        return $call->images('images') === [] ? null : NamedImages::of($call);
    }

    /** @return array<string, mixed> figures */
    private function segments(Call $call, Work $work, Questions $key, Teaching $teaching, ?NamedImages $images): array
    {
        $image = $call->image('segments');
        $pieces = new SegmentCases($image, $images, $call->hasInput('classes') ? $call->image('classes') : null, $call->context->part(0.0, 0.4));
        $key->check($pieces);
        $numbers = $pieces->numbers();
        if ($numbers === []) {
            throw Problem::input("{$image->name()} contains no segments: there is nothing to classify.", 'segments');
        }
        $tree = $key->cuts() && $call->hasInput('tree') ? MergeTree::read($call->path('tree')) : null;
        $graph = Graph::of($image, $call->context->part(0.4, 0.55));
        $sorted = new SortedSegments($key, $pieces, $teaching, $graph, $image, $tree, $call->context->part(0.55, 0.6));
        $sorting = $sorted->sorting;
        [$tidy, $tidied] = $sorted->tidied();
        $most = max($numbers);
        $table = fn (array $values, int|float $none): array => array_replace(array_fill(0, $most + 1, $none), array_combine($numbers, $values));
        $unsure = array_map(
            fn (float $sure, int $code, bool $changed): float => $changed || $code === 0 ? NAN : $sure,
            $sorting->sure,
            $tidy->codes,
            $tidy->changed,
        );
        $made = $tidy->numbers();
        $spec = RasterSpec::classes($image->spec()->grid, $key->legend, $image->spec()->properties);
        /** @var array<string, array<int, int|float>> $tables */
        $tables = [
            'classes' => $table($tidy->codes, (int) $spec->nodata),
            'segments' => $table($made, 0),
            'confidence' => $table($unsure, NAN),
        ];
        $report = $this->write($call, $work, $spec, function (Window $window, array $names) use ($image, $tables): array {
            $labels = Values::codes($image, $window);
            $bands = [];
            foreach ($names as $name) {
                $bands[$name] = [Renumbered::mapped($labels, $tables[$name], count($labels))];
            }

            return $bands;
        });
        if (isset($call->outputs['measures'])) {
            $after = $pieces->cut(new Relabelled($image, $tables['segments']), []);
            $this->measures($call->outputs['measures'], $key, $after, $made, $tidy->codes, $unsure, $pieces->pixels());
        }
        $this->keep($call, $key, $sorting->spreads, $sorting->units, $teaching);

        return $this->figures($key, $sorting->ways, $sorting->spreads, $teaching, count($numbers)) + ['tidied' => $tidied] + $report;
    }

    /** @return array<string, mixed> figures */
    private function pixels(Call $call, Work $work, Questions $key, Teaching $teaching, NamedImages $images): array
    {
        if ($key->cuts()) {
            throw Problem::call('The key changes the merge limit, which needs segments and their merge tree.', 'segments');
        }
        if (isset($call->outputs['measures'])) {
            throw Problem::call('Measures need segments: give segments, or leave measures out.', 'measures');
        }
        $questions = new PixelQuestions($key, $images);
        $teaching->ofPixels($questions);
        $grid = $images->first()->spec()->grid;
        $ground = Ground::of($grid);
        $map = new PixelMap($key, $questions, $teaching->learn(...), $grid, $ground);
        [$blocks, $ways] = $map->blocks($call->context->part(0.0, 0.5));
        if ($blocks->count === 0) {
            throw Problem::input('The images are nodata everywhere: there is nothing to classify.', 'images');
        }
        $sample = $map->sample();
        $spreads = $sample->spreads;
        $needsGraph = isset($call->outputs['segments']) || array_filter($key->rules, fn ($rule): bool => ! $rule->isOff) !== [];
        $tidied = [];
        $codes = $changed = $made = null;
        if ($needsGraph) {
            Memory::reserve(400 * $blocks->count, 'Bordering '.number_format($blocks->count).' patches', 'use a part of the image, or smooth it first');
            $graph = Graph::ofBlocks($blocks, $ground, $call->context->part(0.5, 0.6));
            [$tidy, $tidied] = Tidy::all(
                $key,
                $graph,
                PixelMap::hectares($blocks, $ground),
                PixelMap::codes($blocks),
                range(0, $graph->count() - 1),
            );
            [$codes, $changed, $made] = [[0, ...$tidy->codes], [false, ...$tidy->changed], [0, ...$tidy->numbers()]];
        }
        $spec = RasterSpec::classes($grid, $key->legend, $images->properties());
        $report = $this->write(
            $call,
            $work,
            $spec,
            fn (Window $window, array $names): array => $map->bands($blocks, $window, $names, (int) $spec->nodata, $codes, $changed, $made),
        );
        $this->keep($call, $key, $spreads, $sample->units, $teaching);
        $cases = array_sum(array_column($ways[$key->first()->id ?? ''] ?? [], 'cases'));

        return $this->figures($key, $ways, $spreads, $teaching, $cases) + ['tidied' => $tidied] + $report;
    }

    /**
     * @param  \Closure(Window, list<string>): array<string, list<list<int>|list<float>>>  $compute  rows to the bands of outputs by name
     * @return array<string, mixed> figures
     */
    private function write(Call $call, Work $work, RasterSpec $classes, \Closure $compute): array
    {
        $grid = $classes->grid;
        $specs = [
            'classes' => $classes,
            'segments' => RasterSpec::segments($grid, $classes->properties),
            'confidence' => new RasterSpec($grid, [new Band(name: 'confidence', scale: Scale::Probability)], properties: $classes->properties),
        ];
        $names = array_keys($call->asked($specs));

        return $work->part(0.65, 1.0)->make($specs, fn (Window $window): array => $compute($window, $names), 3);
    }

    /**
     * @param  list<int>  $numbers  of the pieces after tidying, by segment
     * @param  list<int>  $codes
     * @param  list<float>  $sure
     * @param  list<int|float>  $pixels
     */
    private function measures(string $path, Questions $key, SegmentCases $after, array $numbers, array $codes, array $sure, array $pixels): void
    {
        $columns = [];
        foreach ($key->order() as $couplet) {
            foreach ($couplet->measures() as $text) {
                $column = $after->column($text);
                $name = preg_match('~^[\w.()" -]+$~u', $text) === 1 ? $text : $couplet->id;
                $columns[$name] = ['name' => $name, 'unit' => $column['unit'], 'values' => $column['values']];
            }
        }
        $class = $sum = $weight = [];
        foreach ($numbers as $i => $number) {
            $class[$number] = (float) $codes[$i];
            $isSure = ! is_nan($sure[$i]);
            $sum[$number] = ($sum[$number] ?? 0.0) + ($isSure ? $sure[$i] * $pixels[$i] : 0.0);
            $weight[$number] = ($weight[$number] ?? 0.0) + ($isSure ? $pixels[$i] : 0.0);
        }
        ksort($class);
        ksort($sum);
        ksort($weight);
        Measures::write($path, $after->numbers(), [
            ['name' => 'class', 'unit' => null, 'values' => array_values($class)],
            [
                'name' => 'confidence',
                'unit' => null,
                'values' => array_map(fn (float $some, float $all): float => $all > 0.0 ? $some / $all : NAN, array_values($sum), array_values($weight)),
            ],
            ...array_map(fn (string $shape): array => ['name' => $shape] + $after->column($shape), ['pixels', 'area']),
            ...array_values($columns),
        ]);
    }

    /**
     * The key as it was run: with what it has learnt, and the values that its limits stand on where it knew none.
     *
     * @param  array<string, MeasureHistogram|null>  $spreads
     * @param  array<string, string|null>  $units
     */
    private function keep(Call $call, Questions $key, array $spreads, array $units, Teaching $teaching): void
    {
        if (! isset($call->outputs['key'])) {
            return;
        }
        $told = $key->told;
        foreach ($told['couplets'] as $at => $couplet) {
            $id = $couplet['id'];
            if (isset($teaching->learnt[$id])) {
                $told['couplets'][$at]['examples'] = $teaching->learnt[$id]->toArray();
            }
            if (isset($spreads[$id])) {
                $told['couplets'][$at]['histogram'] ??= $spreads[$id]->toArray();
            }
            if (isset($units[$id])) {
                $told['couplets'][$at]['unit'] = $units[$id];
            }
        }
        Document::write($call->outputs['key'], $told);
    }

    /**
     * @param  array<string, array<int, array{cases: int, pixels: float, hectares: float|null}>>  $ways
     * @param  array<string, MeasureHistogram|null>  $spreads
     * @return array<string, mixed>
     */
    private function figures(Questions $key, array $ways, array $spreads, Teaching $teaching, int $cases): array
    {
        $asked = $limits = $examples = $warnings = [];
        foreach ($key->order() as $couplet) {
            $of = $ways[$couplet->id];
            $all = array_sum(array_column($of, 'pixels'));
            $ground = array_sum(array_column($of, 'hectares'));
            $sides = [KeyRun::YES => ['yes', $couplet->yes->words($key->restName())], KeyRun::NO => ['no', $couplet->no->words($key->restName())]];
            foreach ($sides + [KeyRun::NONE => ['no value', $key->restName() ?? 'unlabelled']] as $side => [$word, $to]) {
                if ($side !== KeyRun::NONE || $of[$side]['cases'] > 0) {
                    $asked[] = [
                        'question' => $couplet->question,
                        'answer' => $word,
                        'leads to' => $to,
                        'number' => $of[$side]['cases'],
                        'share' => $ground > 0.0 ? $of[$side]['hectares'] / $ground : ($all > 0 ? $of[$side]['pixels'] / $all : null),
                        'area' => $of[$side]['hectares'],
                    ];
                }
            }
            if ($all > 0 && ($of[KeyRun::YES]['cases'] === 0 || $of[KeyRun::NO]['cases'] === 0)) {
                $warnings[] = "“{$couplet->question}”: all answers are ".($of[KeyRun::YES]['cases'] === 0 ? 'no' : 'yes').'.';
            } elseif ($all <= 0) {
                $warnings[] = "“{$couplet->question}”: no case reaches this question.";
            }
            if (isset($teaching->learnt[$couplet->id])) {
                [$yes, $no] = $teaching->learnt[$couplet->id]->counts();
                $examples[] = ['question' => $couplet->question, 'yes' => $yes, 'no' => $no];
            }
            $then = MeasureHistogram::read($couplet->told['histogram'] ?? null);
            $now = $spreads[$couplet->id] ?? null;
            if ($then === null || $now === null) {
                continue;
            }
            foreach (array_filter([$couplet->least, $couplet->below], is_float(...)) as $limit) {
                $standing = Standing::of($limit, $then, $now);
                $limits[] = [
                    'question' => $couplet->question,
                    'limit' => $limit,
                    'yes' => $now->yes,
                    'yes when chosen' => $then->yes,
                    'to think about' => implode('; ', $standing->said),
                    'proposed' => $standing->proposed,
                ];
            }
        }
        if ($teaching->outside() > 0) {
            $warnings[] = "{$teaching->outside()} of the examples are outside the image.";
        }

        return ['cases' => $cases, 'asked' => $asked, 'examples' => $examples, 'limits' => $limits]
            + ($warnings === [] ? [] : ['warning' => implode(' ', $warnings)]);
    }
}
