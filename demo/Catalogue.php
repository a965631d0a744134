<?php

namespace Chorometra\Demo;

use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Window;

/** What the made-up archive holds of Orvane Sound: two optical missions, a radar mission, air photos, over four years. */
final class Catalogue
{
    /** id => title, description, platform, instrument */
    public const COLLECTIONS = [
        'velisande-level1' => [
            'Velisande-1 Quillon, level 1',
            'Six bands at 20 m, pan at 10 m, thermal; bundles with a metadata text',
            'velisande-1',
            'quillon',
        ],
        'orlune-surface' => ['Orlune-2 Tambrel', 'Four bands at 40 m as surface reflectance; bundles described by a STAC Item', 'orlune-2', 'tambrel'],
        'cassavel-intensity' => ['Cassavel-1', 'Radar intensity, VV and VH, at 20 m', 'cassavel-1', 'c-band'],
        'cassavel-complex' => [
            'Cassavel-1 single looks',
            'Complex samples in four polarisations, in the geometry of the sensor, with ground control points',
            'cassavel-1',
            'c-band',
        ],
        'hollin-photos' => ['Hollin air photos', 'True colour at 0.5 m', 'aeroplane', 'camera'],
        'orvane-heights' => ['Orvane heights', 'Elevation model at 20 m', 'survey', 'levels'],
    ];

    private const OPTICAL = 'velisande-level1';

    /** @return array<string, CatalogueScene> by id */
    public static function scenes(): array
    {
        static $scenes = null;
        if ($scenes !== null) {
            return $scenes;
        }
        $list = [];
        foreach (Simulator::SCENES as [$date, $later, $sky, $elevation, $azimuth, $seed]) {
            $list[] = new CatalogueScene(
                'VL1_ORVANE_'.str_replace('-', '', $date),
                self::OPTICAL,
                $date.'T10:41:22Z',
                0.0,
                new Window(0, 0, Landscape::SIZE, Landscape::SIZE),
                $elevation,
                $azimuth,
                $later,
                $seed,
                $sky,
            );
        }
        $list[] = new CatalogueScene(
            'ORVANE_HEIGHTS',
            'orvane-heights',
            '2030-01-01T00:00:00Z',
            0.0,
            new Window(0, 0, Landscape::SIZE, Landscape::SIZE),
            90.0,
            180.0,
            false,
            1,
            'clear',
        );
        foreach (
            [
                [self::OPTICAL, 'VL1_ORVANE', 16, 83, 10.7],
                ['orlune-surface', 'OL2_ORVANE', 10, 131, 10.3],
                ['cassavel-intensity', 'CS1_ORVANE', 8, 167, 5.6],
                ['hollin-photos', 'HOLLIN', 4, 331, 9.4],
            ] as [$collection, $prefix, $number, $every, $hour]
        ) {
            for ($k = 0; $k < $number; $k++) {
                $day = 11 + $every * $k + (int) (20 * Noise::hash($k, $number, 5));
                $list[] = self::scene($collection, $prefix, (new \DateTimeImmutable('2030-01-01'))->modify("+$day days"), $hour, $k, 100 + 10 * count($list));
            }
        }
        foreach (['2031-04-20' => false, '2033-05-14' => true] as $date => $later) {
            $list[] = new CatalogueScene(
                'CS1_SINGLE_'.str_replace('-', '', $date),
                'cassavel-complex',
                $date.'T05:36:12Z',
                0.0,
                new Window(60, 60, 1080, 1080),
                90.0,
                180.0,
                $later,
                900 + (int) $later,
                'clear',
            );
        }
        foreach ($list as $scene) {
            $scenes[$scene->id] = $scene;
        }

        return $scenes;
    }

    private static function scene(string $collection, string $prefix, \DateTimeImmutable $date, float $hour, int $k, int $seed): CatalogueScene
    {
        $chance = fn (int $what): float => Noise::hash($k, $what, $seed);
        // the sun at about the hour of the pass, 54.7° north (declination by a cosine, good enough for made-up scenes)
        $declination = -23.44 * cos(2 * M_PI * ((int) $date->format('z') + 10) / 365);
        $angle = deg2rad(15 * ($hour + 0.6 - 12));
        [$phi, $delta] = [deg2rad(54.7), deg2rad($declination)];
        $elevation = rad2deg(asin(sin($phi) * sin($delta) + cos($phi) * cos($delta) * cos($angle)));
        $azimuth = 180 + rad2deg(atan2(sin($angle), cos($angle) * sin($phi) - tan($delta) * cos($phi)));
        $n = Landscape::SIZE;
        // some see all of it, some a part: cut at multiples of 40 m
        $cut = $chance(1);
        $window = match (true) {
            $collection === 'hollin-photos' => new Window(100 + 8 * $k, 240, 80, 60),
            $cut < 0.4 => new Window(0, 0, $n, $n),
            $cut < 0.6 => new Window(0, 0, 4 * (int) (150 + 100 * $chance(2)), $n),
            $cut < 0.8 => new Window(4 * (int) (60 + 80 * $chance(2)), 0, 4 * (int) (150 + 10 * $chance(3)), $n),
            default => new Window(0, 4 * (int) (80 + 60 * $chance(2)), $n, 4 * (int) (120 + 30 * $chance(3))),
        };
        $window = $window->within($n, $n);
        $clouds = in_array($collection, ['cassavel-intensity', 'hollin-photos'], true) ? 0.0 : round(max(0.0, 1.25 * $chance(4) - 0.25) ** 1.4, 3);

        return new CatalogueScene(
            $prefix.'_'.$date->format('Ymd'),
            $collection,
            $date->format('Y-m-d').sprintf('T%02d:%02d:%02dZ', (int) $hour, 60 * fmod($hour, 1), (int) (60 * $chance(5))),
            $clouds,
            $window,
            round($elevation, 2),
            round($azimuth, 2),
            $date->format('Y-m-d') >= '2032-06-01',
            $seed,
            $chance(6) > 0.7 ? 'hazy' : 'clear',
        );
    }

    /** @return list<array{float, float}> the footprint's closed ring in longitude and latitude */
    public static function footprint(CatalogueScene $scene): array
    {
        $grid = OpticalScene::grid(10)->crop($scene->window);
        // the slanting left edge of optical scenes
        $slant = $scene->collection === self::OPTICAL && $scene->window->col === 0 ? 0.02 * $grid->height : 0.0;
        $ring = [];
        foreach ([[$slant, 0], [0, $grid->height], [$grid->width, $grid->height], [$grid->width, 0], [$slant, 0]] as [$col, $row]) {
            $place = Crs::toGeographic($grid->epsg, ...$grid->toMap($col, $row));
            assert($place !== null);
            $ring[] = [round($place[0], 6), round($place[1], 6)];
        }

        return $ring;
    }
}
