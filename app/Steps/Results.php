<?php

namespace App\Steps;

use App\Models\Drawing;
use App\Models\Item;
use App\Models\Mark;
use App\Models\Step;
use App\Models\Study;
use App\Studies\Kept;
use App\Studies\RasterMeta;
use App\Studies\StudyLegend;
use App\Studies\StudyMap;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\Vector\GeoJson;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Work\Files;
use Illuminate\Support\Facades\DB;
use Illuminate\Support\Str;

/** Files that a step has made become its items; those of its last run go once nothing uses them. */
final class Results
{
    /**
     * Where the outputs of a run go.
     *
     * @return array<string, string>
     */
    public static function paths(Step $step, string $folder): array
    {
        $paths = [];
        foreach (self::made($step) as $port) {
            // by its id: numbers come again once the last step is gone
            $stem = "$folder/$step->number-".str_replace('.', '-', $step->kind)."-$step->id-".($step->runs + 1);
            $paths[$port->name] = $port->type === PortType::Folder ? $stem : "$stem-$port->name".$port->ending($step->settings);
        }

        return $paths;
    }

    /** @return list<Port> the outputs that a step makes as it is set up */
    public static function made(Step $step): array
    {
        if ($step->declaration()->outputs === []) {
            return [];
        }
        $settings = $step->declaration()->settings($step->settings);

        return array_values(array_filter(
            $step->declaration()->outputs,
            fn (Port $port): bool => $port->isMade($settings, array_map(strval(...), array_keys($step->inputs))),
        ));
    }

    /**
     * What an ended run may have written goes.
     *
     * @param  array<string>  $paths
     */
    public static function discard(array $paths): void
    {
        Files::discard($paths);
    }

    /**
     * Files of items that are gone, and what views were given of them.
     *
     * @param  iterable<Item>  $items
     */
    public static function forget(iterable $items): void
    {
        foreach ($items as $item) {
            self::discard([$item->path, $item->view()]);
            Kept::forget($item);
        }
    }

    /**
     * @param  array<string, string>  $paths
     * @param  array<string, mixed>  $figures
     * @param  array<string, int>  $used
     */
    public static function take(Step $step, array $paths, array $figures, array $used): void
    {
        $old = $step->items()->get();
        DB::transaction(function () use ($step, $paths, $figures, $used, $old): void {
            foreach (array_filter($step->declaration()->outputs, fn (Port $port): bool => isset($paths[$port->name])) as $port) {
                $path = $paths[$port->name];
                if ($port->type === PortType::Folder) {
                    foreach (glob("$path/*.tif") ?: [] as $file) {
                        self::item($step->study_id, $step->id, basename($file, '.tif'), $file);
                    }
                } else {
                    $item = self::item($step->study_id, $step->id, $port->name, $path, $port->type);
                    if ($port->type === PortType::Points) {
                        self::points($step, $item);
                    }
                }
            }
            $step->update([
                'state' => Step::DONE,
                'progress' => 1,
                'doing' => null,
                'growing' => null,
                'figures' => $figures,
                'used' => $used,
                'problem' => null,
                'about' => null,
                'pid' => null,
                'runs' => $step->runs + 1,
                'finished_at' => now(),
            ]);
            foreach ($old as $item) {
                $item->delete();
            }
        });
        // only once nothing points to them any more
        self::forget($old);
    }

    public static function item(int $study, ?int $step, string $output, string $path, ?PortType $type = null): Item
    {
        $isRaster = str_ends_with($path, '.tif');
        $image = $isRaster ? new GeoTiffImage($path) : null;
        $crs = $image === null ? null : StudyMap::crs(Study::query()->findOrFail($study), $image->spec()->grid);
        $item = Item::query()->create([
            'study_id' => $study,
            'step_id' => $step,
            'output' => $output,
            'type' => $image?->spec()->content->value ?? (str_ends_with($path, '.png') ? 'file' : ($type->value ?? 'file')),
            'path' => $path,
            'meta' => $image === null ? [] : RasterMeta::of($image, $crs),
        ]);
        if ($image?->spec()->legend !== null && $step !== null) {
            StudyLegend::meet(Study::query()->findOrFail($study), $image->spec()->legend);
        }

        return $item;
    }

    /** Points that people are to label become a drawing of the step's. What was said of a place holds when the place is drawn again. */
    private static function points(Step $step, Item $item): void
    {
        $drawing = Drawing::query()->firstOrCreate(['study_id' => $step->study_id, 'step_id' => $step->id, 'name' => 'check points']);
        $said = $drawing->marks()->with('labels')->get()->keyBy(fn (Mark $mark): string => (string) json_encode($mark->geometry));
        $drawing->marks()->delete();
        $labels = [];
        $rows = [];
        foreach (GeoJson::all($item->path)['features'] as ['geometry' => $geometry, 'properties' => $told]) {
            $known = $said->get((string) json_encode($geometry));
            $key = $known->key ?? (string) Str::uuid();
            foreach ($known->labels ?? [] as $label) {
                $labels[$key][] = $label->only(['person', 'class', 'second', 'sure', 'skipped']);
            }
            $rows[] = [
                'drawing_id' => $drawing->id,
                'key' => $key,
                'number' => $told['number'],
                'geometry' => json_encode($geometry),
                // points that were drawn before bring what was said of them
                'class' => $known->class ?? $told['label'] ?? null,
                'second' => $known->second ?? $told['second'] ?? null,
                'sure' => $known->sure ?? $told['sure'] ?? null,
                'note' => $known->note ?? $told['note'] ?? null,
                'skipped' => $known->skipped ?? false,
                'properties' => json_encode(array_intersect_key($told, ['design' => 1, 'stratum' => 1, 'share' => 1, 'ground' => 1, 'unlabelled' => 1])),
                'created_at' => now(),
                'updated_at' => now(),
            ];
        }
        foreach (array_chunk($rows, 500) as $some) {
            Mark::query()->insert($some);
        }
        foreach ($drawing->marks()->whereIn('key', array_keys($labels))->get() as $mark) {
            $mark->labels()->createMany($labels[$mark->key]);
        }
        $drawing->restamp();
    }
}
