<?php

namespace App\Standin;

use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Files;
use Chorometra\Demo\AirPhoto;
use Chorometra\Demo\Catalogue;
use Chorometra\Demo\CatalogueScene;
use Chorometra\Demo\ComplexRadar;
use Chorometra\Demo\Elevation;
use Chorometra\Demo\OpticalScene;
use Chorometra\Demo\Radar;
use Chorometra\Demo\Simulator;

/** A simulated imagery archive: what it holds of Orvane Sound, made when it is ordered, with the manners of a real one. */
final class SceneArchive
{
    /**
     * How it behaves: bytes a second, seconds that an order takes, every how manieth download breaks off, and every how manieth search is refused (0
     * never).
     */
    private const BEHAVIOUR = ['rate' => 4_000_000, 'pause' => 1.0, 'torn' => 4, 'busy' => 9];

    private const FILES = [
        'velisande-level1' => ['bundle', 'tar.gz', 'application/gzip'],
        'orlune-surface' => ['bundle', 'zip', 'application/zip'],
        'cassavel-intensity' => ['image', 'tif', 'image/tiff; application=geotiff'],
        'cassavel-complex' => ['image', 'tif', 'image/tiff; application=geotiff'],
        'hollin-photos' => ['photo', 'tif', 'image/tiff; application=geotiff'],
        'orvane-heights' => ['heights', 'tif', 'image/tiff; application=geotiff'],
    ];

    /** @return array{rate: int, pause: float, torn: int, busy: int} */
    public static function behaviour(): array
    {
        $set = json_decode((string) @file_get_contents(self::folder().'/behaviour.json'), true);

        return array_intersect_key(is_array($set) ? $set : [], self::BEHAVIOUR) + self::BEHAVIOUR;
    }

    /** @param  array<string, int|float>  $set */
    public static function behave(array $set): void
    {
        Files::write(self::folder().'/behaviour.json', (string) json_encode($set));
        array_map(unlink(...), glob(self::folder().'/count-*') ?: []);
    }

    /** Whether this is one of those that go wrong; $what is counted. */
    public static function goesWrong(string $what, int $every): bool
    {
        if ($every < 1) {
            return false;
        }
        Files::folder(self::folder());
        $handle = fopen(self::folder()."/count-$what", 'c+');
        if ($handle === false || ! flock($handle, LOCK_EX)) {
            return false;
        }
        $count = 1 + (int) stream_get_contents($handle);
        rewind($handle);
        fwrite($handle, (string) $count);
        fclose($handle);

        // the second is the first to go wrong: whoever looks sees it soon
        return $count % $every === min(2, $every) % $every;
    }

    /** The file of a scene, whether it is there or not. */
    public static function path(CatalogueScene $scene): string
    {
        foreach (array_keys(Simulator::SCENES) as $name) {
            if ($scene->id === 'VL1_ORVANE_'.str_replace('-', '', Simulator::SCENES[$name][0])) {
                return Simulator::bundle(config()->string('chorometra.demo'), $name);
            }
        }

        return self::folder()."/$scene->id.".self::FILES[$scene->collection][1];
    }

    public static function thumbnail(CatalogueScene $scene): string
    {
        return Simulator::thumbnails(config()->string('chorometra.demo'))."/$scene->id.png";
    }

    public static function order(CatalogueScene $scene): void
    {
        if (! is_file(self::path($scene))) {
            Files::write(self::folder()."/$scene->id.ordered", (string) microtime(true));
        }
    }

    /** orderable, pending or succeeded; an order whose time has come is made here. */
    public static function status(CatalogueScene $scene): string
    {
        $path = self::path($scene);
        if (is_file($path)) {
            return 'succeeded';
        }
        $ordered = @file_get_contents(self::folder()."/$scene->id.ordered");
        if ($ordered === false) {
            return 'orderable';
        }
        if (microtime(true) - (float) $ordered < self::behaviour()['pause']) {
            return 'pending';
        }
        $lock = fopen(self::folder()."/$scene->id.lock", 'c');
        if ($lock === false || ! flock($lock, LOCK_EX | LOCK_NB)) {
            return 'pending';
        }
        self::make($scene, $path);
        fclose($lock);
        @unlink(self::folder()."/$scene->id.lock");
        @unlink(self::folder()."/$scene->id.ordered");

        return 'succeeded';
    }

