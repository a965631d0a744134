<?php

namespace App\Evidence;

use App\Models\Item;
use App\Models\Study;
use App\Steps\Inputs;
use App\Steps\Interrupted;
use Chorometra\Core\Classify\Cases\SegmentCases;
use Chorometra\Core\Classify\Keys\Candidates;
use Chorometra\Core\Classify\Keys\Examples;
use Chorometra\Core\Classify\Keys\KeyDocument;
use Chorometra\Core\Classify\Keys\KeyRun;
use Chorometra\Core\Classify\Keys\MeasureHistogram;
use Chorometra\Core\Classify\Keys\PixelCases;
use Chorometra\Core\Classify\Keys\PixelQuestions;
use Chorometra\Core\Classify\Keys\SortedSegments;
use Chorometra\Core\Classify\Keys\Standing;
use Chorometra\Core\Classify\Keys\Teaching;
use Chorometra\Core\Classify\Keys\Tidy;
use Chorometra\Core\Format\MergeTree;
use Chorometra\Core\Problem;
use Chorometra\Core\Regions\Numbers\Graph;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Step\NamedImages;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Registry;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;
use Chorometra\Core\Work\Memory;

/**
 * A key that is being made, on the segments and images that it will sort: the code of a run, with measures kept on a shelf. Where there are
 * no segments, on a sample of pixels.
 */
final class KeyOnData
{
    /** Pixels that are looked at where there are no segments. */
    private const SAMPLE = 250_000;

    /** Bytes of a file up to which it is known by its content. */
    private const HASHED = 1 << 20;

    /** Bytes that measures, borders and patches of a large segmentation take. */
    private const ROOM = 768 << 20;

    private const NOTHING = ['type' => 'key', 'version' => 1, 'classes' => [['value' => 1, 'name' => 'any', 'colour' => '#888888']], 'couplets' => []];

    private ?SegmentCases $pieces = null;

    private ?Graph $graph = null;

    private function __construct(private readonly Call $call, private readonly MeasureShelf $shelf, private readonly Context $context) {}

    /**
     * @template T
     *
     * @param  array<string, mixed>  $given  kind, inputs, settings
     * @param  array<string, mixed>|null  $document
     * @param  \Closure(self): T  $do
     * @return T
     */
    public static function with(Study $study, array $given, ?array $document, \Closure $do): mixed
    {
        $kind = Registry::get($given['kind']);
        $port = array_values(array_filter($kind->declaration()->inputs, fn ($port): bool => $port->type === PortType::Key))[0]
            ?? throw Problem::call("{$given['kind']} uses no key.", 'kind');
        $context = new Context(config()->integer('chorometra.workers'), Interrupted::temporary());
        try {
            unset($given['inputs'][$port->name]);
            ['paths' => $paths, 'items' => $items] = Inputs::resolve($study, $given['inputs'], $context->folder());
            $paths[$port->name] = $context->folder().'/key.json';
            // held to its schema when it is read
            Files::write($paths[$port->name], (string) json_encode($document ?? self::NOTHING, JSON_PRESERVE_ZERO_FRACTION));
            $call = CallOpener::call($kind, $paths, $given['settings'] ?? [], ['classes' => 'none.tif'], $context);
            Memory::reserve(self::ROOM, 'Previewing a key', 'stop other work first');
            $files = self::files(array_diff_key($paths, $items), $port->name);
            $of = json_encode([array_map(fn (Item $item): int => $item->id, $items), $files, $given['settings'] ?? []]);

            return $do(new self($call, new MeasureShelf($study->folder().'/shelf', (string) $of), $context));
        } finally {
            $context->clean();
        }
    }

    /**
     * What tells files that are no items, such as uploads, from others: their content, whatever they are called.
     *
     * @param  array<string, string>  $paths
     * @return array<string, string>
     */
    private static function files(array $paths, string $key): array
    {
        unset($paths[$key]);

        return array_map(function (string $path): string {
            $stat = stat($path) ?: [];

            // large ones by where they lie and when they came: uploads have a folder of their own, and never change
            return is_file($path) && ($stat['size'] ?? 0) < self::HASHED ? (string) hash_file('xxh3', $path)
                : implode(' ', [$path, $stat['ino'] ?? 0, $stat['size'] ?? 0, $stat['mtime'] ?? 0]);
        }, $paths);
    }

    /** @return list<float> of all segments, or of the sample; “segment” are their numbers */
    public function column(string $measure): array
    {
        if ($this->isOfPixels()) {
            if ($measure === 'segment') {
                return array_map(floatval(...), range(1, max(1, $this->sample([])->count())));
            }

            return $measure === 'pixels' ? array_fill(0, $this->sample([])->count(), $this->step()) : $this->sample([$measure])->column($measure)['values'];
        }

        return $measure === 'segment' ? array_map(floatval(...), $this->graph()->numbers) : $this->pieces()->column($measure)['values'];
    }

