<?php

namespace App\Support;

use Chorometra\Core\Raster\Codec;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Resampling;
use Chorometra\Core\Raster\Warped;
use Chorometra\Core\Raster\Window;
use Chorometra\Core\Stats\Moments;

/** What a step did to an image, in figures. */
final class Comparison
{
    private const MOST_PIXELS = 1 << 20;

    /** @return list<array<string, mixed>> by band of the later image */
    public static function of(Image $before, Image $after): array
    {
        $spec = $after->spec();
        // an overview of averages tells of changes too
        $level = 0;
        foreach ($after->levels() as $k => [$width, $height]) {
            $level = $k;
            if ($width * $height <= self::MOST_PIXELS) {
                break;
            }
        }
        [$width, $height] = $after->levels()[$level];
        $window = new Window(0, 0, $width, $height);
        $same = $before->spec()->grid->matches($spec->grid) && ($before->levels()[$level] ?? null) === [$width, $height];
        $seen = $same ? null : new Warped($before, $spec->grid->resized($width, $height), Resampling::Nearest);
        $told = [];
        foreach ($spec->bands as $index => $band) {
            $other = $band->role === null ? $index : ($before->spec()->bandIndex($band->role) ?? $index);
            if (! isset($before->spec()->bands[$other])) {
                continue;
            }
            $old = $seen === null ? Codec::values($before->read($other, $window, $level), $before->spec()->type, $before->spec()->nodata) : $seen->values($other, $window);
            $new = Codec::values($after->read($index, $window, $level), $spec->type, $spec->nodata);
            $told[] = ['band' => $band->label($index + 1), 'number' => $index + 1, 'other' => $other + 1] + self::band($old, $new);
        }

        return $told;
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
        $spread = fn (array $values): array => ($moments = Moments::of(array_values($values)))->count > 0 ? ['mean' => $moments->mean, 'deviation' => $moments->deviation()] : ['mean' => null, 'deviation' => null];

        return ['pixels' => $both, 'changed' => $both > 0 ? $changed / $both : null, 'lost' => $lost, 'negative' => $both > 0 ? $negative / $both : null, 'before' => $spread($old), 'after' => $spread($new), 'difference' => $spread($differences)];
    }
}
