<?php

namespace App\Evidence;

use App\Models\Item;
use App\Models\Study;
use App\Steps\Inputs;
use App\Steps\Interrupted;
use App\Studies\StudyMap;
use Chorometra\Core\Classify\Cases\FeatureTable;
use Chorometra\Core\Classify\Teach;
use Chorometra\Core\Classify\Training\SeedGrowth;
use Chorometra\Core\Classify\Training\SegmentAt;
use Chorometra\Core\Classify\Training\TrainingDiagnostics;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Problem;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Registry;
use Chorometra\Core\Work\Context;

/** Training areas on the images that they are drawn on, while they are drawn: the code of a run. */
final readonly class TrainingAreas
{
    /** @param  array<string, Item>  $items  by input */
    private function __construct(private Call $call, private array $items) {}

    /**
     * @template T
     *
     * @param  array<string, mixed>  $given  kind, inputs, settings
     * @param  bool  $hasAreas  whether areas are looked at; else the images alone
     * @param  \Closure(self): T  $do
     * @return T
     */
    public static function with(Study $study, array $given, bool $hasAreas, \Closure $do): mixed
    {
        $kind = Registry::get($given['kind']);
        $context = new Context(config()->integer('chorometra.workers'), Interrupted::temporary());
        try {
            if (! $hasAreas) {
                unset($given['inputs']['areas']);
            }
            ['paths' => $paths, 'items' => $items] = Inputs::resolve($study, $given['inputs'], $context->folder());
            $declaration = $kind->declaration();
            if (! $hasAreas && $declaration->input('areas') !== null) {
                $paths['areas'] = $context->folder().'/none.geojson';
                file_put_contents($paths['areas'], '{"type":"FeatureCollection","features":[]}');
            }
            $rasters = array_filter($declaration->outputs, fn ($port): bool => $port->type === PortType::Classes);
            $name = $rasters === [] ? 'classes' : array_values($rasters)[0]->name;

            return $do(new self(CallOpener::call($kind, $paths, $given['settings'] ?? [], [$name => 'none.tif'], $context), $items));
        } finally {
            $context->clean();
        }
    }

    /** @return array<string, mixed> */
    public function figures(): array
    {
        $there = $this->there();
        [$areas, $samples] = Teach::samples($this->call, $there);

        $figures = (new TrainingDiagnostics($areas, $samples, $there))->figures();
        $figures['strays'] = array_map(
            fn (array $stray): array => array_replace($stray, ['kept' => $this->kept($there->grid, $stray['kept'])]),
            $figures['strays'],
        );

        return $figures;
    }

    /** @return array{x: array{float, float}, y: array{float, float}, counts: list<int>} */
    public function density(string $x, string $y): array
    {
        $there = $this->there();
        $places = array_flip($there->names);
        if ($there->bands === [] || ! isset($places[$x], $places[$y])) {
            throw Problem::call('Choose two bands used for the classes.', 'bands');
        }

        return TrainingDiagnostics::density($there, $places[$x], $places[$y]);
    }

    /**
     * What grows from a place: pixels in their order, and how far the farthest was.
     *
     * @return array<string, mixed>
     */
    public function grown(float $x, float $y): array
    {
        $bands = FeatureTable::of($this->without('segments'), $this->call->texts('bands'))->bands;
        [$col, $row] = $this->pixel('images', $x, $y);
        ['window' => $window, 'order' => $order, 'levels' => $levels] = SeedGrowth::from($bands, $col, $row);

        return $this->on(
            $bands[0][0]->spec()->grid->toMap(...),
            $window->col,
            $window->row,
            $window->width,
            $order,
        ) + ['levels' => base64_encode(pack('g*', ...$levels))];
    }

    /**
     * The pixels of the segment at a place.
     *
     * @return array<string, mixed>
     */
    public function segment(float $x, float $y): array
    {
        $image = $this->call->image('segments');
        [$col, $row] = $this->pixel('segments', $x, $y);
        ['window' => $window, 'pixels' => $pixels] = SegmentAt::of($image, $col, $row);

        return $this->on($image->spec()->grid->toMap(...), $window->col, $window->row, $window->width, $pixels)
            + ['levels' => base64_encode(pack('g*', ...array_fill(0, count($pixels), 0.0)))];
    }

    /**
     * Pixels of a grid in the box around them.
     *
     * @param  list<int>  $places  counted along the rows of the grid
     * @return array<string, mixed>|null
     */
    private function kept(Grid $grid, array $places): ?array
    {
        if ($places === []) {
            return null;
        }
        $cols = array_map(fn (int $place): int => $place % $grid->width, $places);
        $rows = array_map(fn (int $place): int => intdiv($place, $grid->width), $places);
        [$col, $row, $width] = [min($cols), min($rows), max($cols) - min($cols) + 1];

        return $this->on($grid->toMap(...), $col, $row, $width, array_map(fn (int $c, int $r): int => ($r - $row) * $width + $c - $col, $cols, $rows));
    }

    private function there(): FeatureTable
    {
        return FeatureTable::of($this->call, $this->call->texts('bands'));
    }

    private function without(string $input): Call
    {
        return new Call(
            $this->call->declaration,
            array_diff_key($this->call->inputs, [$input => 1]),
            $this->call->settings,
            $this->call->outputs,
            $this->call->context,
        );
    }

    /** @return array{int, int} column and row of a place of the study in the image of an input */
    private function pixel(string $input, float $x, float $y): array
    {
        $name = isset($this->items[$input]) ? $input : array_values(
            array_filter(array_keys($this->items), fn (string $name): bool => str_starts_with($name, "$input:")),
        )[0] ?? null;
        $item = $this->items[$name ?? ''] ?? throw Problem::call("The input $input is missing: choose what to work on.", $input);
        $at = StudyMap::pixel($item, $item->image(), $x, $y);
        if (is_nan($at[0] + $at[1])) {
            throw Problem::input('The place is outside the image.', 'place');
        }

        return [(int) floor($at[0]), (int) floor($at[1])];
    }

    /**
     * @param  \Closure(float, float): array{float, float}  $toMap
     * @param  list<int>  $pixels  of the window
     * @return array<string, mixed> corner of the window and the ways to the next column and row, in map coordinates of the image
     */
    private function on(\Closure $toMap, int $col, int $row, int $width, array $pixels): array
    {
        [$corner, $right, $down] = [$toMap($col, $row), $toMap($col + 1, $row), $toMap($col, $row + 1)];

        return [
            'corner' => $corner,
            'column' => [$right[0] - $corner[0], $right[1] - $corner[1]],
            'row' => [$down[0] - $corner[0], $down[1] - $corner[1]],
            'width' => $width,
            'pixels' => base64_encode(pack('V*', ...$pixels)),
        ];
    }
}
