<?php

namespace App\Http\Controllers;

use App\Evidence\Comparison;
use App\Models\Item;
use App\Studies\Kept;
use App\Studies\StudyMap;
use Chorometra\Core\Compare\Change\Proposal;
use Chorometra\Core\Correct\Air\SpectralFit;
use Chorometra\Core\Format\Csv;
use Chorometra\Core\Format\Measures;
use Chorometra\Core\Format\MergeTree;
use Chorometra\Core\Format\Stac\Sidecar;
use Chorometra\Core\Format\Vector\FeatureIndex;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Histogram;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\LocalExtrema;
use Chorometra\Core\Regions\Measures\MeasureFormula;
use Chorometra\Core\Step\FileContents;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Work\Files;
use Illuminate\Http\Request;
use Illuminate\Http\Response;
use Symfony\Component\HttpFoundation\BinaryFileResponse;
use Symfony\Component\HttpFoundation\StreamedResponse;

final class ItemController
{
    /** Features in one answer. */
    private const MOST_FEATURES = 8000;

    private const MOST_ROWS = 1000;

    /** @return array<string, mixed> */
    public function histogram(Request $request, Item $item): array
    {
        $band = self::band($request, $item);
        $bins = max(2, min(16384, $request->integer('bins', 256)));

        return Kept::of($item, "histogram/$band/$bins", fn (): array => Histogram::of($item->image(), $band - 1, $bins)->toArray());
    }

    /** @return list<array<string, mixed>> */
    public function limits(Request $request, Item $item): array
    {
        $band = self::band($request, $item);
        $both = $request->query('sides') === 'both';

        return Kept::of($item, "limits/$band/".(int) $both, fn (): array => Proposal::of(Histogram::of($item->image(), $band - 1, Proposal::BINS), $both));
    }

    /** @return list<array{x: float, y: float, value: float}> */
    public function lowest(Request $request, Item $item): array
    {
        $band = self::band($request, $item);

        $isHighest = $request->query('of') === 'highest';

        return Kept::of($item, "lowest/$band/".(int) $isHighest, fn (): array => LocalExtrema::of($item->image(), $band - 1, 30, $isHighest));
    }

    /**
     * Values of all bands at places: `points=x,y;x,y` in map coordinates of the study; null outside and at nodata.
     *
     * @return list<list<float|null>|null>
     */
    public function values(Request $request, Item $item): array
    {
        if (! $item->isRaster()) {
            throw Problem::call('This item has no pixels.');
        }
        $image = $item->image();
        $spec = $image->spec();
        $values = [];
        foreach (array_slice(explode(';', is_string($request->query('points')) ? $request->query('points') : ''), 0, 500) as $point) {
            $parts = explode(',', $point);
            if (count($parts) !== 2 || ! is_numeric($parts[0]) || ! is_numeric($parts[1])) {
                throw Problem::call("“{$point}” is not a place: give two numbers.", 'points');
            }
            [$col, $row] = StudyMap::pixel($item, $image, (float) $parts[0], (float) $parts[1]);
            $isInside = ! is_nan($col) && ! is_nan($row) && $col >= 0 && $row >= 0 && $col < $spec->grid->width && $row < $spec->grid->height;
            $values[] = $isInside ? SpectralFit::at($image, $col, $row) : null;
        }

        return $values;
    }

    /**
     * An item beside another one, band by band: of the pixels that both have, how many differ, and by how much. Taken from an overview where they
     * are many; bands are paired by role, else by number.
     *
     * @return list<array<string, mixed>>
     */
    public function compare(Item $item, Item $other): array
    {
        if (! $item->isRaster() || ! $other->isRaster() || $item->study_id !== $other->study_id) {
            abort(404);
        }

        return Kept::of($item, "compare/$other->id", fn (): array => Comparison::of($item->image(), $other->image()));
    }

    /**
     * What lies between two dates where nothing changed, before a correction and after it.
     *
     * @return list<array<string, mixed>>
     */
    public function dates(Request $request, Item $item, Item $other): array
    {
        $ids = $request->validate(['before' => 'required|integer', 'after' => 'required|integer']);
        $items = [$item, $other, Item::query()->findOrFail((int) $ids['before']), Item::query()->findOrFail((int) $ids['after'])];
        foreach ($items as $one) {
            abort_unless($one->isRaster() && $one->study_id === $item->study_id, 404);
        }

        return Kept::of(
            $item,
            'dates/'.implode('/', array_column($items, 'id')),
            fn (): array => Comparison::dates(...array_map(fn (Item $one): Image => $one->image(), $items)),
        );
    }

