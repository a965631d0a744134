<?php

namespace App\Http;

use App\Evidence\Ruler;
use App\Models\Drawing;
use App\Models\Item;
use App\Models\Key;
use App\Models\Mark;
use App\Models\Peg;
use App\Models\Step;
use App\Models\Study;
use App\Steps\StepQueue;
use App\Studies\Area;
use App\Studies\Drawn;
use App\Studies\LabelConsensus;
use App\Studies\StudyLegend;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Step\Report;

/** Models as the browser gets them. */
final class Describe
{
    /** @return array<string, mixed> */
    public static function study(Study $study): array
    {
        $stale = StepQueue::stale($study);

        return [
            ...self::head($study),
            'look' => $study->look,
            'steps' => $study->steps()->with('items')->get()->map(fn (Step $step): array => self::step($step, $stale[$step->id] ?? null))->all(),
        ];
    }

    /**
     * What a browser that knows a study as of a version lacks: the steps that changed, without their figures, and how those that run get on.
     * A version of null knows nothing.
     *
     * @return array<string, mixed>
     */
    public static function news(Study $study, ?int $since): array
    {
        $changed = $study->steps()->with('items')->when($since !== null, fn ($steps) => $steps->where('version', '>', $since))->get();
        $busy = $study->steps()->whereIn('state', [Step::WAITING, Step::RUNNING])->get(['id', 'kind', 'state', 'progress', 'doing', 'growing', 'started_at']);

        return [
            ...self::head($study),
            'look' => $since === null ? $study->look : null,
            'order' => $study->steps()->pluck('id')->all(),
            'stale' => (object) StepQueue::stale($study),
            'busy' => $busy->map(fn (Step $step): array => ['id' => $step->id, ...self::progress($step)])->all(),
            'steps' => $changed->map(fn (Step $step): array => self::line($step))->all(),
        ];
    }

    /** @return array<string, mixed> */
    private static function head(Study $study): array
    {
        $legend = StudyLegend::classes($study);

        return [
            'id' => $study->id,
            'name' => $study->name,
            'version' => $study->version,
            'crs' => ['epsg' => $study->epsg, 'name' => Crs::name($study->epsg), 'definition' => $study->epsg === null ? null : Crs::definition($study->epsg)],
            'area' => Area::describe($study),
            'drawings' => $study->drawings()->withCount('marks')->get()->map(fn (Drawing $drawing): array => self::drawing($drawing))->all(),
            'keys' => $study->keys()->get(['id', 'name', 'stamp'])->map(fn (Key $key): array => $key->only(['id', 'name', 'stamp']))->all(),
            'pegs' => $study->pegs->map(fn (Peg $peg): array => self::peg($peg))->all(),
            'legend' => $legend,
            'legendStamp' => StudyLegend::stamp($legend),
        ];
    }

    /** @return array<string, mixed> */
    public static function key(Key $key): array
    {
        return ['id' => $key->id, 'name' => $key->name, 'stamp' => $key->stamp, 'document' => $key->document];
    }

    /** @return array<string, mixed> */
    public static function step(Step $step, ?int $staleBy = null): array
    {
        $line = self::line($step);

        return [
            ...$line,
            'state' => $step->state === Step::DONE && $staleBy !== null ? Step::STALE : $step->state,
            'staleBy' => $staleBy,
            'figures' => $step->figures,
            'report' => $step->figures === null ? [] : Report::of($step->declaration(), $step->figures),
        ];
    }

    /**
     * A step without its figures, which are told when it is opened.
     *
     * @return array<string, mixed>
     */
    private static function line(Step $step): array
    {
        $declaration = $step->declaration();
        // what tells one run from another, where no setting does, is the key that it goes by
        $key = array_values(array_filter(array_column($step->inputs, 'key')))[0] ?? null;
        $choice = $declaration->desk->chosen($declaration, $step->settings);
        $choice = $choice === '' && $key !== null ? Key::query()->whereKey($key)->value('name') ?? '' : $choice;

        return [
            'id' => $step->id,
            'study' => $step->study_id,
            'number' => $step->number,
            'version' => $step->version,
            'kind' => $step->kind,
            'title' => $declaration->title,
            'choice' => $choice,
            'called' => $declaration->desk->isNamed ? $choice : $declaration->desk->makes,
            'inputs' => (object) $step->inputs,
            'settings' => (object) $step->settings,
            'within' => $step->within,
            ...self::progress($step),
            'staleBy' => null,
            'figures' => null,
            'report' => [],
            'note' => $step->note,
            'problem' => $step->problem,
            'about' => $step->about,
            'labelled' => $step->labelled(),
            'items' => $step->items->map(fn (Item $item): array => self::item($item))->all(),
        ];
    }

