<?php

namespace Chorometra\Core\Compare;

use Chorometra\Core\Compare\Maps\Flows;
use Chorometra\Core\Compare\Maps\Series;
use Chorometra\Core\Format\Csv;
use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\Rows;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Learning;
use Chorometra\Core\Step\LearningKind;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Wants;
use Chorometra\Core\Step\Wary;
use Chorometra\Core\Work\Files;

/** What became of each class between class maps of two dates or more. */
final class Classes implements LearningKind, Wary
{
    /** Bands of the picture of when classes were seen. */
    private const MOST_BANDS = 120;

    public function declaration(): Declaration
    {
        return new Declaration(
            'compare.classes',
            'Class maps of two dates or more',
            'Tells what became of each class from one date to the next: as a map, a matrix, and as gains and losses.',
            [new Port('maps', PortType::Classes, 'Class maps on one grid, in the order of their dates.', many: true, wants: Wants::Dates)],
            [
                Setting::texts('names', 'What the dates are called, in the order of the maps; the maps\' dates when empty.'),
                Setting::texts('of', 'Classes whose times are told in pictures; all when empty.'),
            ],
            [
                new Port('changes', PortType::Classes, 'What each pixel was at first and is at last: “pasture to marsh”; what stayed keeps its name.'),
                new Port('history', PortType::Image, 'Of each class, at how many dates it was seen, at which first and at which last, counted from 1.',
                    required: false),
                new Port('matrix', PortType::Table, 'First to last in pixels, hectares and parts of all, and so each date and the next.', required: false,
                    endings: ['.csv']),
            ],
            'Gains, losses, swap and net change: Pontius, Shusas & McEachern 2004, Agriculture, Ecosystems & Environment 101:251–268 (from memory).',
            learns: Learning::Window,
            figures: [
                Figure::list('against', 'what stands against comparing them'),
                Figure::share('compared', 'compared; the rest has no class in one of them'),
                Figure::share('stayed', 'stayed what it was'),
                Figure::apart('flows'),
                Figure::table('balance', 'classes, first to last', [
                    'class' => null, 'before' => 'ha', 'after' => 'ha', 'gain' => 'ha', 'loss' => 'ha', 'swap' => 'ha', 'net' => 'ha',
                ]),
                Figure::table('balancePixels', 'classes, first to last, in pixels', [
                    'class' => null, 'before' => null, 'after' => null, 'gain' => null, 'loss' => null, 'swap' => null, 'net' => null,
                ]),
            ],
            desk: new Desk(4, evidence: [new Evidence('readiness'), new Evidence('flows')]),
        );
    }

    public function against(Call $call): array
    {
        return Series::of($call)->against();
    }

    public function study(Call $call): array
    {
        return array_map(fn (Image $map): Reading => new Reading($map, [0], codes: true), Series::of($call)->maps);
    }

    /** @return array<mixed> by step from date to date, and from first to last: pixels by pair, and square metres where pixels differ in size */
    public function learn(Call $call, array $bands, Rows $rows): array
    {
        $series = Series::of($call);
        $ground = Ground::of($series->maps[0]->spec()->grid);
        $places = self::places($bands, $series->tables, count($bands[0]));
        $steps = self::steps(count($bands));
        $learnt = ['pixels' => [], 'areas' => []];
        foreach ($steps as $step => [$from, $to]) {
            $pairs = self::pairs($places[$from], $places[$to], $series->number(), count($bands[0]));
            $learnt['pixels'][$step] = array_diff_key(array_count_values($pairs), [-1 => true]);
            if ($ground !== null && ! $ground->keepsAreas) {
                $learnt['areas'][$step] = self::areas($pairs, $rows, $ground);
            }
        }

        return $learnt;
    }

    public function merge(array $one, array $other): array
    {
        foreach (['pixels', 'areas'] as $what) {
            foreach ($other[$what] as $step => $amounts) {
                foreach ($amounts as $pair => $amount) {
                    $one[$what][$step][$pair] = ($one[$what][$step][$pair] ?? 0) + $amount;
                }
            }
        }

        return $one;
    }