    /**
     * What lies in a window of a view.
     *
     * @return array<string, mixed>
     */
    public function features(Request $request, Item $item): array
    {
        abort_unless(in_array($item->type, ['outlines', 'features'], true), 404);
        $given = $request->validate(['box' => ['required', 'regex:/^-?[\d.e+-]+(,-?[\d.e+-]+){3}$/'], 'pixel' => ['required', 'numeric', 'gt:0']]);
        $study = $item->study ?? throw new \LogicException('An item has a study.');
        $to = Crs::of($study->epsg) ?? throw Problem::call('The study has no CRS yet: read an image first.');
        $path = $item->view();
        if (! FeatureIndex::isMade($path)) {
            Files::folder(dirname($path));
            FeatureIndex::build(Vectors::read($item->path), $to, $path);
        }
        [$west, $south, $east, $north] = array_map(floatval(...), explode(',', $given['box']));

        return [
            'type' => 'FeatureCollection',
            ...(new FeatureIndex($path))->window([$west, $south, $east, $north], (float) $given['pixel'], self::MOST_FEATURES),
        ];
    }

    /**
     * Rows of a table: a window of some columns, in the order of one where that is wanted.
     *
     * @return array<string, mixed>
     */
    public function rows(Request $request, Item $item): array
    {
        $type = PortType::tryFrom($item->type);
        if ($type === null || ! $type->hasRows()) {
            abort(404);
        }
        $given = $request->validate([
            'from' => ['sometimes', 'integer', 'min:0'],
            'count' => ['sometimes', 'integer', 'min:0', 'max:'.self::MOST_ROWS],
            'columns' => ['sometimes', 'array', 'max:500'],
            'columns.*' => ['string'],
            'by' => ['sometimes', 'string'],
            'descending' => ['sometimes', 'boolean'],
        ]);
        $rows = FileContents::rows($item->path, $type);
        $columns = $given['columns'] ?? null;
        $from = (int) ($given['from'] ?? 0);
        $count = (int) ($given['count'] ?? 100);
        $by = $given['by'] ?? null;
        $found =
            $by === null
                ? $rows->rows($from, $count, $columns)
                : $rows->pick(array_slice($rows->order($by, (bool) ($given['descending'] ?? false)), $from, $count), $columns);
        $all = array_column($rows->columns(), null, 'name');

        return [
            'columns' => array_map(fn (string $name): array => $all[$name], $columns ?? array_keys($all)),
            'count' => $rows->count(),
            'from' => $from,
            'rows' => $found,
        ];
    }

    /** A table or measures as CSV, whole. */
    public function csv(Item $item): StreamedResponse
    {
        $type = PortType::tryFrom($item->type);
        abort_unless($type !== null && $type->hasRows(), 404);
        $rows = FileContents::rows($item->path, $type);

        return response()->streamDownload(function () use ($rows): void {
            echo Csv::of([array_column($rows->columns(), 'name')]);
            for ($from = 0; $from < $rows->count(); $from += self::MOST_ROWS) {
                echo Csv::of($rows->rows($from, self::MOST_ROWS));
            }
        }, pathinfo($item->path, PATHINFO_FILENAME).'.csv', ['Content-Type' => 'text/csv']);
    }

    /**
     * One number for each row of measures, or for each join of a tree, as little-endian doubles: a measure by name or a formula over measures.
     */
    public function column(Request $request, Item $item): Response
    {
        $name = is_string($request->query('name')) ? trim($request->query('name')) : '';
        $values = match ($item->type) {
            PortType::Measures->value => MeasureFormula::column(new Measures($item->path), $name),
            PortType::Tree->value => MergeTree::read($item->path)->array($name),
            default => abort(404),
        };
        $packed = '';
        foreach (array_chunk($values, 1 << 16) as $some) {
            $packed .= pack('e*', ...$some);
        }

        return response($packed, 200, ['Content-Type' => 'application/octet-stream', 'Cache-Control' => 'private, max-age=31536000, immutable']);
    }

    /** The STAC Item beside a raster: roles, units, date, legend, and the step that made it. */
    public function sidecar(Item $item): BinaryFileResponse
    {
        $path = Sidecar::path($item->path);
        if (! $item->isRaster() || ! is_file($path)) {
            abort(404);
        }

        return response()->download($path, basename($path), ['Content-Type' => 'application/geo+json']);
    }

    public function file(Item $item): BinaryFileResponse
    {
        if (! is_file($item->path)) {
            abort(404);
        }

        return response()->download($item->path, basename($item->path), ['Content-Type' => match (pathinfo($item->path, PATHINFO_EXTENSION)) {
            'tif' => 'image/tiff; application=geotiff; profile=cloud-optimized',
            'geojson' => 'application/geo+json',
            'csv' => 'text/csv',
            'png' => 'image/png',
            default => 'application/octet-stream',
        }]);
    }

    /** @throws Problem where the item has no such band */
    private static function band(Request $request, Item $item): int
    {
        $band = $request->integer('band', 1);

        return $item->isRaster() && $band >= 1 && $band <= count($item->meta['bands'])
            ? $band
            : throw Problem::call("This item has no band $band.", 'band');
    }
}
