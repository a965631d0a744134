<?php

namespace Chorometra\Core\Compare;

use Chorometra\Core\Compare\Maps\Flows;
use Chorometra\Core\Compare\Maps\Pairs;
use Chorometra\Core\Compare\Maps\Series;
use Chorometra\Core\Format\Csv;
use Chorometra\Core\Format\Stac\Properties;
use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Legend;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Condition;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\HasPrechecks;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Wants;
use Chorometra\Core\Step\Work;
use Chorometra\Core\Work\Files;

/** What became of each class between class maps of two dates or more. */
final class Classes implements HasPrechecks, Kind
{
    /** Bands of the picture of when classes were seen. */
    private const MOST_BANDS = 120;

    public function declaration(): Declaration
    {
        return new Declaration(
            'compare.classes',
            'Class transitions',
            'Reports what each class became from one date to the next: as a map, a matrix, and gains and losses.',
            [new Port('maps', PortType::Classes, 'Class maps on one grid, in order of date.', many: true, wants: Wants::Dates)],
            [
                Setting::texts('names', 'Names of the dates, in the order of the maps. Empty: their dates.'),
                Setting::yes('times', false, 'Also output, per class, the number of dates it occurs at, the first and the last.'),
                Setting::texts('of', 'Classes to report this for. Empty: all.')->onlyFor('times=yes'),
            ],
            [
                new Port('changes', PortType::Classes, 'Class at the first and last date, “pasture to marsh”; unchanged pixels keep their class name.'),
                new Port('history', PortType::Image, 'Per class, the number of dates it occurs at, the first and the last, counted from 1.',
                    required: false, only: Condition::of('times=yes')),
                new Port('matrix', PortType::Table, 'Transition matrix from first to last date in pixels, hectares and shares, and between successive '
                    .'dates.', required: false,
                    endings: ['.csv']),
            ],
            'Gains, losses, swap and net change: Pontius, Shusas & McEachern 2004, Agriculture, Ecosystems & Environment 101:251–268 (from memory).',
            synonyms: ['post-classification comparison', 'from-to change', 'transition matrix'],
            figures: [
                Figure::list('against', 'comparability of the dates'),
                Figure::share('compared', 'compared; the rest is unlabelled in one of the maps'),
                Figure::share('stayed', 'unchanged'),
                Figure::apart('flows'),
                Figure::table('balance', 'transitions, first to last date', [
                    'class' => null, 'before' => 'ha', 'after' => 'ha', 'gain' => 'ha', 'loss' => 'ha', 'swap' => 'ha', 'net' => 'ha',
                ]),
                Figure::table('balancePixels', 'transitions, first to last date, in pixels', [
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

    public function run(Call $call, Work $work): array
    {
        $series = Series::of($call);
        $pairs = new Pairs($series);
        $grid = $series->maps[0]->spec()->grid;
        $ground = Ground::of($grid);
        $steps = self::steps(count($series->maps));
        [$pixels, $areas] = $pairs->counts($steps, $call->context->part(0.0, 0.4));
        $flows = array_map(fn (int $step): Flows => Flows::of($series->classes, $pixels[$step], $areas[$step] ?? null, $ground), array_keys($steps));
        $last = $flows[count($flows) - 1];
        if ($last->pixels === []) {
            throw Problem::input('No pixel is classified in all maps: there is nothing to compare.', 'maps');
        }
        [$table, $legend] = self::changes($last, $series);
        $properties = Properties::over(array_map(fn (Image $map): array => $map->spec()->properties, $series->maps));
        $specs = ['changes' => RasterSpec::classes($grid, $legend, $properties)];
        $of = isset($call->outputs['history']) ? $this->chosen($call, $series) : [];
        if ($of !== []) {
            $specs['history'] = new RasterSpec($grid, array_merge(...array_map(fn (int $class): array => array_map(
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
        $nodata = $specs['changes']->nodataCode();
        $report = $work->part(0.4, 1.0)->make($specs, function (Window $window) use ($pairs, $table, $nodata, $of): array {
            $planes = [];
            $places = $of === [] ? [] : $pairs->places($window);
            foreach ($of as $class) {
                array_push($planes, ...Pairs::seen($places, $class, $window->pixels()));
            }

            return ['changes' => [$pairs->coded($window, $table, $nodata)], 'history' => $planes];
        }, count($series->maps));

        return $this->figures($series, $flows, $steps, $ground !== null) + $report;
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
            throw Problem::call('Dates can be reported for at most '.intdiv(self::MOST_BANDS, 3).' classes at once: name them with the setting of.', 'of');
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
}