    public function plan(Call $call, array $learnt): Plan
    {
        $series = Series::of($call);
        $grid = $series->maps[0]->spec()->grid;
        $ground = Ground::of($grid);
        $steps = self::steps(count($series->maps));
        $flows = array_map(
            fn (int $step): Flows => Flows::of($series->classes, $learnt['pixels'][$step] ?? [], $learnt['areas'][$step] ?? null, $ground),
            array_keys($steps),
        );
        $last = $flows[count($flows) - 1];
        if ($last->pixels === []) {
            throw Problem::input('The maps have no pixel to which all of them give a class: there is nothing to compare.', 'maps');
        }
        [$table, $legend] = self::changes($last, $series);
        $properties = $series->maps[count($series->maps) - 1]->spec()->properties;
        $changes = RasterSpec::classes($grid, $legend, $properties);
        $outputs = ['changes' => $changes];
        $of = isset($call->outputs['history']) ? $this->chosen($call, $series) : [];
        if ($of !== []) {
            $outputs['history'] = new RasterSpec($grid, array_merge(...array_map(fn (int $class): array => array_map(
                fn (string $what): Band => new Band(name: "{$series->classes[$class]['name']} $what"),
                ['times', 'first', 'last'],
            ), $of)), SampleType::UInt8, 255.0, properties: $properties);
        }
        if (isset($call->outputs['matrix'])) {
            $parts = array_map(fn (int $step): array => $flows[$step]->table($series->dates[$steps[$step][0]], $series->dates[$steps[$step][1]]),
                // of two dates there is one matrix
                count($steps) === 2 ? [1] : [count($steps) - 1, ...range(0, count($steps) - 2)]);
            Files::write($call->outputs['matrix'], Csv::of(array_merge(...$parts)));
        }
        $number = $series->number();
        $nodata = $changes->nodataCode();

        return new Plan(
            array_map(fn (Image $map): Reading => new Reading($map, [0], codes: true), $series->maps),
            $outputs,
            function (array $bands) use ($series, $table, $number, $nodata, $of): array {
                /** @var list<list<int>> $bands */
                $count = count($bands[0]);
                $places = self::places($bands, $series->tables, $count);
                $pairs = self::pairs($places[0], $places[count($places) - 1], $number, $count);
                $planes = [];
                foreach ($of as $class) {
                    array_push($planes, ...self::seen($places, $class, $count));
                }

                return ['changes' => [self::coded($pairs, $table, $nodata, $count)]] + ($of === [] ? [] : ['history' => $planes]);
            },
            figures: $this->figures($series, $flows, $steps, $ground !== null),
        );
    }

    /**
     * @param  list<Flows>  $flows
     * @param  list<array{int, int}>  $steps
     * @return array<string, mixed>
     */
    private function figures(Series $series, array $flows, array $steps, bool $isPlaced): array
    {
        $last = $flows[count($flows) - 1];
        $grid = $series->maps[0]->spec()->grid;

        return array_filter(['against' => array_values($series->against())]) + [
            'compared' => array_sum($last->pixels) / ($grid->width * $grid->height),
            'stayed' => $last->stayed(),
            'flows' => [
                'dates' => $series->dates,
                'classes' => $series->classes,
                // from each date to the next; of the whole way where there are more than two
                'steps' => array_map(fn (int $step): array => $flows[$step]->rows(), range(0, count($steps) - 2)),
                'whole' => $last->rows(),
            ],
            $isPlaced ? 'balance' : 'balancePixels' => $last->balance(),
        ];
    }

    /**
     * From each date to the next, then from the first to the last.
     *
     * @return list<array{int, int}>
     */
    private static function steps(int $maps): array
    {
        return [...array_map(fn (int $k): array => [$k, $k + 1], range(0, $maps - 2)), [0, $maps - 1]];
    }

