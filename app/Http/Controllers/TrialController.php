<?php

namespace App\Http\Controllers;

use App\Http\Describe;
use App\Http\Requests\StepRequest;
use App\Models\Item;
use App\Models\Step;
use App\Models\Study;
use App\Steps\Interrupted;
use App\Steps\Results;
use App\Steps\StepQueue;
use App\Steps\StepRun;
use App\Studies\Kept;
use App\Studies\StudyMap;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Crop;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Registry;
use Chorometra\Core\Step\Report;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;
use Illuminate\Http\Request;

/** A step computed for the visible window only. The code is that of a full run, on a part of the inputs. */
final class TrialController
{
    /** @return array<string, mixed> */
    public function __invoke(Request $request, Study $study): array
    {
        $input = StepRequest::setUp($request, [
            'within' => ['sometimes', 'boolean'],
            'window' => ['required', 'array', 'size:4'],
            'window.*' => ['numeric'],
        ]);
        $step = new Step([
            'study_id' => $study->id,
            'kind' => $input['kind'],
            'inputs' => $input['inputs'],
            'settings' => $input['settings'] ?? [],
            'within' => $input['within'] ?? false,
        ]);
        $kind = Registry::get($step->kind);
        StepQueue::check($step);
        $context = new Context(config()->integer('chorometra.workers'), Interrupted::temporary(), trial: true);
        try {
            $folder = $study->folder().'/trials/'.bin2hex(random_bytes(6));
            $outputs = [];
            foreach (Results::made($step) as $port) {
                if ($port->type->isRaster() || $port->type === PortType::Tree) {
                    $outputs[$port->name] = "$folder/$port->name{$port->endings[0]}";
                }
            }
            $this->forget($study);
            $reduced = 1;
            $window = array_map(floatval(...), array_values($input['window']));
            $side = $kind->declaration()->desk->trialSide;
            $figures = StepRun::of($step, $study, $outputs, $context, function (array $paths, array $items) use ($window, $side, &$reduced): array {
                [$crops, $reduced] = $this->crops($paths, $items, $window, $side);

                return $crops;
            })['figures'];
        } finally {
            $context->clean();
        }
        $items = [];
        foreach ($outputs as $name => $path) {
            $items[] = Describe::item(Results::item($study->id, null, $name, $path, $kind->declaration()->output($name)?->type));
        }

        return ['items' => $items, 'figures' => $figures, 'report' => Report::of($kind->declaration(), $figures), 'reduced' => $reduced];
    }

    /**
     * The inputs cut to the window, at the finest level whose pixels are few enough, or to a square of its own pixels in the middle; what is no
     * raster stays as it is.
     *
     * @param  array<string, string>  $paths
     * @param  array<string, Item>  $items  by input
     * @param  list<float>  $window  west, south, east, north in map coordinates of the study
     * @return array{array<string, Crop|string>, int} and by how much the pixels were reduced
     */
    private function crops(array $paths, array $items, array $window, ?int $side): array
    {
        $crops = $paths;
        $reduced = 1;
        foreach ($items as $name => $item) {
            if (! $item->isRaster()) {
                continue;
            }
            $image = $item->image();
            $corners = array_map(fn (array $place): array => StudyMap::pixel($item, $image, ...$place), [
                [$window[0], $window[1]],
                [$window[2], $window[3]],
                [$window[0], $window[3]],
                [$window[2], $window[1]],
            ]);
            if (is_nan(array_sum(array_map(array_sum(...), $corners)))) {
                throw Problem::input("{$image->name()} does not reach the visible window: move the view to it.", $name);
            }
            foreach ($image->levels() as $level => [$width, $height]) {
                [$fx, $fy] = [$width / $image->spec()->grid->width, $height / $image->spec()->grid->height];
                $col = (int) floor(min(array_column($corners, 0)) * $fx);
                $row = (int) floor(min(array_column($corners, 1)) * $fy);
                $part = (new Window(
                    $col,
                    $row,
                    (int) ceil(max(array_column($corners, 0)) * $fx) - $col,
                    (int) ceil(max(array_column($corners, 1)) * $fy) - $row,
                ))->within($width, $height);
                $part = $side === null ? $part : $part->middle($side);
                if ($part->isEmpty()) {
                    throw Problem::input("{$image->name()} does not reach the visible window: move the view to it.", $name);
                }
                if ($side !== null || $part->pixels() <= config()->integer('chorometra.trial_pixels') || $level === count($image->levels()) - 1) {
                    $crops[$name] = new Crop($image, $part, $level);
                    $reduced = max($reduced, 1 << $level);
                    break;
                }
            }
        }

        return [$crops, $reduced];
    }

    /** Trials before the last few are gone. */
    private function forget(Study $study): void
    {
        $old = Item::query()->where('study_id', $study->id)->whereNull('step_id')->orderByDesc('id')->skip(6)->take(100)->get();
        foreach ($old as $item) {
            $item->delete();
            Files::remove(dirname($item->path));
            Kept::forget($item);
        }
    }
}
