<?php

namespace Chorometra\Core\Correct\Air;

use Chorometra\Core\Format\Vector\GeoJson;
use Chorometra\Core\Format\Vector\LabelledPoints;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Band;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\Values;
use Chorometra\Core\Step\Call;

/**
 * How well a spectrum fits a signature.
 *
 * Spectral angle: Kruse et al. 1993, Remote Sensing of Environment 44:145–163 (from memory).
 */
final class SpectralFit
{
    /**
     * Angle in degrees, 0 where two spectra differ in brightness only; null where one of them is 0 or they share no two bands.
     *
     * @param  list<float|null>  $a
     * @param  list<float|null>  $b
     */
    public static function angle(array $a, array $b): ?float
    {
        $dot = $aa = $bb = 0.0;
        $shared = 0;
        foreach ($a as $i => $one) {
            $other = $b[$i] ?? null;
            if ($one !== null && $other !== null) {
                $dot += $one * $other;
                $aa += $one * $one;
                $bb += $other * $other;
                $shared++;
            }
        }

        return $shared < 2 || $aa <= 0 || $bb <= 0 ? null : rad2deg(acos(max(-1.0, min(1.0, $dot / sqrt($aa * $bb)))));
    }

    /**
     * Root of the mean squared difference over the bands that both have, in reflectance.
     *
     * @param  list<float|null>  $a
     * @param  list<float|null>  $b
     */
    public static function rmse(array $a, array $b): ?float
    {
        $sum = 0.0;
        $shared = 0;
        foreach ($a as $i => $one) {
            if ($one !== null && ($b[$i] ?? null) !== null) {
                $sum += ($one - $b[$i]) ** 2;
                $shared++;
            }
        }

        return $shared === 0 ? null : sqrt($sum / $shared);
    }

    /**
     * A spectrum beside all signatures, the nearest in shape first.
     *
     * @param  list<float|null>  $spectrum
     * @param  list<Band>  $bands
     * @return list<array{signature: string, angle: float, rmse: float}>
     */
    public static function ranked(array $spectrum, array $bands, SpectralLibrary $signatures): array
    {
        $found = [];
        foreach (array_keys($signatures->covers) as $cover) {
            $seen = array_map(fn (Band $band): ?float => $signatures->seenBy($band, (string) $cover), $bands);
            $angle = self::angle($spectrum, $seen);
            if ($angle !== null) {
                $found[] = ['signature' => (string) $cover, 'angle' => $angle, 'rmse' => (float) self::rmse($spectrum, $seen)];
            }
        }
        usort($found, fn (array $a, array $b): int => $a['angle'] <=> $b['angle']);

        return $found;
    }

    /**
     * Values of all bands at a place; null beyond the image and at nodata.
     *
     * @return list<float|null>
     */
    public static function at(Image $image, float $col, float $row): array
    {
        $spec = $image->spec();
        $window = (new Window((int) floor($col), (int) floor($row), 1, 1))->within($spec->grid->width, $spec->grid->height);

        return array_map(function (int $band) use ($image, $window): ?float {
            $value = $window->isEmpty() ? NAN : Values::of($image, $band, $window)[0];

            return is_nan($value) ? null : $value;
        }, array_keys($spec->bands));
    }

    /**
     * The points of a call beside its signatures: each with the one it names, else with the nearest in shape.
     *
     * @param  \Closure(int, float): (float|null)  $surface  reflectance of the ground by band and reflectance above the air; null for bands that have none
     * @return list<array{point: string, signature: string|null, angle: float|null, rmse: float|null}>
     *
     * @throws Problem where points name signatures that are not there
     */
    public static function atPoints(Call $call, \Closure $surface): array
    {
        if (! $call->hasInput('signatures')) {
            throw Problem::call('The points need signatures to be compared with: give the input signatures too.', 'signatures');
        }
        $signatures = SpectralLibrary::read($call->path('signatures'));
        $image = $call->image();
        $spec = $image->spec();
        $names = array_column(GeoJson::all($call->path('points'))['features'], 'properties');
        $fits = [];
        foreach (LabelledPoints::read($call->path('points'), $image->spec()->grid->epsg) as $k => $point) {
            [$col, $row] = $spec->grid->toPixel($point['x'], $point['y']);
            $values = self::at($image, $col, $row);
            $spectrum = array_map(fn (int $index): ?float => $values[$index] === null ? null : $surface($index, $values[$index]), array_keys($values));
            $ranked = self::ranked($spectrum, $spec->bands, $signatures);
            $wanted = $names[$k]['signature'] ?? null;
            if (is_string($wanted) && ! isset($signatures->covers[$wanted])) {
                throw Problem::input("There is no signature “{$wanted}” in ".basename($call->path('signatures')).'.', 'points');
            }
            $fit = array_values(array_filter($ranked, fn (array $one): bool => ! is_string($wanted) || $one['signature'] === $wanted))[0] ?? null;
            $name = $names[$k]['name'] ?? $names[$k]['letter'] ?? $k + 1;
            $fits[] = ['point' => is_scalar($name) ? (string) $name : (string) ($k + 1)] + ($fit ?? ['signature' => null, 'angle' => null, 'rmse' => null]);
        }

        return $fits;
    }
}
