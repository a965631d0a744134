<?php

namespace Chorometra\Demo;

use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Workers;

/** Makes everything that the demo study works on, the same every time. */
final class Simulator
{
    /** name => date, later state, sky, sun elevation and azimuth, seed, pixels of 10 m that it lies off to the east and the south, whether lines are bad */
    /** That takes a bundle in. */
    public const KIND = 'gather.bundle';

    public const SCENES = [
        'orvane-2031' => ['2031-05-12', false, 'clear', 52.4, 148.2, 1000, 0, 0, false],
        'orvane-2033' => ['2033-06-03', true, 'hazy', 56.1, 150.9, 2000, 3, -1, true],
    ];

    /** @return list<string> the bundles */
    public static function make(string $folder): array
    {
        $names = array_keys(self::SCENES);
        Workers::run(count($names), new Context(2), 'simulating', function (int $index) use ($names, $folder): int {
            [$date, $later, $sky, $elevation, $azimuth, $seed, $east, $south, $scratches] = self::SCENES[$names[$index]];
            // one process each is enough: the two dates share the processors
            $context = new Context(1);
            $landscape = Landscape::at($later);
            $scene = new OpticalScene($landscape, $date, $sky, $elevation, $azimuth, $seed, east: $east, south: $south, scratches: $scratches);
            try {
                $scene->write(self::bundle($folder, $names[$index]), self::truth($folder, $names[$index]), $context);
                Thumbnails::make(self::thumbnails($folder), $landscape, $later);
            } finally {
                $context->clean();
            }

            return $index;
        }, fn (int $index, mixed $answer) => null);

        return array_map(fn (string $name): string => self::bundle($folder, $name), $names);
    }

    public static function bundle(string $folder, string $name): string
    {
        return "$folder/$name.tar.gz";
    }

    /** Where small pictures of all that the archive holds lie. */
    public static function thumbnails(string $folder): string
    {
        return "$folder/thumbnails";
    }

    public static function truth(string $folder, string $name): string
    {
        return "$folder/$name-truth.tif";
    }
}
