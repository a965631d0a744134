<?php

namespace Chorometra\Core\Classify\Clustering;

use Chorometra\Core\Classify\Cases\FeatureTable;
use Chorometra\Core\Classify\Classifiers\NearestMean;
use Chorometra\Core\Geo\Pass;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\SampleType;
use Chorometra\Core\Work\Context;
use Chorometra\Core\Work\Workers;
use Random\Engine\Xoshiro256StarStar;
use Random\Randomizer;

/** Pixels from all over an image: of rows evenly far apart some, as evenly far apart, from a place on that is drawn for each. */
final class PixelSample
{
    /** Rows that one worker looks through at a time. */
    private const STRIP = 1024;

    /**
     * @return list<list<float>> by band, of about as many pixels as wanted, those without a value left out
     */
    public static function of(FeatureTable $there, int $wanted, int $seed, Context $context): array
    {
        $grid = $there->grid;
        $of = max(1.0, $grid->width * $grid->height / $wanted);
        $step = max(1, (int) floor(sqrt($of)));
        // columns make up for what whole rows leave
        $across = $of / $step;
        $strips = intdiv($grid->height + self::STRIP - 1, self::STRIP);
        $parts = Workers::all($strips, $context, 'drawing pixels', function (int $strip) use ($there, $grid, $step, $across, $seed): array {
            $columns = array_fill(0, count($there->bands), []);
            $end = min($grid->height, ($strip + 1) * self::STRIP);
            $first = $strip * self::STRIP + ($step - $strip * self::STRIP % $step) % $step;
            for ($row = min($first + intdiv($step, 2), $end - 1); $row < $end && $row >= $strip * self::STRIP; $row += $step) {
                $random = new Randomizer(new Xoshiro256StarStar(hash('sha256', "pixels $seed $row", true)));
                $values = $there->columns(new Window(0, $row, $grid->width, 1));
                self::pick($columns, $values, $random->getInt(0, (int) ceil(min($across, $grid->width)) - 1), $across, $grid->width, count($values));
            }

            return array_map(fn (array $column): string => pack('e*', ...$column), $columns);
        });

        return array_map(
            fn (int $band): array => Codec::values(implode('', array_column($parts, $band)), SampleType::Float64, null),
            array_keys($there->bands),
        );
    }

    /**
     * Sums of the pixels nearest to each centre, over the whole image: one turn of k-means.
     *
     * @param  list<list<float>>  $centres
     * @param  list<float>  $scales  that values are divided by before they are compared
     * @return list<list<float>> the means; a centre without pixels stays
     */
    public static function means(FeatureTable $there, array $centres, array $scales, Context $context): array
    {
        $nearest = NearestMean::of(range(0, count($centres) - 1), -1, $centres, $scales, array_fill(0, count($centres), 1.0));
        $pass = new Pass($there->grid, count($there->bands) + 2);
        $parts = $pass->all($context, 'moving centres', function (Window $window) use ($there, $nearest, $centres): array {
            $columns = $there->columns($window);
            $codes = $nearest->assign($columns, $window->pixels())->codes;
            $sums = [self::counts($codes, count($codes), count($centres))];
            foreach ($columns as $column) {
                $sums[] = self::sums($codes, $column, count($codes), count($centres));
            }

            return $sums;
        });
        $means = $centres;
        foreach (array_keys($centres) as $cluster) {
            $count = array_sum(array_map(fn (array $sums): float => $sums[0][$cluster], $parts));
            foreach ($count > 0.0 ? array_keys($there->bands) : [] as $band) {
                $means[$cluster][$band] = array_sum(array_map(fn (array $sums): float => $sums[$band + 1][$cluster], $parts)) / $count;
            }
        }

        return $means;
    }

    /**
     * @param  list<list<float>>  $columns
     * @param  list<list<float>>  $values  of a row
     */
    private static function pick(array &$columns, array $values, int $from, float $across, int $width, int $bands): void
    {
        for ($at = 1.0 * $from; $at < $width; $at += $across) {
            $col = (int) $at;
            $sum = 0.0;
            for ($band = 0; $band < $bands; $band++) {
                $sum += $values[$band][$col];
            }
            if ($sum - $sum === 0.0) {
                for ($band = 0; $band < $bands; $band++) {
                    $columns[$band][] = $values[$band][$col];
                }
            }
        }
    }

    /**
     * @param  list<int>  $codes  −1 nodata
     * @return list<float>
     */
    private static function counts(array $codes, int $count, int $clusters): array
    {
        $counts = array_fill(0, $clusters, 0.0);
        for ($i = 0; $i < $count; $i++) {
            if ($codes[$i] > -1) {
                $counts[$codes[$i]] += 1.0;
            }
        }

        return $counts;
    }

    /**
     * @param  list<int>  $codes
     * @param  list<float>  $values
     * @return list<float>
     */
    private static function sums(array $codes, array $values, int $count, int $clusters): array
    {
        $sums = array_fill(0, $clusters, 0.0);
        for ($i = 0; $i < $count; $i++) {
            if ($codes[$i] > -1) {
                $sums[$codes[$i]] += $values[$i];
            }
        }

        return $sums;
    }
}