    /**
     * @param  string  $base  address of the archive
     * @param  bool  $full  with whether it can be fetched; else as it stands in a list
     * @return array<string, mixed> a STAC Item
     */
    public static function item(CatalogueScene $scene, string $base, bool $full = false): array
    {
        [$title, , $platform, $instrument] = Catalogue::COLLECTIONS[$scene->collection];
        [$key, , $type] = self::FILES[$scene->collection];
        $ring = Catalogue::footprint($scene);
        $path = self::path($scene);
        $status = $full ? self::status($scene) : (is_file($path) ? 'succeeded' : 'orderable');
        $asset = ['href' => "$base/assets/$scene->id/".basename($path), 'type' => $type, 'title' => $title, 'roles' => ['data']];
        if ($status === 'succeeded') {
            $asset += ['file:size' => (int) filesize($path), 'file:checksum' => '1220'.self::checksum($path)];
        }
        if ($scene->collection === 'hollin-photos') {
            $asset['eo:bands'] = [['common_name' => 'red'], ['common_name' => 'green'], ['common_name' => 'blue']];
        }
        $optical = $scene->collection === 'velisande-level1' || $scene->collection === 'orlune-surface';

        return [
            'type' => 'Feature',
            'stac_version' => '1.0.0',
            'stac_extensions' => array_map(fn (string $name): string => "https://stac-extensions.github.io/$name/schema.json", [
                'eo/v1.1.0',
                'view/v1.0.0',
                'file/v2.1.0',
                'order/v1.1.0',
            ]),
            'id' => $scene->id,
            'collection' => $scene->collection,
            'geometry' => ['type' => 'Polygon', 'coordinates' => [$ring]],
            'bbox' => [min(array_column($ring, 0)), min(array_column($ring, 1)), max(array_column($ring, 0)), max(array_column($ring, 1))],
            'properties' => ['datetime' => $scene->datetime, 'title' => $title, 'platform' => $platform, 'instruments' => [$instrument],
                'order:status' => $status] +
                ($optical
                    ? [
                        'eo:cloud_cover' => round(100 * $scene->clouds, 1),
                        'view:sun_elevation' => $scene->sunElevation,
                        'view:sun_azimuth' => $scene->sunAzimuth,
                    ]
                    : []) +
                match ($scene->collection) {
                    'cassavel-intensity' => [
                        'sar:polarizations' => ['VV', 'VH'],
                        'sar:instrument_mode' => 'strip',
                        'sar:frequency_band' => 'C',
                        'sar:product_type' => 'intensity',
                        'sar:looks_equivalent_number' => 4,
                    ],
                    'cassavel-complex' => [
                        'sar:polarizations' => ['HH', 'HV', 'VH', 'VV'],
                        'sar:instrument_mode' => 'strip',
                        'sar:frequency_band' => 'C',
                        'sar:product_type' => 'SLC',
                        'sar:looks_range' => 1,
                        'sar:looks_azimuth' => 1,
                    ],
                    default => [],
                },
            'links' => [
                ['rel' => 'self', 'href' => "$base/collections/$scene->collection/items/$scene->id", 'type' => 'application/geo+json'],
                ['rel' => 'collection', 'href' => "$base/collections/$scene->collection", 'type' => 'application/json'],
                ['rel' => 'order', 'href' => "$base/orders/$scene->id", 'method' => 'POST'],
            ],
            'assets' => ['thumbnail' => ['href' => "$base/thumbnails/$scene->id.png", 'type' => 'image/png', 'roles' => ['thumbnail']], $key => $asset],
        ];
    }

    private static function make(CatalogueScene $scene, string $path): void
    {
        ini_set('memory_limit', '1536M');
        set_time_limit(120);
        Files::folder(dirname($path));
        $context = new Context(2, self::folder());
        try {
            match ($scene->collection) {
                'velisande-level1' => OpticalScene::of($scene)->write($path, null, $context),
                'orlune-surface' => OpticalScene::of($scene)->writeSecond(
                    $path,
                    $scene->id,
                    array_diff_key(self::item($scene, '')['properties'], ['order:status' => 1, 'title' => 1]),
                    $context,
                ),
                'cassavel-intensity' => Radar::write($path, $scene, $context),
                'cassavel-complex' => ComplexRadar::write($path, $scene),
                'orvane-heights' => Elevation::write($path, $context),
                default => AirPhoto::write($path, $scene, $context),
            };
        } finally {
            $context->clean();
        }
    }

    private static function checksum(string $path): string
    {
        $kept = self::folder().'/'.basename($path).'.sha256';
        if (! is_file($kept) || filemtime($kept) < filemtime($path)) {
            Files::write($kept, (string) hash_file('sha256', $path));
        }

        return (string) file_get_contents($kept);
    }

    private static function folder(): string
    {
        return config()->string('chorometra.files').'/standin-archive';
    }
}
