<?php

namespace Chorometra\Core\Format\Stac;

use Chorometra\Core\Format\UntrustedValue;
use Chorometra\Core\Format\Vector\Geometry;
use Chorometra\Core\Format\Web\Http;
use Chorometra\Core\Format\Web\Unreachable;
use Chorometra\Core\Problem;

/**
 * An imagery archive that speaks the STAC API (1.0.0: core, item search, and where it is there the query extension).
 *
 * Whatever it answers, no more than a few thousand items are taken, and those that are no STAC Items are refused with a sentence.
 */
final class Api
{
    private const TRIES = 4;

    private const MOST_PAGES = 50;

    private readonly string $base;

    /** How often the archive had to be asked again. */
    public int $again = 0;

    public function __construct(string $url)
    {
        $this->base = rtrim($url, '/');
    }

    /**
     * What the archive says of itself.
     *
     * @return array{title: string, collections: list<array{id: string, title: string}>}
     *
     * @throws Problem where it is no STAC API with an item search
     */
    public function about(): array
    {
        $landing = $this->json($this->base);
        if (! isset($landing['stac_version']) || ! is_array($landing['links'] ?? null)) {
            throw Problem::input("{$this->name()} is no STAC API: its first page names neither a STAC version nor links.", 'archive');
        }
        if ($this->link($landing, 'search') === null) {
            throw Problem::input("{$this->name()} can't be searched: it offers no item search.", 'archive');
        }
        $collections = [];
        $data = $this->link($landing, 'data') ?? $this->link($landing, 'collections');
        foreach ($data === null ? [] : (array) ($this->json($data['href'])['collections'] ?? []) as $collection) {
            if (is_array($collection) && is_string($collection['id'] ?? null)) {
                $collections[] = ['id' => $collection['id'], 'title' => is_string($collection['title'] ?? null) ? $collection['title'] : $collection['id']];
            }
        }

        return ['title' => is_string($landing['title'] ?? null) ? $landing['title'] : $this->name(), 'collections' => $collections];
    }

    /**
     * Items that fit, in the order in which the archive gives them; pages are followed.
     *
     * @param  list<string>  $collections
     * @param  list<float>|null  $bbox  west, south, east, north in degrees
     * @param  string|null  $from  first and last day, as 2031-05-12
     * @param  float|null  $cloud  highest cloud cover in per cent; items that tell none are kept
     * @return array{items: list<array<string, mixed>>, more: bool}
     *
     * @throws Problem where the archive does not answer, or in another way
     */
    public function search(array $collections = [], ?array $bbox = null, ?string $from = null, ?string $to = null, ?float $cloud = null, int $most = 200): array
    {
        $landing = $this->json($this->base);
        $link = $this->link($landing, 'search') ?? throw Problem::input("{$this->name()} is no STAC API that can be searched.", 'archive');
        $query = array_filter(
            [
                'collections' => $collections ?: null,
                'bbox' => $bbox,
                'datetime' => $from === null && $to === null ? null :
                    ($from === null ? '..' : "{$from}T00:00:00Z").'/'.($to === null ? '..' : "{$to}T23:59:59Z"),
                'limit' => min(100, $most),
            ],
            fn (mixed $value): bool => $value !== null,
        );
        $canQuery =
            array_filter((array) ($landing['conformsTo'] ?? []), fn (mixed $class): bool => is_string($class) && str_contains($class, 'item-search#query')) !==
            [];
        if ($cloud !== null && $canQuery) {
            $query['query'] = ['eo:cloud_cover' => ['lte' => $cloud]];
        }
        $answer = $this->json($link['href'], $query);
        $items = [];
        for ($page = 0; $page < self::MOST_PAGES; $page++) {
            if (($answer['type'] ?? null) !== 'FeatureCollection' || ! is_array($answer['features'] ?? null)) {
                throw Problem::input("{$this->name()} answers the search with something that is no list of items.", 'archive');
            }
            foreach ($answer['features'] as $item) {
                $item = $this->checked($item);
                $cover = $item['properties']['eo:cloud_cover'] ?? null;
                if ($cloud === null || ! is_float($cover) || $cover <= $cloud) {
                    $items[] = $item;
                }
            }
            $next = $this->link($answer, 'next');
            if ($next === null || count($items) >= $most) {
                return ['items' => array_slice($items, 0, $most), 'more' => $next !== null || count($items) > $most];
            }
            $isPost = is_string($next['method'] ?? null) && strtoupper($next['method']) === 'POST';
            $body = is_array($next['body'] ?? null) ? $next['body'] : [];
            $answer = $this->json($next['href'], $isPost ? (($next['merge'] ?? false) === true ? array_merge($query, $body) : $body) : null, $isPost);
        }

        return ['items' => $items, 'more' => true];
    }

    /** @return array<string, mixed> */
    public function item(string $collection, string $id): array
    {
        return $this->checked($this->json("$this->base/collections/".rawurlencode($collection).'/items/'.rawurlencode($id)));
    }

