<?php

namespace App\Evidence;

use App\Models\Item;
use App\Models\Step;
use App\Models\Study;
use App\Steps\Inputs;
use App\Steps\StepQueue;
use App\Studies\StudyMap;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Crop;
use Chorometra\Core\Raster\RowBlock;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Step\LocalKind;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Step\Registry;
use Chorometra\Core\Work\Context;

/** What a step would make of the pixel under each peg: the code of a run, on that pixel alone. For kinds that look at nothing around it. */
final class AtPegs
{
    /** @return array{read: list<string>, made: list<string>, pegs: list<array<string, mixed>>} */
    public static function of(Study $study, Step $step): array
    {
        StepQueue::check($step);
        $context = new Context(1);
        try {
            ['items' => $items] = Inputs::resolve($study, $step->inputs, $context->folder());
            $whole = self::plan($step, self::call($step, array_map(fn (Item $item): Crop => self::whole($item), $items), $context));
            $pegs = [];
            foreach ($study->pegs as $peg) {
                $crops = array_map(fn (Item $item): ?Crop => self::pixel($item, $peg->x, $peg->y), $items);
                $there = array_filter($crops);
                $plan = count($there) === count($crops) ? self::plan($step, self::call($step, $there, $context)) : null;
                $pegs[] = ['id' => $peg->id, 'letter' => $peg->letter] + ($plan === null ? ['read' => [], 'made' => []] : self::values($plan));
            }

            return ['read' => self::names($whole), 'made' => self::made($whole), 'pegs' => $pegs];
        } finally {
            $context->clean();
        }
    }

    /** @param  array<string, Crop>  $images */
    private static function call(Step $step, array $images, Context $context): Call
    {
        return CallOpener::call(Registry::get($step->kind), $images, $step->settings, ['result' => 'none.tif'], $context);
    }

    private static function plan(Step $step, Call $call): Plan
    {
        $kind = Registry::get($step->kind);
        $plan = $kind instanceof LocalKind ? $kind->plan($call) : null;

        return $plan !== null && $plan->halo === 0 ? $plan : throw Problem::call("{$step->kind} uses more than one pixel.", 'kind');
    }

    private static function whole(Item $item): Crop
    {
        $image = $item->image();

        return new Crop($image, new Window(0, 0, $image->spec()->grid->width, $image->spec()->grid->height));
    }

    private static function pixel(Item $item, float $x, float $y): ?Crop
    {
        $image = $item->image();
        $grid = $image->spec()->grid;
        [$col, $row] = StudyMap::pixel($item, $image, $x, $y);

        return is_nan($col + $row) || $col < 0 || $row < 0 || $col >= $grid->width || $row >= $grid->height
            ? null
            : new Crop($image, new Window((int) $col, (int) $row, 1, 1));
    }

    /** @return array{read: list<float|null>, made: list<float|null>} */
    private static function values(Plan $plan): array
    {
        $read = [];
        foreach ($plan->sources as $source) {
            foreach ($source->bands as $band) {
                $read[] = Values::of($source->image, $band, new Window(0, 0, 1, 1));
            }
        }
        $made = ($plan->compute)($read, new RowBlock(1, 1))['result'] ?? [];
        $told = fn (array $values): ?float => is_nan($values[0]) ? null : (float) $values[0];

        return ['read' => array_map($told, $read), 'made' => array_map($told, $made)];
    }

    /**
     * Bands that are read, by image where there are several.
     *
     * @return list<string>
     */
    private static function names(Plan $plan): array
    {
        $told = (array) ($plan->figures['reads'] ?? []);
        $bands = array_merge(...array_map(
            fn (Reading $source): array => array_map(fn (int $band): string => $source->image->spec()->bands[$band]->label($band + 1), $source->bands),
            $plan->sources,
        ));

        return count($told) === count($bands) ? array_map(strval(...), array_values($told)) : $bands;
    }

    /** @return list<string> */
    private static function made(Plan $plan): array
    {
        $bands = $plan->outputs['result']->bands ?? [];

        return array_map(fn (int $k): string => $bands[$k]->label($k + 1), array_keys($bands));
    }
}
