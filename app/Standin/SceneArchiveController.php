<?php

namespace App\Standin;

use Chorometra\Demo\Catalogue;
use Chorometra\Demo\CatalogueScene;
use Illuminate\Http\JsonResponse;
use Illuminate\Http\Request;
use Symfony\Component\HttpFoundation\BinaryFileResponse;
use Symfony\Component\HttpFoundation\StreamedResponse;

/** The archive's STAC API (1.0.0: core, collections, features, item search with the query extension). */
final class SceneArchiveController
{
    private const PAGE = 12;

    public function landing(): JsonResponse
    {
        $base = $this->base();

        return $this->json([
            'type' => 'Catalog',
            'stac_version' => '1.0.0',
            'id' => 'orvane-archive',
            'title' => 'Orvane archive (stand-in)',
            'description' => 'A simulated archive of invented scenes of Orvane Sound.',
            'conformsTo' => [
                'https://api.stacspec.org/v1.0.0/core',
                'https://api.stacspec.org/v1.0.0/collections',
                'https://api.stacspec.org/v1.0.0/ogcapi-features',
                'https://api.stacspec.org/v1.0.0/item-search',
                'https://api.stacspec.org/v1.0.0/item-search#query',
                'http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/geojson',
            ],
            'links' => [
                ['rel' => 'self', 'href' => $base, 'type' => 'application/json'],
                ['rel' => 'root', 'href' => $base, 'type' => 'application/json'],
                ['rel' => 'conformance', 'href' => "$base/conformance", 'type' => 'application/json'],
                ['rel' => 'data', 'href' => "$base/collections", 'type' => 'application/json'],
                ['rel' => 'search', 'href' => "$base/search", 'type' => 'application/geo+json', 'method' => 'GET'],
                ['rel' => 'search', 'href' => "$base/search", 'type' => 'application/geo+json', 'method' => 'POST'],
            ],
        ]);
    }

    public function conformance(): JsonResponse
    {
        return $this->json(['conformsTo' => $this->landing()->getData(true)['conformsTo']]);
    }

    public function collections(): JsonResponse
    {
        return $this->json([
            'collections' => array_map($this->describe(...), array_keys(Catalogue::COLLECTIONS)),
            'links' => [['rel' => 'self', 'href' => $this->base().'/collections']],
        ]);
    }

    public function collection(string $collection): JsonResponse
    {
        abort_unless(isset(Catalogue::COLLECTIONS[$collection]), 404);

        return $this->json($this->describe($collection));
    }

    public function items(Request $request, string $collection): JsonResponse
    {
        abort_unless(isset(Catalogue::COLLECTIONS[$collection]), 404);

        return $this->found($request, ['collections' => [$collection]] + self::query($request), "/collections/$collection/items");
    }

    public function item(string $collection, string $id): JsonResponse
    {
        $scene = $this->scene($id);
        abort_unless($scene->collection === $collection, 404);

        return $this->json(SceneArchive::item($scene, $this->base(), true));
    }

    public function search(Request $request): JsonResponse
    {
        usleep(150_000);
        if (SceneArchive::goesWrong('search', SceneArchive::behaviour()['busy'])) {
            return $this->json(['code' => 'Busy', 'description' => 'Too many searches are under way.'], 503);
        }

        return $this->found($request, $request->isMethod('POST') ? $request->json()->all() : self::query($request), '/search');
    }

    public function order(string $id): JsonResponse
    {
        $scene = $this->scene($id);
        SceneArchive::order($scene);
        $item = SceneArchive::item($scene, $this->base());
        $item['properties']['order:status'] = SceneArchive::status($scene) === 'succeeded' ? 'succeeded' : 'pending';

        return $this->json($item, 201);
    }

    public function thumbnail(string $id): BinaryFileResponse
    {
        $path = SceneArchive::thumbnail($this->scene($id));
        abort_unless(is_file($path), 404);

        return response()->file($path, ['Cache-Control' => 'max-age=86400']);
    }

    /** Slowly, from where it is asked for, and now and then not to the end. */
    public function asset(Request $request, string $id, string $file): StreamedResponse
    {
        $scene = $this->scene($id);
        $path = SceneArchive::path($scene);
        abort_unless(is_file($path) && basename($path) === $file, 404);
        $size = (int) filesize($path);
        $from = preg_match('/^bytes=(\d+)-$/', (string) $request->headers->get('Range'), $match) ? (int) $match[1] : 0;
        abort_if($from >= $size && $from > 0, 416);
        ['rate' => $rate, 'torn' => $torn] = SceneArchive::behaviour();
        $end = SceneArchive::goesWrong('asset', $torn) ? $from + intdiv(2 * ($size - $from), 5) : $size;

        return new StreamedResponse(
            function () use ($path, $from, $end, $rate): void {
                $handle = fopen($path, 'rb');
                assert($handle !== false);
                fseek($handle, $from);
                for ($left = $end - $from; $left > 0 && ! connection_aborted();) {
                    $piece = (string) fread($handle, min($left, 1 << 16));
                    $left -= strlen($piece);
                    echo $piece;
                    flush();
                    usleep((int) ((1e6 * strlen($piece)) / max(1, $rate)));
                }
            },
            $from > 0 ? 206 : 200,
            ['Content-Type' => 'application/octet-stream', 'Accept-Ranges' => 'bytes', 'Content-Length' => (string) ($size - $from)] +
                ($from > 0 ? ['Content-Range' => "bytes $from-".($size - 1)."/$size"] : []),
        );
    }