    /**
     * Codes of the map of changes by pair of classes, and their legend: what stayed first, then what changed, the most first.
     *
     * @return array{list<int>, Legend}
     */
    private static function changes(Flows $flows, Series $series): array
    {
        $number = $series->number();
        $table = array_fill(0, $number * $number, 0);
        $stayed = array_filter($flows->pixels, fn (int $pair): bool => intdiv($pair, $number) === $pair % $number, ARRAY_FILTER_USE_KEY);
        $changed = array_diff_key($flows->pixels, $stayed);
        arsort($changed);
        $classes = [];
        foreach ([...array_keys($stayed), ...array_keys($changed)] as $k => $pair) {
            [$from, $to] = [$series->classes[intdiv($pair, $number)], $series->classes[$pair % $number]];
            $table[$pair] = $k + 1;
            $classes[$k + 1] = $from === $to
                ? ['name' => $from['name'], 'colour' => self::mixed($from['colour'], '#ece9e0', 0.3)]
                : ['name' => "{$from['name']} to {$to['name']}", 'colour' => self::mixed($to['colour'], $from['colour'], 0.8)];
        }

        return [$table, new Legend($classes)];
    }

    /** @return list<int> places of the classes whose times are told */
    private function chosen(Call $call, Series $series): array
    {
        $names = array_column($series->classes, 'name');
        $of = array_map(function (string $name) use ($names): int {
            $place = array_search($name, $names, true);

            return $place === false ? throw Problem::call("No map has a class “{$name}”; there are ".implode(', ', $names).'.', 'of') : (int) $place;
        }, $call->texts('of') ?: $names);
        if (3 * count($of) > self::MOST_BANDS) {
            throw Problem::call('Times are told of at most '.intdiv(self::MOST_BANDS, 3).' classes at once: name them with the setting of.', 'of');
        }

        return $of;
    }

    /** $part of the one colour, the rest of the other. */
    private static function mixed(string $one, string $other, float $part): string
    {
        $channel = fn (string $colour, int $k): int => (int) hexdec(substr($colour, 1 + 2 * $k, 2));

        return '#'.implode('', array_map(
            fn (int $k): string => sprintf('%02x', (int) round($part * $channel($one, $k) + (1 - $part) * $channel($other, $k))),
            [0, 1, 2],
        ));
    }

    /**
     * Places of classes instead of codes, −1 in all maps wherever one of them has none.
     *
     * @param  list<list<int>>  $bands
     * @param  list<list<int>>  $tables
     * @return list<list<int>>
     */
    public static function places(array $bands, array $tables, int $count): array
    {
        $lost = array_fill(0, $count, 0);
        foreach ($bands as $k => $codes) {
            $bands[$k] = self::placed($codes, $tables[$k], $lost, $count);
        }

        return array_map(fn (array $places): array => self::kept($places, $lost, $count), $bands);
    }

    /**
     * @param  list<int>  $codes
     * @param  list<int>  $table
     * @param  list<int>  $lost  −1 where a map has no class
     * @return list<int>
     */
    private static function placed(array $codes, array $table, array &$lost, int $count): array
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
    public static function pairs(array $from, array $to, int $number, int $count): array
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
    private static function coded(array $pairs, array $table, int $nodata, int $count): array
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
            self::noticed($some, $class, $k + 1, $times, $first, $last, $count);
        }

        return [$times, $first, $last];
    }

    /**
     * @param  list<int>  $places
     * @param  list<int>  $times
     * @param  list<int>  $first
     * @param  list<int>  $last
     */
    private static function noticed(array $places, int $class, int $date, array &$times, array &$first, array &$last, int $count): void
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

    /**
     * @param  list<int>  $pairs
     * @return array<int, float> square metres by pair
     */
    private static function areas(array $pairs, Rows $rows, Ground $ground): array
    {
        $areas = [];
        for ($row = 0; $row < $rows->rows; $row++) {
            foreach ($ground->pieces($rows->first + $row) as [$col, $count, $area]) {
                foreach (array_count_values(array_slice($pairs, $row * $rows->width + $col, $count)) as $pair => $number) {
                    if ($pair >= 0) {
                        $areas[$pair] = ($areas[$pair] ?? 0.0) + $number * $area;
                    }
                }
            }
        }

        return $areas;
    }
}