    /** @return array<string, mixed> */
    public function look(): array
    {
        $key = KeyDocument::read($this->call->path('key'));
        $on = $this->isOfPixels() ? $this->images()?->first() : $this->call->image('segments');
        if ($on === null) {
            throw Problem::call('Give images, segments or both for the questions.', 'images');
        }
        $examples = $this->call->hasInput('examples') ? Examples::read($this->call->path('examples'), $key, $on->spec()->grid) : null;
        $teaching = new Teaching($key, $examples, $on);
        if ($this->isOfPixels()) {
            $questions = new PixelQuestions($key, $this->images() ?? throw Problem::call('The input images is missing.', 'images'));
            $teaching->ofPixels($questions);
            $sorting = new KeyRun($key, $teaching->learn(...), $questions->sample($on->spec()->grid, self::SAMPLE));

            return $this->answer($key, $sorting, $teaching, []);
        }
        $tree = $key->cuts() && $this->call->hasInput('tree') ? MergeTree::read($this->call->path('tree')) : null;
        $sorted = new SortedSegments($key, $this->pieces(), $teaching, $this->graph(), $on, $tree, $this->context);
        $after = [];
        [, $rows] = $sorted->tidied(function (Tidy $tidy, int $at) use (&$after): void {
            $after[] = ['at' => $at, 'codes' => base64_encode(pack('v*', ...$tidy->codes)), 'pieces' => count(array_unique($tidy->pieces))];
        });

        return $this->answer($key, $sorted->sorting, $teaching, array_map(fn (array $row, array $one): array => $row + $one, $rows, $after));
    }

    /**
     * @param  list<int>  $one  numbers of segments
     * @param  list<int>  $other
     * @return list<array{measure: string, area: float, limit: float|null}> the best first
     */
    public function apart(array $one, array $other): array
    {
        $images = $this->images();
        if ($this->isOfPixels()) {
            throw Problem::call('Groups need segments: give segments.', 'segments');
        }
        $places = array_flip($this->graph()->numbers);
        $groups = array_map(fn (array $numbers): array => array_values(array_filter(
            array_map(fn (int $number): ?int => $places[$number] ?? null, $numbers),
            is_int(...),
        )), [$one, $other]);

        return Candidates::ranked($this->pieces(), $images, ...$groups);
    }

    private function isOfPixels(): bool
    {
        return ! $this->call->hasInput('segments');
    }

    private function images(): ?NamedImages
    {
        return $this->call->images('images') === [] ? null : NamedImages::of($this->call);
    }

    private function pieces(): SegmentCases
    {
        return $this->pieces ??= new SegmentCases(
            $this->call->image('segments'),
            $this->images(),
            $this->call->hasInput('classes') ? $this->call->image('classes') : null,
            $this->context,
            shelf: $this->shelf,
            numbers: $this->graph()->numbers,
        );
    }

    private function graph(): Graph
    {
        return $this->graph ??= $this->shelf->graph(fn (): Graph => Graph::of($this->call->image('segments'), $this->context));
    }

    /** Pixels that one of the sample stands for. */
    private function step(): float
    {
        $grid = $this->images()?->first()->spec()->grid;

        return $grid === null ? 1.0 : max(1.0, ceil(sqrt($grid->width * $grid->height / self::SAMPLE))) ** 2;
    }

    /** @param  list<string>  $measures */
    private function sample(array $measures): PixelCases
    {
        $images = $this->images() ?? throw Problem::call('The input images is missing.', 'images');
        // pixels have a place in the sample where any band has a value: all are asked for
        $bands = [];
        foreach ($images->images as $name => $image) {
            foreach (array_keys($image->spec()->bands) as $band) {
                $bands[] = $images->called($name, $band);
            }
        }
        $examples = ['measures' => [...$bands, ...$measures]];
        $asks = ['couplets' => [['id' => 'all', 'examples' => $examples, 'yes' => null, 'no' => null]]];

        return (new PixelQuestions(KeyDocument::of($asks + self::NOTHING), $images))->sample($images->first()->spec()->grid, self::SAMPLE);
    }

    /**
     * @param  list<array<string, mixed>>  $rules
     * @return array<string, mixed>
     */
    private function answer(KeyDocument $key, KeyRun $sorting, Teaching $teaching, array $rules): array
    {
        $couplets = [];
        foreach ($key->order() as $couplet) {
            $spread = $sorting->spreads[$couplet->id] ?? null;
            $then = MeasureHistogram::read($couplet->told['histogram'] ?? null);
            $standings = [];
            foreach (['least' => $couplet->least, 'below' => $couplet->below] as $which => $limit) {
                if ($limit !== null && $spread !== null && $then !== null) {
                    $standing = Standing::of($limit, $then, $spread);
                    $standings[] = ['limit' => $which, 'said' => $standing->said, 'proposed' => $standing->proposed];
                }
            }
            $learnt = $teaching->learnt[$couplet->id] ?? null;
            $couplets[] = [
                'id' => $couplet->id,
                'ways' => array_map(fn (array $way): array => $way, array_values($sorting->ways[$couplet->id])),
                'unit' => $sorting->units[$couplet->id] ?? null,
                'spread' => $spread?->toArray(),
                'standings' => $standings,
                'learnt' => $learnt === null ? null : array_combine(['yes', 'no'], $learnt->counts()),
                'shares' => isset($sorting->shares[$couplet->id]) ? base64_encode(pack('g*', ...$sorting->shares[$couplet->id])) : null,
            ];
        }

        return [
            'couplets' => $couplets,
            'codes' => base64_encode(pack('v*', ...$sorting->codes)),
            'pieces' => base64_encode(pack('V*', ...$sorting->pieces)),
            'rules' => $rules,
            'outside' => $teaching->outside(),
        ];
    }
}
