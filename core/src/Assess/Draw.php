<?php

namespace Chorometra\Core\Assess;

use Chorometra\Core\Assess\Check\Allocation;
use Chorometra\Core\Assess\Check\ClassCounts;
use Chorometra\Core\Assess\Check\Drawable;
use Chorometra\Core\Assess\Check\Earlier;
use Chorometra\Core\Assess\Check\Spacing;
use Chorometra\Core\Format\Vector\Vectors;
use Chorometra\Core\Geo\Crs;
use Chorometra\Core\Geo\Ground;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\CodeCounts;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Evidence;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\Kind;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Work;
use Random\Engine\Xoshiro256StarStar;
use Random\Randomizer;

/** Draws pixels of a class map at which the truth will be looked up. */
final class Draw implements Kind
{
    /** Candidates for each point where pixels differ in size, beyond those that are expected to be passed over. */
    private const SPARE = 1.5;

    public function declaration(): Declaration
    {
        return new Declaration(
            'assess.draw',
            'Sampling design',
            'Draws check points at which you label what is really there, to assess the map.',
            [
                new Port('map', PortType::Classes, 'The class map to check.'),
                new Port('training', PortType::Outlines, 'Training areas, to keep away from or to sample near.', required: false, sample: 'area'),
                new Port('earlier', PortType::Points, 'Points drawn before from the same map; they are kept with their labels and more are '
                    .'added.', required: false),
            ],
            [
                Setting::choice(
                    'design',
                    ['stratified', 'random', 'systematic'],
                    'stratified',
                    'Stratified: from each class. Random: from the whole area. Systematic: on a square grid with a random start.',
                ),
                Setting::whole('points', 100, 'Total number of points, including those drawn before.', 'points', 1, 100_000),
                Setting::choice(
                    'allocation',
                    ['equal', 'proportional', 'neyman', 'own'],
                    'equal',
                    'Allocation to the classes: equal, by area, by area and expected error (Neyman), or your own.',
                )->onlyFor('design=stratified'),
                Setting::numbers('own', 'Points per class in order, such as 30,50,20.', 'points')->onlyFor('allocation=own'),
                Setting::numbers('expected', 'Expected user\'s accuracy of each class, for Neyman, such as 70,90.', '%')->onlyFor('allocation=neyman'),
                Setting::whole('least', 0, 'Least number of points per class.', 'points', 0)->onlyFor('design=stratified'),
                Setting::yes('unlabelled', false, 'Also sample the unlabelled area; in a stratified design as a stratum of its own, the first in order.'),
                Setting::number('distance', 0.0, 'Least distance between points.', 'm', 0.0),
                Setting::choice('from-training', ['away', 'along'], 'away', 'Position of the points relative to training areas.', [
                    'away' => 'farther away than the distance',
                    'along' => 'within the distance',
                ]),
                Setting::number('training-distance', 0.0, 'Distance from training areas; 0: the areas themselves.', 'm', 0.0, 100_000.0),
                Setting::choice('edges', ['anywhere', 'away', 'along'], 'anywhere', 'Position of the points relative to class boundaries.', [
                    'anywhere' => 'anywhere',
                    'away' => 'away from boundaries, where a shift by one pixel does not matter',
                    'along' => 'only near boundaries',
                ]),
                Setting::whole('edge-distance', 2, 'Width of the boundary zone.', 'pixels', 1, 50)->onlyFor('edges=away|along'),
                Setting::whole('seed', 1, 'Random seed; the same seed draws the same points.', least: 0),
            ],
            [
                new Port(
                    'result',
                    PortType::Points,
                    'The points, each with its stratum and the share of the area it represents.',
                    endings: Vectors::endings(),
                ),
            ],
            'Olofsson et al. 2014, Remote Sensing of Environment 148:42–57; Cochran 1977, Sampling Techniques, 3rd edition, chapter 5, for the '
                .'Neyman allocation (from memory).',
            synonyms: ['check points', 'stratified random sample', 'validation points'],
            example: new Example(['points' => '9']),
            figures: [
                Figure::classes('strata', 'strata'),
                Figure::number('points', 'points'),
                Figure::number('wanted', 'requested'),
                Figure::number('earlier', 'drawn before'),
                Figure::share('ground-unlabelled', 'unlabelled ground'),
                Figure::list('notes', 'remarks'),
            ],
            desk: new Desk(2, ['{design}, {points}'], evidence: [new Evidence('check-points')], makes: 'check points'),
        );
    }