    /** How the stand-in behaves from now on. */
    public function behave(Request $request): JsonResponse
    {
        SceneArchive::behave(
            $request->validate([
                'rate' => ['sometimes', 'integer', 'min:1000'],
                'pause' => ['sometimes', 'numeric', 'min:0'],
                'torn' => ['sometimes', 'integer', 'min:0'],
                'busy' => ['sometimes', 'integer', 'min:0'],
            ]),
        );

        return $this->json(SceneArchive::behaviour());
    }

    /** @param  array<string, mixed>  $query  of item search */
    private function found(Request $request, array $query, string $path): JsonResponse
    {
        $list = fn (mixed $value): array => is_array($value) ? $value : ($value === null || $value === '' ? [] : explode(',', (string) $value));
        $collections = $list($query['collections'] ?? null);
        $ids = $list($query['ids'] ?? null);
        $bbox = array_map(floatval(...), $list($query['bbox'] ?? null));
        [$from, $to] = array_pad(explode('/', (string) ($query['datetime'] ?? '../..'), 2), 2, null);
        $to ??= $from;
        $cloud = $query['query']['eo:cloud_cover']['lte'] ?? null;
        $scenes = array_values(array_filter(Catalogue::scenes(), function (CatalogueScene $scene) use ($collections, $ids, $bbox, $from, $to, $cloud): bool {
            $ring = Catalogue::footprint($scene);
            [$xs, $ys] = [array_column($ring, 0), array_column($ring, 1)];

            return ($collections === [] || in_array($scene->collection, $collections, true))
                && ($ids === [] || in_array($scene->id, $ids, true))
                && (count($bbox) !== 4 || (max($xs) >= $bbox[0] && min($xs) <= $bbox[2] && max($ys) >= $bbox[1] && min($ys) <= $bbox[3]))
                && ($from === '..' || $from === '' || $scene->datetime >= $from) && ($to === '..' || $to === '' || $scene->datetime <= $to)
                && ($cloud === null || 100 * $scene->clouds <= (float) $cloud);
        }));
        usort($scenes, fn (CatalogueScene $a, CatalogueScene $b): int => $b->datetime <=> $a->datetime);
        $limit = max(1, min(self::PAGE, (int) ($query['limit'] ?? self::PAGE)));
        $start = max(0, (int) ($query['token'] ?? 0));
        $links = [['rel' => 'self', 'href' => $this->base().$path]];
        if ($start + $limit < count($scenes)) {
            $next = $start + $limit;
            $links[] = $request->isMethod('POST')
                ? ['rel' => 'next', 'href' => $this->base().$path, 'method' => 'POST', 'merge' => true, 'body' => ['token' => (string) $next]]
                : ['rel' => 'next', 'href' => $this->base().$path.'?'.http_build_query(['token' => $next] + self::query($request)), 'method' => 'GET'];
        }

        return $this->json([
            'type' => 'FeatureCollection',
            'features' => array_map(fn (CatalogueScene $scene): array => SceneArchive::item($scene, $this->base()), array_slice($scenes, $start, $limit)),
            'links' => $links,
            'numberMatched' => count($scenes),
            'numberReturned' => min($limit, max(0, count($scenes) - $start)),
        ]);
    }

    /** @return array<string, mixed> */
    private function describe(string $id): array
    {
        $scenes = array_filter(Catalogue::scenes(), fn (CatalogueScene $scene): bool => $scene->collection === $id);
        $places = array_merge(...array_values(array_map(Catalogue::footprint(...), $scenes)));
        $dates = array_values(array_map(fn (CatalogueScene $scene): string => $scene->datetime, $scenes));

        return [
            'type' => 'Collection',
            'stac_version' => '1.0.0',
            'id' => $id,
            'title' => Catalogue::COLLECTIONS[$id][0],
            'description' => Catalogue::COLLECTIONS[$id][1],
            'license' => 'CC0-1.0',
            'extent' => [
                'spatial' => [
                    'bbox' => [[min(array_column($places, 0)), min(array_column($places, 1)), max(array_column($places, 0)), max(array_column($places, 1))]],
                ],
                'temporal' => ['interval' => [[min($dates ?: ['']), max($dates ?: [''])]]],
            ],
            'links' => [
                ['rel' => 'self', 'href' => $this->base()."/collections/$id"],
                ['rel' => 'items', 'href' => $this->base()."/collections/$id/items"],
            ],
        ];
    }

    /** @return array<string, mixed> */
    private static function query(Request $request): array
    {
        $query = $request->query();

        return is_array($query) ? $query : [];
    }

    private function scene(string $id): CatalogueScene
    {
        return Catalogue::scenes()[$id] ?? abort(404);
    }

    private function base(): string
    {
        return url('/standin/archive');
    }

    /** @param  array<string, mixed>  $answer */
    private function json(array $answer, int $status = 200): JsonResponse
    {
        return new JsonResponse(
            $answer,
            $status,
            ['Content-Type' => isset($answer['features']) ? 'application/geo+json' : 'application/json'],
            JSON_UNESCAPED_SLASHES,
        );
    }
}
