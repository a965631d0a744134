<?php

namespace Chorometra\Core\Classify\Keys;

use Chorometra\Core\Classify\Cases\Cases;
use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Regions\Runs\RunBlocks;
use Chorometra\Core\Regions\Runs\RunMap;
use Chorometra\Core\Work\Context;

/** What a key makes of pixels: a map of runs, whose connected parts are tidied as segments are. */
final readonly class PixelMap
{
    private const SAMPLE = 250_000;

    /** @param  \Closure(Couplet, Cases): ?Learnt  $learnt */
    public function __construct(
        private KeyDocument $key,
        private PixelQuestions $questions,
        private \Closure $learnt,
        private Grid $grid,
        private ?Ground $ground,
    ) {}

    /**
     * Codes of the runs are those of the classes and one more.
     *
     * @return array{RunBlocks, array<string, array<int, array{cases: int, pixels: float, hectares: float|null}>>} and what went each way
     */
    public function blocks(Context $context): array
    {
        [$blocks, $told] = RunBlocks::made($this->grid->width, $this->grid->height, 4, $context, 'asking', function (int $first, int $rows): array {
            $window = new Window(0, $first, $this->grid->width, $rows);
            [$sorting, $places] = $this->sorted($window);
            $runs = new RunMap($this->grid->width);
            $runs->append(self::laid($sorting->codes, $places, count($places), $window->pixels()), $rows);
            $area = $this->ground?->pixelArea(0.5 * $this->grid->width, $first + 0.5 * $rows);
            $ways = $sorting->ways;
            foreach ($ways as $couplet => $sides) {
                foreach ($sides as $side => $way) {
                    $ways[$couplet][$side]['hectares'] = $area === null ? null : $way['pixels'] * $area / 1e4;
                }
            }

            return [$runs, $ways];
        }, $this->questions->count());
        $ways = array_shift($told) ?? [];
        foreach ($told as $some) {
            foreach ($some as $couplet => $sides) {
                foreach ($sides as $side => $way) {
                    foreach ($way as $what => $number) {
                        $ways[$couplet][$side][$what] = $number === null ? null : $ways[$couplet][$side][$what] + $number;
                    }
                }
            }
        }

        return [$blocks, $ways];
    }

    /** How values lie that reach the couplets, by rows and columns evenly far apart. */
    public function sample(): KeyRun
    {
        return new KeyRun($this->key, $this->learnt, $this->questions->sample($this->grid, self::SAMPLE));
    }

    /**
     * Rows of the outputs asked for.
     *
     * @param  list<string>  $names
     * @param  list<int>|null  $codes  by part, 0 first; null where nothing was tidied
     * @param  list<bool>|null  $changed
     * @param  list<int>|null  $numbers
     * @return array<string, list<list<int>|list<float>>>
     */
    public function bands(RunBlocks $blocks, Window $window, array $names, int $nodata, ?array $codes, ?array $changed, ?array $numbers): array
    {
        $parts = $codes === null ? null : Codec::codes($blocks->samples($window), SampleType::UInt32);
        $bands = [];
        $own = $blocks->painted($window, fn (int $part, int $code): int => $code);
        if (in_array('classes', $names, true)) {
            $bands['classes'] = [self::classes($own, $parts, $codes, $nodata, count($own))];
        }
        if (in_array('segments', $names, true)) {
            $segments = [];
            foreach ($parts ?? [] as $part) {
                $segments[] = $numbers[$part] ?? 0;
            }
            $bands['segments'] = [$segments];
        }
        if (in_array('confidence', $names, true)) {
            [$sorting, $places] = $this->sorted($window);
            $sure = array_fill(0, $window->pixels(), NAN);
            foreach ($places as $i => $place) {
                $part = $parts[$place] ?? 0;
                if (($codes === null ? $own[$place] - 1 : $codes[$part]) !== 0 && ! ($changed[$part] ?? false)) {
                    $sure[$place] = $sorting->sure[$i];
                }
            }
            $bands['confidence'] = [$sure];
        }

        return $bands;
    }

    /** @return list<int> by part: the code of its class */
    public static function codes(RunBlocks $blocks): array
    {
        $codes = array_fill(0, $blocks->count, 0);
        for ($block = 0; $block < $blocks->blocks(); $block++) {
            [$map, $parts] = $blocks->block($block);
            foreach ($parts as $run => $part) {
                if ($part !== 0) {
                    $codes[$part - 1] = $map->codes[$run] - 1;
                }
            }
        }

        return $codes;
    }

    /** @return list<float>|null by part */
    public static function hectares(RunBlocks $blocks, ?Ground $ground): ?array
    {
        if ($ground === null) {
            return null;
        }
        $hectares = array_fill(0, $blocks->count, 0.0);
        for ($block = 0; $block < $blocks->blocks(); $block++) {
            [$map, $parts] = $blocks->block($block);
            for ($row = 0; $row < $map->rows(); $row++) {
                $area = $ground->pixelArea(0.5 * $blocks->width, $block * $blocks->rows + $row) / 1e4;
                $start = 0;
                for ($run = $map->rowStart[$row]; $run < $map->rowStart[$row + 1]; $run++) {
                    if ($parts[$run] !== 0) {
                        $hectares[$parts[$run] - 1] += $area * ($map->ends[$run] - $start);
                    }
                    $start = $map->ends[$run];
                }
            }
        }

        return $hectares;
    }

    /** @return array{KeyRun, list<int>} the pixels of a window that have a value, and their places in it */
    private function sorted(Window $window): array
    {
        [$cases, $places] = $this->questions->cases($window);

        return [new KeyRun($this->key, $this->learnt, $cases, tellsSpreads: false), $places];
    }

    /**
     * @param  list<int>  $codes
     * @param  list<int>  $places
     * @return list<int> codes and one more, 0 for nodata
     */
    private static function laid(array $codes, array $places, int $count, int $pixels): array
    {
        $laid = array_fill(0, $pixels, 0);
        for ($i = 0; $i < $count; $i++) {
            $laid[$places[$i]] = $codes[$i] + 1;
        }

        return $laid;
    }

    /**
     * @param  list<int>  $own  codes and one more
     * @param  list<int>|null  $parts
     * @param  list<int>|null  $codes  by part
     * @return list<int>
     */
    private static function classes(array $own, ?array $parts, ?array $codes, int $nodata, int $count): array
    {
        $classes = array_fill(0, $count, $nodata);
        for ($i = 0; $i < $count; $i++) {
            if ($own[$i] !== 0) {
                $classes[$i] = $codes === null || $parts === null ? $own[$i] - 1 : $codes[$parts[$i]];
            }
        }

        return $classes;
    }
}