    public function run(Call $call, Work $work): array
    {
        $map = $call->image('map');
        $spec = $map->spec();
        Crs::needMap($spec->grid, $map->name(), 'map');
        if (! Crs::knows($spec->grid->epsg)) {
            throw Problem::input("{$map->name()} has no CRS that can be converted to longitude and latitude, which points need.", 'map');
        }
        $design = $call->text('design');
        $withUnlabelled = $call->isOn('unlabelled');
        $whole = ClassCounts::of($map, $call->context->part(0.0, 0.2), $withUnlabelled);
        $map = Drawable::of($call, $map);
        $counts = $map === $call->image('map') ? $whole : ClassCounts::of($map, $call->context->part(0.2, 0.4), $withUnlabelled);
        if ($counts->pixels === []) {
            throw Problem::input($whole->pixels === []
                ? "{$map->name()} has no labelled pixels to draw from."
                : 'No pixel is left to sample: choose other distances from training areas and boundaries.', 'map');
        }
        $weights = $counts->weights();
        $shares = $design === 'stratified' ? array_map(fn (float $weight): float => $weight / array_sum($weights), $weights) : [Allocation::WHOLE => 1.0];
        $earlier = $call->hasInput('earlier') ? Earlier::read($call->path('earlier'), $map, $design, $shares) : Earlier::none();
        $random = new Randomizer(new Xoshiro256StarStar(hash('sha256', 'draw/'.$call->whole('seed'), true)));
        $chosen = match ($design) {
            'systematic' => $this->systematic($call, $map, $random),
            'random' => $this->drawn($call, $map, $counts->together(Allocation::WHOLE), [Allocation::WHOLE => $call->whole('points')], $random, $earlier),
            default => $this->drawn($call, $map, $counts, $this->shares($call, $counts, $earlier), $random, $earlier),
        };
        // points come in random order: whoever labels can't tell the stratum
        $chosen = $random->shuffleArray($chosen);
        $features = $earlier->features;
        $drawn = array_count_values(array_column($earlier->places, 2));
        $last = max([0, ...array_map(fn (array $feature): int => (int) ($feature['properties']['number'] ?? 0), $features)]);
        $ground = $counts->hectares === null ? [] : ['ground' => array_sum($counts->hectares)];
        $also = $withUnlabelled ? ['unlabelled' => true] : [];
        foreach ($chosen as $index => [$col, $row, $code]) {
            // what it was drawn from, and what that weighs: of one stratum, the whole map
            $from = $design === 'stratified'
                ? ['stratum' => $spec->legend?->name($code) ?? "class $code", 'share' => $shares[$code]]
                : ['stratum' => null, 'share' => 1];
            $features[] = self::feature($last + $index + 1, $map, $col, $row, ['design' => $design, ...$from, ...$ground, ...$also]);
            $drawn[$code] = ($drawn[$code] ?? 0) + 1;
        }
        Vectors::write($call->outputs['result'], $features);
        $strata = [];
        foreach ($counts->pixels as $code => $pixels) {
            $strata[] = [
                'code' => $code,
                'class' => $spec->legend?->name($code) ?? "class $code",
                'pixels' => $pixels,
                'share' => $weights[$code] / array_sum($weights),
                'points' => $drawn[$code] ?? 0,
            ];
        }

        $left = array_sum($weights) / max(1e-300, array_sum($whole->weights()));
        $notes = [];
        if ($left < 1.0 - 1e-9) {
            $notes[] = sprintf('The points represent the %.3g %% of the map that could be sampled; the results apply to that part only.',
                100 * $left);
        }
        if ($whole->unlabelled > 0.0 && ! $withUnlabelled) {
            $notes[] = sprintf('%.3g %% of the map area is unlabelled, and no points were drawn from it.', 100 * $whole->unlabelled);
        }

        return [
            'points' => count($features),
            'wanted' => $call->whole('points'),
            'strata' => $strata,
            ...($earlier->features === [] ? [] : ['earlier' => count($earlier->features)]),
            'ground-unlabelled' => $whole->unlabelled,
            ...($notes === [] ? [] : ['notes' => $notes]),
        ];
    }

    /** @return array<int, int> */
    private function shares(Call $call, ClassCounts $counts, Earlier $earlier): array
    {
        if ($call->text('allocation') === 'own') {
            return self::own($call, $counts, $earlier);
        }
        $expected = array_map(fn (float $one): float => $one / 100, $call->numbers('expected'));
        if ($call->text('allocation') === 'neyman') {
            if (count($expected) !== count($counts->pixels) || min([0.0, ...$expected]) < 0 || max([0.0, ...$expected]) > 1) {
                throw Problem::call(
                    sprintf('Neyman allocation needs the expected accuracy, 0 to 100 %%, of each of the %d classes.', count($counts->pixels)),
                    'expected',
                );
            }
        }

        return Allocation::allocate($counts->pixels, $call->whole('points'), $call->text('allocation'), $expected, $call->whole('least'), $counts->weights(),
            $earlier->drawn);
    }

