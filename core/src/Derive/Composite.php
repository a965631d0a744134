<?php

namespace Chorometra\Core\Derive;

use Chorometra\Core\Arithmetic\Formula;
use Chorometra\Core\Arithmetic\Indices;
use Chorometra\Core\Derive\Dates\Pick;
use Chorometra\Core\Format\Stac\Properties;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\ClassCodes;
use Chorometra\Core\Raster\Content;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\RasterSpec;
use Chorometra\Core\Raster\RowBlock;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Step\Call;
use Chorometra\Core\Step\Declaration;
use Chorometra\Core\Step\Desk;
use Chorometra\Core\Step\Example;
use Chorometra\Core\Step\Figure;
use Chorometra\Core\Step\LocalKind;
use Chorometra\Core\Step\Plan;
use Chorometra\Core\Step\Port;
use Chorometra\Core\Step\PortType;
use Chorometra\Core\Step\Reading;
use Chorometra\Core\Step\Setting;
use Chorometra\Core\Step\Wants;

/** Many dates into one image without clouds and holes. */
final class Composite extends LocalKind
{
    private const MOST_DATES = 60;

    public function declaration(): Declaration
    {
        return new Declaration(
            'derive.composite',
            'Temporal composite',
            'Makes one image from many dates on one grid: the median, the latest clear date, or the date with the best index value.',
            [
                new Port('images', PortType::Image, 'The dates: images with the same bands on one grid, two or more.', many: true, wants: Wants::Reflectance),
                new Port('masks', PortType::Classes, 'A mask for each date, in the same order or with the same dates.', required: false, many: true),
            ],
            [
                Setting::choice('take', ['median', 'newest', 'best'], 'median', 'Compositing rule.', [
                    'median' => 'median of each band',
                    'newest' => 'all bands of the latest date',
                    'best' => 'all bands of the date with the best index value',
                ]),
                Setting::choice('index', array_keys(Indices::TABLE), 'ndvi', 'Which index.', array_map(fn (array $row): string => $row[0], Indices::TABLE))
                    ->onlyFor('take=best'),
                Setting::choice('best', ['greatest', 'least'], 'greatest', 'Whether the greatest or the least index value is best.')->onlyFor('take=best'),
                Setting::texts('leave-out', 'Mask classes to exclude, by name or by code as #1. Empty: all but clear, water and snow.'),
            ],
            [
                new Port('result', PortType::Image, 'The composite; nodata where no date has all bands.'),
                new Port('dates', PortType::Image, 'Number of valid dates per pixel, and the date used: 1 the earliest, 0 none.', required: false),
            ],
            'Greatest index: Holben 1986, International Journal of Remote Sensing 7:1417–1434. Median: Flood 2013, Remote Sensing 5:6481–6500, by band '
                .'(from memory).',
            synonyms: ['median composite', 'cloud-free mosaic', 'time series'],
            example: new Example(['take' => 'best']),
            figures: [
                Figure::table('dates-used', 'dates', ['number' => null, 'image' => null, 'date' => null, 'mask' => null]),
            ],
            desk: new Desk(10, ['{take}'], makes: 'composite'),
        );
    }