    /**
     * Asks for a scene to be made ready, where the archive wants to be asked (order extension).
     *
     * @return array<string, mixed> the item as it then is
     *
     * @throws Problem where the archive does not say how to order
     */
    public function order(mixed $item): array
    {
        $item = $this->checked($item);
        $link = $this->link($item, 'order') ?? throw Problem::input("{$this->name()} says that {$item['id']} has to be ordered, but not where.", 'scene');

        return $this->checked($this->json($link['href'], null, true));
    }

    /**
     * @param  array<string, mixed>|null  $body
     * @return array<string, mixed>
     */
    private function json(string $url, ?array $body = null, bool $post = false): array
    {
        for ($try = 1; ; $try++) {
            try {
                return Http::json($url, $this->name(), $body, $post);
            } catch (Unreachable $problem) {
                if ($try >= self::TRIES) {
                    throw $problem;
                }
                $this->again++;
                usleep(100_000 * 2 ** $try);
            }
        }
    }

    public function name(): string
    {
        return 'The archive at '.$this->base;
    }

    /**
     * @param  array<string, mixed>  $page
     * @return array{href: string, method?: mixed, body?: mixed, merge?: mixed}|null with an absolute address
     */
    private function link(array $page, string $relation): ?array
    {
        foreach ((array) ($page['links'] ?? []) as $link) {
            if (is_array($link) && ($link['rel'] ?? null) === $relation && is_string($link['href'] ?? null)) {
                return ['href' => $this->absolute($link['href'])] + array_intersect_key($link, ['method' => 1, 'body' => 1, 'merge' => 1]);
            }
        }

        return null;
    }

    public function absolute(string $href): string
    {
        if (preg_match('~^[a-z][a-z0-9+.-]*:~i', $href)) {
            return $href;
        }

        return str_starts_with($href, '/')
            ? (string) preg_replace('~^(https?://[^/]+).*$~i', '$1', $this->base).$href
            : "$this->base/".preg_replace('~^(\./)+~', '', $href);
    }

    /**
     * An item with an id, properties and assets that are what they should be; what else it holds is as it came.
     *
     * @return array{
     *     id: string,
     *     collection: string,
     *     properties: array<string, mixed>,
     *     assets: array<string, array<string, mixed>>,
     *     links: list<mixed>,
     *     geometry: array<string, mixed>|null
     * }
     */
    private function checked(mixed $item): array
    {
        if (
            ! is_array($item) ||
            ($item['type'] ?? null) !== 'Feature' ||
            ! is_string($item['id'] ?? null) ||
            $item['id'] === '' ||
            ! is_array($item['assets'] ?? null) ||
            ! is_array($item['properties'] ?? null)
        ) {
            throw Problem::input("{$this->name()} answers with something that is no STAC Item.", 'archive');
        }

        // numbers beyond any would break what they are written into
        array_walk_recursive($item, function (mixed &$value): void {
            $value = is_float($value) && ! is_finite($value) ? null : $value;
        });
        $told = new UntrustedValue($item);

        return [
            'id' => $told->at('id')->text() ?? throw Problem::input("{$this->name()} answers with an item whose id is too long.", 'archive'),
            'collection' => $told->at('collection')->text() ?? '',
            'properties' => Properties::of($told->at('properties')),
            'assets' => self::assets($told->at('assets')),
            'links' => array_values($told->at('links')->raw()),
            'geometry' => $this->outline($told->at('geometry')->raw()),
        ] + $item;
    }

    /**
     * @param  array<mixed>  $geometry
     * @return array<string, mixed>|null
     */
    private function outline(array $geometry): ?array
    {
        try {
            return Geometry::checked($geometry, $this->name());
        } catch (Problem) {
            return null;
        }
    }

    /** @return array<string, array<string, mixed>> those that can be fetched */
    private static function assets(UntrustedValue $told): array
    {
        $assets = [];
        foreach ($told->members() as $name => $asset) {
            $href = $asset->at('href')->text();
            if ($href !== null) {
                $size = $asset->at('file:size')->whole();
                $sound = [
                    'href' => $href,
                    'type' => $asset->at('type')->text(),
                    'roles' => $asset->at('roles')->texts(),
                    'file:size' => $size !== null && $size >= 0 ? $size : null,
                    'file:checksum' => $asset->at('file:checksum')->text(),
                    'sar:polarizations' => $asset->at('sar:polarizations')->texts() ?: null,
                    'eo:bands' => self::bands($asset->at('eo:bands')),
                    'bands' => self::bands($asset->at('bands')),
                ];
                // what is of another type than it should be is as if it were not told
                $assets[(string) $name] = array_filter($sound, fn (mixed $value): bool => $value !== null) + array_diff_key($asset->raw(), $sound);
            }
        }

        return $assets;
    }

    /** @return list<array<mixed>>|null */
    private static function bands(UntrustedValue $told): ?array
    {
        return $told->isMap() ? array_map(fn (UntrustedValue $band): array => $band->raw(), $told->list()) : null;
    }
}
