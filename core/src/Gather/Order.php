<?php

namespace Chorometra\Core\Gather;

use Chorometra\Core\Engine\Execution;
use Chorometra\Core\Engine\Runner;
use Chorometra\Core\Format\Bundle\Contents;
use Chorometra\Core\Format\Bundle\StacProfile;
use Chorometra\Core\Format\GeoTiff\GeoTiffImage;
use Chorometra\Core\Format\Stac\Api;
use Chorometra\Core\Format\Stac\Fetch;
use Chorometra\Core\Format\Stac\Sidecar;
use Chorometra\Core\Format\Web\Unreachable;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\CallOpener;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Service;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Work;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;

/** A scene from an imagery archive: ordered where it has to be, fetched, compared with its checksum, and read in. */
final class Order implements Kind
{
    private const TRIES = 8;

    public function declaration(): Declaration
    {
        return new Declaration(
            'gather.order',
            'Archive scene',
            'Orders a scene from an imagery archive, downloads it even over a poor connection, verifies it and reads it.',
            [],
            [
                Setting::text('archive', null, 'Address of the archive, a STAC API.', required: true)->leadsTo(Service::Archive),
                Setting::text('collection', null, 'Collection of the archive.', required: true),
                Setting::text('scene', null, 'Id of the scene.', required: true)->ofImage(),
                Setting::choices('groups', Bundle::GROUPS, ['multispectral'], 'Band groups to read, for a bundle.'),
                Setting::number('patience', 30.0, 'How long to wait for the order to be ready.', 'minutes', 0.001, 1440),
                Setting::choice('thermal', ['own', 'joined'], 'own', 'Thermal bands as an image of their own, or as part of the multispectral one.'),
            ],
            [new Port('result', PortType::Folder, 'A folder with one image per group.', endings: [''])],
            'STAC API 1.0.0 (item search); STAC extensions file and order.',
            synonyms: ['catalogue', 'search', 'STAC', 'download'],
            example: new Example([], needs: 'an archive'),
            figures: [
                Figure::text('scene', 'scene'),
                Figure::text('archive', 'archive'),
                Figure::text('collection', 'collection'),
                Figure::curve('along', 'fetched', ['time' => 's', 'fetched' => 'MB']),
                Figure::number('fetched', 'fetched', 'bytes'),
                Figure::list('on-the-way', 'on the way'),
                ...(new SingleImage)->declaration()->figures,
                ...(new Bundle)->declaration()->figures,
            ],
            isLong: true,
            desk: new Desk(1, ['{scene}'], page: 'archive'),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $api = new Api($call->text('archive'));
        $fetch = new Fetch($call->context->kept(), $call->context->part(0.1, 0.6));
        $call->context->report(0.0, 'asking the archive');
        $item = $this->ready($call, $api, $fetch);
        $files = [];
        $profile = StacProfile::parse((string) json_encode($item));
        $assets = $this->assets($item, $profile, $call->texts('groups'));
        foreach ($assets as $name => $asset) {
            $files[$name] = $fetch->asset($asset, $api->absolute((string) $asset['href']));
        }
        $figures = $this->take($call, $item, $assets, $files, $call->context->part(0.6, 1.0));
        array_map(fn (string $file): bool => @unlink($file), $files);

        return [
            'scene' => $item['id'],
            'archive' => $call->text('archive'),
            'collection' => $call->text('collection'),
            'fetched' => array_sum(array_map(fn (array $asset): int => (int) ($asset['file:size'] ?? 0), $assets)) ?: null,
            'on-the-way' => $fetch->story ?: null,
            'along' => array_map(fn (array $point): array => ['time' => $point[0], 'fetched' => $point[1]], $fetch->curve),
        ] + $figures;
    }

    /**
     * The item once its assets can be fetched.
     *
     * @return array<string, mixed>
     */
    private function ready(Call $call, Api $api, Fetch $fetch): array
    {
        $item = $this->asked($fetch, fn (): array => $api->item($call->text('collection'), $call->text('scene')));
        $ordered = false;
        $until = microtime(true) + 60 * $call->number('patience');
        for ($round = 0; ; $round++) {
            $status = $item['properties']['order:status'] ?? 'succeeded';
            $status = is_string($status) ? $status : 'of an unknown kind';
            if ($status === 'succeeded') {
                return $item;
            }
            if ($status === 'orderable' && ! $ordered) {
                $call->context->report(0.02, 'ordering '.$item['id']);
                $item = $this->asked($fetch, fn (): array => $api->order($item));
                $ordered = true;

                continue;
            }
            if (in_array($status, ['failed', 'canceled'], true)) {
                throw Problem::input("The archive could not prepare {$item['id']} (its order is $status): try again later, or choose another scene.", 'scene');
            }
            if (microtime(true) > $until) {
                throw Problem::input(
                    "{$item['id']} is not ready after {$call->text('patience')} minutes (its order is $status): run the step again later; the order is kept.",
                    'scene',
                );
            }
            $fetch->wait(min(8.0, 0.5 * 1.5 ** min(20, $round)), "{$item['id']} is being prepared", $round + 2);
            $item = $this->asked($fetch, fn (): array => $api->item($call->text('collection'), $call->text('scene')));
        }
    }

    /**
     * @template T
     *
     * @param  \Closure(): T  $ask
     * @return T
     */
    private function asked(Fetch $fetch, \Closure $ask): mixed
    {
        for ($try = 1; ; $try++) {
            try {
                return $ask();
            } catch (Unreachable $problem) {
                if ($try >= self::TRIES) {
                    throw $problem;
                }
                $fetch->story[] = $problem->getMessage();
                $fetch->wait(min(8.0, 0.25 * 2 ** $try), 'the archive does not answer', $try + 1);
            }
        }
    }

    /**
     * What is to be fetched: the bundle, or the bands of the groups wanted, or the one image there is.
     *
     * @param  array<string, mixed>  $item
     * @param  list<string>  $groups
     * @return array<string, array<string, mixed>>
     */
    private function assets(array $item, ?StacProfile $profile, array $groups): array
    {
        $assets = array_filter($item['assets'], fn (mixed $asset): bool => is_array($asset) && is_string($asset['href'] ?? null));
        $bundles = array_filter($assets, fn (array $asset): bool => preg_match('~gzip|x-tar|zip~', (string) ($asset['type'] ?? '')) === 1);
        if ($bundles !== []) {
            return array_slice($bundles, 0, 1);
        }
        $wanted = [];
        foreach ($groups as $group) {
            foreach ($profile?->bands($group) ?? [] as ['file' => $file]) {
                foreach ($assets as $name => $asset) {
                    if (basename($asset['href']) === $file) {
                        $wanted[$name] = $asset;
                    }
                }
            }
        }
        if ($wanted !== []) {
            return $wanted;
        }
        $images = array_filter(
            $assets,
            fn (array $asset): bool => str_starts_with((string) ($asset['type'] ?? ''), 'image/tiff') &&
                ! in_array('thumbnail', (array) ($asset['roles'] ?? []), true),
        );
        if ($images === []) {
            throw Problem::input(
                "{$item['id']} has neither a bundle nor GeoTIFF images; it has ".
                    (implode(', ', array_keys($assets)) ?: 'no assets').
                    '.',
                'scene',
            );
        }

        return array_slice($images, 0, 1);
    }

    /**
     * @param  array<string, mixed>  $item
     * @param  array<string, array<string, mixed>>  $assets
     * @param  array<string, string>  $files
     * @return array<string, mixed>
     */
    private function take(Call $call, array $item, array $assets, array $files, Context $context): array
    {
        $first = array_key_first($assets);
        assert(is_string($first));
        if (
            count($assets) === 1 &&
            str_starts_with((string) ($assets[$first]['type'] ?? ''), 'image/tiff') &&
            count((array) ($assets[$first]['eo:bands'] ?? ($assets[$first]['bands'] ?? []))) !== 1
        ) {
            return $this->image($call, $item, $assets[$first], $files[$first], $context);
        }
        $path = $files[$first];
        if (count($assets) > 1 || str_starts_with((string) ($assets[$first]['type'] ?? ''), 'image/tiff')) {
            // bands one by one: a folder with the item beside them is a bundle too
            $path = $call->context->folder().'/bands';
            Files::folder($path);
            foreach ($assets as $name => $asset) {
                // two assets of one name would be one file
                @link($files[$name], "$path/".Fetch::name((string) $asset['href']));
            }
            Files::write("$path/item.json", (string) json_encode($item));
        }
        $bundle = new Bundle;
        // groups that a scene does not have are no reason to leave the others
        $profile = Contents::of($path, $call->context->folder())->profile;
        $there = array_values(array_filter($call->texts('groups'), fn (string $group): bool => $profile?->bands($group) !== []));

        $settings = ['groups' => $there ?: $call->texts('groups'), 'thermal' => $call->text('thermal')];
        $own = CallOpener::call($bundle, ['image' => $path], $settings, $call->outputs, $context);

        return $bundle->run($own, new Execution($own));
    }

    /**
     * One image that holds all bands: radar, air photos.
     *
     * @param  array<string, mixed>  $item
     * @param  array<string, mixed>  $asset
     * @return array<string, mixed>
     */
    private function image(Call $call, array $item, array $asset, string $file, Context $context): array
    {
        $bands = (array) ($asset['eo:bands'] ?? ($asset['bands'] ?? []));
        $roles = array_map(
            fn (mixed $band): string => is_array($band) && in_array($band['common_name'] ?? ($band['eo:common_name'] ?? null), Band::ROLES, true)
                ? $band['common_name'] ?? $band['eo:common_name']
                : '-',
            array_values($bands),
        );
        $polarisations = $asset['sar:polarizations'] ?? ($item['properties']['sar:polarizations'] ?? null);
        if ($roles === [] && is_array($polarisations)) {
            $roles = array_map(fn (mixed $name): string => strtolower((string) $name), array_values($polarisations));
        }
        $kind = new SingleImage;
        $path = $call->outputs['result'].'/image.tif';
        $settings = ['roles' => $roles, 'date' => substr((string) ($item['properties']['datetime'] ?? ''), 0, 10)];
        $figures = Runner::run($kind, CallOpener::call($kind, ['image' => $file], array_filter($settings), ['result' => $path], $context));
        unset($figures['seconds'], $figures['memory']);
        $known = array_filter(
            (array) ($item['properties'] ?? []),
            fn (string $name): bool => in_array($name, ['datetime', 'platform', 'instruments'], true) || preg_match('/^(sar|view):/', $name) === 1,
            ARRAY_FILTER_USE_KEY,
        );
        Sidecar::add($path, (new GeoTiffImage($path))->spec(), array_filter($known, fn (mixed $value): bool => $value !== null));

        return ['read' => Fetch::name((string) $asset['href'])] + $figures;
    }
}