    public function plan(Call $call): Plan
    {
        $images = $this->images($call);
        $masks = $this->masks($call, $images);
        $spec = $images[0]->spec();
        $number = count($images);
        $bands = max(1, count($spec->bands));
        $take = $call->text('take');
        $measure = $take === 'best' ? new Formula(Indices::TABLE[$call->text('index')][1]) : null;
        $read = array_map(fn (string $role): int => Call::bandOf($images[0], $role, 'index'), $measure?->names() ?? []);
        $compute = $measure?->compile();
        $sign = $call->text('best') === 'least' ? -1.0 : 1.0;
        $readings = array_map(fn (Image $image): Reading => new Reading($image, range(0, $bands - 1)), $images);
        $left = [];
        foreach ($masks as $date => [$mask, $codes]) {
            $readings[] = new Reading($mask, [0]);
            $left[$date] = $codes;
        }
        $units = array_unique(array_filter(array_map(fn (Image $image): ?string => $image->spec()->bands[0]->unit, $images)));

        return new Plan(
            $readings,
            [
                'result' => new RasterSpec(
                    $spec->grid,
                    array_map(fn (Band $band): Band => $band->measuredIn($band->unit), $spec->bands),
                    properties: Properties::over(array_map(fn (Image $image): array => $image->spec()->properties, $images)),
                ),
                'dates' => new RasterSpec(
                    $spec->grid,
                    [new Band(name: 'dates'), ...($take === 'median' ? [] : [new Band(name: 'taken')])],
                    SampleType::UInt8,
                    null,
                ),
            ],
            function (array $planes, RowBlock $rows) use ($number, $bands, $left, $take, $read, $compute, $sign): array {
                $count = $rows->width * $rows->rows;
                $dates = array_chunk(array_slice($planes, 0, $number * $bands), $bands);
                $masks = array_combine(array_keys($left), array_slice($planes, $number * $bands));
                $usable = array_map(
                    fn (array $own, int $date): array => Pick::usable($own, $count, $masks[$date] ?? null, $left[$date] ?? []),
                    $dates,
                    array_keys($dates),
                );
                $numbers = array_map(floatval(...), Pick::numbers($usable, $count));
                $ofBand = fn (int $band): array => array_column($dates, $band);
                if ($take === 'median') {
                    return [
                        'result' => array_map(fn (int $band): array => Pick::median($ofBand($band), $usable, $count), range(0, $bands - 1)),
                        'dates' => [$numbers],
                    ];
                }
                $measures = $compute === null
                    ? []
                    : array_map(fn (array $own): array => $compute(array_map(fn (int $band): array => $own[$band], $read), $count)[0], $dates);
                $taken = $compute === null ? Pick::last($usable, $count) : Pick::greatest($usable, $measures, $count, $sign);

                return [
                    'result' => array_map(fn (int $band): array => Pick::of($ofBand($band), $taken, $count), range(0, $bands - 1)),
                    'dates' => [$numbers, array_map(floatval(...), $taken)],
                ];
            },
            figures: [
                'dates-used' => array_map(
                    fn (Image $image, int $date): array => [
                        'number' => $date + 1,
                        'image' => $image->name(),
                        'date' => substr(self::date($image) ?? '', 0, 10) ?: null,
                        'mask' => isset($masks[$date]) ? $masks[$date][0]->name() : null,
                    ],
                    $images,
                    array_keys($images),
                ),
            ] + (count($units) > 1 ? ['warning' => 'The dates differ in unit: '.implode(', ', $units).'. A composite of them means little.'] : []),
        );
    }

    /** @return non-empty-list<Image> the oldest first */
    private function images(Call $call): array
    {
        $images = $call->images('images');
        if (count($images) < 2 || count($images) > self::MOST_DATES) {
            throw Problem::call('A composite needs two or more dates, and '.self::MOST_DATES.' at most; these are '.count($images).'.', 'images');
        }
        $first = $images[0]->spec();
        $roles = fn (Image $image): array => array_map(fn (Band $band): ?string => $band->role, $image->spec()->bands);
        foreach ($images as $image) {
            if ($image->spec()->content !== Content::Image) {
                throw Problem::input("{$image->name()} contains class codes: a composite needs images of values. Masks have their own input.", 'images');
            }
            if (count($image->spec()->bands) !== count($first->bands) || $roles($image) !== $roles($images[0])) {
                throw Problem::input("{$image->name()} has other bands than {$images[0]->name()}: {$image->spec()->bandList()}, and not {$first->bandList()}.",
                    'images');
            }
        }
        $dates = array_map(self::date(...), $images);
        $undated = array_search(null, $dates, true);
        if ($undated !== false && $call->text('take') === 'newest') {
            throw Problem::input("{$images[$undated]->name()} has no date, so the latest is unknown.", 'images');
        }
        if ($undated === false) {
            array_multisort($dates, SORT_STRING, array_keys($images), $images);
        }

        return $images;
    }

    private static function date(Image $image): ?string
    {
        $properties = $image->spec()->properties;
        $date = $properties['datetime'] ?? $properties['start_datetime'] ?? null;

        return is_string($date) ? $date : null;
    }

    /**
     * @param  list<Image>  $images
     * @return array<int, array{Image, array<int, true>}> by date, each with the codes that are left out
     */
    private function masks(Call $call, array $images): array
    {
        $masks = $call->images('masks');
        if ($masks === []) {
            return [];
        }
        $given = $call->images('images');
        $found = [];
        foreach ($masks as $k => $mask) {
            $date = self::date($mask);
            // of several images of one date, order tells
            $own = array_keys(array_filter($images, fn (Image $image): bool => $date !== null && self::date($image) === $date));
            if (count($own) !== 1 && count($masks) !== count($images)) {
                throw Problem::input("{$mask->name()} has no date of these images: give a mask for each, in order.", 'masks');
            }
            $at = count($own) === 1 ? $own[0] : (int) array_search($given[$k], $images, true);
            if (isset($found[$at])) {
                throw Problem::input("{$mask->name()} and {$found[$at][0]->name()} are of one date.", 'masks');
            }
            $found[$at] = [$mask, ClassCodes::leftOut($mask, $call->texts('leave-out'), 'leave-out')];
        }
        ksort($found);

        return $found;
    }
}