    /** @return array{state: string, progress: float, doing: string|null, secondsLeft: int|null, growing: list<array<string, mixed>>} */
    private static function progress(Step $step): array
    {
        $left = null;
        if ($step->state === Step::RUNNING && $step->started_at !== null && $step->progress > 0.03) {
            $left = (int) ceil($step->started_at->diffInSeconds(now(), true) * (1 - $step->progress) / $step->progress);
        }

        return [
            'state' => $step->state,
            'progress' => $step->progress,
            'doing' => $step->doing,
            'secondsLeft' => $left,
            'growing' => $step->growing === null ? [] : Report::growing($step->declaration(), $step->growing),
        ];
    }

    /** @return array<string, mixed> */
    public static function item(Item $item): array
    {
        return [
            'id' => $item->id,
            'step' => $item->step_id,
            'output' => $item->output,
            'type' => $item->type,
            'file' => basename($item->path),
            'raster' => $item->isRaster() ? self::raster(self::dressed($item)) : null,
        ];
    }

    /** @return array<string, mixed> what is kept of a raster, a class map in the colours of its study */
    private static function dressed(Item $item): array
    {
        $legend = $item->meta['legend'] ?? null;

        return $legend === null || $item->study === null ? $item->meta : ['legend' => StudyLegend::shown($item->study, $legend)] + $item->meta;
    }

    /**
     * As it is shown: in the study's CRS. The grid that it has itself is told too.
     *
     * @param  array<string, mixed>  $meta
     * @return array<string, mixed>
     */
    private static function raster(array $meta): array
    {
        $own = array_intersect_key($meta, array_flip(['width', 'height', 'transform', 'epsg'])) + ['hectares' => $meta['hectares'] ?? null];
        $own['pixel'] = Ruler::pixel($own);
        $placed = $meta['placed'] ?? [];
        unset($meta['placed'], $meta['hectares']);

        return [...$meta, ...$placed, 'own' => $own, 'warped' => $placed !== [], 'time' => $meta['time'] ?? null, 'datum' => $meta['datum'] ?? null];
    }

    /** @return array<string, mixed> */
    public static function peg(Peg $peg): array
    {
        return ['id' => $peg->id, 'letter' => $peg->letter, 'name' => $peg->name, 'signature' => $peg->signature, 'x' => $peg->x, 'y' => $peg->y];
    }

    /** @return array<string, mixed> */
    public static function drawing(Drawing $drawing): array
    {
        return [
            'id' => $drawing->id,
            'step' => $drawing->step_id,
            'name' => $drawing->name,
            'stamp' => $drawing->stamp,
            'count' => (int) ($drawing->getAttribute('marks_count') ?? $drawing->marks()->count()),
        ];
    }

    /**
     * A mark in the map coordinates of its study.
     *
     * @return array<string, mixed>
     */
    public static function mark(Mark $mark, ?string $person = null): array
    {
        $study = $mark->drawing->study ?? throw new \LogicException('A mark has a drawing, and that a study.');

        return [
            'key' => $mark->key,
            'number' => $mark->number,
            'geometry' => Drawn::toMap($study, $mark->geometry),
            // whoever labels does not see what others said
            ...($person === null
                ? ['class' => $mark->class, 'second' => $mark->second, 'sure' => $mark->sure, 'skipped' => $mark->skipped]
                : LabelConsensus::by($mark, $person)),
            'note' => $mark->note,
            // of points that are labelled blind it would tell what others said
            ...($mark->drawing->step_id === null ? ['stamp' => $mark->stamp()] : []),
        ];
    }
}