    /**
     * Points of each class as they are told.
     *
     * @return array<int, int>
     */
    private static function own(Call $call, ClassCounts $counts, Earlier $earlier): array
    {
        $told = $call->numbers('own');
        if (count($told) !== count($counts->pixels) || array_filter($told, fn (float $one): bool => $one < 0.0 || fmod($one, 1.0) !== 0.0) !== []) {
            throw Problem::call(sprintf('Give a whole number of points for each of the %d classes, in order.', count($counts->pixels)), 'own');
        }
        $shares = [];
        foreach (array_keys($counts->pixels) as $index => $code) {
            $shares[$code] = min($counts->pixels[$code], (int) $told[$index]);
            if ($shares[$code] < ($earlier->drawn[$code] ?? 0)) {
                throw Problem::call("A class would have $shares[$code] points but has {$earlier->drawn[$code]} already: points already drawn are kept.", 'own');
            }
        }

        return $shares;
    }

    /**
     * Simple random sampling in each stratum; with a least distance, candidates come in random order and those too near are passed over.
     * Where pixels differ in size, a candidate is taken as often as its ground is part of that of the largest: all ground is drawn alike.
     *
     * Source: von Neumann 1951, Various techniques used in connection with random digits, NBS Applied Mathematics Series 12:36–38 (rejection;
     * from memory).
     *
     * @param  array<int, int>  $wanted  by stratum
     * @return list<array{int, int, int}> column, row, class
     */
    private function drawn(Call $call, Image $map, ClassCounts $strata, array $wanted, Randomizer $random, Earlier $earlier): array
    {
        $pixels = $strata->pixels;
        $ground = self::ground($map);
        $distance = $call->number('distance');
        $ranks = [];
        foreach ($wanted as $code => $number) {
            $more = $number - ($earlier->drawn[$code] ?? 0);
            // those that were drawn before may come again, and are passed over
            $tries = $distance > 0 ? 8 * $number + 64 : ($more > 0 ? $number : 0);
            if ($strata->largest !== null) {
                // as many more as the largest pixel is larger than the mean
                $tries = (int) ceil(self::SPARE * $tries * $strata->largest[$code] * $pixels[$code] / max(1e-300, 1e4 * ($strata->hectares[$code] ?? 0.0)));
            }
            $tries = min($pixels[$code], $tries);
            $ranks[$code] = self::distinct($pixels[$code], $tries, $random);
        }
        $places = $this->locate($call, $map, $ranks);
        $spacing = $distance > 0 ? new Spacing($ground, $distance) : null;
        foreach ($earlier->places as [$col, $row]) {
            $spacing?->take($col + 0.5, $row + 0.5);
        }
        $chosen = [];
        foreach ($wanted as $code => $number) {
            $taken = $earlier->drawn[$code] ?? 0;
            $candidates = array_map(fn (int $rank): array => $places[$code][$rank], $ranks[$code]);
            if ($strata->largest !== null) {
                $candidates = self::byGround($candidates, $ground, $strata->largest[$code], $random);
            }
            foreach ($candidates as $place) {
                if ($taken >= $number) {
                    break;
                }
                if (! isset($earlier->taken["$place[0] $place[1]"]) && ($spacing === null || $spacing->take($place[0] + 0.5, $place[1] + 0.5))) {
                    $chosen[] = $place;
                    $taken++;
                }
            }
        }

        return $chosen;
    }

    /**
     * Candidates in an order in which the first of them are drawn by the ground that they cover; those passed over come last.
     *
     * @param  list<array{int, int, int}>  $candidates
     * @param  float  $largest  square metres of the largest pixel
     * @return list<array{int, int, int}>
     */
    private static function byGround(array $candidates, Ground $ground, float $largest, Randomizer $random): array
    {
        $taken = $passed = [];
        foreach ($candidates as $place) {
            if ($random->getInt(0, 999_999_999) / 1e9 * $largest < $ground->pixelArea($place[0], $place[1])) {
                $taken[] = $place;
            } else {
                $passed[] = $place;
            }
        }

        return [...$taken, ...$passed];
    }

