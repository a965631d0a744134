<?php

namespace App\Evidence;

use Chorometra\Core\Geo\Grid;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Resampling;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Raster\Warped;
use Chorometra\Core\Stats\Moments;
use Chorometra\Core\Stats\Robust;

/** What a step did to an image, in figures. */
final class Comparison
{
    private const MOST_PIXELS = 1 << 20;

    /** Four images are held at once. */
    private const MOST_OF_DATES = 1 << 19;

    /** @return list<array<string, mixed>> by band of the later image */
    public static function of(Image $before, Image $after): array
    {
        $spec = $after->spec();
        $window = self::window($after);
        $read = self::reader($before, $spec->grid, $window);
        $new = self::reader($after, $spec->grid, $window);
        $told = [];
        foreach ($spec->bands as $index => $band) {
            $other = $band->role === null ? $index : ($before->spec()->bandIndex($band->role) ?? $index);
            if (! isset($before->spec()->bands[$other])) {
                continue;
            }
            $told[] = ['band' => $band->label($index + 1), 'number' => $index + 1, 'other' => $other + 1] + self::band($read($other), $new($index));
        }

        return $told;
    }

    /**
     * What lies between two dates where nothing changed, before a correction and after it, by band.
     *
     * Unchanged is a pixel whose difference keeps within one robust deviation of the middle, before and after alike, so that neither
     * is favoured (common practice, no source).
     *
     * @return list<array<string, mixed>>
     */
    public static function dates(Image $before, Image $after, Image $otherBefore, Image $otherAfter): array
    {
        $spec = $after->spec();
        $window = self::window($after, self::MOST_OF_DATES);
        $readers = array_map(fn (Image $image): \Closure => self::reader($image, $spec->grid, $window), [$before, $otherBefore, $after, $otherAfter]);
        $told = [];
        foreach ($spec->bands as $index => $band) {
            $planes = [];
            foreach ([$before, $otherBefore, $after, $otherAfter] as $k => $image) {
                $at = $band->role === null ? $index : ($image->spec()->bandIndex($band->role) ?? $index);
                if (! isset($image->spec()->bands[$at])) {
                    continue 2;
                }
                $planes[] = $readers[$k]($at);
            }
            $told[] = ['band' => $band->label($index + 1)] + self::unchanged(...$planes);
        }

        return $told;
    }

    /**
     * @param  list<float>  $before
     * @param  list<float>  $otherBefore
     * @param  list<float>  $after
     * @param  list<float>  $otherAfter
     * @return array<string, mixed>
     */
    private static function unchanged(array $before, array $otherBefore, array $after, array $otherAfter): array
    {
        $pairs = [[], []];
        foreach ($before as $i => $value) {
            $all = [$value - $otherBefore[$i], $after[$i] - $otherAfter[$i]];
            if (! is_nan($all[0] + $all[1])) {
                $pairs[0][$i] = $all[0];
                $pairs[1][$i] = $all[1];
            }
        }
        $keep = array_keys($pairs[0]);
        foreach ($pairs as $differences) {
            [$middle, $spread] = Robust::spread(array_values($differences));
            $keep = array_values(array_filter($keep, fn (int $i): bool => abs($differences[$i] - $middle) <= $spread));
        }
        $measure = function (array $differences, array $values) use ($keep): array {
            $squares = $sum = 0.0;
            foreach ($keep as $i) {
                $squares += $differences[$i] ** 2;
                $sum += $differences[$i];
            }
            $n = max(1, count($keep));
            // held against how the ground itself differs, which needs no zero of the scale: counts have none
            $deviation = Moments::of(array_map(fn (int $i): float => $values[$i], $keep))->deviation();

            return ['mean' => $sum / $n, 'rms' => sqrt($squares / $n), 'relative' => $deviation > 0 ? sqrt($squares / $n) / $deviation : null];
        };

        return [
            'pixels' => count($keep),
            'share' => count($keep) / max(1, count($pairs[0])),
            'before' => $measure($pairs[0], $before),
            'after' => $measure($pairs[1], $after),
        ];
    }

    /** The whole image on the first overview that is small enough: averages tell of changes too. */
    private static function window(Image $image, int $most = self::MOST_PIXELS): Window
    {
        $size = [1, 1];
        foreach ($image->levels() as $size) {
            if ($size[0] * $size[1] <= $most) {
                break;
            }
        }

        return new Window(0, 0, ...$size);
    }

    /** @return \Closure(int): list<float> a band of an image, seen on the pixels of an overview of a grid */
    private static function reader(Image $image, Grid $grid, Window $window): \Closure
    {
        $spec = $image->spec();
        $level = array_search([$window->width, $window->height], $image->levels(), true);
        if ($level !== false && $spec->grid->matches($grid)) {
            return fn (int $band): array => Values::of($image, $band, $window, $level);
        }
        $warped = new Warped($image, $grid->resized($window->width, $window->height), Resampling::Nearest);

        return fn (int $band): array => $warped->values($band, $window);
    }

    /**
     * @param  list<float>  $old
     * @param  list<float>  $new
     * @return array<string, mixed>
     */
    private static function band(array $old, array $new): array
    {
        $changed = $lost = $negative = $both = 0;
        $differences = [];
        foreach ($new as $i => $value) {
            $was = $old[$i];
            if (is_nan($was)) {
                $old[$i] = NAN;
                $new[$i] = NAN;
            } elseif (is_nan($value)) {
                $lost++;
                $old[$i] = NAN;
            } else {
                $both++;
                $negative += $value < 0.0 ? 1 : 0;
                $difference = $value - $was;
                $changed += abs($difference) > 1e-6 * max(abs($value), abs($was)) ? 1 : 0;
                $differences[] = $difference;
            }
        }
        $spread = fn (array $values): array => ($moments = Moments::of(array_values($values)))->count > 0
            ? ['mean' => $moments->mean, 'deviation' => $moments->deviation()]
            : ['mean' => null, 'deviation' => null];

        return [
            'pixels' => $both,
            'changed' => $both > 0 ? $changed / $both : null,
            'lost' => $lost,
            'negative' => $both > 0 ? $negative / $both : null,
            'before' => $spread($old),
            'after' => $spread($new),
            'difference' => $spread($differences),
        ];
    }
}
