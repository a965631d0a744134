<?php

namespace App\Evidence;

use App\Models\Step;
use App\Steps\Inputs;
use Chorometra\Core\Correct\Light\LightFit;
use Chorometra\Core\Geo\Window;
use Chorometra\Core\Problem;
use Chorometra\Core\Raster\Image;
use Chorometra\Core\Raster\RowBlock;
use Chorometra\Core\Raster\SlopeLight;
use Chorometra\Core\Raster\Values;

/** Some pixels of a band over the light on their slope, before and after it was evened out. */
final class LightScatter
{
    /** Pixels looked at: few of them need lie on slopes. */
    private const LOOKED_AT = 400_000;

    /** Pixels shown. */
    private const DOTS = 2500;

    /** @return array<string, mixed> */
    public static function of(Step $step, int $band): array
    {
        $study = $step->study ?? throw new \LogicException('A step has a study.');
        $after = $step->items()->where('output', 'result')->latest('id')->first();
        if (! $step->declaration()->desk->shows('light') || $after === null) {
            throw Problem::call('Only a topographic correction has this scatter plot.');
        }
        $before = Inputs::item($study, $step->inputs['image'] ?? [], 'image')->image();
        $dem = Inputs::item($study, $step->inputs['elevation'] ?? [], 'elevation')->image();
        $image = $after->image();
        $spec = $image->spec();
        if ($band < 1 || $band > count($spec->bands)) {
            throw Problem::call("This item has no band $band.", 'band');
        }
        ['elevation' => $sunElevation, 'azimuth' => $sunAzimuth] = $step->figures['sun'] ?? throw Problem::call('Run the step first.');
        $grid = $spec->grid;
        $lights = $old = $new = [];
        $strips = max(1, min($grid->height, intdiv(self::LOOKED_AT, $grid->width)));
        for ($k = 0; $k < $strips; $k++) {
            $row = (int) (($k + 0.5) * $grid->height / $strips);
            $above = min(1, $row);
            $below = min(1, $grid->height - 1 - $row);
            [$light, $slope] = SlopeLight::over(
                self::line($dem, 0, $row - $above, 1 + $above + $below),
                new RowBlock($grid->width, 1, $row, $above, $below),
                $grid,
                (float) $sunElevation,
                (float) $sunAzimuth,
            );
            [$was, $is] = [self::line($before, $band - 1, $row, 1), self::line($image, $band - 1, $row, 1)];
            foreach ($slope as $col => $steep) {
                // flat ground tells nothing of light
                if ($steep > 0.087 && $light[$col] > 0 && ! is_nan($was[$col])) {
                    $lights[] = round($light[$col], 4);
                    $old[] = $was[$col];
                    $new[] = is_nan($is[$col]) ? null : $is[$col];
                }
            }
        }
        $shown = fn (array $values): array => array_map(fn (int $k) => $values[(int) ($k * count($values) / self::DOTS)], range(0, self::DOTS - 1));
        $dots = count($lights) > self::DOTS ? $shown : fn (array $values): array => $values;

        return [
            'light' => $dots($lights),
            'before' => ['values' => $dots($old)] + self::through($lights, $old),
            'after' => ['values' => $dots($new)] + self::through($lights, $new),
        ];
    }

    /** @return list<float> */
    private static function line(Image $image, int $band, int $row, int $rows): array
    {
        $spec = $image->spec();

        return Values::of($image, $band, new Window(0, $row, $spec->grid->width, $rows));
    }

    /**
     * @param  list<float>  $x
     * @param  list<float|null>  $y
     * @return array{slope: float|null, offset: float|null, correlation: float|null}
     */
    private static function through(array $x, array $y): array
    {
        $sums = array_fill(0, 11, 0.0);
        foreach ($y as $i => $value) {
            if ($value !== null && $x[$i] > 0.15) {
                foreach ([1.0, $x[$i], $value, $x[$i] ** 2, $x[$i] * $value, $value ** 2] as $k => $term) {
                    $sums[$k] += $term;
                }
            }
        }
        $fit = LightFit::through($sums);

        return ['slope' => $fit['slope'] ?? null, 'offset' => $fit['offset'] ?? null, 'correlation' => $fit['correlation'] ?? null];
    }
}
