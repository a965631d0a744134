<?php

namespace App\Support;

use App\Models\CheckPoint;
use App\Models\Item;
use App\Models\Step;
use App\Models\Study;
use Chorometra\Core\Format\Files;
use Chorometra\Core\Format\GeoJson;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Step\PortType;
use Illuminate\Support\Facades\DB;

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
        foreach ($step->declaration()->outputs as $port) {
            $stem = "$folder/$step->number-".str_replace('.', '-', $step->kind).'-'.($step->runs + 1);
            // a picture is asked for by its ending
            $ending = $step->kind === 'deliver.image' && ($step->settings['as'] ?? '') === 'shown' ? '.png' : $port->endings[0];
            $paths[$port->name] = $port->type === PortType::Folder ? $stem : "$stem-$port->name$ending";
        }

        return $paths;
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
     * @param  array<string, string>  $paths
     * @param  array<string, mixed>  $figures
     * @param  array<string, int>  $used
     */
    public static function take(Step $step, array $paths, array $figures, array $used): void
    {
        $old = $step->items()->get();
        DB::transaction(function () use ($step, $paths, $figures, $used, $old): void {
            foreach ($step->declaration()->outputs as $port) {
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
            $step->update(['state' => Step::DONE, 'progress' => 1, 'doing' => null, 'figures' => $figures, 'used' => $used, 'problem' => null, 'about' => null, 'pid' => null, 'runs' => $step->runs + 1, 'finished_at' => now()]);
            foreach ($old as $item) {
                $item->delete();
            }
        });
        // only once nothing points to them any more
        self::discard($old->pluck('path')->all());
    }

    public static function item(int $study, ?int $step, string $output, string $path, ?PortType $type = null): Item
    {
        $isRaster = str_ends_with($path, '.tif');
        $image = $isRaster ? new GeoTiffImage($path) : null;
        $crs = $image === null ? null : Place::crs(Study::query()->findOrFail($study), $image->spec()->grid);
        $item = Item::query()->create([
            'study_id' => $study,
            'step_id' => $step,
            'output' => $output,
            'type' => $image?->spec()->content->value ?? (str_ends_with($path, '.png') ? 'file' : ($type->value ?? 'file')),
            'path' => $path,
            'meta' => $image === null ? [] : RasterMeta::of($image, $crs),
        ]);
        if ($image?->spec()->legend !== null && $step !== null) {
            foreach ($image->spec()->legend->classes as $class) {
                Study::query()->findOrFail($study)->legend()->updateOrCreate(['name' => $class['name']], ['colour' => $class['colour']]);
            }
        }

        return $item;
    }

    private static function points(Step $step, Item $item): void
    {
        // what was said of a place holds when the place is drawn again
        $said = $step->points->keyBy(fn (CheckPoint $point): string => (string) json_encode([$point->longitude, $point->latitude]));
        $step->points()->delete();
        $epsg = ($step->study ?? throw new \LogicException('A step has a study.'))->epsg;
        $rows = [];
        foreach (GeoJson::read($item->path)['features'] as $feature) {
            [$longitude, $latitude] = $feature['geometry']['coordinates'] ?? [0.0, 0.0];
            [$x, $y] = GeoJson::toMap($longitude, $latitude, 4326, $epsg, 'The points');
            $known = $said->get((string) json_encode([$longitude, $latitude]));
            $rows[] = ['label' => $known?->label, 'note' => $known?->note, 'skipped' => $known->skipped ?? false, 'step_id' => $step->id, 'number' => $feature['properties']['number'], 'longitude' => $longitude, 'latitude' => $latitude, 'x' => $x, 'y' => $y, 'stratum' => $feature['properties']['stratum'], 'created_at' => now(), 'updated_at' => now()];
        }
        foreach (array_chunk($rows, 500) as $some) {
            CheckPoint::query()->insert($some);
        }
    }
}
