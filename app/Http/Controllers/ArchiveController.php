<?php

namespace App\Http\Controllers;

use App\Models\Archive;
use App\Services\Archives;
use App\Services\Outgoing;
use Chorometra\Core\Format\Stac\Api;
use Chorometra\Core\Format\Web\Http;
use Illuminate\Http\JsonResponse;
use Illuminate\Http\Request;
use Illuminate\Http\Response;

/** The archives, and what they hold. The browser never talks to them itself. */
final class ArchiveController
{
    /** @return list<array{id: int|null, name: string, address: string}> */
    public function index(): array
    {
        return Archives::all();
    }

    public function store(Request $request): JsonResponse
    {
        $input = $request->validate(['address' => ['required', 'string', 'max:500']], ['address.*' => 'Give the address of a STAC API.']);
        $url = rtrim(trim($input['address']), '/');
        ['title' => $title] = Outgoing::ask(fn (): array => (new Api($url))->about());
        $archive = Archive::query()->firstOrCreate(['url' => $url], ['name' => mb_substr($title, 0, 120)]);

        return new JsonResponse(['id' => $archive->id, 'name' => $archive->name, 'address' => $archive->url], 201);
    }

    public function destroy(Archive $archive): Response
    {
        $archive->delete();

        return response()->noContent();
    }

    /** A small picture of a scene, fetched here: browsers talk to us only. */
    public function thumbnail(Request $request): Response
    {
        $input = $request->validate(['archive' => ['required', 'string', 'max:500'], 'address' => ['required', 'string', 'max:2000']]);
        $api = new Api(Archives::url($input['archive']));
        ['type' => $type, 'bytes' => $bytes] = Outgoing::ask(fn (): array => Http::picture($input['address'], $api->name()), 1.0);

        return new Response($bytes, 200, ['Content-Type' => $type, 'Cache-Control' => 'private, max-age=86400']);
    }

    /** @return array<string, mixed> */
    public function search(Request $request): array
    {
        $input = $request->validate(
            [
                'archive' => ['required', 'string'],
                'bounds' => ['sometimes', 'nullable', 'array', 'size:4'],
                'bounds.*' => ['numeric'],
                'from' => ['sometimes', 'nullable', 'date_format:Y-m-d'],
                'to' => ['sometimes', 'nullable', 'date_format:Y-m-d'],
                'cloud' => ['sometimes', 'nullable', 'numeric', 'between:0,100'],
                'collections' => ['sometimes', 'array', 'max:50'],
                'collections.*' => ['string'],
            ],
            [
                'from.*' => 'Write the first day as 2031-05-12.',
                'to.*' => 'Write the last day as 2031-05-12.',
                'cloud.*' => 'Cloud cover is a number from 0 to 100 per cent.',
            ],
        );
        $api = new Api(Archives::url($input['archive']));
        [$about, ['items' => $items, 'more' => $more]] = Outgoing::ask(
            fn (): array => [
                $api->about(),
                $api->search(
                    array_values($input['collections'] ?? []),
                    isset($input['bounds']) ? array_map(floatval(...), array_values($input['bounds'])) : null,
                    $input['from'] ?? null,
                    $input['to'] ?? null,
                    isset($input['cloud']) ? (float) $input['cloud'] : null,
                ),
            ],
        );
        $titles = array_column($about['collections'], 'title', 'id');

        return [
            'title' => $about['title'],
            'collections' => $about['collections'],
            'again' => $api->again,
            'more' => $more,
            'scenes' => array_map(fn (array $item): array => $this->describe($item, $titles, $api, $input['archive']), $items),
        ];
    }

    /**
     * @param  array<string, mixed>  $item
     * @param  array<string, string>  $titles
     * @return array<string, mixed>
     */
    private function describe(array $item, array $titles, Api $api, string $archive): array
    {
        $properties = $item['properties'];
        $collection = is_string($item['collection'] ?? null) ? $item['collection'] : '';
        $thumbnail = null;
        $bytes = null;
        foreach ($item['assets'] as $asset) {
            if (is_array($asset) && is_string($asset['href'] ?? null) && in_array('thumbnail', (array) ($asset['roles'] ?? []), true)) {
                $thumbnail = $api->absolute($asset['href']);
            }
            $bytes = is_int($asset['file:size'] ?? null) ? (int) $bytes + $asset['file:size'] : $bytes;
        }

        return [
            'id' => $item['id'],
            'collection' => $collection,
            'title' => $titles[$collection] ?? $collection,
            'time' => is_string($properties['datetime'] ?? null) ? $properties['datetime'] : (string) ($properties['start_datetime'] ?? ''),
            'platform' => is_string($properties['platform'] ?? null) ? $properties['platform'] : null,
            'cloud' => is_numeric($properties['eo:cloud_cover'] ?? null) ? (float) $properties['eo:cloud_cover'] : null,
            'sun' => is_numeric($properties['view:sun_elevation'] ?? null) ? (float) $properties['view:sun_elevation'] : null,
            'order' => is_string($properties['order:status'] ?? null) ? $properties['order:status'] : null,
            'bytes' => $bytes,
            'rings' => $this->rings(is_array($item['geometry'] ?? null) ? $item['geometry'] : []),
            'thumbnail' => $thumbnail !== null && preg_match('~^https?://~', $thumbnail)
                    ? '/api/archives/thumbnail?'.http_build_query(['archive' => $archive, 'address' => $thumbnail], '', '&', PHP_QUERY_RFC3986)
                    : null,
        ];
    }

    /**
     * @param  array<string, mixed>  $geometry
     * @return list<mixed> outer rings in degrees
     */
    private function rings(array $geometry): array
    {
        $polygons = match ($geometry['type'] ?? null) {
            'Polygon' => [$geometry['coordinates'] ?? []],
            'MultiPolygon' => (array) ($geometry['coordinates'] ?? []),
            default => [],
        };

        return array_values(array_filter(array_map(fn (mixed $polygon): mixed => is_array($polygon) ? ($polygon[0] ?? null) : null, $polygons)));
    }
}