    /** @return list<array{int, int, int}> */
    private function systematic(Call $call, Image $map, Randomizer $random): array
    {
        $grid = $map->spec()->grid;
        $ground = self::ground($map);
        $points = $call->whole('points');
        if ($grid->width * $grid->height < $points) {
            throw Problem::call('More points are wanted than there are pixels.', 'points');
        }
        // square on the ground, row by row where pixels differ in size
        [$wide, $high] = $ground->steps();
        $each = self::allGround($ground, $grid->height) / $points;
        $step = sqrt($each);
        if ($step < $call->number('distance')) {
            throw Problem::call(
                sprintf('%d points on a square grid are %.4g m apart, less than the least distance: ask for fewer.', $points, $step),
                'points',
            );
        }
        [$right, $below] = [$random->getInt(0, 999_999) / 1e6, $random->getInt(0, 999_999) / 1e6];
        $column = 0.5 * $grid->width;
        $tall = fn (float $y): float => $ground->keepsAreas ? $high : $ground->distance([$column, $y - 0.5], [$column, $y + 0.5]);
        $leftOut = [$map->spec()->nodataCode(), ...($call->isOn('unlabelled') ? [] : [0])];
        $chosen = [];
        for ($y = $below * $step / $tall(0.5); $y < $grid->height; $y += $down) {
            $row = (int) $y;
            $down = $step / $tall($y);
            $codes = Values::codes($map, new Window(0, $row, $grid->width, 1));
            $across = fn (float $x): float => $each / ($down * $ground->pixelArea($x, $row));
            for ($x = $right * $across(0.5 * $grid->width); $x < $grid->width; $x += $across($x)) {
                $code = $codes[(int) $x];
                if (! in_array($code, $leftOut, true)) {
                    $chosen[] = [(int) $x, $row, $code];
                }
            }
        }

        return $chosen;
    }

    /** Square metres under all of a grid. */
    private static function allGround(Ground $ground, int $height): float
    {
        $sum = 0.0;
        for ($row = 0; $row < $height; $row++) {
            foreach ($ground->pieces($row) as [, $count, $area]) {
                $sum += $count * $area;
            }
        }

        return $sum;
    }

    /**
     * Where the n-th pixel of a class lies, in scan order. Rows are counted first, and looked through only where one of the pixels lies.
     *
     * @param  array<int, list<int>>  $ranks
     * @return array<int, array<int, array{int, int, int}>>
     */
    private function locate(Call $call, Image $map, array $ranks): array
    {
        $wanted = array_map(array_flip(...), $ranks);
        // the next that is looked for stands last
        foreach (array_keys($ranks) as $stratum) {
            rsort($ranks[$stratum]);
        }
        $before = array_fill_keys(array_keys($ranks), 0);
        $all = isset($ranks[Allocation::WHOLE]);
        $leftOut = [$map->spec()->nodataCode() => 0] + ($call->isOn('unlabelled') ? [] : [0 => 0]);
        $places = [];
        $grid = $map->spec()->grid;
        $type = $map->spec()->type;
        for ($top = 0, $strip = $grid->strip(); $top < $grid->height; $top += $strip) {
            $call->context->report(0.4 + 0.5 * $top / $grid->height, 'locating the points');
            $rows = min($strip, $grid->height - $top);
            foreach (str_split($map->read(0, new Window(0, $top, $grid->width, $rows)), max(1, $grid->width * $type->bytes())) as $row => $bytes) {
                $counts = CodeCounts::in($bytes, $type);
                $counts = array_diff_key($counts, $leftOut);
                $counts = $all ? [Allocation::WHOLE => array_sum($counts)] : array_intersect_key($counts, $ranks);
                $isIn = false;
                foreach ($counts as $stratum => $count) {
                    $isIn = $isIn || ($ranks[$stratum] !== [] && end($ranks[$stratum]) < $before[$stratum] + $count);
                }
                if ($isIn) {
                    $seen = $before;
                    foreach (Codec::codes($bytes, $type) as $col => $code) {
                        $stratum = $all ? Allocation::WHOLE : $code;
                        if (isset($leftOut[$code]) || ! isset($seen[$stratum])) {
                            continue;
                        }
                        if (isset($wanted[$stratum][$seen[$stratum]])) {
                            $places[$stratum][$seen[$stratum]] = [$col, $top + $row, $code];
                            array_pop($ranks[$stratum]);
                        }
                        $seen[$stratum]++;
                    }
                }
                foreach ($counts as $stratum => $count) {
                    $before[$stratum] += $count;
                }
            }
        }

        return $places;
    }

    /** @return list<int> different numbers below $limit, in random order */
    private static function distinct(int $limit, int $number, Randomizer $random): array
    {
        $taken = [];
        while (count($taken) < $number) {
            $rank = $random->getInt(0, $limit - 1);
            // Floyd would be shorter, but would not give a random order
            $taken[$rank] ??= count($taken);
        }

        return array_keys($taken);
    }

    private static function ground(Image $map): Ground
    {
        return Ground::of($map->spec()->grid) ?? throw Problem::input("{$map->name()} has no georeference.", 'map');
    }

    /**
     * @param  array<string, mixed>  $from
     * @return array<string, mixed>
     */
    private static function feature(int $number, Image $map, int $col, int $row, array $from): array
    {
        $grid = $map->spec()->grid;
        $place = Crs::toGeographic($grid->epsg, ...$grid->toMap($col + 0.5, $row + 0.5));
        assert($place !== null);

        return [
            'id' => $number,
            'geometry' => ['type' => 'Point', 'coordinates' => [round($place[0], 9), round($place[1], 9)]],
            'properties' => ['number' => $number, ...$from, 'label' => null, 'note' => null],
        ];
    }
}
