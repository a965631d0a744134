<?php

namespace Chorometra\Core\Compare\Maps;

use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Geo\Pass;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Work\Context;

/**
 * Which class a pixel has on one map and which on another, as one number: the place of the former times the number of classes, plus that of the latter.
 * A pixel without a class on any of the maps is left out on all.
 *
 * Of up to fifteen classes in codes of one byte both places fit into a byte: whole rows are translated and laid together as texts, without looking at a
 * pixel at a time.
 */
final class Pairs
{
    private const MOST_IN_BYTES = 15;

    /** A byte of a pixel that is left out. */
    private const LOST = "\xff";

    private readonly bool $isInBytes;

    private readonly string $all;

    public function __construct(private readonly Series $series)
    {
        $wide = array_filter($series->maps, fn (Image $map): bool => $map->spec()->type !== SampleType::UInt8);
        $this->isInBytes = $wide === [] && $series->number() <= self::MOST_IN_BYTES;
        $this->all = implode('', array_map(chr(...), range(0, 255)));
    }

    /**
     * How often each pair comes.
     *
     * @param  list<array{int, int}>  $steps  from which map to which
     * @return array{list<array<int, int>>, list<array<int, float>>|null} pixels by step and pair; square metres too, where pixels differ in size
     */
    public function counts(array $steps, Context $context): array
    {
        $grid = $this->series->maps[0]->spec()->grid;
        $ground = Ground::of($grid);
        $bySize = $ground !== null && ! $ground->keepsAreas ? $ground : null;
        $parts = (new Pass($grid))->all($context, 'comparing', function (Window $window) use ($steps, $bySize): array {
            $found = [];
            foreach ($this->of($window, $steps) as $pairs) {
                $found[] = [$this->tally($pairs), $bySize === null ? [] : $this->areas($pairs, $window, $bySize)];
            }

            return $found;
        });
        $pixels = $areas = array_fill(0, count($steps), []);
        foreach ($parts as $found) {
            foreach ($found as $step => [$counts, $covered]) {
                foreach ($counts as $pair => $count) {
                    $pixels[$step][$pair] = ($pixels[$step][$pair] ?? 0) + $count;
                }
                foreach ($covered as $pair => $area) {
                    $areas[$step][$pair] = ($areas[$step][$pair] ?? 0.0) + $area;
                }
            }
        }

        return [array_values($pixels), $bySize === null ? null : array_values($areas)];
    }

    /**
     * Codes instead of pairs, from the first map to the last.
     *
     * @param  list<int>  $table  codes by pair
     * @return list<int>|string raw samples where both fit into bytes
     */
    public function coded(Window $window, array $table, int $nodata): array|string
    {
        $pairs = $this->of($window, [[0, count($this->series->maps) - 1]])[0];
        if (is_array($pairs)) {
            return self::looked($pairs, $table, $nodata, count($pairs));
        }
        if (max($table) > 254) {
            return self::looked($this->spread($pairs), $table, $nodata, strlen($pairs));
        }
        $codes = str_repeat(chr($nodata), 256);
        foreach ($table as $pair => $code) {
            $codes[$this->byte($pair)] = chr($code);
        }

        return strtr($pairs, $this->all, $codes);
    }

    /**
     * Places of the classes on each map, −1 on all where one of them has none.
     *
     * @return list<list<int>>
     */
    public function places(Window $window): array
    {
        $codes = array_map(fn (Image $map): array => Values::codes($map, $window), $this->series->maps);

        return self::placed($codes, $this->series->tables, $window->pixels());
    }

    /**
     * @param  list<array{int, int}>  $steps
     * @return list<list<int>|string> pairs by step
     */
    private function of(Window $window, array $steps): array
    {
        if (! $this->isInBytes) {
            $places = $this->places($window);

            return array_map(fn (array $step): array => self::paired($places[$step[0]], $places[$step[1]], $this->series->number(), $window->pixels()), $steps);
        }
        $bytes = array_map(fn (Image $map): string => $map->read(0, $window), $this->series->maps);
        $lost = str_repeat("\0", $window->pixels());
        // two maps tell by themselves where one of them has nothing
        if (count($bytes) > 2) {
            foreach ($bytes as $k => $text) {
                $lost |= strtr($text, $this->all, $this->translation($k, fn (int $place): int => 0));
            }
        }

        return array_map(fn (array $step): string => strtr($bytes[$step[0]], $this->all, $this->translation($step[0], fn (int $place): int => $place << 4))
            | strtr($bytes[$step[1]], $this->all, $this->translation($step[1], fn (int $place): int => $place)) | $lost, $steps);
    }

    /** @param  \Closure(int): int  $byte  of the place of a class */
    private function translation(int $map, \Closure $byte): string
    {
        return implode('', array_map(fn (int $place): string => $place < 0 ? self::LOST : chr($byte($place)), $this->series->tables[$map]));
    }

    /** The byte in which a pair stands. */
    private function byte(int $pair): int
    {
        return intdiv($pair, $this->series->number()) << 4 | $pair % $this->series->number();
    }

    /**
     * @param  list<int>|string  $pairs
     * @return array<int, int>
     */
    private function tally(array|string $pairs): array
    {
        if (is_array($pairs)) {
            return array_diff_key(array_count_values($pairs), [-1 => true]);
        }
        $counts = [];
        foreach (count_chars($pairs, 1) as $byte => $count) {
            if ($byte !== ord(self::LOST)) {
                $counts[($byte >> 4) * $this->series->number() + ($byte & 15)] = $count;
            }
        }

        return $counts;
    }

    /**
     * @param  list<int>|string  $pairs
     * @return array<int, float> square metres by pair
     */
    private function areas(array|string $pairs, Window $window, Ground $ground): array
    {
        $areas = [];
        for ($row = 0; $row < $window->height; $row++) {
            foreach ($ground->pieces($window->row + $row) as [$col, $count, $area]) {
                $at = $row * $window->width + $col;
                foreach ($this->tally(is_string($pairs) ? substr($pairs, $at, $count) : array_slice($pairs, $at, $count)) as $pair => $number) {
                    $areas[$pair] = ($areas[$pair] ?? 0.0) + $number * $area;
                }
            }
        }

        return $areas;
    }

    /** @return list<int> pairs that stand in bytes, −1 for what is left out */
    private function spread(string $pairs): array
    {
        $table = array_map(fn (int $byte): int => $byte === ord(self::LOST) ? -1 : ($byte >> 4) * $this->series->number() + ($byte & 15), range(0, 255));

        return Codec::looked($pairs, SampleType::UInt8, $table);
    }

    /**
     * @param  list<list<int>>  $bands  codes of each map
     * @param  list<list<int>>  $tables
     * @return list<list<int>>
     */
    public static function placed(array $bands, array $tables, int $count): array
    {
        $lost = array_fill(0, $count, 0);
        foreach ($bands as $k => $codes) {
            $bands[$k] = self::place($codes, $tables[$k], $lost, $count);
        }

        return array_map(fn (array $places): array => self::kept($places, $lost, $count), $bands);
    }

    /**
     * @param  list<int>  $codes
     * @param  list<int>  $table
     * @param  list<int>  $lost  −1 where a map has no class
     * @return list<int>
     */
    private static function place(array $codes, array $table, array &$lost, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            $place = $table[$codes[$i]];
            $codes[$i] = $place;
            $lost[$i] |= $place >> 62;
        }

        return $codes;
    }

    /**
     * @param  list<int>  $places
     * @param  list<int>  $lost
     * @return list<int>
     */
    private static function kept(array $places, array $lost, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            $places[$i] |= $lost[$i];
        }

        return $places;
    }

    /**
     * Both places as one number, −1 where there is none.
     *
     * @param  list<int>  $from
     * @param  list<int>  $to
     * @return list<int>
     */
    public static function paired(array $from, array $to, int $number, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            $place = $from[$i];
            $from[$i] = $place < 0 ? -1 : $place * $number + $to[$i];
        }

        return $from;
    }

    /**
     * @param  list<int>  $pairs
     * @param  list<int>  $table
     * @return list<int>
     */
    private static function looked(array $pairs, array $table, int $nodata, int $count): array
    {
        for ($i = 0; $i < $count; $i++) {
            $pair = $pairs[$i];
            $pairs[$i] = $pair < 0 ? $nodata : $table[$pair];
        }

        return $pairs;
    }

    /**
     * At how many dates a class was seen, at which first and at which last; 255 where nothing is told.
     *
     * @param  list<list<int>>  $places
     * @return array{list<int>, list<int>, list<int>}
     */
    public static function seen(array $places, int $class, int $count): array
    {
        $times = array_fill(0, $count, 0);
        $first = $last = array_fill(0, $count, 255);
        foreach ($places as $k => $some) {
            self::notice($some, $class, $k + 1, $times, $first, $last, $count);
        }

        return [$times, $first, $last];
    }

    /**
     * @param  list<int>  $places
     * @param  list<int>  $times
     * @param  list<int>  $first
     * @param  list<int>  $last
     */
    private static function notice(array $places, int $class, int $date, array &$times, array &$first, array &$last, int $count): void
    {
        for ($i = 0; $i < $count; $i++) {
            if ($places[$i] === $class) {
                $times[$i]++;
                $last[$i] = $date;
                if ($first[$i] === 255) {
                    $first[$i] = $date;
                }
            } elseif ($places[$i] < 0) {
                $times[$i] = 255;
            }
        }
    }
}
